"""What a book offers: usual choices, signed links, pins, units, names, files that it includes."""

from dataclasses import replace
from datetime import date, timedelta
from pathlib import Path
from urllib.parse import parse_qs

import pytest
from hypothesis import given
from hypothesis import strategies as st

import ulnager
from test_pickers import with_values
from ulnager import BookError, Extent, SettingError
from ulnager.checking.periods_of_entries import periods_named
from ulnager.choices.input_values import flat, listed, offered
from ulnager.core.language.inputs import checked_input

from strategies import examples

TODAY, KEY, SECRET = "2026-05-20", "ULNAGER_TEST_LINKS", "the ferry leaves at half past six"
ROWS = '[sources.rows]\nfile = "rows.csv"\ncolumn = "day"\n'
LOAD = 'anchor = "load"\n' + ROWS + '[anchors]\nload = { point = "latest", sources = ["rows"] }\n'


@pytest.fixture
def book(tmp_path, monkeypatch):
    """Makes books over rows from October 2024 to 17 December 2025, one a day."""
    days = [date(2024, 10, 1) + timedelta(n) for n in range(443)]
    (tmp_path / "rows.csv").write_text("day,n\n" + "".join(f"{day},1\n" for day in days))
    monkeypatch.setenv(KEY, SECRET)

    def made(text, name="b.toml"):
        (tmp_path / name).write_text(text)
        return ulnager.read_book(tmp_path / name)

    made.folder = tmp_path
    return made


def dates_of(view):
    return {one.key: one.resolution and one.resolution.label for one in view.choices}


def test_usual_choices_are_measured_from_their_anchor(book):
    by_clock = book(ROWS + "[pickers.p]\n").picker("p").open(today=TODAY)
    by_data = book(LOAD + "[pickers.p]\n").picker("p").open(today=TODAY)
    told, loaded = dates_of(by_clock), dates_of(by_data)
    assert (told["today"], told["yesterday"]) == ("20 May 2026", "19 May 2026")
    assert (loaded["anchor_day"], loaded["day_before"]) == ("17 Dec 2025", "16 Dec 2025")
    assert set(told) ^ set(loaded) == {"today", "yesterday", "anchor_day", "day_before"}
    assert loaded["this_month"] == "1 to 31 Dec 2025"
    # What an input opens with is measured from the same day.
    assert loaded["own_dates"] == "1 to 17 Dec 2025"
    typed = LOAD.replace('"latest"', '"end of previous year"')
    day = book(typed + "[pickers.p]\n").picker("p").open(today=TODAY)
    assert [one.label for one in day.choices][:2] == ["31 Dec 2025", "The day before"]
    # Keys stay where the data ends.
    later = by_data.refreshed(today=TODAY, data=Extent(date(2024, 1, 1), date(2027, 1, 1)))
    assert [one.key for one in later.choices] == [one.key for one in by_data.choices]


def test_usual_choices_go_by_the_units_of_a_table(book):
    """Whatever day the table begins on; its weeks are those of Gregorian months beside it, too."""
    starts = [date(2026, 2, 1) + timedelta(7 * n) for n in range(40)]
    listed = [("week", one) for one in starts] + [("month", one) for one in starts[::4]]
    rows = "".join(f"{unit},{day}\n" for unit, day in listed)
    (book.folder / "weeks.csv").write_text(f"unit,start\n{rows}")
    table = '[calendars.t]\nkind = "table"\nfile = "weeks.csv"\n'
    made = book(f'calendar = "t"\n{ROWS}[pickers.p]\n{table}')
    told = dates_of(made.picker("p").open(today=TODAY))
    assert (told["this_week"], told["this_month"]) == ("17 to 23 May 2026", "26 Apr to 23 May 2026")
    week = ulnager.period("this week in gregorian")
    assert week.resolve(today=TODAY, calendar=made.calendars["t"]).label == told["this_week"]


