"""Devices: the door, the engineer’s list of them, and a player’s page."""
