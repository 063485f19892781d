"""Who may come in: roles, codes that are good once, and how often somebody may try."""
