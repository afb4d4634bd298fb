"""The rules: units, anchors, calendars, periods and spans.

Nothing here reads a clock, a file or a setting; whoever calls passes the moment in.
Only the standard library and NumPy are imported.
"""
