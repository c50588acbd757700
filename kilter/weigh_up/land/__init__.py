"""How close to plant, and whether sharing a bed pays."""
