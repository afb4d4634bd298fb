"""What several tests share."""

import os
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import HealthCheck, Phase, settings

from ulnager.cli.main import main

from strategies import TAKEN, TIMES

ROOT = Path(__file__).parent.parent

settings.register_profile(
    "ulnager",
    deadline=None,
    suppress_health_check=[HealthCheck.too_slow],
    derandomize=TIMES <= 1,
    max_examples=max(10, int(100 * TIMES)),
    # Slow engines take long to make a failing case small: ULNAGER_AS_FOUND=1 shows it as it is.
    phases=[Phase.explicit, Phase.generate] if os.environ.get("ULNAGER_AS_FOUND") else Phase,
)
settings.load_profile("ulnager")


@pytest.fixture
def cli(capsys):
    """Runs a command line in this process: its exit code, standard output and error."""

    def run(*args):
        with pytest.raises(SystemExit) as left:
            main(args)
        out, err = capsys.readouterr()
        return left.value.code, out, err

    return run


def run_python(*args):
    """Runs Python in a fresh process and gives its standard output."""
    done = subprocess.run(
        [sys.executable, *args], capture_output=True, text=True, cwd=ROOT, check=False
    )
    assert done.returncode == 0, done.stderr
    return done.stdout


TOGETHER = {"same_rows": "engines", "numbers": "engines", "live": "engines",
            "warehouses": "engines", "pickers": "engines"}  # fmt: skip
"""Files whose tests run in one process, as those that need Spark do: it takes long to start."""
HEAVY = ("engines", "browser", "recognising", "kept", "service", "stranger", "viewers")


def _group(nodeid):
    name = Path(nodeid.partition("::")[0]).stem.removeprefix("test_")
    return TOGETHER.get(name, name)


@pytest.hookimpl(optionalhook=True)
def pytest_xdist_make_scheduler(config, log):
    """A file's tests run in one process."""
    from xdist.scheduler import LoadScopeScheduling

    made = LoadScopeScheduling(config, log)
    made._split_scope = _group
    return made


def pytest_terminal_summary(terminalreporter):
    """How much a long run compared, in this process: pytest without -n."""
    for what, count in sorted(TAKEN.items()) if TIMES > 1 else ():
        terminalreporter.write_line(f"{count:,} {what}")


def pytest_collection_modifyitems(items):
    """The longest first, so that no worker is left with one of them at the end."""
    order = {name: place for place, name in enumerate(HEAVY)}
    items.sort(key=lambda item: order.get(_group(item.nodeid), len(order)))
