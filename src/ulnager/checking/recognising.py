"""Which phrase a condition is: both are run on DuckDB, for every day of several years."""

from __future__ import annotations

from bisect import bisect_left, insort
from collections.abc import Iterator
from datetime import date
from functools import cached_property, lru_cache
from operator import itemgetter
from typing import Any, Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ulnager.checking.candidates import (
    WIDE,
    Seen,
    candidates,
    counts_of,
    of_anchor,
    of_point,
    simple_phrases,
)
from ulnager.checking.condition_rows import (
    AskedCondition,
    Budget,
    Days,
    Matrix,
    hangs_on_time,
    keeps_null,
    kept_by,
    zone_in,
)
from ulnager.checking.joined_conditions import Piece, pieces_of, weekdays_named
from ulnager.checking.readers.rewriting import Unclear
from ulnager.checking.recognising_moments import phrase_of_moments
from ulnager.checking.rehearsing import Dates, ranges_of, windows_of
from ulnager.checking.translation import TYPES, measured, parsed, translated, within_data, written
from ulnager.core.arguments import Wanted, checked
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.month_calendar import MonthCalendar
from ulnager.core.calendars.zones import date_of
from ulnager.core.errors import FilterError, ResolveError, SettingError, UlnagerError
from ulnager.core.language.period import Period, basis_of
from ulnager.core.language.phrase import period
from ulnager.core.periods import phrases
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.rule import Kind, Rule
from ulnager.core.periods.spans import Range
from ulnager.core.units import Unit
from ulnager.core.values import Json
from ulnager.filters.columns import COLUMN_TYPES

_FIRST, _LAST = date(2024, 1, 1).toordinal(), date(2026, 12, 31).toordinal()
# Days on which phrases part: ends of months and years, a leap day, ends of weeks.
_PROBES: Final = tuple(
    date(*day).toordinal()
    for day in (
        (2026, 5, 20),
        (2024, 2, 29),
        (2024, 3, 31),
        (2025, 1, 1),
        (2026, 8, 30),
        (2023, 12, 31),
        (2027, 3, 1),
        (2025, 6, 30),
        (2026, 2, 16),
        (2024, 12, 30),
    )
)
_FAR: Final = (-36_500, -20_000, -9_000, 9_000, 20_000, 36_500)
_TOO_FAR: Final = 8
_TRIED: Final = 10
_CENTURY: Final = 36_500
_TRIES: Final = 40_000
"""So many phrases are tried, some ten seconds of them: a count, so that the answer is the same
however busy the machine is."""
_NESTED: Final = 3


_PART: Final = "it keeps a part of some day, which no phrase of days does, nor one of hours"
_NOTHING: Final = "it keeps nothing"
_ONLY_NULLS: Final = "it keeps rows without a date (null) and no others, which no phrase does"
_NULLS: Final = "it keeps rows without a date (null), too, which no phrase does"
_BY_TIME: Final = "it keeps other days at other times of the day, which no phrase of days does"
_NOT_FINISHED: Final = "not finished: there are more phrases to try than are tried"


class Recognised(NamedTuple):
    """The phrase of a condition; where none is, the nearest, and the days on which they part.

    ``why`` says what stands in the way where there is neither, or in which calendar there is one.
    """

    phrase: Period | None
    nearest: Period | None = None
    part_on: tuple[Dates, ...] = ()
    why: str = ""
    zone: str = ""
    """Of instants that the condition lays into a zone: whose days are meant."""

    def __repr__(self) -> str:
        if self.phrase is not None:
            return f"<recognised: {self.phrase}>"
        near = "" if self.nearest is None else f"; the nearest is {self.nearest}"
        return f"<not recognised{near}{f': {self.why}' if self.why else ''}>"

    def to_dict(self) -> Json:
        """The answer as plain values, ready for JSON."""
        return {
            "phrase": None if self.phrase is None else str(self.phrase),
            "nearest": None if self.nearest is None else str(self.nearest),
            "part_on": [{"start": str(a), "end": str(b)} for a, b in self.part_on],
            **({"zone": self.zone} if self.zone else {}),
        }


