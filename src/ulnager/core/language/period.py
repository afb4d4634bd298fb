"""Periods as their users hold them: read once from text, resolved as often as needed.

This is the edge where text, dates of any sort and the clock become typed values; the
rules below never see a string.
"""

from __future__ import annotations

import functools
from collections.abc import Iterator, Mapping
from datetime import date, datetime, tzinfo
from typing import TYPE_CHECKING, Any, Self

from ulnager.core.arguments import checked, told_names
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.errors import ResolveError, SettingError
from ulnager.core.language.reader import read_period, read_point
from ulnager.core.notebook_tables import ShowsItself, Table, table
from ulnager.core.outside import outside
from ulnager.core.periods import explain, phrases
from ulnager.core.periods.anchors import Anchor, Defaults, Extent
from ulnager.core.periods.clock import USUAL, Clock, as_day, calendars_of, extent_of
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.names import Label
from ulnager.core.periods.phrases.ambiguity_notes import fiscal_label
from ulnager.core.periods.phrases.shifts import measured_from
from ulnager.core.periods.resolution import Resolution, resolve
from ulnager.core.periods.rule import Kind
from ulnager.core.words import Words, words_of

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

Day = date | str
"""A date, or its ISO 8601 text. A naive datetime stands for its date."""


def basis_of(
    today: date | str | None = None,
    as_of: Day | Anchor | Definition | None = None,
    now: datetime | str | None = None,
    tz: str | tzinfo | None = None,
    calendar: Calendar | None = None,
    data: Extent | tuple[Day, Day] | None = None,
    day_starts: str = "00:00",
    defaults: Defaults | None = None,
    calendars: Mapping[str, Calendar] | None = None,
    locale: str | Words | None = None,
) -> Basis:
    """What periods are worked out against, from what callers give; see :meth:`Period.resolve`."""
    known = calendars_of(calendar, calendars, defaults)
    if type(today) is date and now is None and tz is None and day_starts == "00:00":
        basis = Basis(known.chosen, today.toordinal(), True)
        basis.today = basis.anchor
    else:
        basis = Clock(today, now, tz, day_starts).basis(known.chosen)
    if data is not None:
        basis.data = extent_of(data)
    known.put_into(basis)
    if locale is not None:
        basis.words = words_of(locale)
    if as_of is not None:
        basis = _anchored(basis, as_of)
    return basis


@functools.lru_cache(maxsize=64)
def _plain_day(number: int) -> Basis:
    basis = Basis(USUAL.chosen, number, True)
    basis.today = number
    USUAL.put_into(basis)
    return basis


class Readings(dict[str, "Period"], ShowsItself):
    """Readings by their names: a dictionary that shows itself as a table."""

    __slots__ = ()

    def _table(self) -> Table:
        return table("readings", ("reading", "phrase"), self.items())


class PeriodBase(ShowsItself):
    """What a period and one with open slots have in common: a definition, and inputs."""

    __slots__ = ("definition",)

    definition: Definition

    def __init__(self, definition: Definition) -> None:
        object.__setattr__(self, "definition", definition)

    @property
    def inputs(self) -> dict[str, Any]:
        """The slots of the phrase by name, each an :class:`ulnager.Input`; none here."""
        return {}

    def filled(self, **values: Any) -> Period:
        """The period with a value in each slot."""
        raise NotImplementedError

    def _as_of(self, point: Definition) -> Self:
        """The same measured from a point."""
        raise NotImplementedError

    def _closed(self) -> Period:
        """The period, where no slot is open; raises ResolveError that names those that are."""
        raise NotImplementedError

    @property
    def family(self) -> str:
        """Which readings it allows: ``"last"`` or ``"next"``; empty when there is only one."""
        return next((p.rule.family for p in self.definition.walk() if p.rule.family), "")

    @classmethod
    def __get_pydantic_core_schema__(cls, source: object, handler: object) -> Any:
        """A period is a field of Pydantic's models: validated from its phrase, written as it."""
        return outside().field_schema(cls)

    @classmethod
    def __get_pydantic_json_schema__(cls, core: object, handler: object) -> dict[str, Any]:
        return {
            "type": "string",
            "title": "Period",
            "description": "A relative, rolling or fixed period of dates, as a phrase.",
            "examples": ["last 3 whole months", "month to date", "2026-03-01/2026-03-31"],
        }

    def __setattr__(self, name: str, value: object) -> None:
        raise AttributeError("a period does not change; make another")

    def __str__(self) -> str:
        return str(self.definition)

    def __repr__(self) -> str:
        return f"ulnager.period({str(self)!r})"


