"""Live spans of whole units, as a column needs whose values stand for more than a day."""

from __future__ import annotations

from typing import Any, NamedTuple

from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.errors import FilterError
from ulnager.core.periods.grain import Grain, starts_agree
from ulnager.core.units import Unit
from ulnager.filters.sql_arithmetic import SqlArithmetic, SqlDay

Aligned = tuple[Unit | None, Unit | None, bool]
"""The units that a span's start and stop are starts of, and whether it is to date."""


class Grained(NamedTuple):
    """An engine's sums, the grain of a column, and how what cuts its units is rounded."""

    arithmetic: SqlArithmetic
    grain: Grain
    rounding: str | None

    def span(self, start: Any, stop: Any, aligned: Aligned) -> tuple[Any, Any]:
        """A span of whole units; FilterError where it may cut one and no rounding is given."""
        to_date = aligned[2]
        whole = (
            self._is_start(start, aligned[0]),
            self._is_start(stop, None if to_date else aligned[1]),
        )
        start, stop = (
            None if day is None else self.arithmetic.as_sql(day) for day in (start, stop)
        )
        if all(whole):
            return start, stop
        name = self.grain.unit.name
        if self.rounding is None:
            raise FilterError(
                f"the {'stop' if whole[0] else 'start'} may lie inside a {name}, which a column of "
                f"{self.grain.unit.plural} cannot tell: days would be lost or added; choose whole "
                f"{self.grain.unit.plural}, filter a column of days, or say with rounding whether "
                "'inward' or 'outward'"
            )
        inward = self.rounding == "inward"
        first = start if whole[0] else self._rounded(start, inward)
        if inward or first is None or stop is None:
            return first, stop if whole[1] else self._rounded(stop, not inward)
        # An empty span touches no unit.
        last = stop if whole[1] else self._rounded(stop, True)
        return first, self.arithmetic.choose(start < stop, last, first)

    def _is_start(self, day: Any, unit: Unit | None) -> bool:
        """Whether a day is known to be the first of a unit of the grain."""
        grain = self.grain
        if day is None:
            return True
        if isinstance(day, int):
            return bool(grain.range_around(day)[0] == day)
        starts_month = isinstance(day, SqlDay) and day.starts_month
        if starts_month and starts_agree(GREGORIAN, Unit.MONTH, grain):
            return True
        return unit is not None and starts_agree(self.arithmetic.calendar, unit, grain)

    def _rounded(self, day: SqlDay, up: bool) -> Any:
        """The start of the unit around a day; or the first one on that day or later."""
        sums = SqlArithmetic(self.grain.calendar, self.arithmetic.engine)
        if self.grain.calendar == self.arithmetic.calendar:
            sums = self.arithmetic
        if up:
            return sums.unit_stop(day - 1, self.grain.unit)
        return sums.unit_start(day, self.grain.unit)
