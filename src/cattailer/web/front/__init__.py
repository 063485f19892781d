"""What stands before the pages: who may come in, and how much of them is held at once."""
