"""The larder: what is lost in store, how long a store lasts week by week,
and what a crop was worth and cost.
"""
