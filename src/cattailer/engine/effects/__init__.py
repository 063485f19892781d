"""Effects as the block path runs them."""
