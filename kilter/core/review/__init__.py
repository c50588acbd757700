"""A season looked back at: what was found among much that was looked at, what recurs,
what places usually give.
"""
