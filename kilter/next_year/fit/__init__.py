"""Does it fit: the plan's crops set into the ground, month by month."""
