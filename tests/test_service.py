"""The service over HTTP: as its description says, the same as the library, and hard to upset."""

import asyncio
import contextlib
import json
import os
import re
import resource
import socket
import statistics
import sys
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from datetime import date, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import httpx
import jsonschema
import pytest
import schemathesis
from hypothesis import given, settings
from hypothesis import strategies as st
from schemathesis.specs.openapi import checks as openapi

import ulnager
from serving import TODAY, book_in, library, round_robin, served
from ulnager.book.opened_files import Cache
from ulnager.core.errors import SettingError, SourceError
from ulnager.web import answers, request_guard
from ulnager.web.problems import UNREADABLE
from ulnager.web.request_guard import RequestGuard

from conftest import run_python
from strategies import TIMES, examples


@pytest.fixture(scope="module")
def book(tmp_path_factory):
    return book_in(tmp_path_factory.mktemp("served"))


@pytest.fixture(scope="module")
def known(book):
    return library(book)


@pytest.fixture(scope="module")
def address(book):
    with served(book) as (found, _):
        yield found


@pytest.fixture(scope="module")
def ask(address):
    with httpx.Client(base_url=address, timeout=30) as client:
        yield client


@pytest.fixture(scope="module")
def described(ask):
    return ask.get("/openapi.json").json()


# A phrase, a column and a state are any text as far as a description can say; ours says more.
BUT = [openapi.positive_data_acceptance]


def test_it_answers_as_it_is_described(address):
    api = schemathesis.openapi.from_url(f"{address}/openapi.json")
    operations = [one.ok() for one in api.get_all_operations()]
    for operation in operations:

        @settings(max_examples=max(8, int(20 * TIMES)), deadline=None)
        @given(operation.as_strategy())
        def tried(case):
            assert case.call_and_validate(excluded_checks=BUT).status_code < 500

        tried()
    assert len(operations) == 9


def test_every_field_is_described_and_the_examples_are_real(described, ask, book):
    def walk(node, path):
        if isinstance(node, dict):
            for name, one in node.get("properties", {}).items():
                assert one.get("description"), (*path, name)
            for name, one in node.items():
                if name not in ("example", "examples"):
                    walk(one, (*path, name))
        elif isinstance(node, list):
            for place, one in enumerate(node):
                walk(one, (*path, place))

    walk(described["components"]["schemas"], ())
    tried = 0
    for path, methods in described["paths"].items():
        for method, operation in methods.items():
            assert operation["description"], path
            given = {one["name"]: one.get("example") for one in operation.get("parameters", [])}
            for one in operation.get("parameters", []):
                assert one.get("description"), (path, one)
            example = operation["responses"]["200"]["content"]["application/json"]["example"]
            if method != "get":
                continue
            query = {name: one for name, one in given.items() if one and name != "name"}
            query |= {"phrase": "last 3 months"} if path == "/api/readings" else {}
            real = ask.get(path.replace("{name}", str(given.get("name"))), params=query).json()
            assert example == real, path
            tried += 1
    assert tried == 7


