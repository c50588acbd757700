"""The computation: plain Python on numpy and scipy, with no Django, no clock and no I/O.

The only files read are the core's own tables in ``handbook``.
"""