class Period(PeriodBase):
    """A definition of dates that moves with its anchor.

    Immutable, hashable, and equal to every period that says the same. ``str`` gives the
    canonical form; reading that gives the same period back.

    >>> from ulnager import period
    >>> str(period("MTD")), period("MTD") == period("month to date")
    ('month to date', True)
    """

    __slots__ = ()

    if not TYPE_CHECKING:

        def __getattr__(self, name: str) -> Any:
            told = f"'Period' object has no attribute {name!r}"
            if not name.startswith("_") and hasattr(Resolution, name):
                told += f"; it has dates once it is resolved: period.resolve().{name}"
            raise AttributeError(told, name=name, obj=self)

    @told_names
    def resolve(
        self,
        today: date | str | None = None,
        as_of: Day | Anchor | None = None,
        now: datetime | str | None = None,
        tz: str | tzinfo | None = None,
        calendar: Calendar | None = None,
        data: Extent | tuple[Day, Day] | None = None,
        *,
        day_starts: str = "00:00",
        defaults: Defaults | None = None,
        calendars: Mapping[str, Calendar] | None = None,
        locale: str | Words | None = None,
    ) -> Resolution:
        """The dates of this period.

        ``today`` is the clock's day, still running; without it the system clock is read, in
        ``tz`` when that is given, with a new day from ``day_starts`` on. ``now`` is the
        clock's instant instead. ``as_of`` is the anchor: a date, whose day is over, or a
        point such as ``"latest"``; it is measured against the clock and the data.
        ``data`` is the first and last date of the data. ``defaults`` says how ambiguous
        phrases are read. ``locale`` is the language of labels: ``"de"``, ``"fr-CA"``.

        >>> from ulnager import period
        >>> result = period("last 3 whole months").resolve(today="2026-06-30")
        >>> result.start, result.end
        (datetime.date(2026, 3, 1), datetime.date(2026, 5, 31))
        >>> period("last 3 whole months").resolve(as_of="2026-06-30").end
        datetime.date(2026, 6, 30)

        Raises ResolveError when it has no dates here, SettingError for a setting that
        cannot be used.
        """
        if (
            type(today) is date
            and as_of is None
            and now is None
            and calendar is None
            and data is None
            and tz is None
            and defaults is None
            and calendars is None
            and locale is None
            and day_starts == "00:00"
        ):
            # A page asks for many plain periods of one day: nothing has to be found out for them.
            definition = self.definition
            if definition.is_plain_span:
                basis = _plain_day(today.toordinal())
                return Resolution(definition, basis, definition.ranges(basis), self)
            if definition.rule.kind is not Kind.BASIS:
                return resolve(definition, _plain_day(today.toordinal()), self)
        return self._resolve_on(
            basis_of(today, as_of, now, tz, calendar, data, day_starts, defaults, calendars, locale)
        )

    def _resolve_on(self, basis: Basis) -> Resolution:
        """The dates of this period against a basis that :func:`basis_of` made."""
        return resolve(self.definition, basis, _as_called(self, basis))

    @checked()
    def resolve_each(
        self,
        anchors: Any,
        running: bool = False,
        calendar: Calendar | None = None,
        *,
        today: date | str | None = None,
        data: Extent | tuple[Day, Day] | None = None,
        defaults: Defaults | None = None,
        calendars: Mapping[str, Calendar] | None = None,
    ) -> tuple[NDArray[np.datetime64], NDArray[np.datetime64]]:
        """The starts and stops of this period measured from each day of an array.

        ``anchors`` is anything that NumPy takes for an array of ``datetime64``, timestamps
        standing for their days; the two results are ``datetime64[D]`` of its shape. Where an
        anchor is NaT so are both; an open side is NaT all along; an empty span has its stop
        at its start. With ``running`` each anchor is the clock's day, as ``today`` is in
        :meth:`resolve`; without it the anchors' days are over, as with ``as_of``.

        >>> from ulnager import period
        >>> import numpy as np
        >>> days = np.array(["2026-06-30", "NaT"], dtype="datetime64[D]")
        >>> starts, stops = period("last 3 whole months").resolve_each(days)
        >>> starts, stops
        (array(['2026-04-01', 'NaT'], dtype='datetime64[D]'),
         array(['2026-07-01', 'NaT'], dtype='datetime64[D]'))

        Raises ResolveError for a phrase that may have several spans or is about hours, and
        as :meth:`resolve` does; SettingError for an array that holds no days.
        """
        from ulnager.core.calendars.arrays import ArrayArithmetic, each_span

        known = calendars_of(calendar, calendars, defaults)
        arithmetic = ArrayArithmetic(known.chosen)
        extent = None if data is None else extent_of(data)
        clock = None
        if not running:
            clock = Clock(today).basis(GREGORIAN).today

        def span(days: Any) -> tuple[Any, Any]:
            basis = known.put_into(Basis(arithmetic, days, running))
            basis.today, basis.data = days if running else clock, extent
            return self.definition.span(basis)

        return each_span(span, anchors)

    def filled(self, **values: Any) -> Period:
        """The period with values in its slots: itself, where it has none.

        Raises SettingError for a slot that is not there.
        """
        if values:
            raise SettingError(f"'{self}' has no slots, so there is no {{{min(values)}}} to fill")
        return self

    def _as_of(self, point: Definition) -> Period:
        """The same measured from a point."""
        return Period(Definition(phrases.as_of, (self.definition, point)))

    def _closed(self) -> Period:
        """Itself."""
        return self

    def walk(
        self, step: str, first: Day = "earliest", last: Day = "latest", **when: Any
    ) -> Iterator[Resolution]:
        """The period as of ``first``, one step on, two steps on, …, while not after ``last``.

        ``step`` is a number of units, ``1 week``, or with a minus sign back; every step is counted
        from ``first``. ``when`` are the settings of :meth:`resolve`. Nothing is kept.

        >>> from ulnager import period
        >>> walk = period("last 7 rolling days").walk("1 month", "2026-01-31", "2026-03-31")
        >>> [str(one.end) for one in walk]
        ['2026-01-31', '2026-02-28', '2026-03-31']

        Raises SettingError for a step that is none, or a period that does not move.
        """
        from ulnager.core.language.walks import walked

        steps: Iterator[Resolution] = walked(self, step, first, last, when)
        return steps

    def readings(self) -> dict[str, Period]:
        """Every way to read this phrase, by name, the default first.

        A phrase that can be read in one way only has the one reading ``"only"``.

        >>> from ulnager import period
        >>> [str(reading) for reading in period("last 2 weeks").readings().values()]
        ['last 2 rolling weeks', 'last 2 whole weeks', 'last 2 weeks to date',
         'last 2 weeks to end']
        """
        found = explain.other_readings(self.definition)
        ways = {name: Period(definition) for name, definition in found}
        return Readings(ways or {"only": self})

    def _neighbours(self) -> tuple[Period, ...]:
        """Phrases near this one that are often taken for it, though they have other dates.

        >>> from ulnager import period
        >>> [str(near) for near in period("last 90 days")._neighbours()]
        ['last 3 rolling months', 'since 3 months before today',
         'from 90 days before today to today']
        """
        from ulnager.core.periods.explain import neighbours

        return tuple(Period(read_period(text)) for text in neighbours(self.definition))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Period) and self.definition == other.definition

    def __hash__(self) -> int:
        return hash(self.definition)

    def __reduce__(self) -> tuple[Any, ...]:
        return Period, (self.definition,)

    def _table(self) -> Table:
        rows = []
        for name, reading in self.readings().items():
            try:
                dates: object = reading.resolve().label
            except (ResolveError, SettingError) as error:
                dates = str(error).partition("\n")[0]
            rows.append((name, reading, dates))
        return table(self, ("reading", "phrase", "dates today"), rows)


