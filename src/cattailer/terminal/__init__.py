"""Commands of the terminal that need more than a few lines."""