PROBLEMS = [
    ("GET", "/api/resolve?phrase=last+3+hole+months", {}, b"", 422, "phrase"),
    ("GET", "/api/resolve", {}, b"", 422, "parameters"),
    ("GET", "/api/resolve?phrase=today&today=yesterdayish", {}, b"", 422, "setting"),
    ("GET", "/api/resolve?phrase=last+3+hours", {}, b"", 422, "dates"),
    ("GET", "/api/resolve?phrase=today&today=9999-99-99", {}, b"", 422, "setting"),
    ("GET", "/api/resolve?phrase=3+years+after+today&today=9999-01-01", {}, b"", 422, "dates"),
    ("GET", f"/api/resolve?phrase={'x' * 3000}", {}, b"", 422, "parameters"),
    ("GET", f"/api/resolve?phrase={'x' * 20_000}", {}, b"", 414, "size"),
    ("GET", f"/{'x' * 2_000}", {}, b"", 414, "size"),
    ("GET", "/api/readings?phrase=recent", {}, b"", 422, "setting"),
    ("GET", "/api/condition?phrase=today&column=d&target=abacus", {}, b"", 422, "condition"),
    ("GET", "/api/condition?phrase=today&column=d&target=odata&live=1", {}, b"", 422, "setting"),
    ("GET", "/api/condition?phrase=recent&column=d&target=duckdb&live=1", {}, b"", 422, "setting"),
    ("GET", "/api/condition?phrase=today&column=d&column_type=timestamptz", {}, b"", 422, None),
    ("GET", "/api/pickers/nothing", {}, b"", 404, "name"),
    ("GET", "/api/pages/nothing", {}, b"", 404, "name"),
    ("GET", "/pages/..%2f..%2fetc%2fpasswd", {}, b"", 404, None),
    ("GET", "/static/page.py", {}, b"", 404, "path"),
    ("GET", "/api/schedules/monday_mail?now=2026-05-20T08:00", {}, b"", 422, "setting"),
    ("GET", "/nowhere", {}, b"", 404, "path"),
    ("DELETE", "/api/book", {}, b"", 405, "method"),
    ("GET", "/api/pages/operations?" + "a=1&" * 600, {}, b"", 414, "size"),
    ("POST", "/api/pickers/dates", {}, b"{}", 415, "media"),
    ("POST", "/api/pickers/dates", {"content-type": "application/json"}, b"{", 400, "body"),
    ("POST", "/api/pickers/dates", {"content-type": "application/json"},
     b"[" * 60_000, 400, "body"),
    ("POST", "/api/pickers/dates", {"content-type": "application/json"},
     b'{"state": ' + b"[" * 30_000, 400, "body"),
    ("POST", "/api/pickers/dates", {"content-type": "application/json"},
     b"9" * 50_000, 400, "body"),
    ("POST", "/api/pickers/dates", {"content-type": "application/json"}, b"[]", 422, "body"),
    ("POST", "/api/pickers/dates", {"content-type": "application/json"},
     b'{"state": {"dates": {"a": 1}}}', 422, "body"),
    ("POST", "/api/pickers/dates", {"content-type": "application/json"},
     b'{"state": {}, "more": 1}', 422, "body"),
    ("POST", "/api/pages/operations", {"content-type": "application/json"},
     b" " * 70_000, 413, "size"),
    ("GET", "/api/book", {"host": "elsewhere.example"}, b"", 421, "host"),
    ("GET", "/pages/operations", {"host": "elsewhere.example:80"}, b"", 421, "host"),
]  # fmt: skip


@pytest.mark.parametrize(("method", "path", "headers", "body", "status", "code"), PROBLEMS)
def test_what_is_wrong_is_told_as_problem_details(
    ask, book, method, path, headers, body, status, code
):
    answer = ask.request(method, path, headers=headers, content=body)
    assert answer.status_code == status, answer.text[:300]
    assert str(book.parent) not in answer.text
    assert "Traceback" not in answer.text
    if code is None:
        return  # Refused by the server before the service saw it, or one of several codes.
    told = answer.json()
    assert answer.headers["content-type"] == "application/problem+json"
    assert (told["status"], told["code"], told["type"]) == (status, code, "about:blank")
    assert told["detail"]
    assert len(answer.text) < 3_000
    if code == "phrase":
        assert told["phrase"]
    for word in ("default-src 'none'", "frame-ancestors 'none'"):
        assert word in answer.headers["content-security-policy"]


@pytest.mark.parametrize(
    "path", ["/pages/nope", "/nope", "/pages/%3Cb%3E%22", "/a//b/c", "/x/../y"]
)
def test_who_reads_pages_gets_a_page_with_a_way_back(ask, path):
    answer = ask.get(path, headers={"accept": "text/html,*/*"})
    assert (answer.status_code, answer.headers["cache-control"]) == (404, "no-store")
    assert "script-src 'self'" in answer.headers["content-security-policy"]
    assert "<b>" not in answer.text
    links = re.findall(r'<a href="([^"]*)"', answer.text)
    assert len(links) == 1
    assert answer.url.join(links[0]).path == "/"
    told = ask.get("/api/pages/nope", headers={"accept": "text/html"})
    assert told.headers["content-type"] == "application/problem+json"