@checked(
    condition=Wanted((str,), "a condition as text"),
    target=Wanted((str,), "an engine, such as 'duckdb'"),
    column_type=Wanted((str,), "what the column holds, such as 'date'"),
    calendar=Wanted((Calendar, type(None)), "a calendar"),
)
def recognise(
    condition: str,
    *,
    target: str = "duckdb",
    column_type: str = "date",
    calendar: Calendar | None = None,
) -> Recognised:
    """Which phrase a condition is, as it stands in SQL of a dialect.

    Both are run for every day from 2024 to 2026 as the clock's day: an answer has the same rows on
    each of them. Of several phrases with the same rows a named day goes first, then ``this`` and
    ``previous``, ``to date``, rolling, whole, the others, points; of several units the one that the
    SQL names. Where none has the same rows, the nearest is named with the days on which they part.

    >>> recognise("d >= date_trunc('month', current_date) AND d <= current_date").phrase
    ulnager.period('month to date')

    Raises FilterError for what is no condition, a dialect or a type that there is not.
    """
    if column_type not in TYPES:
        raise FilterError(f"column_type is {column_type!r}; choose {', '.join(TYPES)}")
    tree = parsed(condition, target)
    try:
        return recognised(tree, target, condition, column_type, calendar)
    except Unclear as unclear:
        return Recognised(None, why=str(unclear))


def recognised(
    tree: Any, dialect: str, said: str, column_type: str, calendar: Calendar | None = None
) -> Recognised:
    """Which phrase the tree of a condition is; raises Unclear for what cannot be told."""
    tree, is_cut = within_data(tree)
    found = _of_whole(*measured(tree), dialect, said, column_type, calendar)
    return (
        found._replace(phrase=_cut_to_data(found.phrase), nearest=_cut_to_data(found.nearest))
        if is_cut
        else found
    )


def _cut_to_data(phrase: Period | None) -> Period | None:
    return phrase and period(f"({phrase}) within data")


def _of_whole(
    tree: Any, anchor: str, dialect: str, said: str, column_type: str, calendar: Calendar | None
) -> Recognised:
    tree = translated(tree, dialect, column_type)
    zone = zone_in(tree, column_type)
    asked = AskedCondition(tree, said, column_type, calendar, anchor, Budget(_TRIES), zone)
    found = _answered(asked)
    probes = np.array(_PROBES[:3], np.int64)
    if found.phrase is not None and hangs_on_time(asked, probes, _offsets(WIDE)):
        found = Recognised(None, found.phrase, (), _BY_TIME)
    if found.why in (_PART, _NOTHING) and COLUMN_TYPES[column_type].has_time:
        found = _of_moments(asked, found)
    if found.phrase is not None or found.nearest is not None:
        found = found._replace(zone=zone)
    if found.why == _PART or not keeps_null(asked, probes):
        return found
    if found.why == _NOTHING:
        return Recognised(None, why=_ONLY_NULLS)
    near = found.nearest if found.phrase is None else found.phrase
    return found._replace(phrase=None, nearest=near, why=_NULLS)


def _of_moments(asked: AskedCondition, found: Recognised) -> Recognised:
    """Which phrase of hours it is, or of days up to the present moment; else what was found."""
    phrase, parts_at = phrase_of_moments(asked)
    if phrase is None:
        return found
    return Recognised(None, phrase, (), parts_at) if parts_at else Recognised(phrase)


def _answered(asked: AskedCondition, nested: int = 0) -> Recognised:
    """Which phrase it is; ``nested`` counts the joints that it was taken out of."""
    probes = np.array(_PROBES, dtype=np.int64)
    century = np.arange(-_CENTURY, _CENTURY + 1, dtype=np.int64)
    all_kept, partial = kept_by(asked, probes, century)
    wide = _offsets(WIDE)
    kept = all_kept[:, wide + _CENTURY]
    if partial.any():
        return Recognised(None, why=_PART)
    if not kept.any():
        return Recognised(None, why=_NOTHING)
    told = _Recognised(asked, probes, wide, kept)
    offsets = _offsets(min(WIDE, max(60, told.reach() + 40)))
    days = np.arange(_FIRST, _LAST + 1, dtype=np.int64)
    kept, partial = kept_by(asked, days, offsets)
    if partial.any():
        return Recognised(None, why=_PART)
    others: list[tuple[int, Period]] = []
    is_finished = True
    pieces = pieces_of(asked.tree) if nested < _NESTED else ()
    for phrase in _tried(told, asked, pieces, nested):
        asked.budget.spend()
        apart = told.apart(phrase, others[_TRIED - 1][0] if len(others) >= _TRIED else None)
        if apart is None:
            continue
        is_same = not apart and not _parts(asked, phrase, days, offsets, kept).any()
        # What lies far from the clock's day is looked at on the probe days.
        if is_same and _Recognised(asked, probes, century, all_kept).apart(phrase) == 0:
            return Recognised(phrase if nested else _told_as(asked, phrase))
        if not _is_moved_twice(phrase):
            insort(others, (apart, phrase), key=itemgetter(0))
        if asked.budget.is_over:
            is_finished = False
            break
    if nested:
        return Recognised(None)
    found: tuple[int, Period, NDArray[np.bool_]] | None = None
    for _, phrase in others[:_TRIED]:
        parts = _parts(asked, phrase, days, offsets, kept)
        if found is None or parts.sum() < found[0]:
            found = int(parts.sum()), phrase, parts
    if found is None:
        return Recognised(None, why="no phrase is near" if is_finished else _NOT_FINISHED)
    if not is_finished:
        return Recognised(None, _told_as(asked, found[1]), ranges_of(days[found[2]]), _NOT_FINISHED)
    why = "" if asked.calendar is not None else _from_sunday(asked, told, days, offsets, kept)
    return Recognised(None, _told_as(asked, found[1]), ranges_of(days[found[2]]), why)


