"""PostgreSQL through SQLAlchemy: models and migrations."""