def test_the_answers_are_those_of_the_library(ask, known):
    for phrase in ("last 3 whole months", "month_so_far", "year_before", "mtd", "pay",
                   "month_so_far, 1 year earlier"):  # fmt: skip
        told = ask.get("/api/resolve", params={"phrase": phrase}).json()
        known_here = known.resolve if phrase in known.periods else known.resolve_text
        result = known_here(phrase, today=TODAY)
        assert told["resolution"] == {**result.to_dict(), "steps": list(result.steps)}, phrase
    told = ask.get("/api/readings", params={"phrase": "last 3 months"}).json()["readings"]
    ways = ulnager.period("last 3 months").readings()
    assert [one["reading"] for one in told][:4] == list(ways)
    for target in ("ansi", "duckdb", "odata", "cql2", "cql2-json", "spark"):
        asked = {"phrase": "mtd plus last month", "column": "d", "target": target}
        answer = ask.get("/api/condition", params=asked).json()["condition"]
        assert "2026" in answer["text"] + str(answer["parameters"])
    asked = {"phrase": "quarter", "column": "d", "target": "duckdb", "live": "true"}
    answer = ask.get("/api/condition", params=asked)
    assert answer.status_code == 422  # It hangs on the data's latest whole day.
    asked["phrase"] = "last 3 whole months"
    answer = ask.get("/api/condition", params=asked).json()["condition"]
    assert (answer["live"], "current_date" in answer["text"]) == (True, True)
    told = ask.get("/api/book").json()
    assert [one["name"] for one in told["periods"]] == list(known.periods)
    dates = {one["name"]: one["dates"] for one in told["periods"]}
    assert dates["recent"] is None
    assert dates["month_so_far"] == known.resolve("month_so_far", today=TODAY).label
    moments = ask.get("/api/schedules/monday_mail").json()["moments"]
    schedule = known.schedule("monday_mail")
    at = datetime(2026, 5, 20, tzinfo=ZoneInfo("America/Halifax"))
    assert moments == json.loads(
        json.dumps([schedule.to_dict(one) for one in schedule.moments(at, 5)])
    )


FIELDS = st.dictionaries(
    st.sampled_from([
        "dates", "dates.recent.n", "dates.own.first", "dates.own.last", "dates.own.first.2",
        "dates.crew_weeks.weeks", "dates.no_last_day", "dates.by", "dates.state", "dates.shown",
        "dates.n", "other", "today.x", "dates.signed",
    ]),
    st.sampled_from([
        "recent", "own", "crew_weeks", "14", "0", "2026-03-01", "2026-03", "latest", "on", "week",
        "2026-W14,2026-04", "2026-03-01/2026-03-31", "", "dates=recent", "'; DROP TABLE x", "\x00",
        "<script>", "quarter", "../2026-05-05",
    ]),
)  # fmt: skip


@examples(25)
@given(FIELDS)
def test_a_view_is_what_the_picker_reads(ask, known, fields):
    view = known.picker("dates").read(fields, today=TODAY)
    answer = ask.get("/api/pickers/dates", params=fields).json()
    assert answer["view"] == json.loads(json.dumps(view.to_dict()))
    jsonschema.validate(answer["view"], ulnager.schema("view"))
    sent = ask.post("/api/pickers/dates", json={"state": fields}).json()
    assert sent == answer
    for link in filter(None, answer["links"].values()):
        assert ask.get(f"/api/pickers/dates?{link}").json()["view"]["problems"] == []
    page = ask.get("/pages/operations", params=fields)
    assert page.status_code == 200
    assert "<script>" not in page.text.replace(
        '<script src="../static/page.js" defer></script>', ""
    )
    assert "\x00" not in page.text


def test_a_page_is_what_the_page_reads_with_its_values(ask, known):
    for name in known.pages:
        for fields in ({}, {"dates": "recent", "dates.recent.n": "14"}, {"dates.by": "month"},
                       {"dates": "own", "dates.own.first": "x"}):  # fmt: skip
            opened = known.page(name).read(fields, today=TODAY)
            told = ask.get(f"/api/pages/{name}", params=fields).json()["page"]
            plain = opened.to_dict()
            assert told["pickers"] == json.loads(json.dumps(plain["pickers"]))
            for key, values in opened.values().items():
                chart = told["charts"][key]
                assert chart["dates"] == plain["charts"][key]["dates"]
                if values is None or isinstance(values, str):
                    assert chart["values"] is None
                    assert values is None or values in chart["notes"] + chart["problems"]
                else:
                    assert chart["values"] == json.loads(json.dumps(values.to_dict()))
            assert ask.get(f"/pages/{name}", params=fields).status_code == 200
    for day in ("9999-12-31", "0001-01-01", "2026-05-17", "2023-10-01")[:: 1 if TIMES >= 1 else 2]:
        for query in ("", "&dates=own&dates.own.last=9999-12-31", "&dates=0001-01-01/9999-12-31"):
            for path in ("/pages/operations", "/api/pages/two", "/pages/locked"):
                assert ask.get(f"{path}?today={day}{query}").status_code == 200, (day, query)
    less = ask.get("/api/pages/operations?values=false").json()["page"]["charts"]
    assert all(chart["values"] is None for chart in less.values())
    two = ask.get("/pages/two").text
    assert "Two &lt;b&gt;pickers&lt;/b&gt;" in two
    assert "more than 60" in two
    assert two.count("<figcaption>") == 3
    assert ask.get("/").text.count("href=") >= 5


