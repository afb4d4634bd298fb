"""A resolution or a live period as a condition: SQL for each engine, data frames, open standards.

May import ``core``. ``columns`` knows what columns hold, ``frozen`` and ``live`` make conditions,
``engines`` holds one row an engine, and ``conditions`` is what people call; ``sources`` runs them.
"""
