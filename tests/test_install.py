"""What is there without extras, and what is said of what is not."""

import subprocess
import sys
import tomllib
from pathlib import Path

import pytest

from ulnager.core.arguments import _EXTRAS

ROOT = Path(__file__).parent.parent
PROJECT = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
WITHOUT = """
import sys

GONE = {gone!r}

class Without:
    def find_spec(self, name, path=None, target=None):
        if name.partition(".")[0] in GONE:
            raise ModuleNotFoundError(f"No module named {{name!r}}", name=name)

sys.meta_path.insert(0, Without())
import datetime as dt
import ulnager
from ulnager.demo import book_file
from ulnager.cli.main import main

TODAY = dt.date(2026, 5, 20)
result = ulnager.period("last 3 whole months").resolve(today=TODAY)
{work}
"""
BASE = """
import narwhals as nw
assert ulnager.condition(result, "d", target="duckdb", literal=True).text
assert ulnager.condition("this month", "d", target="postgresql", paramstyle="pyformat").text
book = ulnager.read_book(book_file())
view = book.picker("dates").open(today=TODAY, data=(dt.date(2025, 1, 1), TODAY))
assert view.choose("recent").enter(n=3).to_dict()["choice"] == "recent"
assert book.page("operations").open(today=TODAY, data=(dt.date(2025, 1, 1), TODAY)).charts
assert len(ulnager.date_table(ulnager.GREGORIAN, TODAY, TODAY, result.anchor)) > 20
assert ulnager.schema("book") and ulnager.complete("last 3 ")
for command in (["resolve", "today"], ["readings", "last 3 months"], ["rehearse", "last 7 days"],
                ["filter", "today", "--column", "d"], ["calendar", "2026-01-01", "2026-01-03"],
                ["buckets", "this month", "--by", "week"]):
    try:
        main(command)
    except SystemExit as left:
        assert left.code == 0, command
"""
ASKED = {
    "data": 'ulnager.preview("demo.csv", result, "d")',
    "pictures": 'main(["draw", "last 3 months", "--to", "x.png"])',
    "languages": 'ulnager.period("today").resolve(locale="de")',
    "check": "ulnager.check(book_file())",
    "web": "ulnager.service(book_file())",
}


def _run(gone, work):
    script = WITHOUT.format(gone=sorted(gone), work=work)
    return subprocess.run(
        [sys.executable, "-c", script], capture_output=True, text=True, check=False
    )


def test_the_base_needs_no_extra():
    every = {one for packages in _EXTRAS.values() for one in packages}
    done = _run(every, BASE)
    assert done.returncode == 0, done.stderr


@pytest.mark.parametrize("extra", sorted(ASKED))
def test_what_is_missing_says_which_extra_brings_it(extra):
    assert extra in PROJECT["optional-dependencies"]
    done = _run(_EXTRAS[extra], ASKED[extra])
    assert f'pip install "ulnager[{extra}]"' in done.stderr
    readme = (ROOT / "README.md").read_text()
    assert f"`{extra}`" in readme


def test_extras_are_what_the_messages_name():
    named = PROJECT["optional-dependencies"]
    for extra, packages in _EXTRAS.items():
        brought = " ".join(named[extra])
        assert any(one.replace("_", "-") in brought for one in packages), extra
    assert len(PROJECT["dependencies"]) <= 10
