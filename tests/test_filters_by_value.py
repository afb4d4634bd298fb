"""Filters by value, comparisons that viewers choose, rows and their CSV: on pages, in links, JSON,
schedules and the command line."""

import csv
import io
import json
import os
from datetime import date, timedelta
from urllib.parse import parse_qs, urlencode

import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st
from starlette.testclient import TestClient

import ulnager
from ulnager.choices.value_filters import key_of
from ulnager.cli.main import main
from ulnager.core.errors import BookError, SettingError

from strategies import examples

TODAY = "2026-05-20"
HARBOURS = ["Alder", "Birch", "<b>Kelp</b>", "~all", "Reed", None, "=1+1", "Stone, old"]
BOOK = """
anchor = "load"
link_key = "ULNAGER_TEST_KEY"
[sources.trips]
file = "trips.csv"
column = "day"
[sources.fuel]
file = "fuel.csv"
column = "day"
[anchors.load]
point = "latest"
sources = ["trips"]
[periods]
month = "month to date"
spring = "from 2026-03-01 to 2026-04-30"
[pickers.dates]
choices = ["month", "spring"]
[pickers.dates.by]
of = ["week", "month"]
[pickers.dates.compare]
of = ["1 period earlier", "1 year earlier", "nothing"]
opens = "nothing"
[values.harbour]
label = "Harbour"
limit = 4
[values.crew]
several = false
[pages.p]
picker = "dates"
values = ["harbour", "crew"]
[pages.p.charts]
people = { source = "trips", value = "people", beside = "viewer", form = "number" }
weeks = { source = "trips", value = "people", by = "viewer" }
own = { source = "trips", value = "people", where = { harbour = ["Alder", "Birch"] } }
fuel = { source = "fuel", value = "litres" }
rows = { source = "trips", form = "rows", columns = ["day", "harbour", "people"], csv = true,
         order = ["people descending"], limit = 3 }
closed = { source = "trips", form = "rows", columns = ["day"] }
[schedules.mail]
page = "p"
opens = { dates = "month", harbour = ["Birch"] }
every = "FREQ=DAILY"
tz = "UTC"
""".replace("columns = [\"day\", \"harbour\", \"people\"], csv = true,\n         order",
            "columns = [\"day\", \"harbour\", \"people\"], csv = true, order")  # fmt: skip


@pytest.fixture(scope="module")
def frame():
    days = [date(2024, 12, 1) + timedelta(n) for n in range(535)]  # To 19 May 2026.
    rows = [(day, HARBOURS[(n + k) % 8], "ab"[k % 2], 1 + (7 * n + k) % 40)
            for n, day in enumerate(days) for k in range(3)]  # fmt: skip
    # One that is not there any more.
    rows += [(date(2024, 12, 5), "Old Pier", "a", 5)]
    return pd.DataFrame(rows, columns=["day", "harbour", "crew", "people"])


@pytest.fixture(scope="module")
def book(tmp_path_factory, frame):
    os.environ["ULNAGER_TEST_KEY"] = "0123456789abcdefghijkl"
    folder = tmp_path_factory.mktemp("values")
    # Text between quotes is text, an empty one too; nothing at all is missing.
    with (folder / "trips.csv").open("w") as file:
        file.write("day,harbour,crew,people\n")
        for day, harbour, crew, people in frame.itertuples(index=False):
            told = "" if harbour is None or pd.isna(harbour) else f'"{harbour}"'
            file.write(f"{day},{told},{crew},{people}\n")
    frame[["day"]].assign(litres=2).to_csv(folder / "fuel.csv", index=False)
    (folder / "book.toml").write_text(BOOK)
    return folder / "book.toml"


@pytest.fixture(scope="module")
def page(book):
    return ulnager.read_book(book).page("p")


def total(found, key="people"):
    value = found[key]
    return None if isinstance(value, str) else value.rows[0].value


KEYS = [key_of(one) for one in HARBOURS]
texts = st.lists(st.sampled_from([*KEYS, "~all", "Nowhere", "Old Pier", "x" * 600, "~", "off"]),
                 max_size=4)  # fmt: skip
