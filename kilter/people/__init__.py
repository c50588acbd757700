"""Households, members, eaters, and what every room builds on."""
