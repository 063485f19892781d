"""The API: what a script or another controller may ask, as JSON."""