def test_usual_choices_stand_beside_others(book):
    picked = LOAD + (
        '[periods]\nmine = "last 3 whole days"\nthis_week = "this week, 1 week earlier"\n'
        '[pickers.p]\nchoices = ["usual", "mine", { heading = "More" }, "next_week",\n'
        '{ phrase = "last 7 whole days", label = "Seven", key = "seven", short = "7" },\n'
        '{ phrase = "last {n} whole days", inputs = { n = { opens = 2 } } }]\n'
    )
    view = book(picked).picker("p").open(today=TODAY)
    told = dates_of(view)
    assert (view.choice, told["this_week"]) == ("month_so_far", "8 to 14 Dec 2025")
    assert told["mine"] == "15 to 17 Dec 2025"
    assert told["next_week"] == "22 to 28 Dec 2025"
    assert told["seven"] == "11 to 17 Dec 2025"
    assert told["last_n_whole_days"] == "16 to 17 Dec 2025"
    assert [one.short for one in view.choices if one.heading][1] == "7"
    found = ulnager.check(book.folder / "b.toml", today=TODAY)
    assert [one.key for one in found if one.rule == "usual-replaced"] == ["periods.this_week"]
    for wrong, told in (
        ('"usual", "this_week"', "there twice"), ('"this_weak"', "this_week"),
        ('{ phrase = "last 7 hole days" }', "phrase"), ('{ phrase = "today", key = "A" }', "key"),
        ('{ phrase = "today", key = "mine" }', "other dates"), ("{ label = 'x' }", "choices"),
    ):  # fmt: skip
        start, _, end = picked.partition('["usual"')
        with pytest.raises(BookError, match=told):
            book(start + f"[{wrong}" + end[end.index("]\n") :])


@examples(20)
@given(st.integers(1, 28), st.sampled_from(["latest", "end of previous month", "today"]))
def test_points_of_inputs_are_measured_alike_frozen_and_live(tmp_path_factory, day, point):
    place = tmp_path_factory.mktemp("points")
    days = [date(2025, 11, 1) + timedelta(n) for n in range(46 + day)]
    (place / "rows.csv").write_text("day,n\n" + "".join(f"{one},1\n" for one in days))
    (place / "b.toml").write_text(LOAD.replace('"latest"', f'"{point}"') + (
        '[periods.own]\nphrase = "from {a} to {b}"\n[periods.own.inputs]\n'
        'a = { opens = "start of month", min = "start of previous month" }\n'
        'b = { opens = "anchor day" }\n[pickers.p]\nchoices = ["own"]\n'))  # fmt: skip
    picker = ulnager.read_book(place / "b.toml").picker("p")
    source = ulnager.read_book(place / "b.toml").sources["rows"].opened()
    view = picker.open(today=date(2026, 1, 10))
    options = {"today": date(2026, 1, 10), "latest": ("data", "day")}
    values = view.parameters | {"p_own_a": None, "p_own_b": None}  # As nobody typed them.
    live = with_values(picker.where("day", **options), values)
    frozen = ulnager.where(view.resolution, "day")
    assert source.kept("day", live)[0] == source.kept("day", frozen)[0]
    low = view.inputs[0].low
    for typed, kept in ((low, True), (low - timedelta(1), False)):
        values = view.parameters | {"p_own_a": typed}
        live = with_values(picker.where("day", **options), values)
        assert bool(source.kept("day", live)[0]) == kept == (not view.enter(a=typed).problems)