def _as_called(said: Period, basis: Basis) -> Period:
    """The period with its units called as the calendar calls them: ``Q1 2026`` may be of FY2026."""
    definition = said.definition
    if definition.is_plain_span and basis.calendar is GREGORIAN:
        return said
    around = basis
    while definition.rule.kind is Kind.BASIS:
        around, definition = definition.changed(around), definition.args[0]
    if not around.calendar._plain._is_fiscal:
        return said
    whole = said.definition
    for part in definition.walk():
        if part.rule is phrases.labelled:
            fiscal = fiscal_label(part.args[0].text, around)
            if fiscal is not None:
                whole = whole.replaced(part, Definition(part.rule, (Label(fiscal),)))
    return said if whole is said.definition else Period(whole)


def _anchored(basis: Basis, as_of: Day | Anchor | Definition) -> Basis:
    if isinstance(as_of, Anchor):
        return basis.changed(
            anchor=as_of.day.toordinal(),
            running=as_of.running,
            source=as_of.source,
            moment=basis.now if as_of.running else None,
        )
    if isinstance(as_of, Definition):
        point = as_of
    elif isinstance(as_of, str):
        calendar = basis.calendar
        point = read_point(as_of, calendar.own_units if isinstance(calendar, Calendar) else ())
    else:
        point = Definition(phrases.day, (as_day(as_of, "as_of"),))
    try:
        return measured_from(basis, point)
    except ResolveError as error:
        raise ResolveError(f"as of '{point}': {error}") from None
