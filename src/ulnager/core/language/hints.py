"""The whole phrases that a text which cannot be read was probably meant as.

A table of things that people say, each with what they may mean; then the nearest words; then the
nearest forms. Nothing is offered that cannot be read itself.
"""

from __future__ import annotations

import functools
import re
from calendar import monthrange
from collections.abc import Callable, Iterator
from typing import Any, Final, NamedTuple

from ulnager.core.date_forms import other_dates, why_no_date
from ulnager.core.errors import PeriodSyntaxError
from ulnager.core.language.failures import vocabulary
from ulnager.core.language.slots import WEEKDAY_WORDS
from ulnager.core.language.tokens import MONTHS, NUMBER_WORDS
from ulnager.core.units import LONG_MONTHS

MOST_OFFERED: Final = 3
_MOST_LOOKED_AT: Final = 200
_ONE = "business day|working day|second|minute|hour|day|week|month|quarter|half|year"
_UNIT = rf"(?:(?:{_ONE})s?|halves)"
_COUNT = rf"(?:\d{{1,6}}|{'|'.join(NUMBER_WORDS)})"
_BEFORE = "last|past|previous|prior|trailing"
_AFTER = "next|coming|upcoming|following"


class Hint(NamedTuple):
    """What is wrong in a sentence, empty where nothing better is known, and what to offer."""

    problem: str
    phrases: tuple[str, ...]


Made = Callable[[re.Match[str]], Hint]
_SAID: Final[list[tuple[re.Pattern[str], Made]]] = []


def _many(unit: str, count: str) -> str:
    one = "half" if unit == "halves" else unit.removesuffix("s")
    if count in ("1", "one"):
        return one
    return "halves" if one == "half" else f"{one}s"


def _when(pattern: str) -> Callable[[Made], Made]:
    def add(made: Made) -> Made:
        _SAID.append((re.compile(pattern), made))
        return made

    return add


def hinted(error: PeriodSyntaxError, reads: Callable[[str], object]) -> PeriodSyntaxError:
    """The same error with the nearest phrases that can be read, if there are any."""
    text = " ".join(error.phrase.lower().split())
    # A date in another form may be the one thing that is wrong, or not.
    is_sure = error.is_sure and all(reads(phrase) for phrase in error.suggestions)
    if is_sure or not text or len(text) > _MOST_LOOKED_AT:
        return error
    for hint in _hints(text):
        found: dict[Any, str] = {}
        for phrase in hint.phrases:
            meant = reads(phrase) if phrase != text else None
            if meant is not None:
                found.setdefault(meant, phrase)
        offered = tuple(found.values())
        if offered or (hint.problem and not hint.phrases):
            return error.offering(offered[:MOST_OFFERED], hint.problem)
    return error


def _hints(text: str) -> Iterator[Hint]:
    for pattern, made in _SAID:
        match = pattern.search(text)
        if match is not None:
            yield made(match)
    yield from _respelt(text)
    yield Hint("", tuple(_nearest_forms(text)))


# What people say, and what they may mean.


@_when(rf"^(?:for |in )?(?P<count>{_COUNT})[ -](?P<unit>{_UNIT})(?: back| window| period)?$")
def _which_way(match: re.Match[str]) -> Hint:
    told = match["count"] + " " + _many(match["unit"], match["count"])
    ways = (f"last {told}", f"next {told}", f"{told} from now")
    return Hint(f"'{told}' does not say from when", ways if "in " in match[0] else ways[:2])


@_when(rf"^(?P<count>{_COUNT})[ -](?P<unit>{_UNIT}) (?P<word>rolling|trailing|whole|full|to date)$")
def _word_behind(match: re.Match[str]) -> Hint:
    if match["word"] == "to date":
        return Hint("", (f"last {match['count']} {match['unit']} to date",))
    return Hint("", (f"last {match['count']} {match['word']} {match['unit']}",))


@_when(rf"\bweekends? (?:to date|so far)$|\b(?:{_BEFORE}|{_AFTER}) (?P<count>{_COUNT}) weekends?$")
def _weekends(match: re.Match[str]) -> Hint:
    way = "next" if re.search(_AFTER, match[0]) else "last"
    problem = "a weekend is no unit, so it has no 'to date' and is not counted"
    if match["count"]:
        told = _many("week", match["count"])
        return Hint(problem, (f"{way} {match['count']} {told} only weekends", "previous weekend"))
    return Hint(problem, ("week to date", "week to date only weekends"))


