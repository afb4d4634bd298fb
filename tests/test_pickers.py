"""Pickers and their views: laws over random events, and one statement for all choices."""

import itertools
import json
import re
import runpy
import tomllib
from datetime import date, timedelta
from pathlib import Path
from urllib.parse import parse_qs

import pytest
import sqlalchemy as sa
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, rule
from sqlalchemy import not_
from sqlalchemy.sql.visitors import cloned_traverse

import ulnager
from ulnager import (
    BookError,
    Extent,
    FilterError,
    ResolveError,
    UlnagerError,
    period,
    read_book,
    where,
)
from ulnager.demo import book_file, table

from conftest import ROOT
from engines import COLUMNS, ENGINES, LOADS, engine_named
from strategies import TAKEN, TIMES, examples

BOOK = """
link_key = "ULNAGER_TEST_KEY"
[calendars.harbour]
year_starts = "10-01"
[sources.rows]
file = "rows.csv"
column = "d"
[anchors]
load = { point = "latest", sources = ["rows"] }
whole = { point = "latest whole day", sources = ["rows"] }
clock = "today"
[periods]
week_so_far = "week to date"
month_so_far = { phrase = "month to date", anchor = "load" }
fiscal = { phrase = "last 2 whole quarters", calendar = "harbour", label = "Fiscal" }
trend = { phrase = "last 14 rolling days", anchor = "whole" }
office = "last 10 days only weekdays"
all = { phrase = "all dates" , label = "All of it"}
empty = "month to date except this month"
[periods.recent]
phrase = "last {n} {how} {unit}"
label = "Last {n} {how} {unit}"
short = "{n} {unit}"
[periods.recent.inputs]
n = { max = 5, opens = 3 }
how = { of = ["rolling", "whole"], opens = "rolling" }
unit = { of = ["day", "week", "month"], opens = "day" }
[periods.own]
phrase = "from {first} to {last}"
inputs = { first = { opens = "start of month" }, last = { opens = "latest" } }
ranges = RANGES
[periods.since]
phrase = "since {day}"
inputs = { day = { opens = "start of week", step = "week", min = "2025-01-01", max = "tomorrow" } }
[periods.weeks]
phrase = "{week}"
[periods.weeks.inputs.week]
kind = "listed"
unit = "week"
under = "month"
several = true
limit = 9
[pickers.dates]
choices = ["week_so_far", "month_so_far", "recent", "own", { heading = "Others" }, "since",
           "weeks", "fiscal", "trend", "office", "empty", "all_of_it"]
opens = "month_so_far"
inputs = { cut = { kind = "switch", phrase = "except anchor day" } }
by = { of = ["day", "week", "month", "quarter"], max_buckets = 60 }
[pickers.seen]
choices = ["week_so_far", "recent"]
viewers = "see"
[pages.home]
picker = "dates"
opens = { dates = "recent", "dates.recent.n" = "3" }
[pages.home.charts]
one = { source = "rows", column = "d" }
two = { source = "rows", column = "d", shifted = "1 year earlier", by = "viewer" }
three = { source = "rows", column = "d", period = "fiscal" }
four = { source = "rows", dates = "none" }
five = { source = "rows", follows = "seen" }
[schedules.mail]
page = "home"
opens = { dates = "week_so_far" }
every = "FREQ=WEEKLY;BYDAY=MO"
at = "07:00"
tz = "America/Halifax"
"""
DATA = Extent(date(2025, 3, 3), date(2026, 5, 17), date(2026, 5, 16))
TODAY = date(2026, 5, 20)


def book_of(folder, text=BOOK, ranges=3):
    text = text.replace("RANGES", str(ranges)).replace("\nall = ", "\nall_of_it = ")
    (folder / "rows.csv").write_text("d\n2025-03-03\n2026-05-17\n")
    (folder / "book.toml").write_text(text)
    return read_book(folder / "book.toml")


@pytest.fixture(scope="module")
def book(tmp_path_factory):
    return book_of(tmp_path_factory.mktemp("book"))


@pytest.fixture(scope="module", autouse=True)
def made(book):
    Walk.picker = book.picker("dates")


