"""The fit: what of each crop goes where and when, as near to all needs as the ground,
the work and the water allow.
"""
