"""What a stranger's book, data or server may not do: read elsewhere, never end, eat all memory."""

import gzip
import json
import os
import signal
import socket
import sqlite3
import subprocess
import sys
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from datetime import date
from pathlib import Path

import duckdb
import pytest
import sqlalchemy as sa

import ulnager
from ulnager import (
    BookError,
    SettingError,
    SourceError,
    UlnagerError,
    open_source,
    period,
    preview,
    read_book,
)
from ulnager.sources.trusted import configured, is_trusted_server
from ulnager.sources.urls import read_address

from conftest import ROOT
from engines import REQUIRED, URLS

RESULT = period("2026-05").resolve()
OUTSIDE = r"is outside the folder of the book|server|cannot be read|takes no options"


@pytest.fixture
def house(tmp_path):
    """A folder for a book, beside a folder with canaries in every form."""
    house, secret = tmp_path / "house", tmp_path / "secret"
    (house / "sub").mkdir(parents=True)
    secret.mkdir()
    for path in (secret / "s.db", house / "own.db"):
        with sqlite3.connect(path) as base:
            base.execute("CREATE TABLE t (d DATE, v TEXT)")
            base.execute("INSERT INTO t VALUES ('2026-05-01', 'x')")
    with duckdb.connect(str(secret / "d.db")) as base:
        base.execute("CREATE TABLE t AS SELECT DATE '2026-05-01' AS d")
    for path in (secret / "x.csv", house / "sub" / "in.csv"):
        path.write_text("d\n2026-05-01\n")
    (house / "sub" / "way").symlink_to(secret)
    (house / "link.db").symlink_to(secret / "s.db")
    (house / "sub" / "round").symlink_to(house)
    return house


def rows_of(house, text):
    """The rows of what a book reads; an error of ours where it may not."""
    (house / "book.toml").write_text(text)
    return [one.profile().rows for one in read_book(house / "book.toml").sources.values()]


URLS_OUT = ("sqlite:///%2e%2e/secret/s.db", "sqlite:///..%2fsecret/s.db", "sqlite:///../secret/s.db",
            "duckdb:///%2e%2e/secret/d.db", "sqlite:///link.db", "sqlite:///link.db?",
            "sqlite:///sub/way/s.db", "duckdb:///sub/%77ay/d.db", "sqlite+pysqlite:///..%2Fsecret/s.db",
            "sqlite:///%252e%252e/secret/s.db", "sqlite:///file:..%2fsecret/s.db?uri=true",
            "duckdb:///md:x", "postgresql:///test?host=/var/run/postgresql")  # fmt: skip
FILES_OUT = ("sub/**/*.csv", "**/x.csv", "sub/*/x.csv", "sub/way/x.csv", "s*/w*/*.csv", "/dev/zero",
             "sub/way/../../../secret/x.csv", "sub")  # fmt: skip


def test_a_book_opens_nothing_outside_its_folder(house):
    for url in URLS_OUT:
        with pytest.raises(UlnagerError, match=OUTSIDE):
            print(rows_of(house, f'[sources.s]\nurl = "{url}"\ntable = "t"'))
    for name in FILES_OUT:
        with pytest.raises(BookError, match="outside the folder"):
            print(rows_of(house, f'[sources.s]\nfile = "{name}"'))
    assert rows_of(house, '[sources.s]\nurl = "sqlite:///own.db"\ntable = "t"') == [1]
    assert rows_of(house, '[sources.s]\nfile = "sub/*.csv"') == [1]
    # A link that is made after the book was read is looked at when it is followed.
    (house / "book.toml").write_text('[sources.s]\nurl = "sqlite:///own.db"\ntable = "t"')
    book = read_book(house / "book.toml")
    (house / "own.db").unlink()
    (house / "own.db").symlink_to(house.parent / "secret" / "s.db")
    with pytest.raises(SourceError, match="outside the folder"):
        book.sources["s"].profile()


HOSTS_IN = (
    "postgresql://db.example/t",
    "postgresql://u:p@DB.example:5433/t",
    "mysql://db.example/t",
    "postgresql://db.example/t?host=db.example:5432&host=10.0.0.1",
    "postgresql://[::1]/t",
)
HOSTS_OUT = (
    "postgresql://other/t",
    "postgresql:///t",
    "postgresql://db.example/t?host=other",
    "postgresql://db.example/t?hostaddr=10.9.9.9",
    "mysql://db.example.evil/t",
    "postgresql://db.example/t?host=db.example,other",
    "postgresql://db.example@other/t",
    "mysql://db.example/t?unix_socket=/run/x",
    "postgresql://db%2Eexample.evil/t",
)


