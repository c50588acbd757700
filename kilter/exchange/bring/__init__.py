"""Bring a table: any spreadsheet read as the bench reads a line, shown, asked about, then written
by way of the open format.
"""