@_when(r"\b(?:morning|afternoon|evening|tonight|noon|midday|midnight|night)\b")
def _part_of_day(match: re.Match[str]) -> Hint:
    return Hint(
        f"'{match[0]}' is no period; parts of a day are said in hours",
        ("last 6 rolling hours", "from start of today to now", "hour to date"),
    )


@_when(rf"\b(?P<way>{_BEFORE}|{_AFTER}) -(?P<count>\d+) (?P<unit>{_UNIT})\b")
def _negative(match: re.Match[str]) -> Hint:
    way = "last" if re.fullmatch(_AFTER, match["way"]) else "next"
    problem = "a count starts at 1; the other way round it is said in words"
    return Hint(problem, (f"{way} {match['count']} {match['unit']}",))


@_when(rf"^(?P<sign>[+-])(?P<count>\d+) ?(?P<unit>{_UNIT})$")
def _signed(match: re.Match[str]) -> Hint:
    side = "before" if match["sign"] == "-" else "after"
    told = f"{match['count']} {match['unit']}"
    other = "last" if side == "before" else "next"
    return Hint("signs are said in words", (f"{told} {side} today", f"{other} {told}"))


@_when(
    r"^(?P<point>today|now|yesterday|tomorrow|latest|earliest|current_date|sysdate|getdate|t|d)"
    rf" ?(?:\( ?\))? ?(?P<sign>[+-]) ?(?P<count>\d+) ?(?P<unit>{_UNIT}|[dwmy])?$"
)
def _sum_of_days(match: re.Match[str]) -> Hint:
    units = {"d": "days", "w": "weeks", "m": "months", "y": "years", None: "days"}
    unit = units.get(match["unit"], match["unit"])
    point = match["point"]
    point = point if point in ("now", "yesterday", "tomorrow", "latest", "earliest") else "today"
    side = "before" if match["sign"] == "-" else "after"
    problem = "sums are said in words"
    return Hint(problem, (f"{match['count']} {_many(unit, match['count'])} {side} {point}",))


@_when(rf"\b(?:a )?(?P<word>few|several|some|couple(?: of)?|handful(?: of)?) (?:{_UNIT})\b")
def _vague(match: re.Match[str]) -> Hint:
    count = "2" if match["word"].startswith("couple") else "3"
    start = match.start() + (2 if match[0].startswith("a ") else 0)
    text = match.string[: match.start()] + count
    text += match.string[start + len(match["word"]) :]
    ways = (f"last {text}", f"next {text}") if match[0] == match.string else (text,)
    return Hint(f"'{match['word']}' is no number", ways)


_WHOLE = {
    "fortnight": (2, "weeks"),
    "decade": (10, "years"),
    "semester": (1, "half"),
    "trimester": (1, "quarter"),
    "century": (100, "years"),
}


@_when(rf"\b(?P<way>this|current|{_BEFORE}|{_AFTER}) (?P<unit>{'|'.join(_WHOLE)})\b")
def _other_units(match: re.Match[str]) -> Hint:
    count, unit = _WHOLE[match["unit"]]
    told = unit if count == 1 else f"{count} {unit}"
    way = "last" if match["way"] in ("this", "current") and count > 1 else match["way"]
    text = f"{match.string[: match.start()]}{way} {told}{match.string[match.end() :]}"
    return Hint(f"'{match['unit']}' is no unit here", (text,))


@_when(rf"\b(?P<way>{_BEFORE}|{_AFTER}) 0+ (?P<unit>{_UNIT})\b")
def _none_at_all(match: re.Match[str]) -> Hint:
    unit = _many(match["unit"], "1")
    return Hint("a count starts at 1", (f"{match['way']} 1 {unit}", f"this {unit}"))


@_when(r"(?<!-)\b(?P<unit>[qhwp]|week |quarter |half |month )(?P<number>\d+)\b")
def _no_such_number(match: re.Match[str]) -> Hint:
    sort = match["unit"][0]
    most, told = {
        "q": (4, "quarters, Q1 to Q4"),
        "h": (2, "halves, H1 and H2"),
        "w": (53, "52 or 53 weeks"),
        "m": (12, "months, which go by their names"),
        "p": (12, "months, which go by their names"),
    }[sort]
    number = min(max(int(match["number"]), 1), most)
    name = f"{sort.upper()}{number}" if sort in "qh" else f"week {min(number, 52)}"
    if sort in "mp":
        name = LONG_MONTHS[number - 1]
    text = match.string[: match.start()] + name + match.string[match.end() :]
    return Hint(f"a year has {told}", (text,))


_MONTH = "|".join(sorted(MONTHS, key=len, reverse=True))


