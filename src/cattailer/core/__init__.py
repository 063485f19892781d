"""The rules of the job: plain Python and NumPy, no I/O, no clock, no database."""
