"""What engine and web tell each other, typed, both ways."""
