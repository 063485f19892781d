"""Where a session is: in the list, put away, or in the bin."""

LISTED, AWAY, BIN = "", "away", "bin"
SHELVES = (LISTED, AWAY, BIN)
