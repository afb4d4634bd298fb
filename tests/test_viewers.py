"""What one viewer cannot do to another, and what none may know: on the service itself."""

import asyncio
import gc
import json
import re
import socket
import threading
import time
from html import unescape
from urllib.parse import parse_qs, urlencode

import httpx
import pytest
from hypothesis import given
from hypothesis import strategies as st
from starlette.testclient import TestClient

import ulnager
from serving import MORE, TODAY, book_in, served
from ulnager import SettingError
from ulnager.book.opened_files import Cache
from ulnager.book.sources import BookSource
from ulnager.sources.source import GivenUp, asked
from ulnager.web.workers import Workers

from strategies import examples

KEY = "ULNAGER_VIEWERS_KEY"
GOOD = "a key of several words, and long"
CANARIES = """
[calendars.gregorian_one]
[sources.canary_source]
file = "canary_file.csv"
column = "canary_day"
where = { canary_where = "canary_value" }
[anchors.canary_anchor]
point = "latest"
sources = ["canary_source"]
[periods.quarter_so_far]
phrase = "quarter to date"
[periods.quarter_plain]
phrase = "quarter to date"
calendar = "gregorian_one"
[periods.canary_choice]
phrase = "last 17 whole weeks"
label = "Canary label"
anchor = "canary_anchor"
[pickers.canary_picker]
label = "Canary picker"
choices = ["canary_choice"]
viewers = "nothing"
[pickers.quarters]
choices = ["quarter_so_far", "quarter_plain"]
[pickers.quarters.by]
of = ["month", "quarter"]
opens = "quarter"
[pages.canaries]
label = "Seen"
picker = "quarters"
[pages.canaries.charts.followed]
source = "sailings"
by = "quarter"
value = "fares"
[pages.canaries.charts.shown]
source = "sailings"
follows = "canary_picker"
[pages.canaries.charts.failing]
source = "canary_source"
follows = "quarters"
split = "canary_split"
"""


@pytest.fixture(scope="module")
def book(tmp_path_factory):
    folder = tmp_path_factory.mktemp("viewers")
    (folder / "canary_file.csv").write_text(
        "canary_day,canary_where,canary_ssn\n2026-05-01,canary_value,1\n"
    )
    return book_in(folder, MORE + CANARIES)


def client(app):
    return httpx.AsyncClient(transport=httpx.ASGITransport(app), base_url="http://x")


async def got(app, path):
    async with client(app) as ask:
        answer = await ask.get(path)
    return answer.status_code, answer.content, answer.headers.get("etag")


PATHS = st.tuples(
    st.sampled_from(["/pages/canaries", "/api/pages/canaries", "/api/pages/operations",
                     "/api/pickers/quarters", "/api/book", "/pages/two"]),
    st.dictionaries(
        st.sampled_from(["quarters", "quarters.by", "dates", "dates.by", "locale", "repairs"]),
        st.sampled_from(["quarter_so_far", "quarter_plain", "quarter", "month", "week", "de", "fr",
                         "recent", "month_so_far", "2026-03-01/2026-03-31", "year_so_far"]),
        max_size=3,
    ),
)  # fmt: skip


@examples(8)
@given(st.lists(PATHS, min_size=2, max_size=6))
def test_a_warm_service_answers_as_a_fresh_one(book, asked_for):
    """Whatever was asked before by whom: byte by byte, in two copies, also all at once."""
    paths = [f"{path}?{httpx.QueryParams(fields)}" for path, fields in asked_for]

    async def all_of_them():
        warm = ulnager.service(book, today=TODAY)
        one_by_one = [await got(warm, path) for path in paths]
        at_once = await asyncio.gather(*(got(warm, path) for path in reversed(paths)))
        fresh = [await got(ulnager.service(book, today=TODAY), path) for path in paths]
        return one_by_one, at_once[::-1], fresh

    one_by_one, at_once, fresh = asyncio.run(all_of_them())
    for path, *found in zip(paths, one_by_one, at_once, fresh, strict=True):
        assert found[0] == found[2], path
        assert found[1] == found[2], path


def test_two_choices_of_one_phrase_keep_their_calendars(book):
    app, found = ulnager.service(book, today=TODAY), {}
    for key in ("quarter_so_far", "quarter_plain"):
        told = json.loads(asyncio.run(got(app, f"/api/pages/canaries?quarters={key}"))[1])
        found[key] = [row["label"] for row in told["page"]["charts"]["followed"]["values"]["rows"]]
    assert found == {"quarter_so_far": ["Q3 FY2026"], "quarter_plain": ["Q2 2026"]}


