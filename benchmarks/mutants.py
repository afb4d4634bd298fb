"""Small changes to the program, one at a time: which of them do the tests notice?

A seeded sample of mutants of ``ulnager``, the core and all other rooms apart, is made with the
operators of cosmic-ray. For each, the tests that reach the changed line are run, the shortest
first; what no test notices is printed. Not part of CI:

    pip install cosmic-ray pytest-cov && python benchmarks/mutants.py --sample 200
"""

from __future__ import annotations

import argparse
import ast
import difflib
import random
import shutil
import subprocess
import sys
import tempfile
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from queue import Queue
from typing import Any
from xml.etree import ElementTree

ROOT = Path(__file__).parent.parent
ALL = ROOT / "src" / "ulnager"
LEFT_OUT = ("browser", "install", "process", "same_rows", "stranger", "warehouses", "bindings")
"""Tests in other processes and on slow engines, which tell little that others do not."""
NEED_ENGINES = "not spark and not clickhouse and not hundred"
SECONDS = 300
REACHING = 60.0
"""So many seconds of tests are run for a change at most, the shortest first."""
CASES = "0.3"
"""How many of the ordinary cases each law tries."""

# What is remembered would be worked out in the first test that needs it, and in no other.
FORGETTING = """
import functools, gc, sys

caches, modules = [], 0

def pytest_runtest_setup(item):
    global caches, modules
    if len(sys.modules) != modules:
        modules = len(sys.modules)
        caches = [found for found in gc.get_objects()
                  if type(found) is functools._lru_cache_wrapper
                  and found.__module__.startswith("ulnager")]
    for found in caches:
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
    asked.add_argument("--sample", type=int, default=100, help="of the core, and outside of it")
    asked.add_argument("--only", choices=["core", "outside"])
    asked.add_argument("--seed", type=int, default=20260520)
    asked.add_argument("--jobs", type=int, default=2)
    given = asked.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        copies = [_copied(Path(folder) / str(n)) for n in range(given.jobs)]
        reached = _reached(copies[0])
        times = _times(copies[0])
        mutants = []
        for inside in (True, False):
            if given.only != ("outside" if inside else "core"):
                mutants += _mutants(copies[0], reached, times, given.sample, given.seed, inside)
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
                module = str(mutant.path.relative_to(ALL))
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
    for told, inside in (("the core", True), ("outside of it", False)):
        some = [module for module in made if module.startswith("core/") is inside]
        count, found = sum(made[one] for one in some), sum(killed[one] for one in some)
        if count:
            print(f"{told:32} {found:3} of {count:3} killed: {found / count:.1%}")


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
    for name in ("src", "tests", "docs", "examples", ".ci"):
        shutil.copytree(
            ROOT / name, folder / name, ignore=shutil.ignore_patterns("__pycache__", "*.png")
        )
    for path in ROOT.glob("*.*"):
        if path.is_file():
            shutil.copy(path, folder)
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
    """For each module and line, the tests that reach it."""
    left_out = [f"--ignore=tests/test_{name}.py" for name in LEFT_OUT]
    tests = ["tests", "src/ulnager/core", *left_out]
    pytest = ("-m", "pytest", "-q", "-p", "no:cacheprovider", "-p", "xdist")
    both = ("-n", "2")
    traced = (*both, "-p", "pytest_cov", "--cov=ulnager", "--cov-context=test", "--cov-report=")
    timed = ("--junitxml=times.xml", "-k", NEED_ENGINES, "-p", "forgetting")
    (copy / "forgetting.py").write_text(FORGETTING)
    # What fails in a copy notices nothing of a change.
    _run(copy, *pytest, *traced, *timed, *tests, seconds=3_600)
    failed = _failed(copy)
    from coverage import CoverageData

    data = CoverageData(str(copy / ".coverage"))
    data.read()
    found: dict[str, dict[int, set[str]]] = {}
    for name in data.measured_files():
        lines = found.setdefault(str(Path(name).relative_to(copy / "src" / "ulnager")), {})
        for line, contexts in data.contexts_by_lineno(name).items():
            lines[line] = {_test(context) for context in contexts if context} - failed
    asked = {test for lines in found.values() for tests in lines.values() for test in tests}
    # What pytest does not know would count as killed.
    if _run(copy, *pytest, "--collect-only", *sorted(asked)):
        raise SystemExit(f"these are not all tests: {', '.join(sorted(asked))}")
    return found


def _failed(copy: Path) -> set[str]:
    """The tests that do not pass by themselves."""
    found = set()
    for case in ElementTree.parse(copy / "times.xml").iter("testcase"):
        if case.find("failure") is not None or case.find("error") is not None:
            place = str(case.get("classname")).replace(".", "/")
            found.add(_test(f"{place}.py::{case.get('name')}|"))
    return found


def _times(copy: Path) -> dict[str, float]:
    """How long each test takes by itself, by its name."""
    taken: dict[str, float] = {}
    for case in ElementTree.parse(copy / "times.xml").iter("testcase"):
        case_name = str(case.get("name"))
        for name in {case_name, case_name.partition("[")[0]}:
            taken[name] = taken.get(name, 0) + float(case.get("time", 0))
    return taken


def _test(context: str) -> str:
    """The test of a context such as ``tests/test_rules.py::test_worked_cases[1]|run``; all cases
    of it where the name of one cannot be given to pytest."""
    name, _, _ = context.rpartition("|")
    test, _, case = name.partition("[")
    return name if case.isascii() and case.isprintable() and "::" not in case else test


def _mutants(
    copy: Path,
    reached: dict[str, dict[int, set[str]]],
    times: dict[str, float],
    count: int,
    seed: int,
    inside: bool,
) -> list[Mutant]:
    """So many places of the core, or outside of it, that some test reaches, each with a change."""

    def time_of(test: str) -> tuple[float, str]:
        return times.get(test.rpartition("::")[2], 0), test

    from cosmic_ray.ast import ast_nodes, get_ast
    from cosmic_ray.mutating import mutate_code
    from cosmic_ray.plugins import get_operator, operator_names

    # By place, or the twelve things that may stand for a plus would outweigh all else.
    places: dict[tuple[Path, Any], list[tuple[str, int]]] = {}
    for path in sorted(ALL.rglob("*.py")):
        if (path.relative_to(ALL).parts[0] == "core") is not inside:
            continue
        nodes = list(ast_nodes(get_ast((copy / path.relative_to(ROOT)).read_text())))
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
        tests = reached.get(str(path.relative_to(ALL)), {}).get(span[0][0], set())
        code = (copy / path.relative_to(ROOT)).read_text()
        mutated = mutate_code(code, get_operator(name)(), occurrence) if tests else None
        if mutated is None or _run_part(mutated) in (None, _run_part(code)):
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
        told, reaching = "\n".join(change), tuple(_first(sorted(tests, key=time_of), times))
        found.append(Mutant(path, name, span[0][0], mutated, told, reaching))
        if len(found) == count:
            break
    return found


class _Unannotated(ast.NodeTransformer):
    """Takes annotations away, which nothing runs."""

    def visit_arg(self, node: ast.arg) -> ast.arg:
        node.annotation = None
        return node

    def visit_AnnAssign(self, node: ast.AnnAssign) -> ast.AST:
        node.annotation = ast.Constant(None)
        return self.generic_visit(node)

    def visit_FunctionDef(self, node: ast.FunctionDef) -> ast.AST:
        node.returns = None
        return self.generic_visit(node)

    visit_AsyncFunctionDef = visit_FunctionDef  # noqa: N815


def _run_part(code: str) -> str | None:
    """What runs of some code; nothing of what is none, as some operators make it."""
    try:
        return ast.dump(_Unannotated().visit(ast.parse(code)))
    except SyntaxError:
        return None


def _first(tests: list[str], times: dict[str, float]) -> Iterator[str]:
    """The first tests, as many as there is time for."""
    taken = 0.0
    for test in tests:
        taken += times.get(test.rpartition("::")[2], 0)
        if taken > REACHING and test != tests[0]:
            return
        yield test


def _is_killed(copy: Path, mutant: Mutant) -> bool:
    place = copy / mutant.path.relative_to(ROOT)
    before = place.read_text()
    place.write_text(mutant.code)
    try:
        pytest = (
            "-m",
            "pytest",
            "-x",
            "-q",
            "-p",
            "no:cacheprovider",
            "-p",
            "xdist",
            "-k",
            NEED_ENGINES,
        )
        code = _run(copy, *pytest, *mutant.tests)
        return code != 0
    finally:
        place.write_text(before)


if __name__ == "__main__":
    main()