fields = st.fixed_dictionaries({}, optional={
    "harbour": texts, "harbour.shown": texts, "harbour.state": texts,
    "harbour.find": st.sampled_from([["al"], ["<"], [""]]),
    "harbour.signed": st.sampled_from([["x"], [""]]), "dates": st.just(["spring"]),
    "crew": st.sampled_from([["a"], ["a", "b"], ["z"]]),
})  # fmt: skip


@examples(60)
@given(fields)
def test_no_filter_ever_widens_and_what_is_told_is_what_is_kept(page, frame, sent):
    """Whatever is sent, a chart has the rows of the values that are told as chosen, or none and a
    sentence; a chart without that column is left alone, and one with its own ``where`` keeps it."""
    opened = page.read(sent, today=TODAY)
    found, told = opened.values(), opened.to_dict()["values"]
    first, last = opened.charts["people"].resolution.start, opened.charts["people"].resolution.end
    kept = frame[(frame.day >= first) & (frame.day <= last)]
    for name in ("harbour", "crew"):
        keys, problem = told[name]["value"], told[name]["problem"]
        if problem:
            kept = kept.iloc[:0]
        elif keys is not None:
            kept = kept[[key_of(None if pd.isna(one) else one) in keys for one in kept[name]]]
    problems = [one["problem"] for one in told.values() if one["problem"]]
    if problems:
        assert found["people"] == "; ".join(problems)
        assert found["rows"] == found["own"] == found["people"]
    else:
        assert total(found) == kept.people.sum()
        own = kept[kept.harbour.isin(["Alder", "Birch"])]
        assert total(found, "own") == own.people.sum()
        assert found["rows"].count == len(kept)
        assert [row[2] for row in found["rows"].rows] == sorted(kept.people, reverse=True)[:3]
    assert total(found, "fuel") == 2 * len(frame[(frame.day >= first) & (frame.day <= last)])
    # What was chosen comes back from its own link.
    again = page.read(urlencode(opened.values_state, doseq=True), today=TODAY)
    assert again.values_state == opened.values_state or problems


@pytest.mark.parametrize(("sent", "value", "wanted"), [
    ("", None, "all"),
    ("harbour=Alder&harbour=Birch", ["Alder", "Birch"], "Alder, Birch"),
    ("harbour=~missing", ["~missing"], "(missing)"),
    ("harbour=~~all", ["~~all"], "~all"),
    ("harbour=~all", None, "all"),
    ("harbour=Old+Pier", ["Old Pier"], "Old Pier (no rows in these dates)"),
    ("harbour=Nowhere", ["Nowhere"], "Harbour: there is no 'Nowhere'"),
    ("harbour.shown=~all", [], "Harbour: tick at least one, or all"),
    ("harbour.shown=~all&harbour=~all&harbour=Alder", ["Alder"], "Alder"),
    ("harbour.shown=Alder&harbour.state=Alder&harbour=Alder&harbour=~all", None, "all"),
    ("harbour.shown=Alder&harbour.state=Alder&harbour=Alder", ["Alder"], "Alder"),
    ("harbour.shown=Alder&harbour.state=Alder", [], "Harbour: tick at least one, or all"),
    ("harbour.shown=~all&harbour=~all", None, "all"),
    ("harbour.signed=x", [], "the link was changed, so there are no rows"),
    ("crew=a&crew=b", None, "all"),
])  # fmt: skip
def test_what_is_chosen(page, sent, value, wanted):
    told = page.read(sent, today=TODAY).to_dict()["values"]["harbour"]
    assert (told["value"], told["problem"] or told["told"]) == (value, wanted)


def test_the_list_holds_what_the_source_has(page, frame):
    found = page.open(today=TODAY).filters["harbour"]
    assert (len(found.options), found.left_out) == (4, 5)
    counted = frame.harbour.fillna("~missing").value_counts()
    sizes = [counted[one.label if one.label != "(missing)" else one.key] for one in found.options]
    assert sizes == sorted(sizes, reverse=True)
    searched = page.read("harbour.find=PIER&harbour=Alder", today=TODAY).filters["harbour"]
    assert [one.key for one in searched.options] == ["Alder", "Old Pier"]
    assert [one.rows for one in searched.options][1] == 0
    assert page.read("crew=a&crew=b", today=TODAY).filters["crew"].keys == ("b",)


