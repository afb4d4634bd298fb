"""Why a period has its dates: every sentence, and every date in a sentence."""

import re
from datetime import date
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ulnager import (
    GREGORIAN,
    Extent,
    PeriodSyntaxError,
    ResolveError,
    Unit,
    WeekCalendar,
    condition,
    date_table,
    period,
    read_book,
)
from ulnager.core.language.open_period import last_slots
from ulnager.core.language.phrase import period_or_open
from ulnager.core.language.reader import may_follow
from ulnager.core.periods.names import Ordinal
from ulnager.core.suggest import no_such
from ulnager.core.text import masked, visible

from strategies import modern_days, phrases

TOLD = re.split(r"\n(?! )", (Path(__file__).parent / "reasons.txt").read_text().strip())
NOW = {"now": "2026-05-20T08:30+00:00", "tz": "UTC", "data": ("2023-10-01", "2026-05-17")}


@pytest.mark.parametrize("told", TOLD, ids=lambda told: told.partition("\n")[0])
def test_the_sentences_are_these(told):
    phrase, *lines = told.split("\n")
    result = period(phrase).resolve(**NOW)
    assert [f"    {step}" for step in result.steps] == [line for line in lines if "! " not in line]
    assert [f"  ! {note}" for note in result.notes] == [line for line in lines if "  ! " in line]


@given(phrases, modern_days, st.booleans())
def test_the_last_sentence_has_the_dates(phrase, day, over):
    try:
        result = period(phrase).resolve(
            data=Extent(date(1965, 3, 1), day), **({"as_of": day} if over else {"today": day})
        )
    except ResolveError:
        return
    *others, last = result.steps
    shown = re.findall(r"\d{4}-\d\d-\d\d", last)
    edges = [edge for span in result.spans[:4] for edge in dict.fromkeys((span.start, span.end))]
    assert shown == [str(edge) for edge in edges if edge]
    if result.days:
        assert last.endswith(f": {result.days:,} day{'s' * (result.days > 1)}.")
    if others and others[0].startswith("The anchor is"):
        assert str(result.anchor.day) in others[0]
        assert ("still running" in others[0]) == result.anchor.running
        assert f"{result.anchor.day:%A}" in others[0]


@pytest.mark.parametrize("line", (Path(__file__).parent / "labels.txt").read_text().splitlines())
def test_labels_for_people(line):
    phrase, label = line.split(" => ")
    assert period(phrase).resolve(**NOW).label == label


def test_words_for_places_and_names():
    said = "first|2nd|3rd|4th|11th|12th|13th|20th|21st|111th|122nd|last".split("|")
    for number, word in zip((1, 2, 3, 4, 11, 12, 13, 20, 21, 111, 122, -1), said, strict=True):
        assert str(Ordinal(number)) == word
    assert no_such("thing", "b", ["a", "c"]) == "there is no thing 'b'. There are: a, c"
    assert no_such("thing", "x", []).endswith("There are: none")
    many = [f"n{n}" for n in range(21)]
    assert no_such("thing", "zz", many[:20]).endswith("n19")
    assert no_such("thing", "zz", many).endswith("n19 …")
    assert visible("\U000e0001\uffff\x00\x7f") == "\\U000e0001\\uffff␀␡"
    assert masked("a=b token=c&d=e") == "a=b token=***&d=e"


