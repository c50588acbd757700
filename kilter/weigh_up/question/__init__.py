"""What is asked: its gaps, its address, what can be asked of the records,
and the questions saved.
"""
