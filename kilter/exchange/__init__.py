"""Data in and out: the open format."""