TEXTS = st.one_of(
    st.integers(-2, 400).map(str),
    st.dates(date(2024, 1, 1), date(2027, 1, 1)).map(str),
    st.sampled_from(["", "abc", "day", "week", "whole", "rolling", "on", "off", "2026-W18",
                     "2026-W18,2026-W10", "2026-04", "3 days plus last 900", "1e9", "\u0663"]),
)  # fmt: skip
NAMES = ["n", "how", "unit", "first", "last", "day", "week", "cut", "nothing"]
MOMENTS = st.builds(
    lambda days, more: (TODAY + timedelta(days), DATA._replace(last=DATA.last + timedelta(more))),
    st.integers(0, 40), st.integers(0, 30),
)  # fmt: skip


class Walk(RuleBasedStateMachine):
    """A visit: events in any order, and what has to hold after each."""

    picker = None

    @initialize()
    def opened(self):
        self.view = self.picker.open(today=TODAY, data=DATA)
        self.typed = {}

    @rule(key=st.sampled_from(["week_so_far", "recent", "own", "since", "weeks", "fiscal", "trend",
                               "office", "empty", "all_of_it", "nope"]))  # fmt: skip
    def choose(self, key):
        self.view = self.view.choose(key)
        self.check()

    @rule(name=st.sampled_from(NAMES), text=TEXTS, number=st.integers(1, 3))
    def enter(self, name, text, number):
        before = {one.name: one for one in self.view.inputs}
        self.view = self.view.enter(range=number, **{name: text})
        key = self.view._key_of(self.view.chosen, name, number)
        if key in before and before[key].shown == text:
            assert self.view.state.get(key) == before[key].text
        self.check()

    @rule()
    def add(self):
        self.view = self.view.add_range()
        self.check()

    @rule(number=st.integers(0, 3))
    def drop(self, number):
        self.view = self.view.drop_range(number)
        self.check()

    @rule(unit=st.sampled_from(["day", "week", "month", "aeon", None]))
    def group(self, unit):
        self.view = self.view.group(unit)
        self.check()

    @rule(moment=MOMENTS)
    def refresh(self, moment):
        state = self.view.state
        self.view = self.view.refreshed(today=moment[0], data=moment[1])
        assert self.view.state == state
        self.check()

    @rule(later=st.booleans())
    def step(self, later):
        if not self.view.problems:
            self.view = self.view.later() if later else self.view.earlier()
        self.check()

    @rule()
    def echo(self):
        """A form that is sent as it was shown changes nothing, then or later."""
        told = self.view.to_dict()
        fields = {one["name"]: text(one) for one in told["inputs"]}
        if told["choice"]:
            fields["dates"] = told["choice"]
        fields |= {"dates.state": query(told["state"]), "dates.shown": told["shown"]}
        later = TODAY + timedelta(33), DATA._replace(last=date(2026, 6, 20))
        for today, data in ((self.view.moment.today, self.view.moment.data[""]), later):
            again = self.picker.read(fields, today=today, data=data)
            here = self.view.refreshed(today=today, data=data)
            assert again.state == here.state
            assert plain(again) == plain(here)

    def check(self):
        view = self.view
        told = view.to_dict()
        json.dumps(told)
        assert (view.resolution is None) == bool(view.problems) == (told["dates"] is None)
        if view.problems:
            with pytest.raises(ResolveError):
                view.condition("d")
        moment = {"today": view.moment.today, "data": view.moment.data[""]}
        assert plain(self.picker.read(view.state, **moment)) == plain(view)
        if not view.problems and view.chosen is not None:
            sent = {name: texts[-1] for name, texts in parse_qs(view.link(), True).items()}
            assert plain(self.picker.read(sent, **moment)) == plain(view)
        own = {one.name for one in view.inputs}
        others = [one for one in view.state if one not in own and one.count(".") > 1]
        without = {name: text for name, text in view.state.items() if name not in others}
        other = self.picker.read(without, **moment)
        assert other.to_dict()["dates"] == told["dates"]


def text(one):
    value = one["typed"] if one["problem"] else one["value"]
    if isinstance(value, bool):
        return ["off", "on"] if value else "off"
    return value if isinstance(value, list) else "" if value is None else str(value)


def query(state):
    from urllib.parse import urlencode

    return urlencode(state)


def plain(view):
    return {**view.to_dict(), "notes": None}


Walk.TestCase.settings = settings(max_examples=int(25 * max(TIMES, 0.4)), stateful_step_count=12)
TestWalk = Walk.TestCase