def test_pages_and_views_in_other_languages(ask, known):
    words = {"de": "Auswahl", "ja": "選択", "fr-CA": "Choisir", "xx": "Choose", "": "Choose"}
    for locale, word in words.items():
        lang = locale if word != "Choose" else "en"
        page = ask.get("/pages/operations", params={"locale": locale, "dates": "recent"})
        assert page.status_code == 200
        assert f'<html lang="{lang}">' in page.text
        assert f"<legend>{word}</legend>" in page.text
    told = ask.get("/api/pickers/dates?locale=de&dates=recent&dates.recent.n=x").json()["view"]
    view = known.picker("dates").read(
        {"dates": "recent", "dates.recent.n": "x"}, today=TODAY, locale="de"
    )
    assert told == json.loads(json.dumps(view.to_dict()))
    assert told["problems"] == ["Tage: eine ganze Zahl wird gebraucht"]
    assert ask.get("/api/pickers/dates?locale=xx").status_code == 422
    label = ask.get("/api/resolve?phrase=this+month&locale=fr").json()["resolution"]["label"]
    assert label.endswith("mai 2026")
    charts = ask.get("/api/pages/operations?locale=fr").json()["page"]["charts"]
    assert charts["harbours"]["governed_by"] == "sans dates"
    assert charts["this_year"]["values"]["rows"][0]["label"] == "oct. 2025"


def test_answers_are_kept_while_they_are_true(book):
    with served(book, today=None) as (address, _), httpx.Client(base_url=address) as ask:
        answer = ask.get("/api/resolve?phrase=last+7+rolling+days")
        until = datetime.fromisoformat(answer.json()["until"])
        now = datetime.now().astimezone()
        assert (until.hour, until.minute) == (0, 0)
        assert timedelta(0) < until - now <= timedelta(days=1, hours=1)
        kept, age = answer.headers["cache-control"].split(", max-age=")
        assert kept == "private"
        assert abs(int(age) - (until - now).total_seconds()) < 10
        tag = answer.headers["etag"]
        for known in (tag, f'"other", W/{tag}', "*"):
            again = ask.get("/api/resolve?phrase=last+7+rolling+days",
                            headers={"if-none-match": known})  # fmt: skip
            assert (again.status_code, again.content) == (304, b"")
        head = ask.head("/api/resolve?phrase=last+7+rolling+days")
        assert (head.headers["etag"], head.content) == (tag, b"")
        # Of the data, which may come at any time, nothing is kept unasked; of hours nothing at all.
        for path in ("/api/resolve?phrase=month_so_far", "/api/pickers/dates", "/pages/operations"):
            answer = ask.get(path)
            assert answer.headers["cache-control"] == "private, no-cache"
            assert (
                ask.get(path, headers={"if-none-match": answer.headers["etag"]}).status_code == 304
            )
        told = ask.get("/api/pickers/dates").json()
        zone = ZoneInfo("America/Halifax")
        assert datetime.fromisoformat(told["until"]) == answers.end_of_day(zone)
        hours = ask.get("/api/resolve?phrase=last+3+hours&tz=Asia/Tokyo")
        assert hours.json()["resolution"]["spans"][0]["start"].endswith("+09:00")
        assert hours.headers["cache-control"] == "private, no-cache"
        assert re.search(r"until \d+ \w+ 20\d\d 00:00", ask.get("/pages/operations").text)