def test_what_a_user_trusts_is_named_once(house, cli, tmp_path, monkeypatch):
    """Folders and hosts of the user's own configuration, for the command line alone."""
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path))
    near, mine = house.parent / "near", tmp_path / "ulnager" / "config.toml"
    near.mkdir()
    mine.parent.mkdir()
    (near / "n.csv").write_text("d\n2026-05-01\n")
    (near / "way.csv").symlink_to(house.parent / "secret" / "x.csv")
    mine.write_text(f'[trusted]\nfolders = ["{near}"]\nhosts = ["db.example", "10.0.0.1", "::1"]\n')

    def shown(name):
        (house / "book.toml").write_text(f'[sources.s]\nfile = "{name}"')
        return cli("show", "s", "--book", str(house / "book.toml"))

    assert "1 row" in shown("../near/n.csv")[1]
    for name in ("../secret/x.csv", "../near/way.csv", "../near/*.csv", "../near/../secret/x.csv"):
        assert "outside the folder" in shown(name)[2]
    with configured():
        assert [url for url in HOSTS_IN if not is_trusted_server(read_address(url))] == []
        assert [url for url in HOSTS_OUT if is_trusted_server(read_address(url))] == []
    with pytest.raises(BookError, match="outside the folder"):
        rows_of(house, '[sources.s]\nfile = "../near/n.csv"')
    wrong = ("folder = []", "folders = ['near']", "hosts = 'db'", "=")
    for text in ("[trust]", "trusted = 1", *(f"[trusted]\n{one}" for one in wrong)):
        mine.write_text(text)
        os.utime(mine, ns=(0, hash(text) % 10**15))
        told = shown("../near/n.csv")[2]
        assert "your configuration" in told
        assert str(mine) in told
        assert shown("sub/in.csv")[0] == 0


def test_the_engine_fetches_and_keeps_nothing(house, tmp_path):
    home = tmp_path / "home"
    home.mkdir()
    code = f"""
import ulnager, pathlib
for path in ({str(house / "own.db")!r},):
    try:
        ulnager.open_source(f"duckdb:///{{path}}", "t")
    except ulnager.SourceError as error:
        print(error)
source = ulnager.open_source({str(house / "sub" / "in.csv")!r})
for target in ("k.csv", "k.parquet"):
    found = ulnager.preview(source, ulnager.period("2026-05").resolve())
    found.write({str(tmp_path)!r} + "/" + target)
for sql in ("INSTALL httpfs", "LOAD sqlite"):
    try:
        source.cursor().execute(sql)
        print("??")
    except Exception as error:
        print("refused")
"""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True,
                          env={**os.environ, "HOME": str(home), "TMPDIR": str(home)})  # fmt: skip
    assert "not a valid DuckDB database" in done.stdout
    assert done.stdout.count("refused") == 2
    assert list(home.rglob("*")) == []


def ics(rule, start="20260101", end=""):
    return (f"BEGIN:VCALENDAR\nVERSION:2.0\nBEGIN:VEVENT\nUID:1\nDTSTART;VALUE=DATE:{start}\n{end}"
            f"RRULE:{rule}\nEND:VEVENT\nEND:VCALENDAR\n")  # fmt: skip


ENDLESS = [
    ics("FREQ=SECONDLY"), ics("FREQ=HOURLY;BYMONTH=2;BYMONTHDAY=30"), ics("FREQ=YEARLY;BYHOUR=25"),
    ics("FREQ=DAILY;INTERVAL=0"), ics("FREQ=DAILY", "00010101"), ics("FREQ=YEARLY;UNTIL=99990101"),
    ics("FREQ=DAILY;COUNT=900000"), ics("FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30;COUNT=9"),
    ics("FREQ=YEARLY", end="DTEND;VALUE=DATE:99990101\n"), "BEGIN:VCALENDAR\n" * 90_000,
    "X" * 5_000_000,
]  # fmt: skip
DEEP = ["a=" + "[" * 5_000, "a=" + "[" * 300 + "]" * 300, "a" + ".a" * 20_000 + "=1",
        '"a"' + '."a"' * 20_000 + "=1", "x={a" + ".a" * 20_000 + "=1}", "#" * 5_000_000,
        "".join(f'[calendars.c{n}]\nkind="table"\nfile="t.csv"\nbase="c{n + 1}"\n'
                for n in range(3_000)) + "[calendars.c3000]\n"]  # fmt: skip


