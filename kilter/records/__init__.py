"""Every planting as the core's record: what came of it, from how many plants,
and all it can be compared by.
"""
