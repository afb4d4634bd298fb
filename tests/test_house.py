"""What the project promises as a package."""

import ast
import re
import runpy
import sys
import tomllib

import pytest

import ulnager
from ulnager.core.periods.phrases import RULES
from ulnager.demo import TABLES, make, table

from conftest import ROOT, run_python

CORE = ROOT / "src" / "ulnager" / "core"
SOURCES = sorted((ROOT / "src" / "ulnager").rglob("*.py"))


def test_the_core_computes_and_nothing_else():
    for path in CORE.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            modules = []
            if isinstance(node, ast.Import):
                modules = [name.name for name in node.names]
            if isinstance(node, ast.ImportFrom):
                modules = [node.module]
            for module in modules:
                top = module.partition(".")[0]
                assert top in ("numpy", "ulnager") or top in sys.stdlib_module_names, (path, module)
                assert top not in ("os", "sys", "pathlib", "io", "time", "socket"), (path, module)
                assert top != "ulnager" or module.startswith(("ulnager.core", "ulnager")), path
            called = getattr(getattr(node, "func", None), "attr", "")
            name = getattr(getattr(node, "func", None), "id", "")
            assert called not in ("now", "today", "utcnow", "read_text", "write_text"), path
            assert name not in ("open", "print", "input", "exec", "eval"), path


def test_private_names_stay_at_home():
    for path in SOURCES:
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("ulnager"):
                private = [name.name for name in node.names if name.name.startswith("_")]
                assert not private, (path, private)


def test_a_phrase_is_known_by_its_rule_only():
    # Words of the language, keys of a book and names of choices may be spelt like a key.
    plain = {"next_month", "anchor_day", "as_of"}
    keys = {key for key in RULES if "_" in key} - plain
    for path in SOURCES:
        if path.parent.name == "phrases" or path.name == "definitions.py":
            continue
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Constant):
                assert node.value not in keys, (path, node.lineno, node.value)
            if isinstance(node, ast.Attribute) and node.attr == "key":
                assert getattr(node.value, "attr", "") != "rule", (path, node.lineno)
            if isinstance(node, ast.Subscript):
                assert getattr(node.value, "id", "") != "RULES", (path, node.lineno)


def test_every_room_says_what_lives_there():
    for path in SOURCES:
        text = ast.get_docstring(ast.parse(path.read_text()))
        assert text, path
        if path.name == "__init__.py" and path.parent.name not in ("ulnager", "core", "demo"):
            assert len(text.splitlines()) >= 3, f"{path} says too little"
        assert len(path.read_text().splitlines()) <= 600, f"{path} holds more than one idea"


def test_import_brings_in_no_other_package():
    loaded = run_python("-c", "import sys, ulnager; print(*sys.modules)").split()
    others = {name.partition(".")[0] for name in loaded} - set(sys.stdlib_module_names)
    own = {name for name in others if not name.startswith(("_", "site", "editable", "sphinx"))}
    assert own == {"ulnager"}


def test_public_names_are_there_and_listed():
    for name in ulnager.__all__:
        assert getattr(ulnager, name).__doc__
    assert set(ulnager.__all__) <= set(dir(ulnager))
    with pytest.raises(AttributeError, match="no attribute 'perod'"):
        _ = ulnager.perod


def test_the_public_api_changes_on_purpose_only():
    """docs/api.txt has every public name with its signature: python docs/api.py writes it anew."""
    listed = runpy.run_path(str(ROOT / "docs" / "api.py"))["listed"]()
    assert listed == (ROOT / "docs" / "api.txt").read_text(encoding="utf-8")
    page = (ROOT / "docs" / "api.md").read_text(encoding="utf-8")
    assert set(re.findall(r"::: ulnager\.(\w+)", page)) | {"GREGORIAN"} == set(ulnager.__all__)


def test_the_demo_data_is_what_its_script_makes(tmp_path):
    make.write(tmp_path)
    for name in TABLES:
        assert (tmp_path / f"{name}.csv").read_bytes() == table(name).read_bytes()
    assert sum(table(name).stat().st_size for name in TABLES) < 3_000_000


def test_the_dashboard_of_the_examples_opens():
    """The other examples are run by .ci/run, and those that bind a picker in test_bindings.py."""
    told = run_python(str(ROOT / "examples" / "dashboard" / "serve.py"), "--once")
    assert "Passengers: 3 to 16 May 2026; follows Dates, set by the link: last 14 days" in told


def test_the_package_runs_as_a_module():
    assert "2026-05-01 to 2026-05-20" in run_python(
        "-m", "ulnager", "resolve", "month to date", "--today", "2026-05-20"
    )


SOUGHT = """
timezone, time zone, ORM, MTD, QTD, YTD, rolling, trailing, moving average, date filter, drop-down,
dropdown, date picker, presets, default, Snowflake, BigQuery, Redshift, Databricks, Oracle,
SQL Server, Trino, PostgreSQL, MariaDB, SQLite, DuckDB, ClickHouse, Spark, DST, UTC, week number,
ISO week, fiscal, 4-4-5, leap year, incremental, backfill, cron, email, PDF, slider, growth,
percent change, last year, yesterday, off by one, midnight, parameters, calendar table,
permissions, Streamlit, Dash, Jupyter, Flask, FastAPI, Django, pandas, Polars, spreadsheet, locale
"""


def test_the_site_is_found_by_what_people_type():
    pages = " ".join(path.read_text(encoding="utf-8") for path in (ROOT / "docs").rglob("*.md"))
    pages = re.sub(r"\s+", " ", pages).lower()
    assert [one for one in re.split(r",\s+", SOUGHT.strip()) if one.lower() not in pages] == []


def test_a_version_stands_in_every_place():
    found = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]["version"]
    assert ulnager.__version__ == found
    assert f"## {found} (" in (ROOT / "CHANGELOG.md").read_text()