def test_links_schedules_and_signatures_carry_and_fix_it(book, page):
    chosen = page.open(today=TODAY, values={"harbour": ["Birch"], "crew": "a"})
    assert parse_qs(chosen.filters["harbour"].link()) == {"harbour": ["Birch"]}
    signed = chosen.filters["harbour"].link(fixed=True)
    opened = page.read(f"{signed}&harbour=Alder", today=TODAY)
    assert (opened.filters["harbour"].keys, opened.filters["harbour"].locked) == (("Birch",), True)
    assert opened.filters["harbour"].notes == ["Harbour is fixed here, so this changed nothing"]
    # A token of one filter opens no other, and a changed one shows nothing.
    for wrong in (signed.replace("harbour.", "crew."), signed[:-2]):
        assert any(one.problem for one in page.read(wrong, today=TODAY).filters.values())
    schedule = ulnager.read_book(book).schedule("mail")
    sent = schedule.to_dict("2026-05-20T07:00+00:00", today=TODAY)
    assert (sent["values"]["harbour"]["value"], sent["values"]["harbour"]["fixed"]) == (
        ["Birch"], True)  # fmt: skip
    with pytest.raises(SettingError):
        page.read("harbour=Nowhere", today=TODAY).filters["harbour"].link()


def test_viewers_choose_what_to_compare_with(book, page, capsys):
    picker = page.pickers["dates"]
    view = picker.open(today=TODAY).compare("1 year earlier")
    assert view.compared_with == "1 year earlier"
    assert [(one.key, one.chosen) for one in view.comparisons] == [
        ("1 period earlier", False), ("1 year earlier", True), ("nothing", False)]  # fmt: skip
    opened = page.read(view.link(), today=TODAY)
    row = opened.values()["people"].rows[0]
    earlier = opened.charts["people"].beside_dates
    assert (str(earlier.start), str(earlier.end)) == ("2025-05-01", "2025-05-19")
    alone = ulnager.totals(book.parent / "trips.csv", earlier, column="day", value="people")
    assert row.beside == alone.rows[0].value
    assert opened.charts["weeks"].beside_dates is None
    assert view.compare(None).compared_with is None
    assert view.compare("2 aeons earlier").notes == (
        "charts are not compared with '2 aeons earlier' here",)  # fmt: skip
    assert picker.read({"dates.compare": "x"}, today=TODAY).compared_with is None
    assert view.link(frozen=True) == (
        "dates=2026-05-01/2026-05-19&dates.compare=1+year+earlier")  # fmt: skip
    fields = {one.name: one for one in view.fields}
    assert fields["dates.compare"].text == "1 year earlier"
    assert view.to_dict()["compare"]["options"][1]["dates"]["start"] == "2025-05-01"
    args = ["show", "p", "--book", str(book), "--today", TODAY]
    with pytest.raises(SystemExit, match="0"):
        main([*args, "--compare", "1 period earlier", "--set", "harbour=Birch"])
    out = capsys.readouterr().out
    assert "compared with 1 to 19 Apr 2026" in out
    assert "Harbour  Birch" in out


@pytest.fixture(scope="module")
def ask(book):
    return TestClient(ulnager.service(book, today=TODAY), "http://127.0.0.1")


def test_rows_come_as_csv_where_the_book_says_so(ask, frame):
    query = urlencode({"harbour": ["=1+1", "~missing", "Stone, old"]}, doseq=True)
    answer = ask.get(f"/pages/p/rows.csv?{query}")
    assert answer.headers["content-type"].startswith("text/csv")
    found = list(csv.DictReader(io.StringIO(answer.text)))
    month = frame[frame.day >= date(2026, 5, 1)]
    kept = month[[pd.isna(one) or one in ("=1+1", "Stone, old") for one in month.harbour]]
    assert len(found) == len(kept)
    assert {one["harbour"] for one in found} == {"'=1+1", "", "Stone, old"}
    assert [int(one["people"]) for one in found] == sorted(kept.people, reverse=True)
    for path, status in (("closed.csv", 404), ("weeks.csv", 404), ("none.csv", 404),
                         ("rows.csv?harbour=Nowhere", 422)):  # fmt: skip
        refused = ask.get(f"/pages/p/{path}")
        assert refused.status_code == status
        assert "trips" not in refused.text