def test_no_canary_reaches_a_viewer(book):
    app = ulnager.service(book, today=TODAY)
    paths = ["/", "/api/book", "/pages/canaries", "/api/pages/canaries", "/openapi.json",
             "/api/pickers/canary_picker", "/api/pickers/nope", "/api/resolve?phrase=canary_choice",
             "/api/readings?phrase=canary_choice", "/api/resolve?phrase=canary",
             "/api/condition?phrase=canary_choice&column=d", "/api/pages/nope",
             "/api/resolve?phrase=canary_choice,+1+year+earlier", "/api/schedules/nope",
             "/pages/canaries?canary_picker=canary_choice",
             "/api/schedules/monday_mail"]  # fmt: skip
    for path in paths:
        _, body, _ = asyncio.run(got(app, path))
        # What was asked for may be said back; and a chart's own source and column are its own.
        text = body.decode().lower().replace('"source": "canary_source"', "")
        text = text.replace('"column": "canary_day"', "")
        for known in ("canary_choice", "canary_picker") if known_in(path) else ():
            text = text.replace(known, "")
        told = text.find("canary_")
        assert told < 0, (path, text[max(0, told - 60) : told + 60])
        assert "canary label" not in text
        assert "last 17" not in text
        assert "canary picker" not in text
    told = json.loads(asyncio.run(got(app, "/api/pages/canaries"))[1])["page"]
    assert list(told["pickers"]) == ["quarters"]
    assert told["charts"]["shown"]["governed_by"] == "its dates are set here"
    assert (
        told["charts"]["shown"]["dates"]["phrase"] == "2026-01-05/2026-05-03"
        or "/" in (told["charts"]["shown"]["dates"]["phrase"])
    )
    assert "cannot be read at the moment" in json.dumps(told["charts"]["failing"])


def known_in(path):
    return "canary" in path.partition("?")[2] or path.endswith("canary_picker")


DAYS = ["/api/resolve?phrase=today&today=2020-01-01", "/api/pages/locked?today=2020-01-01",
        "/pages/locked?today=2020-01-01", "/api/pickers/dates?today=2020-01-01",
        "/api/readings?phrase=last+3+days&today=2020-01-01",
        "/api/condition?phrase=today&column=d&today=2020-01-01",
        "/api/schedules/monday_mail?now=2020-01-01T00:00:00Z"]  # fmt: skip


def test_viewers_set_the_day_only_where_they_may(book, monkeypatch, tmp_path):
    plain, free = ulnager.service(book), ulnager.service(book, any_day=True)
    for path in DAYS:
        status, body, _ = asyncio.run(got(plain, path))
        assert status == 400, path
        assert b"cannot be set" in body
        assert asyncio.run(got(free, path))[0] == 200, path
    for now in ("0001-01-01T00:00:00Z", "9999-12-31T23:59:59Z", "x", "2026-01-01", "0001-01-01"):
        assert asyncio.run(got(free, f"/api/schedules/monday_mail?now={now}"))[0] in (400, 422)
    page = asyncio.run(got(ulnager.service(book, today=TODAY), "/pages/operations"))[1]
    assert b"the clock stands still" in page
    assert b"the clock stands still" not in asyncio.run(got(plain, "/pages/operations"))[1]
    monkeypatch.setenv(KEY, GOOD)
    keyed = book_in(tmp_path, "")
    keyed.write_text(f'link_key = "{KEY}"\n' + keyed.read_text().replace("link_key", "# link_key"))
    with pytest.raises(SettingError, match="link_key"):
        ulnager.service(keyed, any_day=True)
    # A signed link expires by the real clock, whatever day the service shows.
    link = ulnager.read_book(keyed).picker("dates").open(today=TODAY).choose("recent").link(
        fixed=True, expires="2026-06-01")  # fmt: skip
    app = ulnager.service(keyed, today=TODAY)
    told = json.loads(asyncio.run(got(app, f"/api/pickers/dates?{link}"))[1])["view"]
    assert (told["viewers"], "expired" in told["notes"][0]) == ("choose", True)


