"""What a press of Capture makes: runs, one for each pass, punch or stretch of sound."""
