"""How much to plant."""
