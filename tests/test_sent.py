"""Pages as they are sent and played: one file, what is due, cuts by one word, steps, details."""

import re
import subprocess
import sys
from datetime import date, timedelta
from html import unescape

import httpx
import pytest
import sqlalchemy as sa
from hypothesis import given
from hypothesis import strategies as st
from starlette.testclient import TestClient

import ulnager
from serving import book_in
from ulnager import BookError
from ulnager.cli.main import main

from strategies import examples

TODAY = "2026-05-20"
MORE = """
[periods.days]
phrase = "last {n} rolling days"
[periods.days.inputs.n]
opens = 5
[periods.months]
phrase = "last 3 months to date"
[periods.month]
phrase = "this month"
[periods.weeks]
phrase = "last 3 weeks to end as of end of previous month"
[periods.ahead]
phrase = "from 2026-05-01 to 2026-06-30"
[pickers.cut]
choices = ["days", "months", "month", "weeks", "ahead"]
cuts = ["no_today", "no_running", "no_future"]
[pickers.built]
choices = [{ key = "build", build = true }, "month"]
[pages.putting]
picker = "built"
[pages.putting.charts]
people = { source = "sailings", value = "passengers" }
[pages.client]
picker = "dates"
details = "none"
step = "1 day"
round = true
plays = true
refresh = "10 minutes"
[pages.client.charts]
people = { source = "sailings", value = "passengers", by = "viewer", label = "People" }
rows = { source = "sailings", form = "rows", columns = ["route"], limit = 2 }
[schedules.once]
page = "client"
every = "FREQ=DAILY;COUNT=1"
starts = 2026-05-10
at = "07:00"
tz = "America/Halifax"
"""


@pytest.fixture(scope="module")
def path(tmp_path_factory):
    return book_in(tmp_path_factory.mktemp("sent"), MORE)


def run(*args, code=0):
    with pytest.raises(SystemExit) as ended:
        main(list(args))
    assert ended.value.code == code, args


def test_a_page_is_one_file_that_opens_its_dates(path, tmp_path, capsys):
    target = tmp_path / "page.html"
    args = ["show", "routes", "--book", str(path), "--today", TODAY, "--to", str(target)]
    run(*args, "--address", "https://dates.example.org/pages/routes", "--set", "route=Saltmarsh")
    text = target.read_text()
    assert len(text.encode()) < 300_000
    assert 'content: "! "' in text  # The style is a style, and nothing of it is escaped.
    links = re.findall(r'href="([^"]*)"', text)
    assert len(links) == 1
    assert not re.search(r"src=|@import|url\((?!#)|<script|<link", text)
    page = ulnager.read_book(path).page("routes")
    again = page.read(links[0].replace("&amp;", "&"), today="2026-07-01")
    assert str(again.charts["all"].resolution.start) == "2026-05-01"
    assert again.charts["all"].resolution.days == 16
    assert again.filters["route"].keys == ("Saltmarsh",)
    # Its numbers are there as text.
    value = page.open(today=TODAY, values={"route": "Saltmarsh"}).values()["all"].rows[0].value
    assert f"<strong>{value}</strong>" in text
    run(*args, code=2)
    assert "say --replace" in capsys.readouterr().err
    run(*args, "--replace")
    assert "https://" not in target.read_text()
    run(*args[:-1], str(tmp_path / "page.pdf"), code=2)
    run("show", "dates", *args[2:], code=2)
    run(*args[:-2], "--address", "https://x", code=2)


def test_rows_are_sent_only_where_the_book_says_so(path, tmp_path):
    target = tmp_path / "client.html"
    run("show", "client", "--book", str(path), "--today", TODAY, "--to", str(target))
    text = target.read_text()
    assert "the rows are not sent along" in text
    assert "Alder Point" not in text
    assert "follows Dates" not in text


def test_what_was_due_and_what_is_next(path, tmp_path, capsys):
    target = str(tmp_path / "mail.html")
    args = ["show", "monday_mail", "--book", str(path), "--to", target, "--replace", "--now"]
    run(*args, "2026-05-18T10:01:00+00:00")  # 07:01 there.
    out = capsys.readouterr().out
    assert out == "as of Mon 2026-05-18 07:00; next due Mon 2026-05-25 07:00\n"
    run(*args, "2026-05-18T09:59:00+00:00")
    assert "as of Mon 2026-05-11 07:00" in capsys.readouterr().out
    args[1] = "once"
    run(*args, "2026-05-18T09:59:00+00:00")
    assert "it goes out no more" in capsys.readouterr().out
    run(*args, "2026-05-09T09:59:00+00:00", code=2)
    assert "the first goes out on Sun 2026-05-10 07:00" in capsys.readouterr().err