def test_the_day_ends_at_midnight_in_its_zone():
    for zone in ("America/Halifax", "Asia/Tokyo", "UTC", "Pacific/Kiritimati"):
        end = answers.end_of_day(zone)
        here = datetime.now(ZoneInfo(zone))
        assert end.date() == here.date() + timedelta(days=1)
        assert (end.hour, str(end.tzinfo)) == (0, zone)


def test_new_data_and_a_source_that_goes_away(tmp_path):
    book = book_in(tmp_path)
    sailings = tmp_path / "sailings.csv"
    with served(book) as (address, _), httpx.Client(base_url=address) as ask:

        def charts():
            return ask.get("/api/pages/operations").json()["page"]["charts"]

        before = charts()
        assert before["passengers"]["dates"]["end"] == "2026-05-16"
        # A night later: the untouched form that was shown before follows.
        shown = ask.get("/api/pickers/dates").json()["view"]
        form = {"dates": shown["choice"], "dates.state": "", "dates.shown": shown["shown"],
                "dates.no_last_day": "off", "dates.by": "day"}  # fmt: skip
        last = [line for line in sailings.read_text().splitlines() if line.startswith("2026-05-15")]
        days = [one.replace("2026-05-15", f"2026-05-{n}") for n in (17, 18, 19) for one in last]
        with sailings.open("a") as more:
            more.write("\n".join(days) + "\n")
        assert charts()["passengers"]["dates"]["end"] == "2026-05-19"
        page = ask.get("/pages/operations", params=form).text
        assert "1 to 19 May 2026" in page
        assert "which opened with Month so far" in page
        sailings.rename(tmp_path / "elsewhere.csv")
        gone = charts()
        assert gone["passengers"]["problems"] == [UNREADABLE]
        page = ask.get("/pages/operations")
        assert (page.status_code, UNREADABLE in page.text) == (200, True)
        assert str(tmp_path) not in page.text
        assert ask.get("/api/pickers/dates").json()["view"]["problems"] == [UNREADABLE]
        problem = ask.get("/api/resolve?phrase=month_so_far")
        assert (problem.status_code, problem.json()["code"]) == (503, "source")
        # Pinned dates are known; their numbers are not.
        two = ask.get("/api/pages/two?repairs=office_days").json()["page"]["charts"]
        assert UNREADABLE in two["days"]["notes"] + two["days"]["problems"]
        assert two["repairs"]["values"] is not None
        (tmp_path / "elsewhere.csv").rename(sailings)
        assert charts()["passengers"]["values"] is not None


def test_two_copies_behind_a_proxy_give_the_same_answers(book, address):
    with served(book) as (other, _), round_robin(address, other) as proxy:
        state = ""
        for step in range(12 if TIMES >= 1 else 5):
            fields = {"dates": "recent" if step % 2 else "own", "dates.state": state,
                      "dates.recent.n": str(7 + step)}  # fmt: skip
            views = [httpx.get(f"{proxy}/api/pickers/dates", params=fields).json() for _ in "ab"]
            pages = [httpx.get(f"{proxy}/pages/operations", params=fields).text for _ in "ab"]
            assert views[0] == views[1]
            assert pages[0] == pages[1]
            state = str(httpx.QueryParams(views[0]["view"]["state"]))


def test_a_phrase_of_a_million_signs(address):
    host, port = address.removeprefix("http://").split(":")
    with socket.create_connection((host, int(port)), 10) as connection:
        with contextlib.suppress(OSError):
            connection.sendall(
                b"GET /api/resolve?phrase=" + b"x" * 1_000_000 + b" HTTP/1.1\r\n\r\n"
            )
        with contextlib.suppress(OSError):
            assert connection.recv(64).split()[1] in (b"400", b"414", b"431")
    assert httpx.get(f"{address}/api/book").status_code == 200


def _asked(client, path, body=None):
    begun = time.perf_counter()
    if body is None:
        answer = client.get(path)
    else:
        answer = client.post(path, content=body, headers={"content-type": "application/json"})
    return answer.status_code, time.perf_counter() - begun


def _memory(process):
    """What a process holds in memory, in bytes."""
    told = Path(f"/proc/{process.pid}/statm").read_text()
    return int(told.split()[1]) * resource.getpagesize()


