"""The phrase table: every phrase, how it is said, what it comes out as, and why.

Importing this package fills the table, in the order in which phrases are told. A phrase is added
as one function in the module of its sort, and nowhere else. The rows that others build phrases of
are named here.
"""

# ruff: noqa: I001
from ulnager.core.periods.rule import RULES
from ulnager.core.periods.phrases.points import (
    anchor_day,
    day,
    earlier_of,
    earliest,
    end_of,
    later_of,
    latest,
    latest_whole_day,
    moved_before,
    start_of,
    today,
)
from ulnager.core.periods.phrases.around import latest_unit, this
from ulnager.core.periods.phrases import rolling_and_whole as counted
from ulnager.core.periods.phrases import named
from ulnager.core.periods.phrases.ends import (
    all_dates,
    between,
    fixed,
    from_,
    labelled,
    on,
    unit_of,
    until,
)
from ulnager.core.periods.phrases import parts_of as parts
from ulnager.core.periods.phrases import how_old as ages
from ulnager.core.periods.phrases.joins import plus
from ulnager.core.periods.phrases.shifts import as_of, in_calendar

__all__ = [
    "RULES",
    "ages",
    "all_dates",
    "anchor_day",
    "as_of",
    "between",
    "counted",
    "day",
    "earlier_of",
    "earliest",
    "end_of",
    "fixed",
    "from_",
    "in_calendar",
    "labelled",
    "later_of",
    "latest",
    "latest_unit",
    "latest_whole_day",
    "moved_before",
    "named",
    "on",
    "parts",
    "plus",
    "start_of",
    "this",
    "today",
    "unit_of",
    "until",
]
