"""A table that somebody brings: its cells, its heads, what each column means, and names that are
nearly right.
"""