@pytest.mark.skipif(not sys.platform.startswith("linux"), reason="memory is read from /proc")
def test_a_hundred_requests_a_second(book):
    """Three seconds of them; a minute with ULNAGER_CASES over 1."""
    seconds, rate = (60, 100) if TIMES > 1 else (3, 100)
    paths = [f"/api/{one}" for one in (
        "resolve?phrase=last+3+whole+months", "readings?phrase=last+3+months",
        "condition?phrase=mtd&column=d", "resolve?phrase=last+3+hole+months")]  # fmt: skip
    states = [json.dumps({"state": {"dates": "recent", "dates.recent.n": str(n)}}).encode()
              for n in range(1, 91)]  # fmt: skip
    limit = httpx.Limits(max_connections=50, max_keepalive_connections=50)
    with (
        served(book) as (address, process),
        httpx.Client(base_url=address, timeout=30, limits=limit) as client,
    ):
        for path in (*paths, "/pages/operations"):
            _asked(client, path)
        before, jobs = _memory(process), []
        with ThreadPoolExecutor(40) as pool:
            begun = time.perf_counter()
            for n in range(seconds * rate):
                time.sleep(max(0.0, begun + n / rate - time.perf_counter()))
                if n % 5 == 4:
                    jobs.append(pool.submit(_asked, client, "/api/pickers/dates",
                                            states[n // 5 % len(states)]))  # fmt: skip
                elif n % 20 == 1:
                    day = f"/pages/operations?dates=recent&dates.recent.n={n // 20 % 90 + 1}"
                    jobs.append(pool.submit(_asked, client, day))
                else:
                    jobs.append(pool.submit(_asked, client, paths[n % len(paths)]))
            found = [job.result() for job in jobs]
        times = sorted(taken for _, taken in found)
        assert {status for status, _ in found} <= {200, 422}
        grown = _memory(process) - before
        assert grown < 150_000_000, grown
        p99 = times[int(len(times) * 0.99)]
        told = f"{len(found)} requests, median {statistics.median(times):.3f} s, p99 {p99:.3f} s"
        print(told, f"{grown / 1e6:.0f} MB more")


def _through(app, *messages, path="/", headers=(), method="GET"):
    """What an application sends for messages, in this process."""
    sent, queue = [], list(messages)

    async def receive():
        if not queue:
            await asyncio.sleep(60)
        return queue.pop(0)

    async def send(message):
        sent.append(message)

    scope = {"type": "http", "method": method, "path": path, "query_string": b"",
             "headers": [(b"host", b"localhost"), *headers]}  # fmt: skip
    asyncio.run(app(scope, receive, send))
    return sent


def test_what_is_slow_ends(monkeypatch):
    monkeypatch.setattr(request_guard, "SECONDS_TO_SEND", 0.1)
    monkeypatch.setattr(request_guard, "SECONDS_TO_ANSWER", 0.1)

    async def slow(scope, receive, send):
        await asyncio.sleep(60)

    async def broken(scope, receive, send):
        raise RuntimeError("/secret/place")

    async def late(scope, receive, send):
        await send({"type": "http.response.start", "status": 200, "headers": []})
        raise RuntimeError("/secret/place")

    whole = {"type": "http.request", "body": b"", "more_body": False}
    part = {"type": "http.request", "body": b"x", "more_body": True}
    assert _through(RequestGuard(slow), whole)[0]["status"] == 503
    assert _through(RequestGuard(slow), part)[0]["status"] == 503
    sent = _through(RequestGuard(broken), whole)
    assert (sent[0]["status"], b"secret" in sent[1]["body"]) == (500, False)
    assert [one["type"] for one in _through(RequestGuard(late), whole)] == ["http.response.start"]
    assert _through(RequestGuard(slow), {"type": "http.disconnect"}) == []
    big = {"type": "http.request", "body": b"x" * 40_000, "more_body": True}
    assert _through(RequestGuard(slow), big, big)[0]["status"] == 413
    for length in (b"99999999", b"-1", b"x"):
        told = _through(RequestGuard(slow), whole, headers=[(b"content-length", length)])
        assert told[0]["status"] == 413
    head = _through(RequestGuard(broken), whole, method="HEAD")
    assert head[1]["body"] == b""

    async def closed(message):
        assert message == {"type": "websocket.close", "code": 1008}

    asyncio.run(RequestGuard(slow)({"type": "websocket"}, None, closed))


def test_what_is_kept_is_worked_out_once_and_failures_are_not_kept():
    kept, made = Cache(3), []
    begin = threading.Barrier(8)

    def make():
        made.append(1)
        time.sleep(0.05)
        return len(made)

    def one(_):
        begin.wait()
        return kept.of("key", make)

    with ThreadPoolExecutor(8) as pool:
        assert set(pool.map(one, range(8))) == {1}

    def fails():
        raise SourceError("gone")

    for _ in "ab":
        with pytest.raises(SourceError):
            kept.of("bad", fails)
    assert kept.of("bad", lambda: 5) == 5
    for n in range(10):
        kept.of(n, lambda: 0)
    assert kept.of("key", lambda: "anew") == "anew"


@pytest.mark.parametrize("today", [TODAY, None])
def test_the_numbers_of_a_page_are_kept_whatever_the_clock(book, today):
    held = answers.BookAnswers(library(book), today)

    def values():
        opened = held.opened("two", {})
        return held.values(opened, opened.to_dict())

    assert values() is values()


def test_nothing_is_served_of_a_book_with_mistakes(cli, tmp_path):
    code, out, err = cli("serve", "--book", "demo:careless", "--port", "0", "--today", TODAY)
    assert code == 1
    assert "careless.toml: " in err
    assert "error" in out
    assert "careless.toml:" in out
    assert cli("serve", "--book", str(tmp_path / "none.toml"))[0] == 1
    assert cli("serve", "--book", "demo:ferries", "--port", "99999")[0] == 2
    with socket.create_server(("127.0.0.1", 0)) as taken:
        port = str(taken.getsockname()[1])
        code, _, err = cli("serve", "--book", "demo:ferries", "--port", port, "--today", TODAY)
        assert code == 1
        assert f"port {port}" in err
        assert "--port 0" in err
    with pytest.raises(SettingError, match="book is 5"):
        ulnager.service(5)
    with pytest.raises(SettingError, match="today is"):
        ulnager.service(book_in(tmp_path), today="someday")


def test_serve_says_what_it_needs(tmp_path):
    code = ("import sys; sys.modules['uvicorn'] = None\n"
            "from ulnager.cli.main import main\n"
            "try: main(['serve', '--book', 'demo:ferries'])\n"
            "except SystemExit as left: print(left.code)")  # fmt: skip
    assert run_python("-c", code).strip() == "2"


def test_it_answers_to_the_names_that_it_was_given(book):
    with served(book, "--name", "dates.example") as (address, _):
        for host, status in (("dates.example", 200), ("DATES.example:80", 200),
                             ("localhost:1", 200), ("[::1]:80", 200), ("evil.example", 421),
                             ("dates.example.evil", 421), ("", 421)):  # fmt: skip
            answer = httpx.get(f"{address}/api/book", headers={"host": host})
            assert answer.status_code == status, host
    with served(book, "--name", "*") as (address, _):
        assert httpx.get(f"{address}/api/book", headers={"host": "any.one"}).status_code == 200


def test_a_password_and_a_place_stay_inside(tmp_path, monkeypatch):
    monkeypatch.setenv("FERRY_PASSWORD", "canary-4711")
    text = ('[sources.trips]\nurl = "postgresql://me@127.0.0.1:1/ferry"\ntable = "trips"\n'
            'column = "day"\npassword_env = "FERRY_PASSWORD"\n'
            '[periods.load]\nphrase = "last 7 days as of latest"\n'
            '[pickers.p]\nchoices = ["load"]\nopens = "load"\n'
            '[pages.page]\npicker = "p"\n[pages.page.charts.c]\nsource = "trips"\n')  # fmt: skip
    path = tmp_path / "book.toml"
    path.write_text(text)
    found = ulnager.read_book(path, allow_outside=True)
    served_here = answers.BookAnswers(found, TODAY)
    told = json.dumps([served_here.page("page", {}).to_dict(), served_here.view("p", {}).to_dict(),
                       served_here.at_a_glance().to_dict()])  # fmt: skip
    for secret in ("canary", "127.0.0.1", "postgresql", str(tmp_path)):
        assert secret not in told
    assert UNREADABLE in told
    assert answers.discreet("by day there are 3/4") == "by day there are 3/4"
    for text in ("/tmp/x.csv is not there", "'C:\\data\\x' is gone", "postgresql://a@b: no"):
        assert answers.discreet(text) == UNREADABLE
    assert date.fromisoformat(TODAY) == served_here.today
    assert os.environ["FERRY_PASSWORD"] not in told
