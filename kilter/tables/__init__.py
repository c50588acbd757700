"""Tables of the open format, told by the models: names, types,
ranges and choices are read from their fields.
"""
