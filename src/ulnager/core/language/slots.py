"""What the slots of a wording take: counts, units, dates, days, names.

Each method answers with all the ways in which that sort of thing can be read from a place on: each
value with the place after it. Where nothing can be read and the reader traces, it notes what was
expected there, for the message.
"""

from __future__ import annotations

from datetime import date, datetime
from typing import Any, Final, NamedTuple

from ulnager.core.date_forms import why_no_date
from ulnager.core.errors import PeriodSyntaxError
from ulnager.core.language.iso import fixed_dates
from ulnager.core.language.tokens import MONTHS, Token, tokens_of
from ulnager.core.periods.day_sorts import DAY_SETS, DaySet
from ulnager.core.periods.names import (
    NUMBERED_WEEK,
    ORDINAL_WORDS,
    DayName,
    Label,
    Name,
    NamedUnit,
    Ordinal,
    Timestamp,
    Weekday,
)
from ulnager.core.periods.open_slots import OpenCount, OpenDay, OpenUnit
from ulnager.core.periods.shifting import PERIOD
from ulnager.core.units import UNIT_NAMES, UNITS, WEEKDAYS, Unit

Alternatives = list[tuple[Any, int]]
"""What a slot can hold from one place on: each value with the place after it."""

WEEKDAY_WORDS: Final = {
    **{name: number for number, name in enumerate(WEEKDAYS)},
    **{name[:3]: number for number, name in enumerate(WEEKDAYS)},
    **{"tues": 1, "thur": 3, "thurs": 3},
}
UNIT_WORDS: Final[dict[str, Unit]] = {**UNIT_NAMES, "half year": Unit.HALF, "half years": Unit.HALF}
_MOST: Final = {"week": (Unit.WEEK, 53), "quarter": (Unit.QUARTER, 4), "half": (Unit.HALF, 2)}
_NUMBERED: Final = {
    f"{word[0]}{number}": NamedUnit(unit, int(number))
    for word, (unit, most) in _MOST.items()
    for number in (*map(str, range(1, most + 1)), *(f"0{n}" for n in range(1, 10) if most > 9))
}
_CALENDAR_WORDS: Final = {"calendar": "gregorian", "fiscal": "fiscal"}


class Qualified(NamedTuple):
    """A unit said to be of a calendar: ``calendar month``, ``fiscal year``."""

    unit: Unit
    calendar: str


_ORDINALS: Final = {"last": -1, **{word: n for n, word in enumerate(ORDINAL_WORDS, 1)}}
_UNIT_BEGINS: Final = frozenset({name.split()[0] for name in UNIT_WORDS} | _CALENDAR_WORDS.keys())
_SORTS_OF_DAYS: Final = {name.split()[0] for name in DAY_SETS}
WORDS_FIRST: Final = {
    "unit": _UNIT_BEGINS,
    "units": _UNIT_BEGINS,
    "steps": _UNIT_BEGINS | {"period", "periods"},
    "ordinal": frozenset(_ORDINALS),
    "weekday": frozenset(WEEKDAY_WORDS),
    "dayname": _UNIT_BEGINS.union(WEEKDAYS),
    "monthname": frozenset(MONTHS),
    "unitname": frozenset({*_NUMBERED, *_MOST}),
    "days": frozenset(_SORTS_OF_DAYS | {name.removesuffix("s") for name in _SORTS_OF_DAYS}),
    "label": frozenset({"week"}),
}
"""The words that a slot can begin with, where it begins with a word; units of a calendar's own
are not among them."""