def test_what_never_ends_is_refused(house, cli):
    (house / "t.csv").write_text("unit,start\nterm,2026-01-12\nterm,2026-04-20\n")
    begun = time.process_time()
    for name in ("pipe.csv", "pipe.ics", "pipe.toml"):
        os.mkfifo(house / name)
    (house / "zero.csv").symlink_to("/dev/zero")
    for text in ('[sources.s]\nfile = "{}"', '[calendars.c]\nholiday_file = "{}"',
                 '[calendars.c]\nkind = "table"\nfile = "{}"'):  # fmt: skip
        for name in ("pipe.csv", "zero.csv"):
            with pytest.raises(UlnagerError, match=r"is no file|outside"):
                rows_of(house, text.format(name))
    for text in ENDLESS:
        (house / "h.ics").write_text(text)
        with pytest.raises(BookError, match=r"h.ics|holidays"):
            rows_of(house, '[calendars.c]\nholiday_file = "h.ics"')
    for text in DEEP:
        with pytest.raises(BookError, match=r"too deeply|more than|bytes"):
            rows_of(house, text)
        code, out, _ = cli("check", str(house / "book.toml"))
        assert (code, len(out) < 2_000) == (1, True)
    with gzip.open(house / "bomb.csv.gz", "wb") as bomb:
        bomb.write(b"d\n")
        bomb.write(b"2026-05-01\n" * 1_000_000)
    with ulnager.limits(unpacked=10**7), pytest.raises(SourceError, match="unpacks to more than"):
        open_source(house / "bomb.csv.gz")
    with ulnager.limits(unpacked=10**8):
        assert open_source(house / "bomb.csv.gz").columns[0].name == "d"
    assert cli("show", "--book", "/dev/zero")[0] in (1, 2)
    # The work of this process, which no other makes longer.
    assert time.process_time() - begun < 100


def test_a_pipe_is_read_once_and_has_an_end(tmp_path, cli, monkeypatch):
    data, book = tmp_path / "rows.csv", tmp_path / "book.toml"
    for pipe, text in ((data, "d,v\n2026-05-01,1\n2026-05-02,2\n"),
                       (book, '[periods.p]\nphrase = "this month"\n')):  # fmt: skip
        os.mkfifo(pipe)
        threading.Thread(target=lambda p=pipe, t=text: p.write_text(t), daemon=True).start()
    code, out, _ = cli("preview", "2026-05", str(data), "--json")
    assert (code, json.loads(out)["rows"]["kept"]) == (0, 2)
    assert cli("resolve", "p", "--book", str(book), "--today", "2026-05-20")[0] == 0
    monkeypatch.setenv("ULNAGER_LIMITS", "pipe_seconds=1 pipe=1000")
    code, _, err = cli("profile", str(data))
    assert (code, "nothing came out of it for 1 seconds" in err) == (1, True)
    threading.Thread(
        target=lambda: data.write_text("d\n" + "2026-05-01\n" * 900), daemon=True
    ).start()
    code, _, err = cli("profile", str(data))
    assert (code, "more than 1,000 bytes" in err) == (1, True)
    monkeypatch.setenv("ULNAGER_LIMITS", "pipes=1")
    assert cli("profile", str(data))[0] == 2


def silent():
    """The port of a server that accepts and says nothing."""
    listening, held = socket.create_server(("127.0.0.1", 0)), []

    def accept():
        while True:
            held.append(listening.accept())

    threading.Thread(target=accept, daemon=True).start()
    return listening.getsockname()[1]


def test_a_server_that_says_nothing_is_given_up():
    def given_up(engine):
        with pytest.raises(SourceError, match=r"no answer within 1 seconds|cannot be read"):
            open_source(f"{engine}://me@127.0.0.1:{silent()}/x", "t", timeout=1)
        return True

    with ThreadPoolExecutor(3) as waiting:
        assert all(waiting.map(given_up, ("postgresql", "mysql", "mariadb")))


