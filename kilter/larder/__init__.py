"""Larder: what is kept, what is used, when it ran out, and what it was worth."""
