"""One line for each page that is open: telemetry out, wishes in."""