KEYS = ["dates", "dates.by", "dates.n", "dates.recent.n", "dates.own.first", "dates.own.first.2",
        "dates.own.first.9", "dates.weeks.week", "dates.cut", "dates.state", "dates.shown",
        "dates.x", "dates.signed", "dates.", "other", "dates.recent.unit"]  # fmt: skip
HOSTILE = st.dictionaries(
    st.sampled_from(KEYS), TEXTS | st.text(max_size=30) | st.lists(TEXTS, max_size=3)
    | st.sampled_from(["recent", "own", "2026-05-01/2026-05-09", "../2026-05-09", "1/2,3/4",
                       "dates=recent&dates.recent.n=900", "2020-01-01/2020-02-01"]),
    max_size=7,
)  # fmt: skip


@examples(300)
@given(HOSTILE)
def test_hostile_queries_give_nothing_but_views(book, fields):
    view = book.picker("dates").read(fields, today=TODAY, data=DATA)
    told = view.to_dict()
    assert (told["dates"] is None) == bool(told["problems"])
    opened = book.picker("dates").open(today=TODAY, data=DATA)
    if told["choice"] is None:
        assert str(DATA.first) <= told["dates"]["start"]
        assert told["dates"]["end"] <= str(DATA.last)
    elif told["notes"] and not view.state:
        assert told["dates"] == opened.to_dict()["dates"]
    seen = book.picker("seen").read({k.replace("dates", "seen"): v for k, v in fields.items()},
                                    today=TODAY, data=DATA)  # fmt: skip
    assert (seen.choice, seen.state) == ("week_so_far", {})
    # A link is read as text, whole or its query.
    links = [] if view.problems else [view.link(), f"https://x.test/p?a=1&{view.link()}#here"]
    for sent in links:
        again = book.picker("dates").read(sent, today=TODAY, data=DATA)
        assert again.to_dict()["dates"] == told["dates"]
    TAKEN["states that viewers may send"] += 2 + len(links)


@examples(200)
@given(st.text(max_size=300) | st.text("dates=&.?%#/,-0123456789recnwk", max_size=200))
def test_any_text_is_a_link_or_none(book, text):
    view = book.picker("dates").read(text, today=TODAY, data=DATA)
    assert isinstance(view.to_dict()["notes"], list)
    assert book.page("home").read(text, today=TODAY, data=DATA).charts
    for sent in (text.encode(), 5, None, [text]):
        assert book.picker("dates").read(sent, today=TODAY, data=DATA).notes == (
            "what was sent is no form",)  # fmt: skip


CHOICES = ["week_so_far", "month_so_far", "recent", "own", "since", "weeks", "fiscal", "trend",
           "empty", "all_of_it"]  # fmt: skip
DAYS = st.dates(*LOADS) | st.none()


# On Spark in a longer run: compiling it there takes half a minute.
@pytest.mark.parametrize("name", [one for one in ENGINES if one != "spark" or TIMES > 1])
@examples(3)
@given(chosen=st.lists(st.tuples(
    st.sampled_from([*CHOICES, "nope", None]), st.integers(0, 7) | st.none(),
    st.sampled_from(["whole", "rolling", "x", None]),
    st.sampled_from(["day", "week", "month", None]), DAYS, DAYS, st.booleans(),
    st.sampled_from(["load", "clock", "late", "dawn", None]) | st.dates(*LOADS),
), min_size=5, max_size=5))  # fmt: skip
def test_one_statement_keeps_the_rows_of_the_frozen_choice(tmp_path_factory, name, chosen):
    engine = engine_named(name)
    if name not in STATEMENTS:
        text = BOOK.replace("several = true", "").replace(', "office"', "").replace(
            '"except anchor day" } }', '"except anchor day" }, at = { kind = "anchor", of = '
            '["load", "clock", "late", "dawn", "day"], opens = "clock" } }', 1,
        ).replace(
            '\nclock = "today"', '\nclock = "today"\n'
            'late = { point = "latest", sources = ["rows"], day = "running" }\n'
            'dawn = { point = "latest whole day", sources = ["rows"], day = "running" }', 1,
        )  # fmt: skip
        picker = book_of(tmp_path_factory.mktemp("one"), text, 1).picker("dates")
        STATEMENTS[name] = picker, picker.where(COLUMNS["date"], today=TODAY,
                                                latest=("ulnager_loads", "d"))  # fmt: skip
    picker, statement = STATEMENTS[name]
    extent = Extent(*LOADS, LOADS[1] - timedelta(1))
    for key, n, how, unit, first, last, cut, at in chosen[
        : 1 if name in ("spark", "clickhouse") else 6
    ]:
        view = picker.open(today=TODAY, data=extent)
        if key in picker_keys(picker):
            view = view.choose(key)
        values = {"n": n, "how": how, "unit": unit} if key == "recent" else {}
        values |= {"first": first, "last": last} if key == "own" else {}
        values |= {"day": first} if key == "since" else {}
        view = view.enter(cut="on" if cut else "off", at=at, **values)
        given_values = view.parameters
        names = {
            "n": "dates_recent_n",
            "how": "dates_recent_how",
            "unit": "dates_recent_unit",
            "first": "dates_own_first",
            "last": "dates_own_last",
            "day": "dates_since_day",
        }
        given_values |= {names[one]: value for one, value in values.items()}  # As typed, or null.
        given_values["dates"] = key
        clause = with_values(statement, given_values)
        wanted = 0
        if view.resolution is not None and (key is None or key in picker_keys(picker)):
            (wanted,) = engine.tallies([where(view.resolution, COLUMNS["date"])])
        assert engine.tallies([clause]) == [wanted], (key, values, cut, at)


