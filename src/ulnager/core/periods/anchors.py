"""What a period is measured from and read with: the anchor, the data's dates, the defaults."""

from __future__ import annotations

from datetime import date
from typing import NamedTuple

from ulnager.core.periods.spans import Range


class Extent(NamedTuple):
    """The first and last date that the data holds; it answers for ``earliest`` and ``latest``.

    ``last_whole`` is the last day that is loaded whole, and ``missing`` holds the days without
    rows as half-open ranges of day numbers, where a profile has found them.

    >>> Extent(date(2023, 10, 1), date(2026, 5, 17)).last
    datetime.date(2026, 5, 17)
    """

    first: date
    last: date
    last_whole: date | None = None
    missing: tuple[Range, ...] = ()


class Anchor(NamedTuple):
    """The day that a period was measured from, and whether that day is still running.

    ``source`` says in the words of the language where it came from.
    """

    day: date
    running: bool
    source: str

    def __str__(self) -> str:
        state = "still running" if self.running else "over"
        name = "" if self.source == self.day.isoformat() else f"{self.source}, "
        return f"{name}{self.day} ({state})"


class Defaults(NamedTuple):
    """How ambiguous phrases are read: the name of a reading, or ``"refuse"``.

    ``last`` is for ``last N U``: rolling, whole, to date, to end; ``next`` is for
    ``next N U``: rolling, whole, from date, from start.
    """

    last: str = "rolling"
    next: str = "rolling"
