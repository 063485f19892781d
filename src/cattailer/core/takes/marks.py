"""What people say of a place of the timeline, and of a run."""

RATINGS = ("good", "maybe", "no")
MARKER, NOTE, MISHAP, RATING = "marker", "note", "mishap", "rating"
KINDS = (MARKER, NOTE, MISHAP)