@examples(40)
@given(st.dates(date(2024, 1, 1), date(2027, 12, 31)), st.integers(0, 1439))
def test_due_and_next_meet(path, day, minute):
    """Nothing lies between what was due and what is next."""
    book = ulnager.read_book(path)
    now = f"{day}T{minute // 60:02}:{minute % 60:02}+00:00"
    schedule = book.schedule("monday_mail")
    due, after = schedule.due(now), schedule.next(now)
    assert due.astimezone(None) <= after.astimezone(None)
    assert schedule.next(due) == after
    assert (after - due).days in (6, 7)


CUTS = ["no_today", "no_running", "no_future"]


@examples(60)
@given(st.dates(date(2026, 1, 1), date(2026, 12, 31)), st.sets(st.sampled_from(CUTS)),
       st.sampled_from(["days", "months", "month", "weeks", "ahead"]))  # fmt: skip
def test_switches_by_one_word_cut_alike_frozen_and_live(path, day, on, choice):
    """What is still running is the period's own unit, and the one statement keeps the same rows."""
    picker = ulnager.read_book(path).picker("cut")
    view = picker.open(today=day).choose(choice)
    unit = {"days": "day", "ahead": "day", "months": "month", "month": "month", "weeks": "week"}
    whole = view.resolution
    for name in on:
        view = view.enter(**{name: "on"})
    running = ulnager.period(f"this {unit[choice]}").resolve(today=whole.anchor.day)
    wanted = [one for one in (whole.start + timedelta(n) for n in range(whole.days or 0))
              if whole.contains(one)
              and not ("no_today" in on and one == day)
              and not ("no_running" in on and running.contains(one))
              and not ("no_future" in on and one > day)]  # fmt: skip
    kept = view.resolution
    around = [whole.start + timedelta(n) for n in range(-40, 140)]
    assert [one for one in around if kept.contains(one)] == wanted
    table = sa.Table("t", sa.MetaData(), sa.Column("d", sa.Date))
    engine = sa.create_engine("sqlite://")
    table.create(engine)
    with engine.begin() as connection:
        connection.execute(table.insert(), [{"d": one} for one in around])
        statement = sa.select(table.c.d).where(picker.where(table.c.d, today=day))
        found = connection.execute(statement.order_by(table.c.d), view.parameters).scalars()
        assert list(found) == wanted


def test_a_page_is_played_by_its_steps(path):
    ask = TestClient(ulnager.service(path, today=TODAY), "http://127.0.0.1")
    text = ask.get("/pages/client").text
    for one in ('data-round="yes"', 'data-plays="yes"', 'data-refresh="600"'):
        assert one in text
    assert "follows Dates" not in text
    earlier = ask.get("/pages/client?dates=2026-04-01/2026-04-07").text
    on = re.search(r'<a class="on" hidden href="\?([^"]*)"', earlier)[1]
    assert "dates=2026-04-02/2026-04-08" in on
    assert 'rel="next"' in earlier
    assert "dates=2026-04-08/2026-04-14" in re.search(r'rel="next" href="([^"]*)"', earlier)[1]


def test_a_period_is_put_together_in_a_sentence(path):
    """In the viewer's language, with the other readings a click away."""
    ask = TestClient(ulnager.service(path, today=TODAY), "http://127.0.0.1")

    def sentence(query):
        text = ask.get(f"/pages/putting?{query}").text
        return text[text.index('class="sentence"') : text.index('class="send"')]

    found = sentence("built.build.n=3&built.build.unit=month&locale=de")
    words = [one.strip() for one in re.findall(r">([^<>]+)<", found) if one.strip()]
    assert words[:3] == ["die", "letzten", "nächsten"]
    assert {"Monate", ",", "nur ganze", "Angefangenes zählt ganz (nicht mit: letzten)"} <= {*words}
    assert "1. Feb. – 30. Apr. 2026" in found.replace("\u2009", " ")
    page = ulnager.read_book(path).page("putting")
    said = {
        str(page.read(one.replace("&amp;", "&"), today=TODAY).views["built"].resolution.period)
        for one in re.findall(r'class="step plain" href="\?([^"]*)"', found)
    }
    assert said == {"last 3 rolling months", "last 3 months to date", "last 3 months to end"}
    assert ask.get("/pages/putting?built.build.n=many").text.count("a whole number is wanted") == 1
    apart = ask.get("/pages/putting?built.build.side=next&built.build.how=to+date").text
    assert "these do not go together: next, the running one counted so far" in apart


