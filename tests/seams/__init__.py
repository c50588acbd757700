"""One question, one answer, whichever room is asked."""