def test_the_page_shows_filters_without_a_script(ask):
    text = ask.get("/pages/p?harbour=~missing").text
    assert "<b>Kelp</b>" not in text
    assert 'name="harbour" value="~missing" checked' in text
    assert 'name="harbour.shown" value="~missing"' in text
    told = ask.get("/api/pages/p?harbour=Alder&harbour=Birch").json()["page"]
    assert told["values"]["harbour"]["value"] == ["Alder", "Birch"]
    state = {"state": {"harbour": ["Alder", "Birch"]}}
    assert ask.post("/api/pages/p", json=state).json()["page"] == told
    assert json.dumps(told["nothing"]) == '{"dates": {}}'
    # It goes along a step, and to another request with nothing typed.
    link = text.split('id="dates-earlier" rel="prev" href="')[1].split('"')[0]
    assert "harbour=%7Emissing" in link or "harbour=~missing" in link
    # All that is chosen goes along to the details.
    both = ask.get("/pages/p?harbour=Alder&harbour=Birch").text
    assert "harbour=Alder&amp;harbour=Birch" in both


@pytest.mark.parametrize(("old", "new", "at"), [
    ("[values.crew]", "[values.crew]\ncolumn = 'crews'", "pages.p.values"),
    ("[values.crew]", "[values.crew]\nopens = 'z'", "values.crew.opens"),
    ('values = ["harbour", "crew"]', 'values = ["harbour"]\nopens = { harbour = ["Nowhere"] }',
     "pages.p.opens.harbour"),
    ('values = ["harbour", "crew"]', 'values = ["harbour"]', "values.crew"),
    ('beside = "viewer", ', "", "pickers.dates.compare"),
    ('harbour = ["Birch"]', 'harbour = ["Nowhere"]', "schedules.mail.opens.harbour"),
])  # fmt: skip
def test_check_finds_filters_that_do_not_filter(book, old, new, at):
    """A filter of no chart would keep everything, and say nothing of it."""
    assert [one for one in ulnager.check(book, today=TODAY) if one.rule == "nothing"] == []
    path = book.parent / "odd.toml"
    path.write_text(BOOK.replace(old, new, 1))
    found = ulnager.check(path, today=TODAY)
    assert at in [one.key for one in found if one.rule in ("nothing", "unused")]


@pytest.mark.parametrize(("old", "new", "wanted"), [
    ('values = ["harbour", "crew"]', 'values = ["harbor"]', "did you mean"),
    ("[values.crew]", "[values.p]", "has that name too"),
    ("several = false", 'several = false\nopens = ["a", "b"]', "one can be chosen"),
    ('of = ["1 period earlier", "1 year earlier", "nothing"]', 'of = ["last year"]', "nothing to"),
    ('opens = "nothing"', 'opens = "1 day earlier"', "comparison"),
    ('beside = "viewer", ', 'follows = "dates", beside = "viewer", by = "week", ', "one number"),
    ('form = "rows", columns = ["day"]', 'form = "rows"', "columns that are named"),
    ('form = "rows", columns = ["day"]', 'columns = ["day"]', "are of rows"),
    ('value = "people", by = "viewer"', 'value = "people", form = "line"', "by a unit"),
    ('value = "people", by = "viewer"', 'per = "day"', "divides a running measure"),
    ('value = "people", by = "viewer"', 'by = "week", form = "calendar"', "one value a day"),
])  # fmt: skip
def test_what_does_not_go_together_is_said(book, tmp_path, old, new, wanted):
    assert old in BOOK
    path = book.parent / "wrong.toml"
    path.write_text(BOOK.replace(old, new, 1))
    with pytest.raises(BookError, match=wanted):
        ulnager.read_book(path)