def _tried(
    told: _Recognised, asked: AskedCondition, pieces: tuple[Piece, ...], nested: int
) -> Iterator[Period]:
    """Phrases that it may be: those joined as it is, where it has joints, come after those of one
    rule; before them where it keeps several spans, as few of those do."""
    is_cut = bool(pieces) and told.is_cut()
    if is_cut:
        yield from _joined(asked, pieces, nested)
    left = asked.budget.tries * 0.6
    for phrase in candidates(told.seen(asked.said)):
        found = of_anchor(phrase) if asked.of_data else phrase
        if found is not None:
            yield found
        if pieces and not is_cut and asked.budget.tries < left:
            break
    if not is_cut:
        yield from _joined(asked, pieces, nested)


def _joined(asked: AskedCondition, pieces: tuple[Piece, ...], nested: int) -> Iterator[Period]:
    """The phrase whose parts are those of a condition, where all of them are known."""
    text = ""
    for place, piece in enumerate(pieces):
        if asked.budget.is_over:
            return
        share = asked.budget.part(len(pieces) - place)
        part = asked._replace(tree=piece.tree, said=written(piece.tree), budget=share)
        named = _weekdays_of(part)
        if named is None:
            found = _phrase_of(part, nested + 1)
            if found is None:
                return
            named = f"({found})"
        elif piece.joint == "within":
            text, named = text or "all dates", f"only {named}"
        text = f"{text} {piece.joint if named[:5] != 'only ' else ''} {named}" if text else named
    try:
        if text:
            yield period(text)
    except UlnagerError:
        return


def _phrase_of(asked: AskedCondition, nested: int) -> Period | None:
    try:
        return _answered(asked, nested).phrase
    except Unclear:
        return None  # It cannot be run.


def _weekdays_of(asked: AskedCondition) -> str | None:
    """The weekdays that a condition keeps, where it asks for nothing else."""
    probes = np.array(_PROBES[:3], dtype=np.int64)
    around = np.arange(-400, 401, dtype=np.int64)
    kept, partial = kept_by(asked, probes, around)
    weekdays = (probes[:, None] + around - 1) % 7
    days = frozenset(int(one) for one in weekdays[kept])
    if partial.any() or not 0 < len(days) < 7 or (kept != np.isin(weekdays, list(days))).any():
        return None
    return weekdays_named(days)


def _told_as(asked: AskedCondition, phrase: Period) -> Period:
    """A phrase as it is told: of the newest day of the data where that stands for the clock's."""
    if not asked.of_data:
        return phrase
    edge = Definition(phrases.latest if asked.of_data == "latest" else phrases.earliest)
    if all(_is_of_points(part.rule) for part in phrase.definition.walk()):
        return Period(of_point(phrase.definition, phrases.anchor_day, edge))
    return phrase._as_of(edge)


def _is_of_points(rule: Rule) -> bool:
    """Whether a rule hangs on nothing but its points."""
    if rule is phrases.anchor_day:
        return True
    return "point" in rule.shape and {*rule.shape} <= {"point", "count", "units"} and not rule.asks


def _from_sunday(
    asked: AskedCondition, told: _Recognised, days: Days, offsets: Days, kept: Matrix
) -> str:
    """What it is where weeks start on a Sunday."""
    asked = asked._replace(calendar=MonthCalendar(week_starts="sunday"))
    told = told._with(asked)
    bounds = told.bounds()
    counts = {Unit.WEEK: counts_of(Unit.WEEK, bounds, set())[:60]}
    for phrase in simple_phrases([Unit.WEEK], [Unit.WEEK], counts):
        if told.apart(phrase) == 0 and not _parts(asked, phrase, days, offsets, kept).any():
            return f"with weeks from Sunday it is '{_told_as(asked, phrase)}'"
    return ""


def _is_moved_twice(phrase: Period) -> bool:
    """Whether it is near for the days that are looked at only, and nothing that people say."""
    return sum(part.rule.kind is Kind.SHIFT for part in phrase.definition.walk()) > 1


def _offsets(near: int) -> Days:
    return np.array(sorted({*range(-near, near + 1), *_FAR}), dtype=np.int64)


