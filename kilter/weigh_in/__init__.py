"""The bench: weigh and count."""