class Slots:
    """The tokens of a phrase, and what can be read from a place on."""

    def __init__(self, phrase: str, own_units: tuple[Unit, ...]) -> None:
        self.phrase = phrase
        self.unit_names = UNIT_WORDS
        if own_units:
            own = {name: unit for unit in own_units for name in (unit.name, unit.plural)}
            self.unit_names = {**UNIT_WORDS, **own}
        self.tokens = tokens_of(phrase)
        self.qualified = False
        # Slots of a phrase that is filled later are read where somebody asks for that only.
        self.has_slots = False
        self.listed: frozenset[str] = frozenset()
        # Filled on a second reading, when the first has failed.
        self.tracing = False
        self.furthest = 0
        self.expected: dict[str, None] = {}

    def _token(self, place: int, kind: str, expected: str) -> Token | None:
        if place < len(self.tokens) and self.tokens[place].kind == kind:
            return self.tokens[place]
        if self.tracing:
            self.expect(place, expected)
        return None

    def count(self, place: int) -> Alternatives:
        if self.has_slots and (slot := self._open_slot(place)):
            return [(OpenCount(slot), place + 1)]
        token = self._token(place, "number", "a number")
        if token is None:
            return []
        if not token.text.strip("0"):
            if self.tracing and place >= self.furthest:
                raise self.problem(token, "a count starts at 1")
            return []
        return [(int(token.text), place + 1)]

    def _open_slot(self, place: int) -> str:
        """The name of the slot that stands there; empty for none, and for one of a phrase."""
        if place >= len(self.tokens) or self.tokens[place].kind != "slot":
            return ""
        name = self.tokens[place].text[1:-1]
        return "" if name in self.listed else name

    def unit(self, place: int) -> Alternatives:
        tokens = self.tokens
        found: Alternatives = []
        if self.has_slots and (slot := self._open_slot(place)):
            return [(OpenUnit(slot), place + 1)]
        if place < len(tokens) and tokens[place].kind == "word":
            word = tokens[place].text
            if place + 1 < len(tokens):
                unit = self.unit_names.get(f"{word} {tokens[place + 1].text}")
                if unit is not None:
                    return [(unit, place + 2)]
            unit = self.unit_names.get(word)
            if unit is not None:
                return [(unit, place + 1)]
            if word in _CALENDAR_WORDS and not self.tracing:
                name = _CALENDAR_WORDS[word]
                self.qualified = True
                return [(Qualified(unit, name), end) for unit, end in self.unit(place + 1)]
        if self.tracing:
            for unit in UNITS:
                if unit.days or unit.months:
                    self.expect(place, unit.plural if self._counted(place) else unit.name)
            if self.unit_names is not UNIT_WORDS:
                for name in self.unit_names.keys() - UNIT_WORDS.keys():
                    self.expect(place, name)
        return found

    def _counted(self, place: int) -> bool:
        return place > 0 and any(t.kind == "number" for t in self.tokens[max(0, place - 2) : place])

    def weekday(self, place: int) -> Alternatives:
        if place < len(self.tokens) and self.tokens[place].text in WEEKDAY_WORDS:
            return [(Weekday(WEEKDAY_WORDS[self.tokens[place].text]), place + 1)]
        if self.tracing:
            self.expect(place, "a weekday")
        return []

    def monthname(self, place: int) -> Alternatives:
        token = self.tokens[place] if place < len(self.tokens) else None
        if token is not None and token.kind == "word" and token.text in MONTHS:
            return [(NamedUnit(Unit.MONTH, MONTHS[token.text]), place + 1)]
        if self.tracing:
            self.expect(place, "a month")
        return []

    def unitname(self, place: int) -> Alternatives:
        """``Q1``, ``H2``, ``W14`` or ``week 14``."""
        token = self.tokens[place] if place < len(self.tokens) else None
        if token is not None and token.kind == "word":
            if token.text in _NUMBERED:
                return [(_NUMBERED[token.text], place + 1)]
            if token.text in _MOST and place + 1 < len(self.tokens):
                unit, most = _MOST[token.text]
                number = self.tokens[place + 1]
                if number.kind == "number" and number.text in map(str, range(1, most + 1)):
                    return [(NamedUnit(unit, int(number.text)), place + 2)]
        return []

    def date(self, place: int) -> Alternatives:
        if self.has_slots and (slot := self._open_slot(place)):
            return [(OpenDay(slot), place + 1)]
        token = self._token(place, "date", "a date")
        if token is None:
            return []
        try:
            return [(date.fromisoformat(token.text), place + 1)]
        except ValueError:
            told = f"there is no date {token.text}: {why_no_date(token.text)}"
            raise self.problem(token, told) from None

    def iso(self, place: int) -> Alternatives:
        if place >= len(self.tokens):
            return []
        token = self.tokens[place]
        if token.kind not in ("iso", "interval") and not (
            token.kind == "number" and len(token.text) == 4
        ):
            return []
        try:
            return [(fixed_dates(token.text), place + 1)]
        except ValueError as error:
            if token.kind == "number":
                return []
            raise self.problem(token, str(error)) from None

    def steps(self, place: int) -> Alternatives:
        """A unit, or the period's own length."""
        if self.is_word(place, "period") or self.is_word(place, "periods"):
            return [(PERIOD, place + 1)]
        if self.tracing:
            self.expect(place, "periods")
        return self.unit(place)

    def timestamp(self, place: int) -> Alternatives:
        token = self._token(place, "timestamp", "a timestamp")
        if token is None:
            return []
        try:
            return [(Timestamp(token.text, datetime.fromisoformat(token.text)), place + 1)]
        except ValueError:
            raise self.problem(
                token, f"there is no time {token.text}: {_why(token.text)}"
            ) from None

    def ordinal(self, place: int) -> Alternatives:
        if place < len(self.tokens):
            token = self.tokens[place]
            number = _ORDINALS.get(token.text)
            if token.kind == "ordinal":
                number = int(token.text[:-2])
            if number:
                return [(Ordinal(number), place + 1)]
        return []

    def dayname(self, place: int) -> Alternatives:
        if place < len(self.tokens) and self.tokens[place].text in WEEKDAYS:
            weekday = WEEKDAYS.index(self.tokens[place].text)
            return [(DayName(Unit.DAY, weekday), place + 1)]
        if self.tracing:
            self.expect(place, "day")
            self.expect(place, "a weekday")
        return [
            (DayName(unit), end)
            for unit, end in self.unit(place)
            if unit in (Unit.DAY, Unit.BUSINESS_DAY)
        ]

    def days(self, place: int) -> Alternatives:
        """One or several sorts of days: ``weekends and fridays``."""
        found: Alternatives = []
        names: list[str] = []
        while True:
            name, end = self._day_set(place)
            if name is None:
                return found[::-1]
            names.append(name)
            found.append((DaySet(tuple(names)), end))
            if not (self.is_word(end, "and") or self.is_word(end, ",")):
                return found[::-1]
            place = end + 1

    def _day_set(self, place: int) -> tuple[str | None, int]:
        for size in (2, 1):
            words = [token.text for token in self.tokens[place : place + size]]
            name = " ".join(words)
            for known in (name, f"{name}s"):
                if len(words) == size and known in DAY_SETS:
                    return known, place + size
        if self.tracing:
            for known in ("weekends", "weekdays", "business days", "holidays", "a weekday"):
                self.expect(place, known)
        return None, place

    def label(self, place: int) -> Alternatives:
        words = [token.text for token in self.tokens[place : place + 4]]
        if len(words) == 4 and NUMBERED_WEEK.fullmatch(" ".join(words)):
            return [(Label(" ".join(words)), place + 4)]
        token = self._token(place, "name", "a label in quotes")
        return [] if token is None else [(Label(token.text), place + 1)]

    def calendar(self, place: int) -> Alternatives:
        if place < len(self.tokens) and self.tokens[place].kind in ("word", "name"):
            token = self.tokens[place]
            written = token.text if token.kind == "name" else self.phrase[token.start : token.end]
            return [(Name(written), place + 1)]
        if self.tracing:
            self.expect(place, "the name of a calendar")
        return []

    def is_word(self, place: int, text: str) -> bool:
        return place < len(self.tokens) and self.tokens[place].text == text

    # What to say when it cannot be read.

    def expect(self, place: int, what: str) -> None:
        if place > self.furthest:
            self.furthest = place
            self.expected.clear()
        if place == self.furthest:
            self.expected[what] = None

    def problem(self, token: Token, problem: str) -> PeriodSyntaxError:
        return PeriodSyntaxError(self.phrase, token.start, token.end - token.start, problem)


def _why(moment: str) -> str:
    """Why there is no such timestamp."""
    try:
        date.fromisoformat(moment[:10])
    except ValueError:
        return why_no_date(moment[:10])
    return "hours run from 00 to 23, minutes and seconds from 00 to 59, offsets to 23:59"