def test_keys_of_links_cannot_be_guessed(tmp_path, monkeypatch):
    def signed_book(folder, text):
        folder.mkdir()
        (folder / "b.toml").write_text(f'link_key = "{KEY}"\n[periods.a]\nphrase = "{text}"\n'
                                       '[pickers.dates]\nchoices = ["a"]\n')  # fmt: skip
        return ulnager.read_book(folder / "b.toml")

    book = signed_book(tmp_path / "one", "last 3 days")
    for key in ("short", "a" * 40, " " * 40, "ab" * 20, " " * 20 + "short", "fifteen letters"):
        monkeypatch.setenv(KEY, key)
        with pytest.raises(SettingError, match=r"secrets\.token_urlsafe"):
            book.picker("dates").open().link(fixed=True)
        with pytest.raises(SettingError, match="could be guessed"):
            ulnager.service(book)
    monkeypatch.setenv(KEY, GOOD)
    link = book.picker("dates").open().link(fixed=True)
    copy = signed_book(tmp_path / "copy", "last 3 days").picker("dates")
    assert copy.read(link).locked
    other = signed_book(tmp_path / "other", "last 300 days").picker("dates").read(link)
    assert (other.locked, "other choices" in other.notes[0]) == (False, True)
    # One spelling: signs that are decoded to the same are another link.
    token = link.partition("=")[2]
    for changed in (token + "=", token[:-1] + chr(ord(token[-1]) ^ 1), token.replace(".", ".."),
                    f" {token}", token + "%20"):  # fmt: skip
        assert not copy.read(f"dates.signed={changed}").locked, changed


def test_few_questions_at_once_each_asked_once_and_given_up():
    """Eight at a time, whoever has gone meanwhile; one for all who wait; none for nobody."""
    state = {"now": 0, "most": 0, "runs": 0, "answered": 0}
    lock = threading.Lock()

    def work(key):
        over = threading.Event()

        with lock:
            state["runs"] += 1
            state["now"] += 1
            state["most"] = max(state["most"], state["now"])
        try:
            asked(lambda: over.wait(3), over.set, None, lambda: AssertionError())
            with lock:
                state["answered"] += not over.is_set()
        finally:
            with lock:
                state["now"] -= 1
        return key

    async def waves():
        workers = Workers()
        for wave in range(4):
            tasks = [
                asyncio.ensure_future(workers.answer((wave, n), lambda: work(0))) for n in range(8)
            ]
            same = [
                asyncio.ensure_future(workers.answer((wave, 0), lambda: work(0))) for _ in range(5)
            ]
            await asyncio.sleep(0.05)
            for task in (*tasks, *same[1:]):
                task.cancel()
            await asyncio.sleep(0.05)
        kept = await asyncio.gather(*same[:1], return_exceptions=True)
        for _ in range(200):
            if not state["now"]:
                break
            await asyncio.sleep(0.05)
        workers.close()
        return kept

    kept = asyncio.run(waves())
    assert state["most"] <= 8
    assert state["now"] == 0
    # The one somebody still waited for was answered, and all others were stopped or never began.
    assert kept == [0]
    assert state["answered"] <= 4
    assert state["runs"] <= 32


def test_one_who_gives_up_does_not_take_others_along():
    kept, begun, found = Cache(5), threading.Event(), []

    def gives_up():
        begun.set()
        time.sleep(0.2)
        raise GivenUp("gone")

    def asks_first():
        with pytest.raises(GivenUp):
            kept.of("k", gives_up)

    first = threading.Thread(target=asks_first)
    first.start()
    begun.wait()
    second = threading.Thread(target=lambda: found.append(kept.of("k", lambda: 7)))
    second.start()
    first.join()
    second.join()
    assert found == [7]


def test_the_glance_asks_each_source_once_and_the_description_none(book, monkeypatch):
    count = {"n": 0}
    profiled = BookSource.profile

    def counted(self, *args, **more):
        count["n"] += 1
        return profiled(self, *args, **more)

    monkeypatch.setattr(BookSource, "profile", counted)
    app = ulnager.service(book, today=TODAY)
    asyncio.run(got(app, "/openapi.json"))
    assert count["n"] == 0
    asyncio.run(got(app, "/api/book"))
    first = count["n"]
    assert first <= 5
    for _ in range(3):
        asyncio.run(got(app, "/api/book"))
    assert count["n"] == first


