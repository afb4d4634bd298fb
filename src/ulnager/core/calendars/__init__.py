"""How days group into units: months, weeks, cycles, tables, business days, labels, zones, arrays.

Imports nothing but the modules beside ``core`` itself (errors, units, text). A calendar begins in
``base``; what uses calendars is in ``core.periods``.
"""