def test_signed_links_stay_what_they_allow(book):
    text = f'link_key = "{KEY}"\n' + LOAD + '[periods]\na = "last {{n}} whole days"\n'
    text = text.replace("last {{n}} whole days", "this month") + (
        '[pickers.p]\nchoices = ["a", "usual"]\n[pickers.p.by]\nof = ["day", "week", "month"]\n'
        '[pickers.q]\nchoices = ["a", "previous_month"]\nviewers = "see"\n'
        "[pages.g.charts]\none = { source = 'rows', follows = 'p', by = 'viewer' }\n"
        "two = { source = 'rows', follows = 'q' }\n"
    )
    made = book(text)
    picker, moment = made.picker("p"), {"today": TODAY}
    ahead = picker.open(**moment).choose("this_month").link(frozen=True)
    assert "signed" in ahead
    view = picker.read(ahead, **moment)
    assert view.resolution.label == "1 to 31 Dec 2025"
    # The next requests: grouped, the form sent again, the link of what is shown.
    for other in (view.group("week"), picker.read({**view.sent_along, "p.by": "week"}, **moment)):
        again = picker.read(other.sent_along, **moment)
        assert (other.resolution.label, again.by) == ("1 to 31 Dec 2025", "week")
        assert picker.read(again.link(), **moment) == again
    # It allows these dates and no others, and is forgotten with them.
    token = parse_qs(ahead)["p.signed"][0]
    forged = picker.read({"p.signed": token, "p": "2026-02-01/2026-03-01"}, **moment)
    assert forged.resolution.end <= date(2025, 12, 31)
    assert "signed" not in view.choose("a").link()
    # A picker that viewers do not choose: by a signed link, kept from request to request.
    locked, other = made.picker("q"), {"q": "2025-11-01/2025-11-30"}
    assert locked.read(other, **moment).resolution.label == "1 to 31 Dec 2025"
    fixed = picker.open(**moment).choose("previous_month").link(fixed=True, expires="2026-06-01")
    shown = picker.read(picker.read(fixed, **moment).sent_along, **moment)
    assert (shown.locked, shown.choice) == (True, "previous_month")
    assert picker.read(shown.link(), **moment).locked
    assert not picker.read(shown.link(), today="2026-06-02").locked
    signed = locked.open(**moment).link(frozen=True)
    assert locked.read(signed, today="2027-05-20").resolution.label == "1 to 31 Dec 2025"
    page = made.page("g").read(f"{signed}&p=2025-11-01/2025-11-30", **moment)
    assert page.views["p"].resolution.label == "1 to 30 Nov 2025"
    # A link is no schedule: what nobody may choose stays as it opens.
    assert made.page("g").read("q=previous_month", **moment).views["q"].choice == "a"
    sent = made.page("g").read("q=previous_month", **moment, who="schedule")
    assert sent.views["q"].choice == "previous_month"
    # A schedule opens it, and carries such a link.
    mail = '[schedules.s]\npage = "g"\nevery = "FREQ=DAILY"\ntz = "UTC"\n'
    mail += 'opens = { q = "2025-10-01/2025-10-31" }\n'
    told = book(text + mail).schedule("s").to_dict("2026-06-01T08:00+00:00", now=TODAY + "T00:00Z")
    assert told["charts"]["two"]["dates"]["label"] == "1 to 31 Oct 2025"
    assert "signed" in told["links"]["q"]
    bare = book((text + mail).partition("\n")[2]).schedule("s")
    told = bare.to_dict("2026-06-01T08:00+00:00", now=TODAY + "T00:00Z")
    assert told["links"]["q"] is None
    assert "no link to q" in told["notes"][-1]


def test_a_unit_stands_by_itself_where_the_coarser_one_has_no_rows():
    made = checked_input("w", "listed", {"unit": "week", "under": "month"})
    gap = (date(2026, 4, 1).toordinal(), date(2026, 5, 1).toordinal())
    extent = Extent(date(2026, 3, 2), date(2026, 5, 20), missing=(gap,))
    for order in ("newest", "oldest"):
        options = listed(replace(made, order=order), ulnager.GREGORIAN, extent)
        told = [(one.key, len(one.options)) for one in options]
        wanted = [("2026-05", 3), ("2026-W18", 0), ("2026-03", 5)]
        assert told == (wanted if order == "newest" else wanted[::-1])
        assert len(flat(options)) == 11
    some = offered(replace(made, limit=4), listed(made, ulnager.GREGORIAN, extent), frozenset())
    assert [one.key for one in some] == ["2026-05", "2026-W18"]


