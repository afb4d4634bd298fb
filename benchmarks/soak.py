"""A service under load for as long as is asked, while its sources change, go, stall and lie.

    python benchmarks/soak.py --minutes 60

Two copies of ``ulnager serve`` behind a proxy are asked many times a second: links, forms, JSON,
and what is hostile. Meanwhile a CSV file grows, vanishes, comes back, holds texts among its
numbers, a date of 9999 or a column less, and a table of PostgreSQL is locked for some seconds.
Every few seconds both copies are asked what a service made at that moment answers, too. The clock
is the real one: begin where no midnight of UTC or Halifax lies within. Printed:
the answers by status, those that differ, how long they took (of what needs the locked table
apart), and memory.
"""

import argparse
import json
import os
import random
import signal
import statistics
import sys
import tempfile
import threading
import time
from collections import Counter
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from contextlib import contextmanager
from multiprocessing import get_context
from pathlib import Path

import httpx
import psycopg
from starlette.testclient import TestClient

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "tests"))

import ulnager  # noqa: E402
from serving import MORE, book_in, round_robin, served  # noqa: E402

POSTGRESQL = "postgresql://postgres@127.0.0.1:5432/test"
TABLE = f"ulnager_soak_{os.getpid()}"
STALLED = f"""
[sources.stalled]
url = "{POSTGRESQL}"
table = "{TABLE}"
column = "d"
[pages.stalled.charts.days]
source = "stalled"
period = "all_sailings"
"""
PATHS = (
    "/api/resolve?phrase=last+{n}+whole+months",
    "/api/readings?phrase=last+{n}+months",
    "/api/condition?phrase=last+{n}+rolling+days&column=d",
    "/api/resolve?phrase=last+{n}+hole+months",
    "/api/pickers/dates?dates=recent&dates.recent.n={n}",
    "/api/pages/two?dates=recent&dates.recent.n={n}",
    "/pages/operations?dates=recent&dates.recent.n={n}",
    "/pages/two?dates=own&dates.own.first=2026-04-{n:02}&dates.own.last=2026-05-10",
    "/pages/two?dates=%00%ff{n}&dates.own.first=9999-12-31&x[]=1",
    "/pages/operations?dates=recent&dates.recent.n=-{n}e9",
    "/pages/stalled",
)
ASKED_BESIDE = (
    "/api/book",
    "/api/pages/two?dates=recent&dates.recent.n={n}",
    "/api/pickers/dates?dates=own&dates.own.first=2026-04-{n:02}&dates.own.last=latest",
    "/api/pages/operations?dates=crew_weeks",
)


class Changes:
    """What becomes of the sources, one thing after the other; nothing changes while it is held."""

    def __init__(self, folder: Path) -> None:
        self.path = folder / "sailings.csv"
        self.good = self.path.read_text()
        self.lock, self.ended, self.made = threading.Lock(), threading.Event(), Counter()

    def _write(self, text: str) -> None:
        new = self.path.with_suffix(".new")
        new.write_text(text)
        new.replace(self.path)

    def grow(self) -> None:
        lines = self.good.rstrip("\n").split("\n")
        self.good = "\n".join([*lines, *random.choices(lines[-200:], k=20)]) + "\n"
        self._write(self.good)

    def vanish(self) -> None:
        self.path.unlink()

    def hold_texts(self) -> None:
        lines = self.good.split("\n")
        place = random.randrange(1, len(lines) - 1)
        lines[place] = ",".join([*lines[place].split(",")[:-1], "many"])
        self._write("\n".join(lines))

    def reach_far(self) -> None:
        line = self.good.rstrip("\n").rpartition("\n")[2]
        self._write(self.good + ",".join(["9999-12-31", *line.split(",")[1:]]) + "\n")

    def lose_a_column(self) -> None:
        self._write("\n".join(line.rpartition(",")[0] for line in self.good.split("\n")))

    def run(self) -> None:
        changes = [self.grow, self.vanish, self.hold_texts, self.reach_far, self.lose_a_column]
        while not self.ended.wait(8):
            change = random.choice(changes)
            self.made[change.__name__] += 1
            with self.lock:
                change()
            if random.random() < 0.3:
                self.made["stall"] += 1
                with psycopg.connect(POSTGRESQL) as base:
                    base.execute(f"LOCK TABLE {TABLE} IN ACCESS EXCLUSIVE MODE")
                    self.ended.wait(5)
            self.ended.wait(4)
            with self.lock:
                self._write(self.good)


@contextmanager
def table():
    with psycopg.connect(POSTGRESQL) as base:
        base.execute(f"CREATE TABLE {TABLE} (d date)")
        base.execute(
            f"INSERT INTO {TABLE} SELECT date '2026-05-20' - n FROM generate_series(0, 999) AS n"
        )
    try:
        yield
    finally:
        with psycopg.connect(POSTGRESQL) as base:
            base.execute(f"DROP TABLE {TABLE}")


