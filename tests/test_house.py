"""What the project promises as a package."""

import sys

import pytest

import ulnager
from ulnager.demo import TABLES, make, table

from conftest import ROOT, run_python
from engines import engine_named


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


def test_the_demo_data_is_what_its_script_makes(tmp_path):
    make.write(tmp_path)
    for name in TABLES:
        assert (tmp_path / f"{name}.csv").read_bytes() == table(name).read_bytes()
    assert sum(table(name).stat().st_size for name in TABLES) < 3_000_000


@pytest.mark.parametrize("path", sorted((ROOT / "examples").glob("*.py")), ids=lambda p: p.name)
def test_examples_run(path):
    for name, engine in {"live_view.py": "postgresql", "on_spark.py": "spark"}.items():
        if path.name == name:
            engine_named(engine)
    assert run_python(str(path))


def test_the_package_runs_as_a_module():
    assert "2026-05-01 to 2026-05-20" in run_python(
        "-m", "ulnager", "resolve", "month to date", "--today", "2026-05-20"
    )