def test_pins_with_slots_show_what_these_open_with(book):
    pin = LOAD + (
        '[periods]\nhalf = { phrase = "last {n} whole days", label = "Last {n} days", '
        "inputs = { n = { opens = 3 } } }\n"
        'weeks = { phrase = "{w}", inputs = { w = { kind = "listed", unit = "week" } } }\n'
        '[pages.g.charts]\na = { source = "rows", period = "half" }\n'
        'b = { source = "rows", period = "weeks" }\n'
    )
    page = book(pin).page("g").open(today=TODAY)
    assert [one.dates for one in page.charts.values()] == ["15 to 17 Dec 2025", "15 to 21 Dec 2025"]
    assert page.charts["a"].governed_by == "pinned to Last 3 days"
    assert page.values()["a"].rows[0].value == 3
    with pytest.raises(BookError, match=r"nothing to open with.*\n.*Add opens"):
        book(pin.replace("opens = 3", "max = 9"))


def test_every_name_of_a_book_is_found_before_a_phrase(book, capsys):
    made = book(LOAD + (
        '[periods]\nrecent = "last 7 rolling days"\n'
        'weeks = { phrase = "{w}", inputs = { w = { kind = "listed", unit = "week" } } }\n'
        '[pickers.monday]\nchoices = ["weeks"]\nlabels = "short"\n[pages.today]\n'
        'picker = "monday"\ncharts = { a = { source = "rows" } }\n'))  # fmt: skip
    told = {name: {key: str(one.period) for key, one in periods_named(made, name).items()}
            for name in ("monday", "today", "recent", "load", "gone")}  # fmt: skip
    assert told == {"monday": {"weeks": "latest week"},
                    "today": {"a": "latest week"},
                    "recent": {"": "last 7 rolling days as of latest"}, "load": {"": "latest"},
                    "gone": {}}  # fmt: skip
    from ulnager.cli.main import main

    for name, part in (("recent", "11 to 17 Dec 2025"), ("load", "17 Dec 2025"),
                       ("rows", "443 rows"), ("today", "15 to 21 Dec 2025")):  # fmt: skip
        with pytest.raises(SystemExit) as left:
            main(["show", name, "--book", made.file, "--today", TODAY])
        assert (left.value.code, part in capsys.readouterr().out) == (0, True), name
    with pytest.raises(BookError) as wrong:
        book('[periods]\nmonday = "last 3 days"\nfine = "today"\ntoday = "last 3 days"\n')
    assert all(f"'{name}'" in str(wrong.value) for name in ("monday", "today"))


def test_short_labels_reach_tables_and_json(book):
    from ulnager.core.periods.join_tables import bounds_table

    made = book(
        '[periods]\na = { phrase = "last 3 days", label = "Long", short = "3 d" }\n'
        'b = "last 4 days"\n[pickers.p]\nchoices = ["a", "b"]\nlabels = "short"\n'
    )
    entries = [(e.name, e.label, e.resolve(today=TODAY), e.short) for e in made.periods.values()]
    assert bounds_table(entries)["short_label"] == ["3 d", "17 to 20 May 2026"]
    told = made.picker("p").open(today=TODAY).to_dict()["choices"]
    assert [(one["label"], one["short"]) for one in told] == [("3 d", "3 d"), ("B", "B")]


