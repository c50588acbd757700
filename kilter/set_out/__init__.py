"""What was planted."""