def memory(process) -> float:
    """Megabytes that a process holds."""
    told = Path(f"/proc/{process.pid}/statm").read_text()
    return int(told.split()[1]) * os.sysconf("SC_PAGE_SIZE") / 1e6


def compared(book: Path, address: str) -> list[str]:
    """For each question what the copies answer otherwise than a service that was made just now;
    empty texts where they do not. In a process of its own, so that asking goes on meanwhile."""
    found = []
    fresh = TestClient(ulnager.service(book, allow_outside=True))
    for path in ASKED_BESIDE:
        asked = path.format(n=random.randrange(1, 28))
        wanted = fresh.get(asked)
        for _ in "ab":
            given = httpx.get(address + asked, timeout=60)
            same = (given.status_code, given.text) == (wanted.status_code, wanted.text)
            found.append("" if same else f"{asked}\n  {wanted.text[:300]}\n  {given.text[:300]}")
    return found


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--minutes", type=float, default=60)
    asked.add_argument("--rate", type=float, default=50, help="requests a second")
    options = asked.parse_args()
    # Whoever ends it has no table, folder or service left.
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(1))
    statuses, told, kept, said, failed = Counter(), [], [], [], []
    times = {"stalled": [], "others": []}
    with tempfile.TemporaryDirectory() as folder, table():
        book = book_in(folder, MORE + STALLED)
        changes = Changes(Path(folder))
        with served(book, "--allow-outside", today=None, told=said) as (one, first), \
                served(book, "--allow-outside", today=None, told=said) as (two, second), \
                round_robin(one, two) as address, ThreadPoolExecutor(40) as pool, \
                ProcessPoolExecutor(1, get_context("spawn")) as beside:  # fmt: skip
            client = httpx.Client(timeout=60, limits=httpx.Limits(max_connections=60))

            def ask(path: str, sort: str, due: float) -> None:
                try:
                    answer = client.get(address + path)
                    status = answer.status_code
                    if status >= 500:
                        failed.append(f"{path}: {answer.text[:300]}")
                except httpx.HTTPError as error:
                    status = type(error).__name__
                    failed.append(f"{path}: {error}")
                statuses[status] += 1
                # From when it was due: what waits for its turn here is late for its viewer, too.
                times[sort].append(time.perf_counter() - due)

            def compare() -> list[str]:
                with changes.lock:
                    return beside.submit(compared, book, address).result()

            changing = threading.Thread(target=changes.run)
            changing.start()
            begun = time.perf_counter()
            number, looked, comparing = 0, begun, None
            while (now := time.perf_counter()) - begun < options.minutes * 60:
                due = begun + number / options.rate
                time.sleep(max(0.0, due - now))
                path = random.choice(PATHS[:-1] if number % 100 else PATHS[-1:])
                sort = "stalled" if "stalled" in path else "others"
                pool.submit(ask, path.format(n=random.randrange(1, 28)), sort, due)
                number += 1
                if now - looked < 10:
                    continue
                looked = now
                kept.append((memory(first), memory(second)))
                if comparing is None or comparing.done():
                    told += comparing.result() if comparing else []
                    comparing = pool.submit(compare)
                if len(kept) % 12 == 0:
                    so_far = (
                        f"{len(kept) / 6:.0f} min, {dict(statuses)}, {sum(map(bool, told))} wrong"
                    )
                    sizes = f"{kept[-1][0]:.0f} and {kept[-1][1]:.0f} MB"
                    print(f"{so_far} of {len(told)}, {sizes}", flush=True)
            changes.ended.set()
            changing.join()
    print(f"\nasked {number:,} times; answers {json.dumps(dict(statuses), default=str)}")
    print(f"changes: {dict(changes.made)}")
    wrong = [one for one in told if one]
    print(f"compared with a fresh service: {len(told):,}; different: {len(wrong)}")
    print("\n".join([*wrong[:5], *failed[:5], *said[:40]]))
    for sort, taken in times.items():
        if len(taken) > 1:
            ends = sorted(taken)
            shown = [statistics.median(ends), ends[int(len(ends) * 0.99)], ends[-1]]
            print(f"{sort}: median, p99 and most", *(f"{one * 1e3:.0f} ms" for one in shown))
    quarter = max(1, len(kept) // 4)
    for place in (0, 1):
        early = statistics.mean(one[place] for one in kept[quarter : 2 * quarter] or kept)
        late = statistics.mean(one[place] for one in kept[-quarter:])
        print(f"memory of copy {place + 1}: second quarter {early:.0f} MB, last {late:.0f} MB")


if __name__ == "__main__":
    main()
