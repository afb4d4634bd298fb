"""Visits to a picker, step by step: what each leaves behind, down to the last word."""

import re
from datetime import date, timedelta
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import ulnager
from test_pickers import BOOK, DATA, TODAY, book_of
from ulnager import Extent, SettingError
from ulnager.choices.grouping import grouped
from ulnager.choices.labels import filled_label
from ulnager.choices.picker_base import Grouping
from ulnager.core.units import Unit

from strategies import examples

VISITS = re.split(r"\n(?! )", (Path(__file__).parent / "visits.txt").read_text().strip())


@pytest.fixture(scope="module")
def picker(tmp_path_factory):
    return book_of(tmp_path_factory.mktemp("book"), BOOK).picker("dates")


def begun(picker, how):
    """A view as a visit begins: opened, or with what a form or a link sends."""
    when = {"today": TODAY, "data": DATA}
    name, _, sent = how.partition(" ")
    if name == "read":
        return picker.read(sent, **when)
    if name == "sent":
        return picker.read({"dates.state": "", **dict(one.split("=") for one in sent.split("&"))},
                           **when)  # fmt: skip
    return picker.open(**when)


def after(view, event):
    """The view after an event: ``choose recent``, ``enter n=3``, ``later``."""
    name, *values = event.split(" ")
    if name == "enter":
        return view.enter(**{key: value if key != "range" else int(value)
                             for key, value in (one.split("=", 1) for one in values)})  # fmt: skip
    if name == "tomorrow":
        return view.refreshed(today=TODAY + timedelta(1), data=DATA._replace(last=TODAY))
    if name == "drop":
        return view.drop_range(int(values[0]))
    return getattr(view, name)(*values)


def told(view):
    """All that is seen of a view, in few words."""
    dates = "no dates"
    if view.resolution is not None:
        dates = f"{view.resolution.label}, {view.resolution.days} days; ?{view.link()}"
    yield f"{view.choice}: {dates}"
    inputs = [
        f"{one.name[6:]}={one.shown}{f' [{one.low}..{one.high}]' * bool(one.low)}"
        for one in view.inputs
        if one.made.kind != "listed"
    ]
    units = [f"{one.key} {one.buckets}{'' if one.fits else ' -'}" for one in view.units]
    if view.resolution is not None:
        yield f"{', '.join(inputs)}; by {view.by}: {', '.join(units)}"
    yield from (f"! {one}" for one in view.problems)
    yield from (f"* {one}" for one in view.notes)


def visited(picker, text):
    """A visit as the file has it: its events, and what each leaves behind."""
    first, *events = text.partition("\n")[0].split(" | ")
    view, lines = begun(picker, first), []
    for event in [None, *events]:
        view = view if event is None else after(view, event)
        what, *more = told(view)
        more += [f"~ {view.shown} {view.sent_along}"] if event is None else []
        lines += [f"    {event or 'begins'} => {what}", *(f"        {line}" for line in more)]
    return "\n".join([text.partition("\n")[0], *lines])


@pytest.mark.parametrize("text", VISITS, ids=lambda text: text.partition("\n")[0])
def test_visits_leave_this_behind(picker, text):
    assert visited(picker, text).split("\n") == text.split("\n")


CALENDARS = (
    ulnager.GREGORIAN, ulnager.MonthCalendar("10-15", "sunday"),
    ulnager.WeekCalendar("4-4-5", "saturday", "september"), ulnager.WeekCalendar("13x4"),
)  # fmt: skip
UNITS = (Unit.DAY, Unit.WEEK, Unit.MONTH, Unit.QUARTER, Unit.YEAR)
DAYS = st.dates(date(2025, 1, 1), date(2026, 12, 31))


@examples(300)
@given(st.lists(st.tuples(DAYS, st.integers(1, 200)), min_size=1, max_size=4),
       st.sampled_from(CALENDARS), st.sampled_from(UNITS), st.integers(1, 60))  # fmt: skip
def test_units_are_counted_as_they_come_out(parts, calendar, unit, most):
    """How many buckets there would be, and whether one of them is whole, as making them says."""
    phrase = " plus ".join(f"{day}/{day + timedelta(count - 1)}" for day, count in parts)
    result = ulnager.period(phrase).resolve(calendar=calendar)
    (found,) = grouped(Grouping((unit,), max_buckets=most), result, None)
    made = result.buckets(unit)
    whole = [one for one in made
             if any(span.start <= one.unit_start and one.unit_start + timedelta(one.unit_days)
                    <= span.stop for span in result.spans)]  # fmt: skip
    assert found.buckets == len(made)
    assert found.fits == (len(made) <= most and bool(whole))
    if len(made) > most:
        assert found.why == f"{len(made):,} {unit.plural} are more than {most}"
    elif not whole:
        longer = len(result.spans) == 1 and result.days < made[0].unit_days
        assert found.why == (f"a {unit} is longer than the period" if longer
                             else f"no {unit} lies whole in the period")  # fmt: skip
    else:
        assert found.why is None


@examples(60)
@given(DAYS, st.booleans(), st.sampled_from(UNITS))
def test_an_open_side_is_counted_to_the_end_of_the_data(day, is_first, unit):
    data = Extent(date(2024, 12, 30), date(2027, 1, 3))
    ends = (day, data.last) if is_first else (data.first, day)
    open_side = ulnager.period(f"after {day - timedelta(1)}" if is_first else f"until {day}")
    closed = ulnager.period(f"from {ends[0]} to {ends[1]}")
    way = Grouping((unit,), max_buckets=9_999)
    when = {"today": data.last, "data": data}
    assert grouped(way, open_side.resolve(**when), data) == grouped(way, closed.resolve(), data)
    (unknown,) = grouped(way, open_side.resolve(**when), None)
    assert (unknown.buckets, unknown.why) == (None, "the period has no days to count")


