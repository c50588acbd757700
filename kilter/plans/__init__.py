"""What is planned for a season: plans, their crops, what was promised,
wishes and who does not eat what.
"""
