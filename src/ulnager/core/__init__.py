"""The rules: units, calendars, periods and the language. It computes, and does nothing else.

Nothing here reads a clock, a file, an environment variable or a setting; whoever calls passes the
moment in. Only the standard library and NumPy are imported. Text comes in by ``language``, is
worked out in ``periods`` on ``calendars``, and goes on to ``filters``.
"""
