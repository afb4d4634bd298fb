"""Where things are drawn on the page: the ruler's measures, and the charts' bars and lines."""

from datetime import date, timedelta
from itertools import pairwise

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

import ulnager
from ulnager import MonthCalendar, WeekCalendar
from ulnager.choices.picker import Picker
from ulnager.choices.picker_base import Choice
from ulnager.core.text import number_text
from ulnager.demo import CLOCK, book_file, table
from ulnager.web.chart_layout import drawn
from ulnager.web.chart_panels import HEIGHT
from ulnager.web.ruler import ruler_of

from strategies import examples

TODAY = date(2026, 5, 20)
BOOK = ulnager.read_book(book_file())
PHRASES = ["this month", "month to date", "this week", "last 3 whole months", "next 2 whole weeks",
           "all dates", "since 2026-01-01", "before today", "last 10 rolling days only weekdays",
           "2024-01-01/2024-01-31", "this year", "tomorrow", "last 40 whole years",
           "last month plus this week", "today"]  # fmt: skip
CALENDARS = [None, MonthCalendar(year_starts="10-01", week_starts="sunday"),
             WeekCalendar("4-4-5", "saturday", "january")]  # fmt: skip
DATA = [None, ("2023-10-01", "2026-05-17"), ("2026-05-20", "2026-05-20"),
        ("2026-01-01", "2027-12-31")]  # fmt: skip


def picker(phrase, calendar=None):
    choice = Choice("one", ulnager.period(phrase), "One", "one")
    return Picker("p", "P", (choice,), "one", calendar=calendar)


@examples(150)
@example("this month", 0, 1, TODAY)
@example("all dates", 0, 0, TODAY)
@example("today", 0, 0, date.max)
@example("today", 0, 0, date.min)
@given(st.sampled_from(PHRASES), st.integers(0, 2), st.integers(0, 3),
       st.sampled_from([TODAY, date(2024, 2, 29), date(2026, 12, 31)]))  # fmt: skip
def test_the_ruler_measures(phrase, calendar, data, today):
    view = picker(phrase, CALENDARS[calendar]).open(today=today, data=DATA[data])
    ruler = ruler_of(view)
    if view.resolution is None or view.resolution.is_empty:
        assert ruler is None
        return
    assert ruler is not None
    places = [tick.at for tick in ruler.ticks]
    assert places == sorted(places)
    assert 0 < len(places) <= 500 or view.resolution.days == 1
    for part in ruler.stretches:
        assert 0 <= part.at < 100
        assert part.at + part.width <= 100.5
    # What is over and what is to come are as long as their days, and neither covers the other.
    spans = [(one.start, one.stop) for one in view.resolution.spans]
    if all(start and stop for start, stop in spans):
        after = today + timedelta(1) if today < date.max else date.max
        over = sum(max(0, (min(stop, after) - start).days) for start, stop in spans)
        to_come = sum(max(0, (stop - max(start, after)).days) for start, stop in spans)
        assert bool(over) is any(not part.is_to_come for part in ruler.stretches)
        assert bool(to_come) is any(part.is_to_come for part in ruler.stretches)
        wide = [
            [p.width for p in ruler.stretches if p.is_to_come is kind] for kind in (False, True)
        ]
        if over > 20 and to_come > 20 and len(spans) == 1:
            assert abs(sum(wide[0]) / sum(wide[1]) / (over / to_come) - 1) < 0.05
    wanted = {"today", *(["data"] if DATA[data] else [])}
    if view.resolution.anchor.day != today and "anchor, data" not in ruler.told:
        wanted.add("anchor")
    assert len(ruler.marks) + len(ruler.beyond) == len(wanted)
    assert {mark.kind for mark in ruler.marks} <= wanted
    for line in range(ruler.lines):
        on = sorted(mark.at for mark in ruler.marks if mark.line == line)
        assert len(on) == len(set(on))
    assert view.resolution.label in ruler.told


def test_what_is_told_of_the_ruler():
    view = BOOK.picker("dates").open(today=CLOCK)
    ruler = ruler_of(view)
    assert ruler.unit == "day"
    assert [tick.name for tick in ruler.ticks if tick.name][:2] == ["29 Apr 2026", "2 May"]
    assert [(mark.kind, mark.name) for mark in ruler.marks] == [
        ("anchor", "anchor"), ("data", "data ends"), ("today", "today")]  # fmt: skip
    far = view.choose("own").enter(first="2024-01-01", last="2024-01-31")
    assert ruler_of(far).beyond == ("data ends 17 May 2026 →", "today, the anchor 20 May 2026 →")
    years = view.choose("own").enter(first="2024-01-01", last="2026-05-01")
    names = [tick.name for tick in ruler_of(years).ticks if tick.name]
    assert names[0] == "Jan 2024"
    assert sum("20" in name for name in names) == 3
    assert ruler_of(view.choose("recent").enter(n="many")) is None
    hours = picker("last 3 hours").open(now="2026-05-20T10:00+00:00", tz="UTC")
    assert ruler_of(hours) is None