class _Recognised:
    """What a condition keeps on the probe days."""

    def __init__(self, asked: AskedCondition, days: Days, offsets: Days, kept: Matrix) -> None:
        self.asked, self.days, self.offsets, self.kept = asked, days, offsets, kept
        self._days = days.tolist()

    def _with(self, asked: AskedCondition) -> _Recognised:
        return _Recognised(asked, self.days, self.offsets, self.kept)

    def reach(self) -> int:
        """How far from the clock's day the nearer bounds lie."""
        changes = np.flatnonzero(np.diff(self.kept.astype(np.int8), axis=1))
        near = self.offsets[changes % (len(self.offsets) - 1)]
        near = near[np.abs(near) <= WIDE]
        return int(np.abs(near).max()) if len(near) else 0

    def bounds(self) -> frozenset[int]:
        """How many days from the clock's day the first and last ones that are kept lie."""
        found = set()
        for row in self.kept:
            places = np.flatnonzero(row)
            if len(places):
                low, high = (int(self.offsets[place]) for place in (places[0], places[-1]))
                found |= {low, high, high - low + 1}
        return frozenset(one for one in found if abs(one) <= WIDE)

    def is_cut(self) -> bool:
        """Whether several spans are kept on most days."""
        changes = np.count_nonzero(np.diff(self.kept.astype(np.int8), axis=1), axis=1)
        return bool(np.count_nonzero(changes > 2) * 2 > len(changes))

    def seen(self, said: str) -> Seen:
        """What says which phrases it may be."""
        is_single = bool((self.kept.sum(axis=1) == 1).all())
        sides = bool(self.kept[:, 0].all()), bool(self.kept[:, -1].all())
        return Seen(self.bounds(), is_single, sides, said)

    @cached_property
    def _sums(self) -> tuple[list[int], list[list[int]]]:
        """The offsets, and how many dates are kept before each, on each probe day."""
        sums = np.cumsum(np.pad(self.kept, ((0, 0), (1, 0))), axis=1)
        return self.offsets.tolist(), sums.tolist()

    def apart(self, phrase: Period, most: int | None = None) -> int | None:
        """On how many dates a phrase parts from it on the probe days, as far as that matters; None
        for one that has no dates there, or parts on more than ``most``."""
        found, is_of_data, calendar = 0, bool(self.asked.of_data), self.asked.calendar
        offsets, sums = self._sums
        for place, day in enumerate(self._days):
            ranges = _ranges_on(phrase.definition, day, is_of_data, calendar)
            if ranges is None:
                return None
            before = sums[place]
            found += before[-1]
            for start, stop in ranges:
                low = 0 if start is None else bisect_left(offsets, start - day)
                high = len(offsets) if stop is None else bisect_left(offsets, stop - day)
                # What it has alone, less what was counted as kept alone.
                found += high - low - 2 * (before[high] - before[low])
            if most is not None and found > most:
                return None
            if found > _TOO_FAR * (place + 1):
                return found * len(self._days) // (place + 1)
        return found


@lru_cache(maxsize=50_000)
def _ranges_on(
    definition: Definition, day: int, is_of_data: bool, calendar: Calendar | None
) -> tuple[Range, ...] | None:
    """The dates of what many conditions are compared with, as of a day; None where it has none."""
    try:
        return definition.ranges(_basis_on(day, is_of_data, calendar))
    except UlnagerError:
        return None


@lru_cache(maxsize=500)
def _basis_on(day: int, is_of_data: bool, calendar: Calendar | None) -> Basis:
    at = date_of(day)
    return basis_of(at, at if is_of_data else None, calendar=calendar)


def _parts(
    asked: AskedCondition, phrase: Period, days: Days, offsets: Days, kept: Matrix
) -> NDArray[np.bool_]:
    """The days on which a phrase has other rows than the condition keeps."""
    # As of the newest day of the data is as of the day before the one that is looked at.
    at = days + 1 if asked.of_data else days
    try:
        windows = windows_of(
            _told_as(asked._replace(of_data=asked.of_data and "latest"), phrase),
            at,
            {"calendar": asked.calendar},
        )
    except (ResolveError, SettingError):
        return np.ones(len(days), dtype=bool)
    open_ = np.iinfo(np.int64).min
    starts = np.where(windows.starts == open_, -(10**9), windows.starts - days)
    stops = np.where(windows.stops == open_, 10**9, windows.stops - days)
    stops = np.where(windows.lengths == 0, starts, stops)
    wanted = (offsets >= starts[:, None]) & (offsets < stops[:, None])
    for place, spans in windows.several.items():
        row = np.zeros(len(offsets), dtype=bool)
        for start, stop in spans:
            row |= (offsets >= start - days[place]) & (offsets < stop - days[place])
        wanted[place] = row
    found: NDArray[np.bool_] = (wanted != kept).any(axis=1)
    return found
