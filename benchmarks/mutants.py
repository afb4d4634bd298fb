"""Small changes to the rules, one at a time: which of them do the fast tests notice?

A seeded sample of mutants of ``ulnager.core`` is made with the operators of cosmic-ray. For each,
the fast tests that reach the changed line are run; what no test notices is printed. Not part of CI:

    pip install cosmic-ray pytest-cov && python benchmarks/mutants.py --sample 200
"""

from __future__ import annotations

import argparse
import difflib
import random
import shutil
import subprocess
import sys
import tempfile
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from queue import Queue
from typing import Any
from xml.etree import ElementTree

ROOT = Path(__file__).parent.parent
CORE = ROOT / "src" / "ulnager" / "core"
FAST = (
    "test_rules",
    "test_language",
    "test_calendars",
    "test_business",
    "test_arrays",
    "test_instants",
    "test_buckets",
    "test_reasons",
    "test_shifts",
    "test_pickers",
    "test_named",
    "test_forms",
    "test_showing",
    "test_views",
    "test_book",
    "test_filters",
    "test_profile",
    "test_safe",
)
"""The tests of the core that need no engine; docstrings are tests, too."""
NEED_ENGINES = "not one_statement"
SECONDS = 600
CASES = "0.3"
"""How many of the ordinary cases each law tries."""

# What is remembered would be worked out in the first test that needs it, and in no other.
FORGETTING = """
import functools, gc

def pytest_runtest_setup(item):
    for found in gc.get_objects():
        if type(found) is functools._lru_cache_wrapper and found.__module__.startswith("ulnager"):
            found.cache_clear()
"""

# Operators that change an annotation, a decorator or nothing that runs say nothing of the tests;
# nor do equality and identity in place of each other, where there is one object of its sort.
SKIPPED = (
    "RemoveDecorator",
    "VariableReplacer",
    "VariableInserter",
    "ExceptionReplacer",
    "Operator_Is_Eq",
    "Operator_IsNot_NotEq",
    "Operator_Eq_Is",
    "Operator_NotEq_IsNot",
)


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--sample", type=int, default=200)
    asked.add_argument("--seed", type=int, default=20260520)
    asked.add_argument("--jobs", type=int, default=2)
    given = asked.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        copies = [_copied(Path(folder) / str(n)) for n in range(given.jobs)]
        reached = _reached(copies[0])
        times = _times(copies[0])
        mutants = _mutants(reached, times, given.sample, given.seed)
        free: Queue[Path] = Queue()
        for copy in copies:
            free.put(copy)

        def tried(mutant: Mutant) -> bool:
            copy = free.get()
            try:
                return _is_killed(copy, mutant)
            finally:
                free.put(copy)

        killed, made = Counter[str](), Counter[str]()
        with ThreadPoolExecutor(given.jobs) as jobs:
            for mutant, is_killed in zip(mutants, jobs.map(tried, mutants), strict=True):
                module = str(mutant.path.relative_to(CORE))
                made[module] += 1
                killed[module] += is_killed
                if made.total() % 20 == 0:
                    print(f"{killed.total()} of {made.total()} killed")
                if not is_killed:
                    print(f"survived: {module}:{mutant.line} {mutant.operator}\n{mutant.change}")
                sys.stdout.flush()
    print()
    for module in sorted(made):
        print(f"{module:32} {killed[module]:3} of {made[module]:3} killed")
    share = killed.total() / made.total()
    print(f"{'in all':32} {killed.total():3} of {made.total():3} killed: {share:.1%}")


class Mutant:
    """A module with one change, and the tests that reach it."""

    def __init__(
        self, path: Path, operator: str, line: int, code: str, change: str, tests: tuple[str, ...]
    ) -> None:
        self.path = path
        self.operator = operator
        self.line = line
        self.code = code
        self.change = change
        self.tests = tests


def _copied(folder: Path) -> Path:
    for name in ("src", "tests", "docs"):
        shutil.copytree(
            ROOT / name, folder / name, ignore=shutil.ignore_patterns("__pycache__", "*.png")
        )
    shutil.copy(ROOT / "pyproject.toml", folder)
    return folder


def _run(copy: Path, *args: str, seconds: float = SECONDS) -> int:
    try:
        done = subprocess.run(
            [sys.executable, *args],
            cwd=copy,
            capture_output=True,
            timeout=seconds,
            check=False,
            env={
                "PYTHONPATH": f"{copy}/src:{copy}",
                "PATH": "/usr/bin:/bin",
                "ULNAGER_CASES": CASES,
                "PYTHONDONTWRITEBYTECODE": "1",
                "PYTEST_DISABLE_PLUGIN_AUTOLOAD": "1",
            },
        )
    except subprocess.TimeoutExpired:
        return -1
    return done.returncode