@_when(
    rf"^(?:(?P<day>\d{{1,2}})(?:st|nd|rd|th)?[ -](?P<month>{_MONTH})"
    rf"|(?P<month_2>{_MONTH})[ -](?P<day_2>\d{{1,2}})(?:st|nd|rd|th)?)(?:,? ?(?P<year>\d{{4}}))?$"
)
def _named_date(match: re.Match[str]) -> Hint:
    day, name = int(match["day"] or match["day_2"]), match["month"] or match["month_2"]
    month = MONTHS[name]
    spelt = LONG_MONTHS[month - 1].capitalize()
    if match["year"] is None:
        most = 29 if month == 2 else monthrange(2001, month)[1]
        if 1 <= day <= most:
            told = f"{day} {spelt}"
            return Hint(f"a date has its year: '{told} 2026'", ())
        days = "28 or 29" if month == 2 else str(most)
        return Hint(f"{spelt} has {days} days", ())
    last = monthrange(int(match["year"]), month)[1]
    date = f"{match['year']}-{month:02}-{last}"
    return Hint(why_no_date(date), (date,))


_DATE = rf"(?:\d{{1,2}}(?:st|nd|rd|th)?[ -](?:{_MONTH})|(?:{_MONTH})[ -]\d{{1,2}}(?:st|nd|rd|th)?)"


@_when(
    rf"^(?:from |between )?(?P<first>{_DATE}|\d{{1,2}}) ?(?:to|until|till|through|and|-|–|—) ?"
    rf"(?P<last>{_DATE}),? ?(?P<year>\d{{4}})$"
)
def _dates_of_one_year(match: re.Match[str]) -> Hint:
    """``1 march to 5 may 2026``: the year is said once; it may have begun in the one before."""
    first, last, year = match["first"], match["last"], int(match["year"])
    if first.isdigit():
        first += " " + "".join(re.findall("[a-z]{3,}", last))
    for begun in (year, year - 1):
        found = [other_dates(f"{day} {of:04}") for day, of in ((first, begun), (last, year))]
        if not all(found):
            break
        start, end = (one[0].days[0] for one in found)
        if start <= end:
            return Hint("each date has its year", (f"from {start} to {end}",))
    return Hint("", ())


@_when(r"^(?P<year>\d{4})-(?P<month>0[1-9]|1[0-2])-(?P<day>\d\d)$")
def _iso_date(match: re.Match[str]) -> Hint:
    if not int(match["year"]):
        return Hint("", ())
    last = monthrange(int(match["year"]), int(match["month"]))[1]
    told = f"there is no date {match[0]}: {why_no_date(match[0])}"
    return Hint(told, (f"{match['year']}-{match['month']}-{last}",))


# Comparisons are two periods, of which the second one is said by a shift.

_COMPARED: Final = "a comparison is two periods; the second one is the first at another time"
_OVER: Final = {
    "yoy": "year",
    "qoq": "quarter",
    "mom": "month",
    "wow": "week",
    "dod": "day",
    "pop": "period",
}


@_when(r"^(?:the |a )?(?:same |)(?:previous|prior|last|preceding|next|following|past) periods?$")
def _period_of_nothing(match: re.Match[str]) -> Hint:
    side = "later" if re.search("next|following", match[0]) else "earlier"
    told = "a period before or after another one is said with that one: 'P, 1 period earlier'"
    return Hint(told, (f"month to date, 1 period {side}", f"last 7 whole days, 1 period {side}"))


@_when(
    r"^(?:the )?(?:same|corresponding|equivalent) (?P<what>period|day|week|month|quarter|half)"
    r"(?: of| in| the)* (?:last|previous|prior|a|one) (?P<unit>year|half|quarter|month|week)"
)
def _same(match: re.Match[str]) -> Hint:
    what = "month to date" if match["what"] == "period" else f"this {match['what']}"
    by_week = [f"{what}, 52 weeks earlier"] if match["what"] == "week" else []
    return Hint(_COMPARED, (*by_week, f"{what}, 1 {match['unit']} earlier"))


@_when(
    rf"\b(?:(?P<unit>year|quarter|month|week|day)[ -](?:over|on|by)[ -](?P=unit)"
    rf"|(?P<short>{'|'.join(_OVER)}))\b"
)
def _over(match: re.Match[str]) -> Hint:
    unit = match["unit"] or _OVER[match["short"]]
    rest = (match.string[: match.start()] + match.string[match.end() :]).strip(" ,")
    usual = {"year": "month", "day": "day", "period": "month"}.get(unit, unit)
    base = "today" if usual == "day" else f"{usual} to date"
    return Hint(_COMPARED, tuple(f"{one}, 1 {unit} earlier" for one in (rest, base) if one))


