"""Yields: the record of a planting, its harvest, what is measured of it and what it cost."""
