"""The ground as all rooms know it: its maps with what grows there,
and the page of each place and planting.
"""