def test_a_long_phrase_shows_the_place_that_is_wrong():
    for lead in (0, 30, 60, 500):
        phrase = "today plus " * (lead // 11) + "today plsu today" + " plus today" * 20
        with pytest.raises(PeriodSyntaxError) as told:
            period(phrase)
        _, shown, caret, *_ = str(told.value).split("\n")
        assert shown[caret.index("^") :].startswith("plsu")
        assert len(shown) <= PeriodSyntaxError.WIDTH + 4
        assert shown.endswith("…") == (
            len(phrase) - phrase.index("plsu") > PeriodSyntaxError.WIDTH // 2
        )
    with pytest.raises(PeriodSyntaxError, match="more than 60 phrases stand inside each other"):
        period("end of " * 70 + "month")


@pytest.mark.parametrize(("last", "told"), [
    ("2026-05-23", "the data runs to 2026-05-23, 3 days past the clock's day"),
    ("2026-05-21", "the data runs to 2026-05-21, 1 day past the clock's day"),
    ("2026-05-20", None), ("2026-05-19", None),
])  # fmt: skip
def test_data_past_the_clock_is_named(last, told):
    when = {"today": "2026-05-20", "data": ("2026-01-01", last)}
    for phrase in ("last 2 days as of latest", "until latest", "latest week"):
        notes = [note for note in period(phrase).resolve(**when).notes if "the data runs" in note]
        assert [note.partition(";")[0] for note in notes] == ([told] if told else []), phrase
    assert not any("the data runs" in note for note in period("today").resolve(**when).notes)


@pytest.mark.parametrize(("text", "shown"), [
    ("a://u:p@h/d", "a://u:***@h/d"), ("a://u@h/d", "a://u@h/d"), ("a://h/d:x@y", "a://h/d:x@y"),
    ("a://u:p/q@h", "a://u:***@h"), ("a://u:p", "a://u:p"), ("x a://u:p@q@h y", "x a://u:***@h y"),
    ("a://u:@h", "a://u:***@h"), ("pwd=1;b=2", "pwd=***;b=2"), ("TOKEN = 'x'", "TOKEN = 'x'"),
    ("api_key=x&y", "api_key=***&y"), ("keys=1", "keys=1"), ("a@b:c://d:e@f", "a@b:c://d:***@f"),
])  # fmt: skip
def test_passwords_are_masked_and_nothing_else(text, shown):
    assert masked(text) == shown


@pytest.mark.parametrize(("phrase", "words", "is_said"), [
    ("last 3 days except yesterday as of today", "is the clock's", False),
    ("last 3 days except yesterday as of 2026-05-01", "is the clock's", True),
    ("first week of year", "is not 'week 1 of this year'", True),
    ("month to date, 1 month earlier", "is not 'last 1 month to date'", True),
    ("last 3 rolling months except this month", "begin inside a month", True),
    ("last 3 rolling months except next month", "begin inside a month", False),
    ("month to date as of start of next month", "the day of an anchor is in", True),
    ("month to date as of end of next month", "the day of an anchor is in", False),
])  # fmt: skip
def test_notes_are_said_where_they_hold_and_only_there(phrase, words, is_said):
    notes = period(phrase).resolve(today="2026-05-20").notes
    assert any(words in note for note in notes) is is_said


def test_small_things_that_are_told():
    steps = period("from 2026-05-01 to end of month").resolve(today="2026-05-20").steps
    # A date that is written needs no step of its own.
    assert [step for step in steps if step.startswith("'")] == [
        "'end of this month' is 2026-05-31."
    ]
    mondays = period("from 2020-01-01 to 2026-05-31 only mondays").resolve(today="2026-05-20")
    assert len(condition(mondays, "d", target="duckdb", literal=True).text) < 100
    with pytest.raises(PeriodSyntaxError) as failed:
        period("foo last 3 whole months " + "plus last 3 months " * 8)
    _, shown, carets = str(failed.value).split("\n")[:3]
    assert (shown[:6], carets) == ("  foo ", "  ^^^")
    for text, last in (("from {a} to {b}", {"b"}), ("since {a}", set()), ("until {a}", {"a"})):
        assert last_slots(period_or_open(text).definition) == last
    assert {"as of", "plus", ","} <= set(may_follow("last 3 months"))
    assert WeekCalendar("13x4", "saturday", "january")._varies(Unit.QUARTER, Unit.MONTH)


@pytest.mark.parametrize(("phrase", "spans"), [
    ("2100-01-31, 1 month later", ["2100-02-28"]),
    ("1900-03-31, 1 month earlier", ["1900-02-28"]),
    ("2000-01-31, 1 month later", ["2000-02-29"]),
    ("last 2 business days of until 2026-03-31", ["2026-03-30 to 2026-03-31"]),
    ("last 3 days of (until 2026-03-31 except 2026-03-30)",
     ["2026-03-28 to 2026-03-29", "2026-03-31"]),
    ("last 3 days of (2026-01-01 plus 2026-03-01/2026-03-02 plus 2026-05-01)",
     ["2026-03-01 to 2026-03-02", "2026-05-01"]),
    ("last 4 business days of 2026-05", ["2026-05-26 to 2026-05-29"]),
])  # fmt: skip
def test_days_at_the_edges(phrase, spans):
    assert [str(span) for span in period(phrase).resolve(today="2026-05-20").spans] == spans


def test_a_unit_is_whole_once_its_last_day_is_over():
    day = "2026-05-31"
    for clock, is_whole in (({"today": day}, False), ({"as_of": day}, True)):
        anchor = period("anchor day").resolve(**clock).anchor
        table = date_table(GREGORIAN, date(2026, 5, 1), date(2026, 5, 31), anchor)
        assert set(table["month_is_whole"].tolist()) == {is_whole}


def test_days_of_a_unit_of_a_table_stay_in_the_next(tmp_path):
    (tmp_path / "t.csv").write_text(
        "unit,start\n"
        + "".join(
            f"month,{day}\n" for day in ("2026-01-01", "2026-02-10", "2026-02-20", "2026-04-01")
        )
    )
    (tmp_path / "b.toml").write_text(
        'calendar = "own"\n[calendars.own]\nkind = "table"\nfile = "t.csv"\n'
    )
    book = read_book(tmp_path / "b.toml")
    for phrase, moved in (("2026-02-05", "2026-02-19"), ("2026-01-03", "2026-02-12")):
        assert str(book.resolve(f"{phrase}, 1 month later").start) == moved


def test_spans_that_start_now():
    for said, count in (("2 hours starting", "2 hours"), ("1 day beginning", "1 day"),
                        ("next 3 weeks starting", "3 weeks")):  # fmt: skip
        assert str(period(f"{said} now")) == f"from now to {count} after now"