@pytest.mark.parametrize("engine", ["postgresql", "mariadb"])
def test_a_server_that_falls_silent_is_given_up(engine):
    """A proxy lets the first words through, and then nothing: while it is asked, and read."""
    url = sa.engine.make_url(URLS[engine])
    state, made = {"silent": False}, f"ulnager_silent_{os.getpid()}"
    try:
        with sa.create_engine(url).begin() as base:
            base.exec_driver_sql(f"CREATE TABLE {made} (d DATE)")
            base.exec_driver_sql(f"INSERT INTO {made} VALUES ('2026-05-01')")
    except (sa.exc.OperationalError, ImportError):
        if engine in REQUIRED:
            raise
        pytest.skip(f"{engine} is not there")
    listening = socket.create_server(("127.0.0.1", 0))

    def pump(source, target):
        while data := source.recv(65_536):
            if not state["silent"]:
                target.sendall(data)

    def accept():
        while True:
            client, _ = listening.accept()
            server = socket.create_connection((url.host, url.port))
            for pair in ((client, server), (server, client)):
                threading.Thread(target=pump, args=pair, daemon=True).start()

    threading.Thread(target=accept, daemon=True).start()
    there = url.set(port=listening.getsockname()[1], drivername=engine)

    def answered(ask):
        # A busy machine may take longer than the second.
        for _ in range(30):
            try:
                return ask()
            except SourceError:
                continue
        return ask()

    place = there.render_as_string(hide_password=False)
    source = answered(lambda: open_source(place, made, timeout=1))
    assert answered(source.extent).last == date(2026, 5, 1)
    state["silent"] = True
    with pytest.raises(SourceError, match="no answer within 1 seconds"):
        source.extent()
    state["silent"] = False
    assert answered(source.extent).last == date(2026, 5, 1)
    with sa.create_engine(url).begin() as base:
        base.exec_driver_sql(f"DROP TABLE {made}")


LONG = "length(replace(hex(zeroblob({})), hex(zeroblob(200000)) || '1', 'b'))"
VIEWS = {
    "wide": "SELECT d, printf('%400000000d', 1) AS v FROM t",
    "slow": f"SELECT d, {' + '.join(LONG.format(400_000 + n) for n in range(60))} AS v FROM t",
    "many": f"SELECT d, {', '.join(f'hex(randomblob(450000)) AS v{n}' for n in range(1_900))} "
            "FROM t",
    "grown": "WITH RECURSIVE c(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM c LIMIT 99999) SELECT "
             "'2026-05-01' AS d, group_concat(hex(zeroblob(999))) AS v FROM c",
}  # fmt: skip


def test_one_function_takes_neither_all_memory_nor_all_time(house):
    """In a process of its own, whose memory can be measured."""
    with sqlite3.connect(house / "own.db") as base:
        for name, view in VIEWS.items():
            base.execute(f"CREATE VIEW {name} AS {view}")
    with duckdb.connect(str(house / "big.duckdb")) as base:
        base.execute("CREATE TABLE t AS SELECT DATE '2026-05-01' AS d")
        base.execute("CREATE VIEW wide AS SELECT d, repeat('a', 600000000) AS v FROM t")
        base.execute("CREATE VIEW above AS SELECT d, v FROM wide")
    code = f"""
import os, resource, ulnager
asked = [("sqlite:///{house}/own.db", name) for name in {list(VIEWS)!r}]
padded = "SELECT d, lpad('a', %s, 'b') AS v FROM t"
asked += [("duckdb:///{house}/big.duckdb", one) for one in ("wide", "above", padded % 600000000,
          padded % 5)]
for url, table in asked:
    try:
        source = ulnager.open_source(url, table, timeout=2 if table in ("slow", "many") else 99)
        print("rows", len(source.run(__import__("sqlalchemy").select(source.rows))))
    except ulnager.SourceError as error:
        print(str(error).splitlines()[0])
peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
print(peak < 2_000_000 or peak, flush=True)
os._exit(0)
"""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    told = done.stdout.splitlines()
    assert len(told) == len(VIEWS) + 5, (done.stdout, done.stderr)
    expected = ("too big|rows 1", "no answer within 2", "memory|too big|within", "too big",
                "view wide makes", "view wide makes", "makes a text", "rows 1")  # fmt: skip
    for line, words in zip(told, expected, strict=False):
        assert any(word in line for word in words.split("|")), told
    assert told[-1] == "True"


FORMULAS = ("=1+1", "+1", "-1", "@x", "\tx", "plain", "a=b", "")