@pytest.fixture(scope="module")
def empty():
    from ulnager.book.shipped_books import book_file

    return TestClient(ulnager.service(book_file("empty"), today=TODAY), "http://127.0.0.1")


PHRASES = st.sampled_from([
    "last 3 months", "month to date except today", "last 3 hole months", "", "<b>last", "now",
    "last 24 rolling hours", "latest", "all dates", "x" * 5000, "last {n} days", "holidays",
    "previous week plus today", "today except today", "9999-12-31, 1 day later",
])  # fmt: skip


@examples(40)
@given(PHRASES | st.text(max_size=30), st.sampled_from(["postgresql", "oracle", "nope", ""]),
       st.sampled_from(["date", "timestamptz", "x"]))  # fmt: skip
def test_any_phrase_can_be_tried(empty, phrase, engine, kind):
    """Whatever is typed, an answer comes back, with nothing of it unescaped."""
    sent = {"phrase": phrase, "engine": engine, "type": kind, "locale": "de"}
    answer = empty.get("/try", params=sent)
    assert answer.status_code == 200
    assert "<b>last" not in answer.text
    assert "Traceback" not in answer.text


def test_it_is_served_without_a_book():
    args = [sys.executable, "-m", "ulnager", "serve", "--port", "0", "--today", TODAY]
    with subprocess.Popen(args, stdout=subprocess.PIPE, text=True) as served:
        address = served.stdout.readline().split()[0]
        try:
            assert "To begin a book" in httpx.get(address, follow_redirects=True).text
        finally:
            served.terminate()


def test_a_phrase_is_answered_with_all_its_readings(empty):
    assert empty.get("/", follow_redirects=False).headers["location"] == "try"
    text = empty.get("/try?phrase=last+3+months").text
    for one in ("21 Feb to 20 May 2026", "last 3 whole months", "1 Mar to 31 May 2026",
                "DATE &#39;2026-02-21&#39;", "CURRENT_DATE", "To begin a book"):  # fmt: skip
        assert one in text, one
    wrong = empty.get("/try?phrase=last+3+hole+months").text
    assert "1 Feb to 30 Apr 2026" in wrong
    assert "last+3+whole+months" in wrong or "last%203%20whole%20months" in wrong


def test_a_day_that_is_half_loaded_says_so(path):
    ask = TestClient(ulnager.service(path, today=TODAY), "http://127.0.0.1")
    text = ask.get("/pages/operations?dates=own").text
    assert "2023-10-01 – 2026-05-17; 17 May 2026 is half loaded" in text
    assert (
        "half loaded" not in ask.get("/pages/operations?dates=own&dates.own.last=2026-05-16").text
    )


def test_a_page_leads_to_what_its_dates_mean(path):
    ask = TestClient(ulnager.service(path, today=TODAY), "http://127.0.0.1")
    text = ask.get("/pages/operations").text
    (link,) = re.findall(r'class="mean" href="\.\./(try[^"]*)"', text)
    assert "<strong>1 to 16 May 2026</strong>" in ask.get(f"/{unescape(link)}").text
    assert 'class="mean"' not in ask.get("/pages/client").text


@pytest.mark.parametrize(("old", "new"), [
    ('step = "1 day"', 'step = "an hour"'), ('refresh = "10 minutes"', 'refresh = "1 second"'),
    ('refresh = "10 minutes"', 'refresh = "often"'), ('"no_future"]', '"no_past"]'),
    ('cuts = ["no_today"', 'inputs = { no_today = { kind = "switch", phrase = "except today" } }'
     '\ncuts = ["no_today"'),
])  # fmt: skip
def test_what_cannot_be_is_said(path, old, new):
    text = path.read_text()
    assert old in text
    wrong = path.parent / "wrong.toml"
    wrong.write_text(text.replace(old, new, 1))
    with pytest.raises(BookError):
        ulnager.read_book(wrong)
