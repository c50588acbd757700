"""Template tags of Weigh up."""
