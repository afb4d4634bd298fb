"""The command as a process: streams that are full, closed or gone, and interruptions."""

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import duckdb
import numpy as np
import pytest

from ulnager import SourceError
from ulnager.pictures.paper import new_figure, write_figure
from ulnager.sources.writing import whole_file
from ulnager.sources.written_tables import write_table

RESOLVE = ("resolve", "this month", "--today", "2026-05-20")
TABLE = ("calendar", "2020-01-01", "2026-01-01", "--json")


def started(*args, **options):
    return subprocess.Popen(
        [sys.executable, "-m", "ulnager", *args], stdin=subprocess.DEVNULL, text=True,
        **{"stdout": subprocess.PIPE, "stderr": subprocess.PIPE, **options},
    )  # fmt: skip


def ended(*args, **options):
    process = started(*args, **options)
    out, err = process.communicate(timeout=60)
    return process.returncode, out, err


@pytest.mark.skipif(not Path("/dev/full").exists(), reason="this system has no /dev/full")
def test_a_full_disk_is_told():
    with Path("/dev/full").open("w") as full:
        for args in (RESOLVE, TABLE):
            code, _, err = ended(*args, stdout=full)
            assert (code, err.count("\n")) == (1, 1)
            assert "the output cannot be written: No space left" in err
        assert ended("resolve", "nonsense", stderr=full)[0] == 2


@pytest.mark.parametrize("buffered", ["", "1"])
def test_a_pipe_that_nobody_reads_ends_quietly(buffered):
    process = started(*TABLE, env={**os.environ, "PYTHONUNBUFFERED": buffered})
    assert process.stdout.readline() == "[\n"
    process.stdout.close()
    assert process.stderr.read() == ""
    assert process.wait(60) == 0


def test_an_interruption_ends_quietly():
    told = set()
    for wait in (0.1, 0.2, 0.35, 0.6):
        process = subprocess.Popen(
            [sys.executable, "-c", "from ulnager_command import main; main()", "profile",
             "demo:gate_scans", "--tz", "America/Halifax"], stderr=subprocess.PIPE,
            stdout=subprocess.PIPE, text=True,
        )  # fmt: skip
        time.sleep(wait)
        process.send_signal(signal.SIGINT)
        _, err = process.communicate(timeout=60)
        # Before the package is being imported, Python itself answers.
        if "Traceback" in err and "src/ulnager/" not in err:
            continue
        told.add((process.returncode, err))
    # The signal itself ends a Python that is not up yet.
    assert told <= {(130, ""), (-signal.SIGINT, ""), (0, "")}


def test_a_bare_environment_is_enough(tmp_path):
    bare = {"PATH": os.environ["PATH"], "LC_ALL": "C", "PYTHONCOERCECLOCALE": "0",
            "PYTHONUTF8": "0"}  # fmt: skip
    code, out, _ = ended(*RESOLVE, env=bare)
    assert (code, "2026-05-01 to 2026-05-31" in out) == (0, True)
    path = tmp_path / "a.csv"
    path.write_text("d,v\n2026-05-01,é\n", encoding="utf-8")
    code, out, err = ended("preview", "all dates", str(path), env=bare)
    assert (code, r"\xe9" in out or "é" in out) == (0, True), err


def test_a_file_is_whole_or_not_there(tmp_path):
    path = tmp_path / "out.csv"
    path.write_text("what was there before")
    path.chmod(0o640)
    with pytest.raises(RuntimeError), whole_file(path) as part:  # noqa: PT012
        part.write_text("half")
        raise RuntimeError
    assert path.read_text() == "what was there before"
    days = {"d": np.array(["2026-05-01"], dtype="datetime64[D]")}
    with pytest.raises(SourceError, match="is there already; say --replace"):
        write_table(days, str(path))
    assert write_table(days, str(path), replace=True) == 1
    assert (path.read_text(), path.stat().st_mode & 0o777) == ("d\n2026-05-01\n", 0o640)
    link = tmp_path / "link.png"
    link.symlink_to(tmp_path / "real.png")
    write_figure(new_figure(), link)
    assert link.is_symlink()
    assert (tmp_path / "real.png").stat().st_size > 1_000
    for target in (tmp_path / "no" / "x.png", tmp_path):
        with pytest.raises(SourceError, match=r"cannot be written|is a folder|are written as"):
            write_figure(new_figure(), target)
    assert sorted(p.name for p in tmp_path.iterdir()) == ["link.png", "out.csv", "real.png"]


def test_a_process_ends_well_after_questions_with_a_time_limit(tmp_path):
    """The watch over each question is gone before the process is."""
    path = tmp_path / "loads.duckdb"
    with duckdb.connect(str(path)) as connection:
        connection.execute("CREATE TABLE loads AS SELECT DATE '2026-05-01' + i::INTEGER AS day "
                           "FROM range(17) t(i)")  # fmt: skip
    for _ in range(3):
        done = subprocess.run(
            [sys.executable, "-m", "ulnager", "profile", f"duckdb:///{path}", "--table", "loads"],
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        assert (done.returncode, done.stderr) == (0, "")


POOR = """
import os, signal, sys, warnings
os.supports_dir_fd.clear()
for name in ("fcntl", "resource", "pwd", "grp", "termios"):
    sys.modules[name] = None
for name in ("fork", "register_at_fork", "mkfifo", "O_NONBLOCK", "getuid", "killpg"):
    vars(os).pop(name, None)
for name in [one for one in vars(signal) if one.startswith("SIG") and one[3:] not in sys.argv[1]]:
    delattr(signal, name)
for name in ("setitimer", "alarm", "pthread_sigmask", "pthread_kill"):
    vars(signal).pop(name, None)
del sys.argv[1]
warnings.filterwarnings("error", category=EncodingWarning, module="ulnager")
from ulnager.cli.main import main
main()
"""
LEFT = "INT TERM ABRT FPE ILL SEGV _DFL _IGN _BLOCK"
"""The signals that every system has."""


def test_a_system_without_forks_signals_and_utf8_is_enough(tmp_path):
    """What Windows lacks is taken away, and its texts are in another encoding."""
    data, book, svg = (str(tmp_path / name) for name in ("f.csv", "f.toml", "f.svg"))
    Path(data).write_bytes("day;menge;ort\n2026-05-01;1,5;Fähre\n2026-05-02;2,5;日本\n".encode())
    told = {}
    for args in (
        ("profile", data, "--to-book", book),
        ("show", "--book", book),
        ("check", book),
        ("preview", "last 2 rolling days as of latest", data),
        ("filter", "from 2026-05-02", "--column", "day", "--for", "duckdb", "--run", data),
        ("resolve", "last 3 whole months", "--locale", "fr", "--today", "2026-05-20"),
        ("draw", "last 3 whole months", "--today", "2026-05-20", "--to", svg),
        ("readings", "--sql", "d = current_date"),
        ("serve", "--help"),
    ):
        done = subprocess.run(
            [sys.executable, "-X", "warn_default_encoding", "-c", POOR, LEFT, *args],
            capture_output=True, check=False,
            env={"LC_ALL": "C", "PYTHONUTF8": "0", "PYTHONCOERCECLOCALE": "0",
                 "HOME": str(tmp_path), "PATH": os.environ["PATH"]},
        )  # fmt: skip
        assert (done.returncode, b"Traceback" in done.stderr) == (0, False), done.stderr
        told[args[0]] = done.stdout + done.stderr
    assert b"keeps 1 of 2 rows" in told["filter"]
    assert b"30 avr. 2026" in told["resolve"]
    assert Path(svg).stat().st_size > 1000