def page(**charts):
    """A page whose charts read the sailings."""
    return "\n".join(
        f"[pages.p.charts.{name}]\nsource = 'sailings'\nperiod = '{chart.pop('period')}'\n"
        + "\n".join(f"{key} = {value!r}" for key, value in chart.items())
        for name, chart in charts.items()
    )


CHARTS = {
    "months": {"period": "last 6 months to date", "value": "passengers", "by": "month"},
    "rows": {"period": "last 14 rolling days", "by": "day"},
    "beside": {"period": "last 3 whole months", "value": "fares", "by": "month",
               "beside": "1 year earlier"},
    "split": {"period": "last 4 whole weeks", "value": "passengers", "by": "week",
              "split": "route"},
    "running": {"period": "last 20 whole days", "value": "passengers",
                "running": "last 7 rolling days"},
    "total": {"period": "previous month", "value": "passengers", "beside": "1 month earlier"},
    "mean": {"period": "previous month", "value": "passengers", "how": "mean", "by": "week"},
    "winter": {"period": "from 2026-01-12 to 2026-01-25", "value": "passengers", "by": "day"},
    "many": {"period": "this year", "by": "year", "max_buckets": 1},
    "hours": {"period": "from 2024-01-01 to 2025-12-31", "by": "year", "max_buckets": 1},
    "wide": {"period": "last 90 rolling days", "by": "day"},
    "coarser": {"period": "from 2025-07-01 to 2026-04-30", "by": "day", "max_buckets": 45},
    "many_routes": {"period": "last 4 whole weeks", "value": "passengers", "by": "week",
                    "split": "route", "form": "bars"},
    "ranked": {"period": "previous month", "value": "passengers", "split": "route"},
    "levels": {"period": "previous month", "split": ["route", "passengers"], "top": 3},
    "cut": {"period": "from 2026-02-10 to 2026-05-31", "value": "passengers", "by": "month"},
    "late": {"period": "this month", "by": "day"},
    "ahead": {"period": "next month", "by": "day"},
    "ahead_beside": {"period": "next month", "by": "week", "beside": "1 year earlier"},
    "unfinished": {"period": "this month", "value": "passengers", "form": "number"},
}  # fmt: skip


@pytest.fixture(scope="module")
def opened(tmp_path_factory):
    folder = tmp_path_factory.mktemp("drawn")
    (folder / "sailings.csv").write_bytes(table("sailings").read_bytes())
    book = folder / "book.toml"
    book.write_text("[sources.sailings]\nfile = 'sailings.csv'\ncolumn = 'sailed_on'\n"
                    + page(**{name: dict(one) for name, one in CHARTS.items()}))  # fmt: skip
    opened = ulnager.read_book(book).page("p").open(today=CLOCK)
    values = opened.values()
    return {key: (drawn(chart, values[key], chart.problems), values[key])
            for key, chart in opened.charts.items()}  # fmt: skip


@pytest.mark.parametrize("key", ["months", "rows", "beside", "mean", "winter", "many_routes"])
def test_bars_are_as_high_as_their_values(opened, key):
    chart, totals = opened[key]
    series = {}
    for row in totals.rows:
        series.setdefault((row.split, row.other), []).append(row)
    assert len(chart.panels) == len(series)
    assert len(chart.rows) == len(totals.rows)
    for panel, rows in zip(chart.panels, series.values(), strict=True):
        mine = [bar for bar in panel.bars if bar.kind != "beside"]
        past = "the data ends"
        shown = [row for row in rows if row.value or past not in row.bucket.reasons]
        shown = [row for row in shown if row.value is not None]
        assert len(mine) == len(shown)
        assert sum(bar.kind == "beside" for bar in panel.bars) == sum(
            row.beside is not None for row in rows
        )
        top = max((float(row.value) for row in shown), default=0)
        for bar, row in zip(mine, shown, strict=True):
            assert 0 <= bar.at < bar.at + bar.width <= 100
            assert bar.y + bar.height == pytest.approx(panel.foot, abs=0.51)
            assert number_text(row.value) in bar.told
            assert row.bucket.label in bar.told
            if row.value and top:
                highest = max(mine, key=lambda one: one.height).height
                assert bar.height / highest == pytest.approx(float(row.value) / top, abs=0.02)
            assert (bar.kind == "whole" and not bar.has_gaps) is row.bucket.is_whole
        assert panel.scale[0][0] == panel.height <= HEIGHT
        assert all(a[0] > b[0] for a, b in pairwise(panel.scale))
        names = [name.at for name in panel.names]
        assert names == sorted(names)
        assert len(names) <= 10