def test_books_include_others(book):
    (book.folder / "shared.toml").write_text(
        'include = ["more.toml"]\n' + ROWS + '[anchors]\nload = "latest"\n')  # fmt: skip
    (book.folder / "more.toml").write_text('[periods]\nrecent = "last 7 days"\n')
    text = 'include = ["shared.toml"]\nanchor = "load"\n[periods]\nb = "last 3 days"\n'
    made = book(text)
    told = [made.resolve(name, today=TODAY).label for name in ("recent", "b")]
    assert told == ["11 to 17 Dec 2025", "15 to 17 Dec 2025"]
    found = ulnager.check(book.folder / "b.toml", today=TODAY)
    assert {(one.rule, one.file.rpartition("/")[2], one.line) for one in found} == {
        ("two-readings", "b.toml", 4), ("two-readings", "more.toml", 2)}  # fmt: skip
    for name, more, told in (
        ("more.toml", '[periods]\nb = "today"\n', r"more.toml: periods\.b: b\.toml has that name"),
        ("more.toml", 'include = ["shared.toml"]\n', "include each other: shared.toml → more.toml"),
        ("more.toml", '[periods]\nx = "last 3 hole days"\n', r"more\.toml: periods\.x\.phrase"),
        ("more.toml", "[pages.g]\n", "an included file holds"),
        ("more.toml", "x = [", "no TOML|not TOML"),
        ("more.toml", 'include = ["../x.toml"]\n', "outside"),
        ("b.toml", text.replace('"shared.toml"', '"gone.toml"'), "gone.toml"),
        ("b.toml", text.replace('"shared.toml"', '"shared.toml", "shared.toml"'), "twice"),
        ("b.toml", 'include = "shared.toml"\n', "no list of files"),
    ):  # fmt: skip
        was = (book.folder / name).read_text()
        (book.folder / name).write_text(more)
        with pytest.raises(BookError, match=told):
            ulnager.read_book(book.folder / "b.toml")
        assert "error" in {
            one.severity for one in ulnager.check(book.folder / "b.toml", today=TODAY)
        }
        (book.folder / name).write_text(was)
    assert ulnager.read_book("demo:ferries").period("quarter").label == "Last 3 whole months"
    assert ulnager.check("demo:ferries", today=TODAY) == ()
    with pytest.raises(ulnager.UlnagerError, match="demo book"):
        ulnager.read_book("demo:gone")


# Of each row of docs/settings.md: what is asked, and what each place says, from the left: which
# value would come out, where it stands in the book (or "call"), and the text or keyword itself.
WINS = {
    "anchor of a period": (
        lambda b, c: b.resolve("p", today=TODAY, **c).start,
        [("2025-01-01", "phrase", "anchor day as of 2025-01-01"),
         ("2025-06-30", "call", {"as_of": "2025-06-30"}),
         ("2026-03-03", "period", 'anchor = "mine"'), ("2025-12-17", "top", 'anchor = "load"'),
         (TODAY, "", "")],
    ),
    "anchor of a usual choice, or of a phrase in a picker": (
        lambda b, c: b.picker("k").open(today=TODAY).enter(**c).choose("q").resolution.start,
        [("2025-01-01", "own", "anchor day as of 2025-01-01"),
         ("2025-06-30", "call", {"at": "2025-06-30"}),
         ("2026-03-03", "picker", 'anchor = "mine"'), ("2025-12-17", "top", 'anchor = "load"')],
    ),
    "data that answers for `latest`": (
        lambda b, c: b.resolve("p", today=TODAY, **c).start,
        [("2026-01-01", "call", {"data": ("2025-01-01", "2026-01-01")}),
         ("2026-03-03", "period", 'anchor = "data"'), ("2025-12-17", "top", 'anchor = "load"')],
    ),
    "calendar": (
        lambda b, c: b.resolve("p", today=TODAY, **c).start,
        [("2026-05-01", "phrase", "start of year in 'may'"),
         ("2026-04-01", "call", {"calendar": ulnager.MonthCalendar("04-01")}),
         ("2026-03-01", "period", 'calendar = "march"'), ("2026-02-01", "top", 'calendar = "feb"'),
         ("2026-01-01", "", "")],
    ),
    "calendar of a source": (
        lambda b, c: b.sources["two"].calendar,
        [("march", "two", 'calendar = "march"'), ("feb", "top", 'calendar = "feb"'),
         (None, "", "")],
    ),
    "zone of the clock": (
        lambda b, c: b.picker("k").open(now="2026-05-20T12:00Z", **c).moment.tz,
        [("Asia/Tokyo", "call", {"tz": "Asia/Tokyo"}),
         ("America/Halifax", "picker", 'tz = "America/Halifax"'), ("Asia/Seoul", "top",
                                                                  'tz = "Asia/Seoul"')],
    ),
    "zone of a source": (
        lambda b, c: b.sources["two"].tz,
        [("Asia/Tokyo", "two", 'tz = "Asia/Tokyo"'), ("Asia/Seoul", "top", 'tz = "Asia/Seoul"')],
    ),
    "reading of `last 3 months`": (
        lambda b, c: b.resolve("p", today=TODAY, **c).start,
        [("2026-03-01", "phrase", "last 3 months to date"),
         ("2026-02-21", "call", {"defaults": ulnager.Defaults(last="rolling")}),
         ("2026-02-01", "end", '[readings]\nlast = "whole"'), ("2026-02-21", "", "")],
    ),
    "grain of a source": (
        lambda b, c: b.sources["two"].profile(TODAY).grain,
        [("week", "two", 'grain = "week"'), (None, "", "")],
    ),
    "language": (
        lambda b, c: b.resolve("p", today=TODAY, **c).label,
        [("20 mai 2026", "call", {"locale": "fr"}), ("20. Mai 2026", "top", 'locale = "de"'),
         ("20 May 2026", "", "")],
    ),
    "how days are written": (
        lambda b, c: b.picker("k").open(today=TODAY).resolution.label,
        [("20.05.2026", "picker", 'dates_as = "dd.MM.yyyy"'),
         ("2026/05/20", "top", 'dates_as = "yyyy/MM/dd"'), ("20 May 2026", "", "")],
    ),
    "opening choice": (
        lambda b, c: opened(b, c).views["k"].choice,
        [("q", "call", {"sent": {"k": "q"}}), ("r", "mail", 'opens = { k = "r" }'),
         ("q", "page", 'opens = { k = "q" }'), ("r", "picker", 'opens = "r"'), ("p", "", "")],
    ),
}  # fmt: skip
ASKED = {
    "anchor of a period": "anchor day",
    "calendar": "start of year",
    "data that answers for `latest`": "latest",
    "reading of `last 3 months`": "last 3 months",
}


