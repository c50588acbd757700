"""Kilter: weigh harvests, compare them fairly, and plan how much to plant per person."""

__version__ = "0.1.0"
