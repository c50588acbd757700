"""Look back: a season on one page, drafted from the record; what changes, and whether it helped."""