@pytest.mark.parametrize(("unit", "key"), [("week", "2026-W18"), ("month", "2026-03"),
                                           ("year", "2025"), ("quarter", None)])  # fmt: skip
def test_what_is_listed_is_a_unit(picker, unit, key):
    """A listed unit moves by itself, as any unit does."""
    book = ulnager.period("{it}", inputs={"it": {"kind": "listed", "unit": unit}})
    assert list(book.inputs) == ["it"]
    options = [one for one in _options(picker, unit) if key is None or one.key == key]
    for one in options[:3]:
        before = ulnager.Period(one.definition).resolve(today=TODAY).counterpart(1, "period")
        assert before.end == one.start - timedelta(1)
        assert before.label != one.label


def _options(picker, unit):
    from ulnager.choices.input_values import listed

    made = ulnager.period("{it}", inputs={"it": {"kind": "listed", "unit": unit}}).inputs["it"]
    return listed(made, ulnager.GREGORIAN, DATA)


LISTED = {"kind": "listed", "unit": "week"}


@pytest.mark.parametrize(("phrase", "settings", "told"), [
    ("last {n} days", {"n": {"max": 0}}, "max"), ("last {n} days", {"m": {}}, "no slot {m}"),
    ("last {n} days", {"n": {"min": 5, "max": 4}}, "max"),
    ("last {n} days", {"n": {"of": ["day"]}}, "of is not for an input of kind count"),
    ("last {n} days", {"n": {"opens": 99, "max": 9}}, "opens"),
    ("last {n} days", {"n": 5}, "settings of {n} are 5"), ("last {n} days", {5: {}}, "{5}"),
    ("last {n} days", {"n": {"kind": "unit"}}, "said to be unit"),
    ("last {n} days", {"n": {"kind": "x"}}, "said to be x"),
    ("last {n} days", {"n": {"step": 0}}, "step"), ("last {n} days", {"n": {"min": "x"}}, "min"),
    ("last {n} days", {"n": {"max": True}}, "max"),
    ("last {n} days", {"cut": {"kind": "switch"}}, "say what it cuts"),
    ("last {n} days", {"Cut": {"kind": "switch", "phrase": "except today"}}, "no name"),
    ("last {n} {u}", {"u": {"of": "day"}}, "of is 'day'"),
    ("last {n} {u}", {"u": {"of": []}}, "of is"), ("last {n} {u}", {"u": {"of": [1]}}, "of has 1"),
    ("last {n} {u}", {"u": {"of": ["aeon"]}}, "of has 'aeon'"),
    ("{w}", {"w": {**LISTED, "several": "yes"}}, "several is 'yes'; give true or false"),
    ("{w}", {"w": {**LISTED, "order": "up"}}, "order is 'up'; choose newest or oldest"),
    ("{w}", {"w": {**LISTED, "max": 3}}, "max is not for an input of kind listed"),
    ("since {d}", {"d": {"min": "2026-03-01", "max": "2026-01-01"}}, "before min"),
    ("since {d}", {"d": {"min": "2026-03-01", "opens": "2026-01-01"}}, "outside 2026-03-01 to …"),
])  # fmt: skip
def test_settings_that_fit_no_slot(phrase, settings, told):
    with pytest.raises(SettingError, match=re.escape(told)):
        ulnager.period(phrase, inputs=settings)


@pytest.mark.parametrize(("written", "printed"), [
    ("Past {n} {how} days", "last {n} {how} days"), ("the last {n} {u}", "last {n} {u}"),
    ("trailing {n} days", "last {n} rolling days"), ("from {a} through {b}", "from {a} to {b}"),
    ("{how} month to date plus past {n} days", None),
])  # fmt: skip
def test_phrases_with_slots_are_printed_with_them(written, printed):
    inputs = {"how": {"kind": "word", "of": ["rolling", "whole"]}} if "{how}" in written else None
    if printed is None:
        with pytest.raises(SettingError, match="cannot be 'rolling' there"):
            ulnager.period(written, inputs=inputs)
        return
    found = ulnager.period(written, inputs=inputs)
    assert str(found) == printed
    assert ulnager.period(printed, inputs=inputs) == found


@pytest.mark.parametrize(("label", "values", "filled"), [
    ("Last {n} days", {"n": "1"}, "Last 1 day"), ("{n} Weeks", {"n": "1"}, "1 Week"),
    ("{n} {unit}", {"n": "3"}, "3 {unit}"), ("{a} of {b}", {"a": "x"}, "x of {b}"),
    ("{n} whole months", {"n": "1"}, "1 whole month"), ("{n} halves", {"n": "1"}, "1 half"),
    ("Days {n}", {"n": "1"}, "Days 1"), ("none", {"n": "1"}, "none"),
])  # fmt: skip
def test_labels_are_filled(label, values, filled):
    assert filled_label(label, values) == filled


def test_phrases_with_slots_that_differ():
    how = {"how": {"kind": "word", "of": ["rolling", "whole"]}}
    asked = (("last {n} days", None), ("last {m} days", None), ("last {n} weeks", None),
             ("last {n} days", {"n": {"max": 9}}), ("last {n} {how} days", how),
             ("last 3 days", None))  # fmt: skip
    made = [ulnager.period(phrase, inputs=inputs) for phrase, inputs in asked]
    for place, one in enumerate(made):
        assert [other == one for other in made] == [n == place for n in range(len(made))]
    assert len(set(made)) == len(made)
    assert ulnager.period("past {n} days") == made[0]
