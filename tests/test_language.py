"""Reading and printing phrases, and what is said about those that cannot be read."""

import copy
import importlib.util
import json
import pickle
import re
from datetime import UTC, datetime, timedelta
from itertools import permutations
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ulnager import GREGORIAN, MonthCalendar, PeriodSyntaxError, ResolveError, UlnagerError, period
from ulnager.core.language.reader import read_period
from ulnager.core.language.tree import _trees
from ulnager.core.periods.phrases import RULES
from ulnager.core.periods.rule import Kind

from language_page import EXAMPLES, HOME, comes_out_as
from strategies import any_phrase, examples, modern_days

FOLDER = Path(__file__).parent


def load(path):
    """A script of the repository as a module."""
    spec = importlib.util.spec_from_file_location("script", FOLDER.parent / path)
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


@examples(400)
@given(any_phrase)
def test_the_printed_form_reads_back_to_the_same_period(phrase):
    first = period(phrase)
    again = period(str(first))
    assert again == first
    assert str(again) == str(first)
    assert hash(again) == hash(first)
    assert pickle.loads(pickle.dumps(first)) == first == copy.deepcopy(first)


@examples(400)
@given(any_phrase, modern_days)
def test_whatever_can_be_said_resolves_or_says_why_not(phrase, day):
    now = datetime(day.year, day.month, day.day, 12, tzinfo=UTC)
    try:
        result = period(phrase).resolve(
            now=now,
            tz="America/Halifax",
            data=(day - timedelta(days=400), day - timedelta(days=3)),
            calendars={"fiscal": MonthCalendar(year_starts="10-01"), "the office": GREGORIAN},
        )
    except ResolveError as error:
        assert str(error)
        return
    assert result.steps[-1].startswith("So the ")
    assert result.notes or not result.is_empty
    assert result.to_dict()["label"]
    for left, right in zip(result.spans, result.spans[1:], strict=False):
        assert left.stop < right.start
    for reading in period(phrase).readings().values():
        assert str(reading)


@pytest.mark.parametrize("line", (FOLDER / "wordings.txt").read_text().splitlines())
def test_other_wordings_of_the_same(line):
    written, canonical = line.split(" => ")
    assert str(period(written)) == canonical


MISTAKES = (line.split(" => ") for line in (FOLDER / "mistakes.txt").read_text().splitlines())


@pytest.mark.parametrize(
    ("phrase", "place", "problem", "suggestion"),
    [
        *MISTAKES,
        ("(" * 100 + "today", "(", "stand inside each other", None),
        ("today" + " plus today" * 100, None, "stand inside each other", None),
        ("a " * 400, None, "at most", None),
        ("x" * 9_999, None, "at most", None),
    ],
)
def test_phrases_that_cannot_be_read(phrase, place, problem, suggestion):
    with pytest.raises(PeriodSyntaxError) as raised:
        period(phrase)
    error = raised.value
    assert problem in str(error)
    assert error.suggestion == (suggestion or None)
    if place is not None:
        assert phrase[error.position : error.position + error.length].startswith(place)
    assert all(len(line) < 200 for line in str(error).splitlines())


@pytest.mark.parametrize("line", (FOLDER / "hints.txt").read_text().splitlines())
def test_what_is_offered_for_what_people_say(line):
    phrase, offered, problem, place = line.split(" => ")
    with pytest.raises(PeriodSyntaxError) as raised:
        period(phrase)
    error = raised.value
    assert (" | ".join(error.suggestions), error.problem) == (offered, problem)
    assert phrase[error.position : error.position + error.length] == place
    for other in error.suggestions:
        if other in error.expected or other in ("before", "latest"):
            continue
        meant = period(other)
        if not meant.definition.is_sub_day and "latest" not in other:
            dates = ", ".join(map(str, meant.resolve().spans[:3])) or "no dates"
            assert f"'{other}' ({dates})" in str(error)


