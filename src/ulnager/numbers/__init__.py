"""Numbers by period: totals, comparisons, running measures and ages, worked out where the data is.

May import ``sources`` and what is below. Only counts and totals travel from the data; how they fall
into periods is decided here.
"""
