"""Open file formats: Broadcast WAV and RF64, waveform overviews, the run journal, profiles."""