@_when(r"^(?P<left>.+?),? (?:vs\.?|versus|v|against|compared (?:to|with)) (?P<right>.+)$")
def _versus(match: re.Match[str]) -> Hint:
    unit = re.search(r"\b(?:yester)?(year|half|quarter|month|week|day)\b", match["right"])
    told = f"{match['left']}, 1 {unit[1] if unit else 'year'} earlier"
    return Hint(_COMPARED, (told, f"{match['left']}, 1 period earlier"))


@_when(
    rf"^(?P<left>.+?),? (?:of |in |for )?(?:the |a )?(?:{_BEFORE}|one|1)? ?"
    r"(?P<unit>year|half|quarter|month|week)(?: ago| before| earlier)?$"
)
def _another_time(match: re.Match[str]) -> Hint:
    return Hint("", (f"{match['left']}, 1 {match['unit']} earlier",))


# Parts of a phrase.


@_when(rf"^(?P<day>{'|'.join(WEEKDAY_WORDS)}) of (?P<rest>.+)$")
def _which_weekday(match: re.Match[str]) -> Hint:
    day, rest = match["day"], match["rest"]
    problem = f"'{rest}' has several"
    return Hint(problem, (f"first {day} of {rest}", f"last {day} of {rest}"))


@_when(rf"^(?P<unit>{_UNIT}) of (?P<rest>.+)$")
def _which_unit(match: re.Match[str]) -> Hint:
    unit, rest = match["unit"], match["rest"]
    problem = f"'{rest}' has several, or none of its own"
    return Hint(problem, (f"first {unit} of {rest}", f"last {unit} of {rest}"))


@_when(r"^(?:from |between )?(?P<left>.+?)(?: (?:-|>|->) | ?(?:–|—|\.\.+|→) ?)(?P<right>.+)$")
def _dash(match: re.Match[str]) -> Hint:
    return Hint("a span is said with from and to", (f"from {match['left']} to {match['right']}",))


@_when(r" ?[+&] ?")
def _sign(match: re.Match[str]) -> Hint:
    return Hint("", (match.string.replace(match[0], " plus "),))


# The nearest words, and the nearest forms.


def _respelt(text: str) -> Iterator[Hint]:
    from difflib import get_close_matches

    known, words = _words(), re.findall(r"\d{4}-[\w-]+|\w+|[^\w\s]", text)
    if len(words) > 40:
        return
    near: list[list[str]] = []
    for word in words:
        if word in known or not word.isalpha():
            near.append([word])
        else:
            near.append(get_close_matches(word, known, 2, 0.6) or [""])
    for place, ways in enumerate(near):
        if len(ways) > 1:
            other = [one[0] for one in near]
            other[place] = ways[1]
            yield Hint("", (_joined([one[0] for one in near]), _joined(other)))
            return
    yield Hint("", (_joined([one[0] for one in near]),))
    # A word that says nothing may be too much, or in the wrong place.
    for place in range(len(words)):
        yield Hint("", (_joined([one[0] for n, one in enumerate(near) if n != place]),))


def _joined(words: list[str]) -> str:
    return re.sub(r" ([,)])", r"\1", " ".join(word for word in words if word)).replace("( ", "(")


@functools.cache
def _words() -> frozenset[str]:
    return frozenset({*vocabulary(), *MONTHS, *WEEKDAY_WORDS, "q1", "q2", "q3", "q4", "h1", "h2"})


_FORMS: Final = (
    "last {n} {units}",
    "next {n} {units}",
    "{n} {units} ago",
    "last {n} whole {units}",
    "this {unit}",
    "last {unit}",
    "next {unit}",
    "{unit} to date",
    "rest of {unit}",
    "last whole {unit}",
    "since start of {unit}",
    "today",
    "yesterday",
    "tomorrow",
    "latest",
    "all dates",
)


def _nearest_forms(text: str) -> list[str]:
    """The forms of the language that look most like a text, with its number and its unit."""
    from difflib import SequenceMatcher

    number = re.search(rf"\b{_COUNT}\b", text)
    unit = re.search(rf"\b{_UNIT}\b", text)
    if unit is None:
        return []
    one, many = _many(unit[0], "1"), _many(unit[0], "2")
    forms = [
        form.format(n=number[0] if number else "", unit=one, units=many)
        for form in _FORMS
        if ("{n}" in form) == (number is not None) and "{unit" in form
    ]
    scored = [(SequenceMatcher(None, text, form).ratio(), form) for form in forms]
    return [form for score, form in sorted(scored, reverse=True)[:2] if score >= 0.5]