def test_lines_numbers_and_sentences(opened):
    chart, running = opened["running"]
    (panel,) = chart.panels
    lines = [path for path in panel.paths if path.kind in ("firm", "thin")]
    held = [row for row in running.rows if str(row.day) <= "2026-05-17"]
    assert sum(path.d.count("L") for path in lines) == len(held) - 1
    days = [bar for bar in panel.bars if bar.kind == "daily"]
    assert len(days) == len(running.daily.rows) or not days  # A scale in common, or none.
    assert chart.columns[:2] == ("day", "over")
    chart, totals = opened["total"]
    assert (chart.number.text, chart.number.kind) == (number_text(totals.rows[0].value), "whole")
    assert chart.number.beside.endswith("in 1 to 31 Mar 2026")
    assert chart.panels == ()
    chart, sentence = opened["hours"]
    assert (chart.panels, chart.nothing) == ((), sentence)
    assert "no coarser unit fits" in sentence
    assert ("gaps", "days missing") in opened["months"][0].legend
    # Days without a row have a bar of their own, of no height, or none.
    assert opened["winter"][0].panels[0].told.startswith("14 bars")


def kinds(chart):
    return [bar.kind for panel in chart.panels for bar in panel.bars]


def test_each_chart_takes_the_form_that_fits(opened):
    """Bars up to 60 marks, then a line; a split is lines in one chart, or bars in a panel each, and
    without a unit a bar for each value."""
    wide, _ = opened["wide"]
    assert [path.kind for path in wide.panels[0].paths] == ["area", "firm", "thin"]
    split, totals = opened["split"]
    (panel,) = split.panels
    assert [path.series for path in panel.paths if path.kind == "firm"] == [1, 2, 3]
    names = list(dict.fromkeys(str(row.split) for row in totals.rows))
    assert [text for _, text in split.legend][:3] == names
    assert len(opened["many_routes"][0].panels) == 3
    ranked, totals = opened["ranked"]
    ((group, ranks),) = ranked.ranks
    assert (group, ranks[0].width, ranks[0].share) == ("", 100, f"{totals.rows[0].share:.1%}")
    values = [row.value for row in totals.rows]
    assert values == sorted(values, reverse=True)
    assert [one.number for one in ranks] == [number_text(one) for one in values]
    (levels, totals) = opened["levels"]
    known = {str(row.split[0]) for row in totals.rows if row.split}
    assert {group for group, _ in levels.ranks if group} == known
    assert [len(row.split) for row in totals.rows if row.split] == [2, 2, 2]
    shown = [one for group, some in levels.ranks for one in some]
    assert [one.title for one in shown if one.title == "other"] == ["other"]


def test_too_many_bars_take_a_coarser_unit_and_say_so(opened):
    chart, totals = opened["coarser"]
    assert {row.bucket.unit.name for row in totals.rows} == {"week"}
    assert chart.by == "by week"
    assert chart.notes == (
        "by week, since 304 days are more than 45; by day again over fewer days",)  # fmt: skip


def test_what_is_not_whole_is_marked(opened):
    """A period cuts a unit at its ends; what still runs, or lacks data, is unfinished; days past
    the data are not drawn as 0, and where nothing can be there the chart says why."""
    assert kinds(opened["cut"][0]) == ["cut", "whole", "whole", "unfinished"]
    assert [kind for kind, _ in opened["cut"][0].legend] == ["whole", "cut", "unfinished", "gaps"]
    late, totals = opened["late"]
    assert len(totals.rows) == 31
    assert len(kinds(late)) == 17
    assert [cells[2].text for cells in late.rows[-14:]] == ["–"] * 14
    number = opened["unfinished"][0].number
    assert (number.kind, "still running" in number.why) == ("unfinished", True)
    for key in ("ahead", "ahead_beside"):
        chart, _ = opened[key]
        assert (chart.panels, chart.nothing) == ((), "not begun: it starts on 1 Jun 2026")
        assert chart.nothing not in chart.notes


@pytest.mark.parametrize(("value", "text"), [
    (None, "–"), (0, "0"), (1234567, "1,234,567"), (12.5, "12.5"), (float("nan"), "–"),
    (float("inf"), "–"), (-3, "-3"), (0.123456, "0.1235"), (123456.789, "123,457"),
])  # fmt: skip
def test_numbers_for_people(value, text):
    assert number_text(value, none="–") == text


def test_a_chart_below_zero():
    from ulnager.web.chart_panels import _ValueAxis

    scale = _ValueAxis([-30.0, 70.0])
    assert scale.y(0) == pytest.approx(HEIGHT * scale.high / (scale.high - scale.low))
    assert scale.low <= -30
    assert scale.high >= 70
    assert _ValueAxis([]).lines[0] == (HEIGHT, "0")
    assert _ValueAxis([0.0]).high > 0


def test_axes_over_several_years_say_them():
    from ulnager.web.chart_panels import with_years

    names = ["Nov", "Dec", "Jan", "Feb"]
    assert with_years(names, ["2025", "2025", "2026", "2026"]) == [
        "Nov 2025", "Dec", "Jan 2026", "Feb"]  # fmt: skip
    assert with_years(names, ["2026"] * 4) == names
    assert with_years(["2025", "2026"], ["2025", "2026"]) == ["2025", "2026"]