def test_of_a_source_the_newest_is_held_in_memory_and_answers_as_opened_anew(tmp_path):
    """Each answer of a file that changed would hold the old one, whole."""
    (tmp_path / "r.csv").write_text("d,n,k\n2026-05-01,1,a\n")
    (tmp_path / "book.toml").write_text(
        '[sources.r]\nfile = "r.csv"\n[periods.p]\nphrase = "2026-05"\n'
        '[pickers.dates]\nchoices = ["p"]\n'
        '[values.k]\ncolumn = "k"\n[pages.p]\npicker = "dates"\nvalues = ["k"]\n'
        '[pages.p.charts.c]\nsource = "r"\nvalue = "n"\nhow = "sum"\n'
    )

    def held():
        gc.collect()
        sources = [one for one in gc.get_objects() if type(one).__name__ == "FileSource"]
        return len({id(one._connection) for one in sources})

    before, service = held(), ulnager.service(tmp_path / "book.toml", today=TODAY)
    client, asked_for = TestClient(service), ("/api/pages/p", "/api/pages/p?k=~a")
    for n in (2, 5):
        with (tmp_path / "r.csv").open("a") as more:
            more.write(f"2026-05-0{n},{n},{'ab'[n % 2]}\n")
        answers = [client.get(path).json() for path in asked_for * 2]
        assert held() == before + 1
        fresh = TestClient(ulnager.service(tmp_path / "book.toml", today=TODAY))
        assert answers == [fresh.get(path).json() for path in asked_for * 2]
        before = held() - 1  # Its own one stays a while.
    assert answers[0]["page"]["charts"]["c"]["values"]["rows"][0]["value"] == 8


def test_headers_have_their_time_and_nothing_redirects(book):
    with served(book, today=None, patience=1) as (address, _):
        host, port = address.removeprefix("http://").split(":")
        slow = socket.create_connection((host, int(port)))
        slow.sendall(b"GET / HTTP/1.1\r\nHost: 127.0.0.1\r\n")
        for path in ("/api/book/", "/pages/operations/", "/static/"):
            answer = httpx.get(address + path, headers={"host": "127.0.0.1"})
            assert (answer.status_code, "location" in answer.headers) == (404, False), path
        half = {"content": b'{"state": {"dates": "\\ud800"}}',
                "headers": {"content-type": "application/json"}}  # fmt: skip
        assert httpx.post(address + "/api/pickers/dates", **half).status_code == 400
        assert is_ended(slow)


def is_ended(connection):
    """Whether the other side ends a connection on which one header follows another, for ever."""
    connection.settimeout(0.5)
    for _ in range(100):
        try:
            connection.sendall(b"X-More: x\r\n")
            if connection.recv(100) == b"":
                return True
        except TimeoutError:
            continue
        except OSError:
            return True
    return False


def test_a_file_that_was_back_for_a_moment_is_gone_again(tmp_path, monkeypatch):
    """What is read of it is not kept for the time when it is gone, which looks as it did before."""
    (tmp_path / "r.csv").write_text("d\n2026-05-01\n2026-05-17\n")
    (tmp_path / "book.toml").write_text(
        '[sources.r]\nfile = "r.csv"\n[anchors]\nl = { point = "latest", sources = ["r"] }\n'
        '[periods.p]\nphrase = "last 3 rolling days"\nanchor = "l"\n'
        '[pickers.dates]\nchoices = ["p"]\n[pages.p]\npicker = "dates"\n[pages.p.charts.c]\n'
        'source = "r"\n'
    )
    path, read = tmp_path / "r.csv", BookSource._raw
    held = path.read_text()
    client = TestClient(ulnager.service(tmp_path / "book.toml", today=TODAY))

    def told():
        found = []
        for one in ("pickers/dates", "pages/p"):
            path.unlink(missing_ok=True)
            found.append(client.get(f"/api/{one}").text)
        return found

    def back(self, *args):
        path.write_text(held)
        return read(self, *args)

    gone = told()
    with monkeypatch.context() as patched:
        patched.setattr(BookSource, "_raw", back)
        assert all("2026-05-17" in one for one in told())
    assert told() == gone


def test_a_step_of_one_picker_keeps_what_the_other_says(book):
    query = {"dates": "recent", "dates.recent.n": "3", "repairs": "year_so_far"}
    _, page, _ = asyncio.run(got(ulnager.service(book, today=TODAY),
                                 f"/pages/two?{urlencode(query)}"))  # fmt: skip
    steps = [parse_qs(unescape(link), keep_blank_values=True)
             for link in re.findall(r'href="\?([^"]*state=[^"]*)"', page.decode())]  # fmt: skip
    assert any("dates.state" in link for link in steps)
    for link in steps:
        kept = {name: value for name, value in query.items()
                if f"{name.partition('.')[0]}.state" not in link}  # fmt: skip
        assert kept
        assert all(link[name] == [value] for name, value in kept.items())
