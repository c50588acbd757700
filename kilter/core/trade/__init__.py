"""Words of the trade, each defined once: grades, uses of the larder, kinds of place, kinds of unit.

A word carries what follows from it. Model choices, constraints, forms, keys, legends, scripts, the
handbook's check and the open format are made from these tables; nothing else lists the words again.
"""
