"""Text to definitions and back: tokens, the tree of wordings, the reader, and :class:`Period`.

May import ``core.periods`` and ``core.calendars``. Nothing here knows a single phrase; what a
period does next is in ``filters``, ``sources`` and ``book``.
"""
