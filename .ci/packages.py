"""Builds the packages and tries them in clean environments: python .ci/packages.py [3.12 …]

For each Python that is here: the wheel with the newest dependencies, whatever constraints.txt says,
rows written in every format included; on 3.11 also with the oldest that pyproject.toml
allows (later ones have no wheels of those), on the first of them each extra by itself. Then
``py.typed`` as mypy and pyright see it from outside. Writes dist/sbom.json and dist/licences.md.
It takes some minutes, and is no part of CI.
"""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
import tempfile
import tomllib
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
PROJECT = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
VERSIONS = ("3.11", "3.12", "3.13", "3.14")
FAST = ("test_rules", "test_language", "test_calendars", "test_business", "test_arrays",
        "test_buckets", "test_reasons", "test_cli", "test_showing", "test_stranger")  # fmt: skip
TOOLS = ["pytest", "hypothesis", "pandas", "polars", "pyarrow", "holidays", "icalendar", "httpx"]
OUTSIDE = """
import ulnager

result = ulnager.period("last 3 whole months").resolve(today="2026-06-13")
start: str = result.start  # an error that only a typed package shows
"""


def main() -> None:
    asked = sys.argv[1:] or list(VERSIONS)
    shutil.rmtree(ROOT / "dist", ignore_errors=True)
    with tempfile.TemporaryDirectory() as folder:
        tools = _environment(Path(folder) / "tools", sys.executable, "build")
        _run(tools, "-m", "build", "-q", "--outdir", str(ROOT / "dist"), str(ROOT))
        (wheel,) = (ROOT / "dist").glob("*.whl")
        (sdist,) = (ROOT / "dist").glob("*.tar.gz")
        pythons = {version: found for version in asked if (found := _python(version))}
        for version in asked:
            if version not in pythons:
                print(f"-- there is no Python {version} here")
        for place, (version, python) in enumerate(pythons.items()):
            _tried(Path(folder) / version, python, f"{wheel}[all]", [])
            print(f"-- {version}, newest: passed", flush=True)
            if version == VERSIONS[0]:
                oldest = Path(folder) / "oldest.txt"
                oldest.write_text("\n".join(_oldest()))
                _tried(Path(folder) / "old", python, f"{wheel}[demo]", ["-c", str(oldest)])
                print(f"-- {version}, oldest: passed", flush=True)
            if not place:
                _tried(Path(folder) / "sdist", python, f"{sdist}[all]", [])
                print(f"-- {version}, from the sdist: passed", flush=True)
                _extras(Path(folder), python, wheel)
                _types(Path(folder) / version)
                _materials(Path(folder) / version)


def _python(version: str) -> str | None:
    """The interpreter of a version, on the path or among those of pyenv."""
    for one in sorted(Path.home().glob(f".pyenv/versions/{version}.*/bin/python")):
        return str(one)
    return shutil.which(f"python{version}")


def _environment(folder: Path, python: str, *needs: str) -> str:
    subprocess.run([python, "-m", "venv", str(folder)], check=True)
    made = str(folder / "bin" / "python")
    _run(made, "-m", "pip", "install", "-q", *needs)
    return made


def _run(python: str, *args: str, cwd: Path | None = None) -> str:
    env = {name: text for name, text in os.environ.items() if name != "PYTHONPATH"}
    done = subprocess.run([python, *args], cwd=cwd, env=env, capture_output=True, text=True)
    if done.returncode:
        raise SystemExit(f"{' '.join(args)}\n{done.stdout[-3000:]}\n{done.stderr[-3000:]}")
    return done.stdout


def _tried(folder: Path, python: str, what: str, more: list[str]) -> None:
    """The package installed from what was built, and its tests, away from its sources."""
    made = _environment(folder, python, what, *TOOLS, *more)
    away = folder / "away"
    shutil.copytree(ROOT / "tests", away / "tests")
    shutil.copytree(ROOT / "docs", away / "docs")
    shutil.copy(ROOT / "README.md", away)
    (away / "src").symlink_to(_installed(made))
    print(_run(made, "-m", "ulnager", "demo").splitlines()[0])
    tests = [f"tests/{name}.py" for name in FAST]
    ini = ["-c", "/dev/null", "--rootdir", str(away), "-p", "no:cacheprovider", "-q"]
    _run(made, "-m", "pytest", *ini, "-o", "pythonpath=tests", *tests, cwd=away)


def _installed(python: str) -> Path:
    return Path(_run(python, "-c", "import ulnager; print(ulnager.__path__[0])").strip()).parent


def _oldest() -> list[str]:
    """Every dependency at the oldest version that is allowed."""
    return [f"{found[1]}=={found[2]}" for need in PROJECT["dependencies"]
            if (found := re.match(r"([\w-]+)>=([\d.]+)", need))]  # fmt: skip


def _extras(folder: Path, python: str, wheel: Path) -> None:
    """Each extra by itself installs and leaves the package in working order."""
    for extra in PROJECT["optional-dependencies"]:
        if extra in ("all", "test", "docs", "clickhouse"):
            continue
        made = _environment(folder / f"extra-{extra}", python, f"{wheel}[{extra}]")
        _run(made, "-m", "ulnager", "resolve", "last 3 whole months")
        print(f"-- extra {extra}: passed", flush=True)


def _types(folder: Path) -> None:
    """What mypy and pyright see of the installed package, from outside."""
    made = str(folder / "bin" / "python")
    _run(made, "-m", "pip", "install", "-q", "mypy", "pyright[nodejs]")
    script = folder / "outside.py"
    script.write_text(OUTSIDE)
    for tool in (["-m", "mypy", "--strict"], ["-m", "pyright"]):
        done = subprocess.run([made, *tool, str(script)], capture_output=True, text=True)
        told = done.stdout
        if done.returncode != 1 or "date" not in told or "str" not in told or "stub" in told:
            raise SystemExit(f"{tool}: {told}{done.stderr}")
        print(f"-- typed, says {tool[1]}", flush=True)


def _materials(folder: Path) -> None:
    """The bill of materials and the licences of what is installed with it."""
    made = str(folder / "bin" / "python")
    _run(made, "-m", "pip", "install", "-q", "cyclonedx-bom", "pip-licenses")
    _run(made, "-m", "cyclonedx_py", "environment", made, "-o", str(ROOT / "dist" / "sbom.json"))
    text = _run(made, "-m", "piplicenses", "--format=markdown", "--with-urls")
    (ROOT / "dist" / "licences.md").write_text(text)
    print("-- written: dist/sbom.json, dist/licences.md")


if __name__ == "__main__":
    main()