def _reached(copy: Path) -> dict[str, dict[int, set[str]]]:
    """For each module and line of the core, the fast tests that reach it."""
    tests = [*(f"tests/{name}.py" for name in FAST), "src/ulnager/core"]
    pytest = ("-m", "pytest", "-q", "-p", "no:cacheprovider")
    traced = ("-p", "pytest_cov", "--cov=ulnager.core", "--cov-context=test", "--cov-report=")
    timed = ("--junitxml=times.xml", "-k", NEED_ENGINES, "-p", "forgetting")
    (copy / "forgetting.py").write_text(FORGETTING)
    if _run(copy, *pytest, *traced, *timed, *tests, seconds=1_800):
        raise SystemExit("the tests do not pass by themselves")
    from coverage import CoverageData

    data = CoverageData(str(copy / ".coverage"))
    data.read()
    found: dict[str, dict[int, set[str]]] = {}
    for name in data.measured_files():
        lines = found.setdefault(str(Path(name).relative_to(copy / "src" / "ulnager" / "core")), {})
        for line, contexts in data.contexts_by_lineno(name).items():
            lines[line] = {_test(context) for context in contexts if context}
    asked = {test for lines in found.values() for tests in lines.values() for test in tests}
    # What pytest does not know would count as killed.
    if _run(copy, *pytest, "--collect-only", *sorted(asked)):
        raise SystemExit(f"these are not all tests: {', '.join(sorted(asked))}")
    return found


def _times(copy: Path) -> dict[str, float]:
    """How long each test takes by itself, by its name."""
    taken: dict[str, float] = {}
    for case in ElementTree.parse(copy / "times.xml").iter("testcase"):
        name = str(case.get("name")).partition("[")[0]
        taken[name] = taken.get(name, 0) + float(case.get("time", 0))
    return taken


def _test(context: str) -> str:
    """The test of a context such as ``tests/test_rules.py::test_worked_cases[1]|run``."""
    return context.partition("|")[0].partition("[")[0]


def _mutants(
    reached: dict[str, dict[int, set[str]]], times: dict[str, float], count: int, seed: int
) -> list[Mutant]:
    """So many places of the core that some test reaches, each with one change."""

    def time_of(test: str) -> tuple[float, str]:
        return times.get(test.rpartition("::")[2], 0), test

    from cosmic_ray.ast import ast_nodes, get_ast
    from cosmic_ray.mutating import mutate_code
    from cosmic_ray.plugins import get_operator, operator_names

    # By place, or the twelve things that may stand for a plus would outweigh all else.
    places: dict[tuple[Path, Any], list[tuple[str, int]]] = {}
    for path in sorted(CORE.rglob("*.py")):
        nodes = list(ast_nodes(get_ast(path.read_text())))
        for name in operator_names():
            if not any(skipped in name for skipped in SKIPPED):
                operator = get_operator(name)()
                spans = [span for node in nodes for span in operator.mutation_positions(node)]
                for occurrence, span in enumerate(spans):
                    places.setdefault((path, span), []).append((name, occurrence))
    chance = random.Random(seed)
    order = sorted(places, key=str)
    chance.shuffle(order)
    found: list[Mutant] = []
    for path, span in order:
        name, occurrence = chance.choice(places[path, span])
        tests = reached.get(str(path.relative_to(CORE)), {}).get(span[0][0], set())
        code = path.read_text()
        mutated = mutate_code(code, get_operator(name)(), occurrence) if tests else None
        if mutated is None or mutated == code:
            continue
        change = [
            text
            for text in difflib.unified_diff(code.split("\n"), mutated.split("\n"), n=0)
            if text[:1] in "+-" and text[:3] not in ("+++", "---")
        ]
        # Lengths that always agree are checked, or not.
        if all("strict=True" in text or "strict=False" in text for text in change) and (
            "TrueWithFalse" in name
        ):
            continue
        if all("import" in text or text[1:].lstrip().startswith('"') for text in change):
            continue
        # The short ones first: most changes are noticed at once.
        told, reaching = "\n".join(change), tuple(sorted(tests, key=time_of))
        found.append(Mutant(path, name, span[0][0], mutated, told, reaching))
        if len(found) == count:
            break
    return found


def _is_killed(copy: Path, mutant: Mutant) -> bool:
    place = copy / mutant.path.relative_to(ROOT)
    before = place.read_text()
    place.write_text(mutant.code)
    try:
        pytest = ("-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", "-k", NEED_ENGINES)
        code = _run(copy, *pytest, *mutant.tests)
        return code != 0
    finally:
        place.write_text(before)


if __name__ == "__main__":
    main()
