"""What people say of a place of the timeline, and of a run."""

RATINGS = ("good", "maybe", "no")
MARKER, NOTE, MISHAP, RATING = "marker", "note", "mishap", "rating"
KINDS = (MARKER, NOTE, MISHAP)
"""Those that people set."""
PREAMP = "preamp"
"""A preamp was turned while it was captured."""
START, END = "start", "end"
"""Where a run began and ended, where the session marks that by itself."""