@pytest.mark.parametrize("name", [one for one in ENGINES if one not in ("spark", "clickhouse")])
def test_what_is_put_together_is_one_statement(tmp_path, name):
    """Words that do not go together keep no row, and are told beside what they do not go with."""
    made = '{ build = true, inputs = { how = { labels = { "to date" = "so far" } } } }'
    (tmp_path / "b.toml").write_text(f"[pickers.dates]\nchoices = [{made}]\n")
    picker, engine = read_book(tmp_path / "b.toml").picker("dates"), engine_named(name)
    statement = picker.where(COLUMNS["date"], today=TODAY)
    asked, wanted = [], []
    words = [picker.choice("build").inputs[one].of for one in ("side", "how", "unit")]
    step = 1 if name == "sqlite" or TIMES > 1 else 5
    for side, how, unit in itertools.islice(itertools.product(*words), 0, None, step):
        view = picker.open(today=TODAY).enter(side=side, how=how, unit=unit, n=3)
        asked.append(with_values(statement, {f"dates_build_{one.key}": one.value
                                             for one in view.inputs}))  # fmt: skip
        wanted.append(sa.false() if view.problems else where(view.resolution, COLUMNS["date"]))
        apart = (side, how.partition(" ")[0]) in {("last", "from"), ("next", "to")}
        assert [one for one in view.problems if "do not go together" in one] != [] or not apart
    assert [engine.tallies([one])[0] for one in asked] == engine.tallies(wanted)
    told = view.to_dict()["inputs"][2]["options"]
    assert [one["label"] for one in told if "not with" in one["label"]] == [
        "so far (not with: next)",
        "the running one counted to its end (not with: next)",
    ]


STATEMENTS = {}


def with_values(statement, values):
    """A statement with values for its parameters; null for those that are not given."""

    def put(bind):
        if not bind.unique:
            bind.value, bind.required = values.get(bind.key), False

    return cloned_traverse(statement, {}, {"bindparam": put})


def picker_keys(picker):
    return {choice.key for choice in picker.choices}


MISTAKES = (Path(__file__).parent / "bad_books.txt").read_text().splitlines()


@pytest.mark.parametrize("line", MISTAKES)
def test_mistakes_in_what_is_offered(tmp_path, line):
    text, key, told = line.split(" => ")
    with pytest.raises(BookError) as raised:
        book_of(tmp_path, text.replace("\\n", "\n"))
    assert raised.value.key == key
    assert told in str(raised.value)


