"""Amounts: units, vague dates and amounts, weighing."""
