"""What happened to what grows, and what was done for it."""