def test_pages_say_what_governs_each_chart(book):
    page = book.page("home")
    opened = page.open(today=TODAY, data=DATA)
    told = {key: (chart.governed_by, chart.dates) for key, chart in opened.charts.items()}
    assert told == {
        "one": ("follows Dates, which this page opens with Last 3 rolling days",
                "18 to 20 May 2026"),
        "two": ("follows Dates, which this page opens with Last 3 rolling days, 1 year earlier",
                "18 to 20 May 2025"),
        "three": ("pinned to Fiscal", "1 Oct 2025 to 31 Mar 2026"),
        "four": ("has no dates", ""),
        "five": ("follows Seen, which is fixed to Week so far", "18 to 20 May 2026"),
    }  # fmt: skip
    assert (opened.governs("dates"), opened.governs("seen")) == (("one", "two"), ("five",))
    view = opened.views["dates"].choose("month_so_far")
    by_viewer = page.open(today=TODAY, data=DATA, chosen={"dates": view}).charts["one"]
    assert by_viewer.governed_by == "follows Dates, chosen by the viewer: month so far"
    by_link = page.read({"dates": "week_so_far"}, today=TODAY, data=DATA).charts["one"]
    assert by_link.governed_by == "follows Dates, set by the link: week so far"
    assert str(by_link.condition(target="duckdb", literal=True)).startswith('"d" >= DATE')
    broken = page.read({"dates.n": "none"}, today=TODAY, data=DATA)
    assert broken.charts["one"].problems == ("N: a whole number is wanted",)
    assert broken.charts["three"].resolution is not None
    json.dumps(broken.to_dict())


def test_schedules_go_out_with_fixed_dates(book):
    mail = book.schedule("mail")
    moments = mail.moments("2026-10-25T12:00:00+00:00", 3)
    assert [str(one) for one in moments] == [
        "2026-10-26 07:00:00-03:00", "2026-11-02 07:00:00-04:00", "2026-11-09 07:00:00-04:00",
    ]  # fmt: skip
    told = mail.to_dict(moments[0], data=Extent(DATA.first, date(2026, 10, 24)))
    assert told["charts"]["one"]["dates"]["start"] == "2026-10-26"
    assert told["links"]["dates"] == "dates=2026-10-26/2026-10-26"


def test_links_signed_and_plain(book, monkeypatch):
    picker, moment = book.picker("dates"), {"today": TODAY, "data": DATA}
    view = picker.open(**moment).choose("recent").enter(n=4)
    assert view.link() == "dates=recent&dates.recent.n=4"
    assert view.link(frozen=True) == "dates=2026-05-17/2026-05-20" or "signed" in view.link(
        frozen=True
    )
    assert view.earlier().link() == "dates=2026-05-13/2026-05-16"
    monkeypatch.delenv("ULNAGER_TEST_KEY", raising=False)
    with pytest.raises(UlnagerError, match="ULNAGER_TEST_KEY"):
        view.link(fixed=True)
    monkeypatch.setenv("ULNAGER_TEST_KEY", "not a secret of anybody")
    link = view.link(fixed=True, expires="2026-06-01")
    assert "secret" not in link
    fields = dict(one.split("=", 1) for one in link.split("&"))
    fixed = picker.read(fields, **moment)
    assert fixed.locked
    assert fixed.resolution == view.resolution
    assert fixed.choose("own").resolution == view.resolution
    assert "fixed" in fixed.choose("own").notes[0]
    late = picker.read(fields, today="2026-06-02", data=DATA)
    assert (late.choice, late.locked) == ("month_so_far", False)
    assert "expired" in late.notes[0]
    changed = {name: text[:-3] + "abc" for name, text in fields.items()}
    assert "was changed" in picker.read(changed, **moment).notes[0]
    outside = picker.read({"dates": "2019-01-01/2019-02-01"}, **moment)
    assert (outside.choice, len(outside.notes)) == ("month_so_far", 1)


def test_views_are_as_their_schema_says(book):
    from jsonschema import validate

    for key in ("recent", "weeks", "own"):
        view = book.picker("dates").open(today=TODAY, data=DATA).choose(key)
        validate(view.to_dict(), ulnager.schema("view"))
    written = json.dumps(tomllib.loads((Path(book.file)).read_text()), default=str)
    validate(json.loads(written), ulnager.schema("book"))
    defs = [ulnager.schema("book"), *ulnager.schema("book")["$defs"].values()]
    keys = [one for table in defs for one in table.get("properties", {}).values()]
    assert all(one["description"] for one in keys)


def test_listed_units_are_those_that_the_data_holds(book):
    data = DATA._replace(missing=((date(2026, 4, 27).toordinal(), date(2026, 5, 4).toordinal()),))
    view = book.picker("dates").open(today=TODAY, data=data).choose("weeks")
    weeks = [
        one["key"] for month in view.to_dict()["inputs"][1]["options"] for one in month["options"]
    ]
    assert weeks[:3] == ["2026-W20", "2026-W19", "2026-W17"]
    assert len(weeks) == 9
    both = view.enter(week=["2026-W19", "2025-W11"])
    assert [str(span) for span in both.resolution.spans] == [
        "2025-03-10 to 2025-03-16", "2026-05-04 to 2026-05-10",
    ]  # fmt: skip
    assert "2025-W11" in json.dumps(both.to_dict()["inputs"])


