"""Days, calendars and phrases for Hypothesis, weighted towards where dates go wrong."""

import os
import re
from collections import Counter
from datetime import date

from hypothesis import settings
from hypothesis import strategies as st

from ulnager import MonthCalendar, WeekCalendar
from ulnager.core.periods.phrases import RULES
from ulnager.core.periods.rule import Kind
from ulnager.core.units import LONG_MONTHS as MONTHS
from ulnager.core.units import UNITS

from oracle import Days, Weeks

WEEKDAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
LAST = date.max.toordinal()

# A longer run tries so many times as many cases, and other ones: ULNAGER_CASES=50 pytest. A part of
# one, such as 0.3, is a quick look.
TIMES = float(os.environ.get("ULNAGER_CASES", "0.2"))
TAKEN = Counter()
"""How much of what a run compared; a long one tells it at its end."""


def examples(count):
    return settings(max_examples=max(min(2, count), int(count * TIMES)))


_odd_days = st.builds(
    lambda year, month_day: min(
        LAST, date(year - year % month_day[2], *month_day[:2]).toordinal() + month_day[3]
    ),
    st.integers(4, 9999),
    st.sampled_from(
        [(2, 28, 1, 0), (2, 28, 4, 1), (12, 31, 1, 0), (1, 1, 1, 0), (5, 31, 1, 0), (10, 31, 1, 1)]
    ),
)
_modern_days = st.integers(date(1970, 1, 1).toordinal(), date(2040, 1, 1).toordinal())
days = st.one_of(st.integers(1, LAST), _modern_days, _odd_days).map(date.fromordinal)
modern_days = _modern_days.map(date.fromordinal)

units = st.sampled_from(["day", "week", "month", "quarter", "half", "year"])
PLURALS = {"half": "halves"}


def chain(some_units, longest=3):
    counts = st.integers(-3, 3).filter(bool)
    return st.lists(st.tuples(counts, some_units), min_size=1, max_size=longest)


def said(phrase, shifts):
    for count, unit in shifts:
        name = unit if abs(count) == 1 else PLURALS.get(unit, f"{unit}s")
        phrase += f", {abs(count)} {name} {'later' if count > 0 else 'earlier'}"
    return phrase


@st.composite
def calendars(draw):
    """A calendar, and the same one as labels on days."""
    month = draw(st.integers(1, 12))
    day = draw(st.sampled_from([1, 1, 1, 6, 15, 28]))
    week = draw(st.integers(0, 6))
    calendar = MonthCalendar(year_starts=f"{month:02}-{day:02}", week_starts=WEEKDAYS[week])
    return calendar, Days(month, day, week)


@st.composite
def week_calendars(draw):
    """A calendar of whole weeks, and the same one as labels on days."""
    layout = draw(st.sampled_from(["4-4-5", "4-5-4", "5-4-4", "13x4"]))
    weeks = (4,) * 13 if layout == "13x4" else tuple(map(int, layout.split("-"))) * 4
    last_day, month = draw(st.integers(0, 6)), draw(st.integers(0, 11))
    nearest, long_period = draw(st.booleans()), draw(st.integers(1, len(weeks)))
    calendar = WeekCalendar(
        layout, WEEKDAYS[last_day], MONTHS[month], "nearest" if nearest else "last", long_period
    )
    labels = Weeks(layout=weeks, last_day=last_day, month=month + 1, nearest=nearest,
                   long_period=long_period)  # fmt: skip
    return calendar, labels


simple_phrases = st.builds(
    lambda template, count, unit: template.replace("{u}", unit).replace("{n}", str(count)),
    st.sampled_from(
        ["this {u}", "{u} to date", "rest of {u}", "last {n} whole {u}s", "last {n} {u}s",
         "next {n} rolling {u}s", "next {n} {u}s from start", "last {n} {u}s to end", "2026-W14",
         "yesterday", "2026-03-01/2026-03-31", "until {n} {u}s before latest", "all dates",
         "since start of last {n} {u}s", "between earliest and end of next {u}"]
    ),
    st.integers(1, 40),
    st.sampled_from(["day", "week", "month", "quarter", "year"]),
)  # fmt: skip
phrases = st.recursive(
    simple_phrases,
    lambda inner: st.one_of(
        st.builds("{} plus ({})".format, inner, inner),
        st.builds("({}) except {}".format, inner, simple_phrases),
        st.builds("{} within ({})".format, inner, inner),
        st.builds("({}) as of 2026-03-31".format, inner),
        st.builds("({}) as of start of ({})".format, inner, simple_phrases),
    ),
    max_leaves=5,
)


def _filled(wording, slots):
    """A wording of the phrase table with something in each slot."""
    # A bare unit is a period inside a phrase only.
    wording = wording.replace("{period}", "{lead}", 1) if wording.startswith("{p") else wording
    parts = re.findall(r"\{(\w+?)(?:_2)?\}|([^{}]+)", wording)
    return st.tuples(*(slots[slot] if slot else st.just(text) for slot, text in parts)).map("".join)


def _grammar():
    """Any phrase at all, made from the phrase table itself."""
    phrase = st.deferred(lambda: any_phrase)
    nested = st.one_of(
        phrase.map("({})".format), st.sampled_from(["month", "last 3 weeks", "from latest"])
    )
    point = st.deferred(lambda: any_point)
    slots = {
        "count": st.integers(1, 500).map(str),
        "unit": st.sampled_from([unit.name for unit in UNITS]),
        "units": st.sampled_from([unit.plural for unit in UNITS]),
        "steps": st.sampled_from(["periods", "years", "hours", "business days"]),
        "date": st.sampled_from(["2026-03-31", "2024-02-29", "0001-01-01", "9999-12-31"]),
        "timestamp": st.sampled_from(["2026-05-17T08:30", "2026-03-08T02:30:15.5Z",
                                      "2026-11-01T01:30+05:30"]),
        "iso": st.sampled_from(["2026", "2026-W01", "2026-Q3", "2024-02", "2026-03-01/2026-03-09"]),
        "ordinal": st.sampled_from(["first", "2nd", "third", "23rd", "last"]),
        "dayname": st.sampled_from(["day", "business day", "friday", "sunday"]),
        "weekday": st.sampled_from(["monday", "wed", "sunday"]),
        "monthname": st.sampled_from(["march", "dec", "may"]),
        "unitname": st.sampled_from(["Q1", "H2", "week 14", "W53", "quarter 4"]),
        "days": st.sampled_from(["weekends", "business days", "holidays and fridays", "monday"]),
        "calendar": st.sampled_from(["fiscal", "'the office'"]),
        "label": st.sampled_from(['"Q2 FY2026"', '"2026-W14"', '"May 2026"', '"2026"', '"x"']),
        "lead": phrase.map("({})".format),
        "period": nested,
        "point": point,
    }  # fmt: skip
    wordings = [(rule, text) for rule in RULES.values() for text in (rule.template, *rule.also)]
    points = [_filled(text, slots) for rule, text in wordings if rule.kind is Kind.POINT]
    others = [_filled(text, slots) for rule, text in wordings if rule.kind is not Kind.POINT]
    return st.one_of(others), st.one_of(points)


any_phrase, any_point = _grammar()
