"""The real-time process: drivers, block processing, transport, capture, playback, telemetry."""