def test_from_a_file_to_a_working_filter_in_two_commands(cli, tmp_path):
    days = [date(2026, 1, 1) + timedelta(n) for n in range(137)]
    data, file = tmp_path / "repairs log.csv", tmp_path / "book.toml"
    data.write_text("day\n" + "".join(f"{day}\n" * 4 for day in days) + f"{days[-1]}\n")
    assert cli("profile", str(data), "--to-book", str(file), "--today", "2026-05-20")[0] == 0
    code, out, _ = cli("show", "home", "--book", str(file), "--today", "2026-05-20", "--json")
    assert (code, json.loads(out)["charts"]["rows"]["rows"]) == (0, 69)
    assert cli("profile", str(data), "--to-book", str(file))[0] == 2
    base = ["show", "dates", "--book", str(file), "--today", "2026-05-20"]
    assert "> Last 7 days" in " ".join(
        cli(*base, "--choose", "last_days", "--set", "n=7")[1].split()
    )
    assert cli(*base, "--choose", "last_days", "--set", "n=7", "--as-link")[1] == (
        "dates=last_days&dates.last_days.n=7\n"
    )
    for wrong in (["--choose", "x"], ["--set", "n=3"], ["--by", "aeon", "--set", "x"]):
        assert cli(*base, *wrong)[0] == 2
    code, out, _ = cli("filter", "--picker", "dates", "--column", "day", "--live",
                       "--for", "duckdb", "--book", str(file), "--latest-in", "t.day")  # fmt: skip
    assert (code, ":dates_last_days_n" in out) == (0, True)


def test_open_phrases_in_live_conditions_take_parameters():
    said = period("last {n} {unit} to date", inputs={"n": {"max": 3}, "unit": {"of": ["week"]}})
    engine = engine_named("duckdb")
    clause = where(said, "d", today=TODAY)
    for n in (1, 2, 3, 4, None):
        wanted = 0
        if n in (1, 2, 3):
            frozen = said.filled(n=n, unit="week").resolve(today=TODAY)
            (wanted,) = engine.tallies([where(frozen, "d")])
        assert engine.tallies([with_values(clause, {"n": n, "unit": "week"})]) == [wanted]
    with pytest.raises(FilterError, match="combinations"):
        where(period("last {n} hours, {m} hours earlier"), "z", column_type="timestamptz", tz="UTC")


COUNTED = [
    "last {n} days", "last {n} whole weeks", "last {n} rolling months", "last {n} quarters to date",
    "last {n} years to end", "last {n} whole halves", "next {n} rolling days",
    "next {n} whole months", "next {n} weeks from date", "{n} months ago", "since {n} weeks ago",
    "at least {n} years ago", "more than {n} months ago", "last {n} whole months in fiscal",
    "from {n} quarters before latest to yesterday", "last {n} rolling months, {n} years earlier",
    "last {n} whole weeks, {n} periods earlier", "month to date, {n} months later",
    "first {n} weeks of this year", "{n} months from start of year", "last {n} days as of latest",
]  # fmt: skip
ODD_DAYS = [date(2024, 2, 29), date(2024, 3, 31), date(2023, 12, 31), TODAY, date(2025, 1, 1)]


@pytest.mark.parametrize("name", ENGINES)
@examples(14)
@given(said=st.sampled_from(COUNTED), n=st.integers(1, 40), day=st.sampled_from(ODD_DAYS))
def test_counts_are_counted_with(name, said, n, day):
    """As the engine counts, on days on which months part; not listed one by one."""
    engine, known = engine_named(name), {"fiscal": ulnager.MonthCalendar(year_starts="10-01")}
    phrase = period(said)
    options = {"today": day, "calendars": known}
    clause = where(phrase, COLUMNS["date"], **options, latest=("ulnager_loads", "d"))
    result = phrase.filled(n=n).resolve(**options, data=Extent(*LOADS))
    told = engine.tallies([with_values(clause, {"n": n}), where(result, COLUMNS["date"])])
    assert told[0] == told[1], (said, n, day)


