"""Where things grow."""
