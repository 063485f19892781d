"""Flask: it reads what comes in, calls one service, and renders. No rule of the job lives here."""