def opened(book, sent):
    page = book.page("g")
    if sent:
        return page.read(sent["sent"], today=TODAY)
    return book.schedule("s").open(TODAY + "T00:00Z", today=TODAY)


@pytest.mark.parametrize("row", WINS)
def test_which_setting_wins(book, row):
    """Every row of docs/settings.md: said in all of its places, then taken out from the left."""
    for name, day in (("rows", "2025-12-17"), ("two", "2026-03-03")):
        (book.folder / f"{name}.csv").write_text(f"day\n2025-03-03\n{day}\n")
    page = (Path(__file__).parents[1] / "docs" / "settings.md").read_text()
    told = [line.strip("| ").split(" | ") for line in page.splitlines() if line.startswith("| ")]
    assert [one[0] for one in told[2:]] == list(WINS)
    ask, places = WINS[row]
    assert len(next(one for one in told if one[0] == row)) - 1 >= len(places)
    phrase = ASKED.get(row, "today")
    for place in range(len(places)):
        said, call = {}, {}
        for _, where, text in places[place:]:
            call = text if where == "call" else call
            said.setdefault(where, "" if where == "call" else text)
        at = lambda name, said=said: said.get(name, "")  # noqa: E731
        made = book(
            f"{at('top')}\n{ROWS}[sources.two]\nfile = 'two.csv'\ncolumn = 'day'\n{at('two')}\n"
            "[anchors]\nload = { point = 'latest', sources = ['rows'] }\n"
            "mine = { point = 'latest', sources = ['two'] }\n"
            "data = { point = 'today', sources = ['two'] }\n"
            "[calendars]\nfeb = { year_starts = '02-01' }\nmarch = { year_starts = '03-01' }\n"
            "may = { year_starts = '05-01' }\n"
            f'[periods.p]\nphrase = "{at("phrase") or phrase}"\n{at("period")}\n'
            '[periods]\nr = "tomorrow"\n'
            f'[pickers.k]\nchoices = ["p", {{ phrase = "{at("own") or "anchor day"}", key = "q" }},'
            f' "r"]\n{at("picker")}\n[pickers.k.inputs.at]\nkind = "anchor"\n'
            f'of = ["{"mine" if "mine" in at("picker") else "load"}", "day"]\n'
            f"[pages.g]\npicker = 'k'\n{at('page')}\ncharts = {{ a = {{ source = 'rows' }} }}\n"
            f"[schedules.s]\npage = 'g'\nevery = 'FREQ=DAILY'\ntz = 'UTC'\n{at('mail')}\n"
            f"{at('end')}\n"
        )
        got = ask(made, call)
        got = next((name for name, one in made.calendars.items() if got is one), got)
        got = got.unit.name if hasattr(got, "unit") else got
        wanted = places[place][0]
        assert (got if wanted is None or got is None else str(got)) == wanted, (row, place)


