"""Where everything is put together: PostgreSQL, the engine process, the web, and who watches them."""