@pytest.mark.parametrize("with_arrow", [True, False])
def test_texts_that_spreadsheets_run_are_escaped(tmp_path, cli, monkeypatch, with_arrow):
    """Every format, from every kind of source, also without PyArrow; escaped only where asked."""
    if not with_arrow:
        if duckdb.__version__ < "1.4":
            pytest.skip("this DuckDB takes a module that is held back for a failure of its own")
        monkeypatch.setitem(sys.modules, "pyarrow", None)
    rows = [(date(2026, 5, day), text, day) for day, text in enumerate(FORMULAS, 1)]
    with sqlite3.connect(tmp_path / "s.db") as base:
        base.execute('CREATE TABLE s (d DATE, "=v" TEXT, n INTEGER)')
        base.executemany("INSERT INTO s VALUES (?, ?, ?)", [(str(a), b, c) for a, b, c in rows])
    with duckdb.connect(str(tmp_path / "s.duckdb")) as base:
        base.execute('CREATE TABLE s (d DATE, "=v" VARCHAR, n INTEGER)')
        base.executemany("INSERT INTO s VALUES (?, ?, ?)", rows)
        base.execute(f"COPY s TO '{tmp_path}/s.parquet'")
        base.execute(f"COPY s TO '{tmp_path}/s.csv'")
    kinds = [(f"sqlite:///{tmp_path}/s.db", "s"), (f"duckdb:///{tmp_path}/s.duckdb", "s"),
             (tmp_path / "s.parquet", None), (tmp_path / "s.csv", None)]  # fmt: skip
    for kind, table in kinds:
        found = preview(open_source(kind, table), RESULT, "d")
        for ending in ("csv", "parquet"):
            assert found.write(tmp_path / f"k.{ending}", replace=True) == 8
            back = open_source(tmp_path / f"k.{ending}").query('SELECT "=v" FROM data ORDER BY d')
            assert [text or "" for (text,) in back] == list(FORMULAS), (kind, ending)
        assert found.write(f"sqlite:///{tmp_path}/k.db", replace=True) == 8
        found.write(tmp_path / "k.csv", replace=True, for_spreadsheets=True)
        held = (tmp_path / "k.csv").read_text()
        assert held.splitlines()[0].replace('"', "") == "d,'=v,n"
        for text in FORMULAS[:5]:
            assert f"'{text}" in held
        assert "'plain" not in held
        with pytest.raises(SettingError, match="csv"):
            found.write(tmp_path / "k.parquet", replace=True, for_spreadsheets=True)
    code, _, err = cli("preview", "2026-05", str(tmp_path / "s.csv"), "--for-spreadsheets")
    assert (code, "about --write" in err) == (2, True)


def test_what_a_killed_run_left_is_cleared_by_the_next(tmp_path):
    target = tmp_path / "cal.csv"
    begin = """
import os, signal, sys
from ulnager.sources.writing import whole_file
with whole_file(sys.argv[1]) as part:
    part.write_text("half")
    print(part.name, flush=True)
    input()
"""
    killed = subprocess.Popen([sys.executable, "-c", begin, target], stdout=-1, stdin=-1, text=True)
    name = killed.stdout.readline().strip()
    killed.send_signal(signal.SIGKILL)
    killed.wait()
    assert [one.name for one in tmp_path.iterdir()] == [name]
    alive = subprocess.Popen([sys.executable, "-c", begin, target], stdout=-1, stdin=-1, text=True)
    held = alive.stdout.readline().strip()
    command = [
        sys.executable,
        "-m",
        "ulnager",
        "calendar",
        "2026-05-01",
        "2026-05-02",
        "--to",
        target,
    ]
    subprocess.run(command, check=True, capture_output=True)
    # What another run still writes stays.
    assert {one.name for one in tmp_path.iterdir()} == {held, "cal.csv"}
    alive.communicate("\n")
    assert target.read_text() == "half"


def test_what_a_killed_run_left_in_a_database_is_cleared(tmp_path):
    try:
        engine = sa.create_engine(URLS["mariadb"])
        with engine.begin() as base:
            base.exec_driver_sql("CREATE OR REPLACE TABLE cal_k_01234567_new (d DATE)")
            base.exec_driver_sql("CREATE OR REPLACE TABLE cal_k_0123456x_new (d DATE)")
    except (sa.exc.OperationalError, ImportError):
        if "mariadb" in REQUIRED:
            raise
        pytest.skip("mariadb is not there")
    url = URLS["mariadb"].replace("mysql+pymysql", "mariadb")
    for _ in range(2):
        assert subprocess.run(
            [sys.executable, "-m", "ulnager", "calendar", "2026-05-01", "2026-05-02", "--to", url,
             "--name", "cal_k", "--replace"], check=False, capture_output=True,
        ).returncode == 0  # fmt: skip
    with engine.begin() as base:
        there = [one for one in sa.inspect(base).get_table_names() if one.startswith("cal_k")]
        for one in there:
            base.exec_driver_sql(f"DROP TABLE {one}")
    assert sorted(there) == ["cal_k", "cal_k_0123456x_new"]


def test_the_temporary_folder_has_no_name_that_is_known_before(tmp_path):
    code = "from ulnager.sources.guard import own_folder; print(own_folder())"
    found = []
    for _ in range(2):
        env = {**os.environ, "TMPDIR": str(tmp_path)}
        done = subprocess.run([sys.executable, "-c", code], env=env, cwd=ROOT, check=True,
                              capture_output=True, text=True)  # fmt: skip
        found.append(Path(done.stdout.strip()))
    assert found[0] != found[1]
    assert not any(one.exists() for one in found)
