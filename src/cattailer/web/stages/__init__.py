"""A blueprint for each stage."""