WORDS = st.sampled_from(
    "last next 3 whole rolling month months to date ( ) plus except within as of in start end "
    "today latest 2026-03-01 2026 , from before / üñî 🦆 \x00 ' 99999999999999999999".split(" ")
)


@examples(500)
@given(st.one_of(st.lists(WORDS, max_size=40).map(" ".join), st.text(max_size=60)))
def test_nothing_but_our_own_errors_ever_comes_out(phrase):
    try:
        period(phrase).resolve(today="2026-05-20", data=("2026-01-01", "2026-05-17"))
    except UlnagerError as error:
        assert str(error)


@pytest.mark.parametrize(("phrase", "dates"), EXAMPLES)
def test_the_language_page_is_right(phrase, dates):
    assert comes_out_as(phrase) == dates


def test_the_grammar_page_is_that_of_the_reader():
    page = load("docs/grammar.py")
    assert page.PAGE.read_text() == page.grammar()


def test_every_case_of_conformance_comes_out():
    script = load("docs/conformance.py")
    cases = [json.loads(line) for line in script.FILE.read_text().splitlines()]
    assert len(cases) >= 2_000
    for case in cases:
        assert script.outcome(case).items() <= case.items()


def test_rules_whose_words_may_go_on_say_so():
    for rule in RULES.values():
        if rule.kind is not Kind.POINT:
            others = {other.template for other in RULES.values()} - {rule.template}
            assert rule.goes_on == any(
                text.startswith(rule.template + " ")
                for text in others
                if not text.startswith(rule.template + " of ")
            )


def test_the_language_page_shows_every_rule():
    shown = {
        part.rule.key for phrase, _ in EXAMPLES for part in period(phrase, HOME).definition.walk()
    }
    assert set(RULES) - shown == set()


SAID = [
    (line + "\t\t").split("\t")[:3]
    for line in (Path(__file__).parent / "phrases.tsv").read_text().splitlines()
    if line and not line.startswith("#")
]


def comes_out(phrase, first, last):
    """Whether a phrase gives its dates, or is refused with all that the message has to hold."""
    try:
        result = period(phrase).resolve(
            now="2026-05-20T08:30-03:00", tz="America/Halifax", data=("2023-10-01", "2026-05-17")
        )
    except UlnagerError as error:
        return first == "ask" and all(text in str(error) for text in last.split(";"))
    return (str(result.start or ""), str(result.end or "")) == (first, last)


@pytest.mark.parametrize(("phrase", "first", "last"), SAID, ids=[phrase for phrase, *_ in SAID])
def test_phrases_as_people_say_them(phrase, first, last):
    assert comes_out(phrase, first, last)
    if first != "ask":
        meant = period(phrase)
        assert period(str(meant)) == meant


@pytest.mark.parametrize(("phrase", "there", "not_there"), [
    ("last 3 x", ["days", "weeks", "whole"], ["day", "week"]),
    ("this x", ["day", "month"], ["days", "months"]), ("next 2 whole x", ["months"], ["month"]),
    ("3 x", [], ["day"]), ("start of x", ["last", "this"], []),
])  # fmt: skip
def test_what_is_expected_at_a_place(phrase, there, not_there):
    with pytest.raises(PeriodSyntaxError) as raised:
        period(phrase)
    expected = raised.value.expected
    assert set(there) <= {one.split()[0] for one in expected} | set(expected)
    assert not set(not_there) & set(expected)


@pytest.mark.parametrize("order", [1, -1])
def test_what_is_read_first_does_not_matter(order):
    """What the reader learns of words while it reads is forgotten before each of two phrases."""
    texts = """last 2 months to date; month to date; since 2026-05-01; march; TTM; 2026-05
first monday of month; last 2 whole business days as of 2026-05-16; week 14 of 2026"""
    texts = re.split(r"[;\n] ?", texts)
    for first, second in permutations(texts[::order], 2):
        _trees.cache_clear()
        assert str(read_period(first)) == str(period(first))
        assert str(read_period(second)) == str(period(second))