def test_what_an_old_book_means_otherwise_now(book):
    """With ``since``: each thing, with its line; without it, none of them."""
    (book.folder / "b.toml").write_text(
        'calendar = "office"\n' + LOAD + "[calendars.office]\nholidays = [2025-12-25]\n"
        '[periods]\nrecent = "last 7 rolling days"\nfixed = "2025"\n'
        'own = { phrase = "from {a} to {b}", inputs = { a = { opens = "start of month" }, '
        'b = { opens = "latest" } } }\n[pickers.p]\n[pickers.q]\n'
        'choices = ["recent", "own", "fixed"]\nlabels = "short"\n'
        '[schedules.s]\npage = "g"\nevery = "FREQ=WEEKLY"\ntz = "UTC"\n[pages.g]\n'
        'picker = "p"\nanchor = "load"\ncharts = { a = { source = "rows" } }\n'
    )
    found = ulnager.check(book.folder / "b.toml", today=TODAY, since="0.2")
    assert [one.key for one in found if one.rule == "changed"] == [
        "sources.rows", "periods.recent", "periods.own.inputs.a.opens", "pickers.p",
        "pickers.q.labels"]  # fmt: skip
    assert all(one.instead for one in found if one.rule == "changed")
    wrong = {one.key for one in found if one.rule == "book"}
    assert wrong == {"pages.g.anchor", "schedules.s.every"}
    assert "changed" not in {one.rule for one in ulnager.check(book.folder / "b.toml", today=TODAY)}
    with pytest.raises(SettingError, match="since"):
        ulnager.check(book.folder / "b.toml", since="0.1")


def test_what_a_book_calls_its_things_is_not_translated(book):
    made = book(
        'locale = "de"\n' + LOAD + '[periods.ship]\nphrase = "2025-11"\nlabel = "per Schiff"\n'
        '[pickers.k]\nlabel = "by week"\nchoices = ["ship"]\n[pages.g]\npicker = "k"\n'
        '[pages.g.charts]\na = { source = "rows", label = "per Schiff gebucht" }\n'
        'b = { source = "rows", period = "ship" }\n'
    )
    charts = made.page("g").open(today=TODAY).charts
    assert [(one.label, one.governed_by) for one in charts.values()] == [
        ("per Schiff gebucht", "folgt by week, geöffnet mit per Schiff"),
        ("B", "fest auf per Schiff"),
    ]


@pytest.mark.parametrize(("phrase", "told"), [
    ("from 2026-01-12 to 2026-01-20", "nothing from 12 Jan 2026 on: the data ends on"),
    ("from 2026-02-01 to 2026-03-31", "not begun: it starts on 1 Feb 2026"),
    ("2023", "nothing up to 31 Dec 2023: the data begins on 1 Oct 2024"),
    ("last 3 days", ""),
])  # fmt: skip
def test_a_chart_without_rows_says_why(book, phrase, told):
    page = "[pages.g.charts]\none = { source = 'rows', follows = 'p', by = 'day' }\n"
    own = f'[periods.own]\nphrase = "{phrase}"\n[pickers.p]\nchoices = ["own"]\n'
    made = book(LOAD + own + page)
    opened = made.page("g").open(today=date(2026, 1, 14))
    said = opened.charts["one"].nothing
    assert (said or "").startswith(told)
    assert bool(said) == bool(told)