@pytest.mark.parametrize("said", COUNTED)
def test_counts_beside_switches(said):
    """A switch that is on or off, and a count: in a shift, too; and the opposite of a condition."""
    engine, known = engine_named("duckdb"), {"fiscal": ulnager.MonthCalendar(year_starts="10-01")}
    options = {"today": TODAY, "calendars": known}
    for cut in ("except today", "only weekdays", "except this week"):
        made = {"cut": {"kind": "switch", "phrase": cut}}
        phrase = period(said, inputs=made)
        clause = where(phrase, "d", **options, latest=("ulnager_loads", "d"))
        opposite = not_(clause)
        for n, how in ((1, "on"), (5, "on"), (5, "off")):
            try:
                frozen = phrase.filled(n=n, cut=how).resolve(**options, data=Extent(*LOADS))
            except ResolveError:
                continue
            values = {"n": n, "cut": how}
            wanted, all_rows = engine.tallies([where(frozen, "d"), where("all dates", "d")])
            told = engine.tallies([with_values(one, values) for one in (clause, opposite)])
            assert told == [wanted, all_rows - wanted], (said, cut, n, how)


def test_statements_are_short(tmp_path):
    """As the usual picker, 15 choices with switches, and a builder are written."""

    def size(lines, target):
        (tmp_path / "b.toml").write_text(lines)
        found = read_book(tmp_path / "b.toml").picker("p").where("d", latest=("t", "d"))
        return len(ulnager.condition(found, target=target).text)

    usual = '[pickers.p]\nchoices = ["usual"]\n'
    switches = "".join(f'[pickers.p.inputs.{name}]\nkind = "switch"\nphrase = "{cut}"\n' for
                       name, cut in (("a", "except today"), ("b", "except this week"),
                                     ("c", "only weekdays")))  # fmt: skip
    fifteen = ["today", "yesterday", "this week", "previous week", "week to date", "this month",
               "previous month", "month to date", "last 7 days", "last 30 days", "last 90 days",
               "last 3 whole months", "this quarter", "year to date", "previous year"]  # fmt: skip
    fifteen = ", ".join(f'{{ phrase = "{one}" }}' for one in fifteen)
    fifteen = f"[pickers.p]\nchoices = [{fifteen}]\n"
    builder = (
        '[sources.s]\nfile = "s.csv"\n[anchors.load]\npoint = "latest"\nsources = ["s"]\n'
        '[periods.build]\nphrase = "{side} {n} {kind} {unit}"\nanchor = "load"\n'
        '[periods.build.inputs]\nside = { kind = "word", of = ["last", "next"], opens = "last" }\n'
        'kind = { kind = "word", of = ["rolling", "whole"], opens = "whole" }\n'
        'n = { max = 60, opens = 3 }\nunit = { of = ["day", "week", "month", "quarter", "year"], '
        'opens = "month" }\n[pickers.p]\nchoices = ["build"]\n'
    )  # fmt: skip
    for target in ("postgresql", "duckdb", "sqlite", "mysql", "snowflake"):
        days = ulnager.condition(period("last {n} days", inputs={"n": {"max": 9999}}), "d",
                                 target=target)  # fmt: skip
        assert len(days.text) < 300
        assert size(usual, target) < 6_000
        assert size(fifteen + switches, target) < 12_000
        assert size(builder + switches.split("[pickers.p.inputs.b]")[0], target) < 12_000


SOURCES = """
[sources.rows]
file = "rows.csv"
column = "d"
period = "from 2026-01-01"
where = { route = ["a", "b"] }
[sources.joined]
query = "QUERY"
column = "d"
[periods]
all_time = { phrase = "all dates", label = "All" }
[pages.p.charts.c]
source = "rows"
period = "year_before"
[periods.year_before]
phrase = "2025-12-01/2026-02-28"
"""


def sourced(folder, query):
    days = [date(2025, 11, 1) + timedelta(n) for n in range(150)]
    lines = [f"{day},{route}" for day in days for route in "abc"]
    text = SOURCES.replace("QUERY", query).replace("rows.csv", "r.csv")
    (folder / "r.csv").write_text("\n".join(["d,route", *lines]))
    (folder / "secret.csv").write_text("d\n2020-01-01\n")
    return book_of(folder, text)


