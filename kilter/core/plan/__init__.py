"""The plan: what is needed, what a plant gives, how many to plant."""