def test_a_source_stands_for_the_rows_that_it_says(tmp_path):
    book = sourced(tmp_path, "SELECT d, count(*) AS n FROM rows GROUP BY d")
    found = book.sources["rows"].profile()
    assert (found.first, found.rows) == (
        date(2026, 1, 1),
        2 * found.extent.last.timetuple().tm_yday,
    )
    joined = book.sources["joined"].opened()
    assert joined.extent("d")[:2] == (found.first, found.last)
    chart = book.page("p").open(today=TODAY).charts["c"]
    assert (chart.dates, chart.notes) == (
        "1 Jan to 28 Feb 2026", ("cut by the source's own period, 'from 2026-01-01'",),
    )  # fmt: skip


@pytest.mark.parametrize("query", [
    "SELECT * FROM 'secret.csv'", "SELECT * FROM read_csv('secret.csv')", "DROP TABLE rows",
    "SELECT * FROM secret", "SELECT d FROM rows; SET lock_configuration = false",
    "SELECT d FROM rows WHERE d IN (SELECT content FROM read_text('/etc/passwd'))",
])  # fmt: skip
def test_queries_of_a_book_read_its_sources_and_nothing_else(tmp_path, query):
    with pytest.raises(BookError, match="the query") as raised:
        sourced(tmp_path, query)
    assert raised.value.key == "sources.joined.query"
    assert (tmp_path / "secret.csv").read_text() == "d\n2020-01-01\n"


def test_a_page_has_the_numbers_of_its_charts():
    book = ulnager.read_book(book_file())
    opened = book.page("operations").open(today=TODAY)
    values = opened.values()
    chart = opened.charts["passengers"]
    wanted = ulnager.totals(table("sailings"), chart.resolution, value="passengers", by="day")
    assert [row.value for row in values["passengers"].rows] == [row.value for row in wanted.rows]
    assert values["harbours"] is None
    assert sum(row.value for row in values["this_year"].rows) > 0
    view = opened.views["dates"].choose("recent").enter(n="many")
    broken = book.page("operations").open(today=TODAY, chosen={"dates": view}).values()
    assert "whole number" in broken["passengers"]


def test_the_schema_of_a_book_helps_with_inputs_and_labels():
    from jsonschema import ValidationError, validate

    book = {"periods": {"p": {"phrase": "last {n} days", "label": {"en": "Days", "de": "Tage"},
                              "inputs": {"n": {"max": 90, "label": {"de": "Tage"}}}}}}  # fmt: skip
    validate(book, ulnager.schema("book"))
    book["periods"]["p"]["inputs"]["n"]["maxx"] = 90
    with pytest.raises(ValidationError):
        validate(book, ulnager.schema("book"))


def test_the_page_of_all_keys_is_that_of_the_models():
    page = runpy.run_path(str(ROOT / "docs" / "keys.py"))
    assert page["PAGE"].read_text(encoding="utf-8") == page["keys"]()


@pytest.mark.parametrize("name", ["postgresql", "mariadb", "sqlite"])
def test_an_index_serves_a_whole_picker(name, tmp_path):
    connection = engine_named(name).connection
    there = sa.inspect(connection).get_indexes("ulnager_rows")
    if "ulnager_for_pickers" not in [one["name"] for one in there]:
        connection.execute(sa.text("CREATE INDEX ulnager_for_pickers ON ulnager_rows (d)"))
    tables = {"mariadb": "ANALYZE TABLE ulnager_rows", "sqlite": "ANALYZE"}
    connection.execute(sa.text(tables.get(name, "ANALYZE ulnager_rows")))
    explain = "EXPLAIN QUERY PLAN" if name == "sqlite" else "EXPLAIN"
    (tmp_path / "b.toml").write_text('[pickers.p]\nchoices = ["usual"]\n')
    picker = read_book(tmp_path / "b.toml").picker("p")
    for options in ({"today": date(2026, 5, 20)}, {"latest": ("ulnager_loads", "d")}):
        statement = picker.where("d", **options)
        for key in ("today", "week_so_far", "last_days"):
            clause = with_values(statement, {"p": key, "p_last_days_n": 5})
            text = ulnager.condition(clause, target=name, literal=True).text
            found = connection.exec_driver_sql(
                f"{explain} SELECT id FROM ulnager_rows WHERE {text}"
            )
            assert re.search("ulnager_(for_pickers|by_day)", str(found.fetchall())), (key, text)
