"""Makes the demo data: Osier Sound Ferries, a small ferry line that does not exist.

Run ``python -m ulnager.demo.make FOLDER`` to write the four tables. The same seed gives the
same bytes on every machine: only ``random.Random.random`` is drawn from.
"""

from __future__ import annotations

import csv
import sys
from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from random import Random
from zoneinfo import ZoneInfo

SEED = 20260520
ZONE = ZoneInfo("America/Halifax")

FIRST = date(2023, 10, 1)
LAST = date(2026, 5, 17)
BOOKED_UNTIL = date(2026, 9, 30)
CLOCK = date(2026, 5, 20)

# Route: departures by hour of the day, usual passengers, fare.
ROUTES = {
    "Alder Point": ((7, 10, 13, 17), 62, 14.5),
    "Kelp Island": ((8, 12, 16), 38, 9.0),
    "Saltmarsh": ((9, 15), 24, 21.0),
}
STORM_DAYS = frozenset(
    date.fromisoformat(day)
    for day in (
        "2023-11-18",
        "2023-11-19",
        "2024-02-04",
        "2024-09-28",
        "2024-12-11",
        "2024-12-12",
        "2025-03-16",
        "2025-10-25",
        "2025-12-02",
        "2025-12-03",
        "2026-02-22",
        "2026-04-11",
    )
)
REFIT = (date(2026, 1, 12), date(2026, 1, 23))
OFFICE_CLOSED = frozenset(
    date.fromisoformat(day)
    for day in ("2025-12-25", "2025-12-26", "2026-01-01", "2026-03-17", "2026-04-03", "2026-05-18")
)
TASKS = ("hull", "engine", "ramp", "galley", "radio", "paint", "lifeboats")
VESSELS = ("Heron", "Curlew", "Teal")
_SEASON = (0.45, 0.5, 0.62, 0.8, 0.95, 1.2, 1.5, 1.55, 1.1, 0.8, 0.55, 0.6)
_WEEKDAY = (0.85, 0.8, 0.85, 0.95, 1.2, 1.35, 1.15)


def days(first: date, last: date) -> Iterator[date]:
    for offset in range((last - first).days + 1):
        yield first + timedelta(days=offset)


def between(random: Random, low: int, high: int) -> int:
    """A whole number from low to high, both possible."""
    return low + int(random.random() * (high - low + 1))


def sails(day: date) -> bool:
    return day not in STORM_DAYS and not REFIT[0] <= day <= REFIT[1]


def demand(day: date) -> float:
    growth = 1 + 0.06 * (day - FIRST).days / 365
    return _SEASON[day.month - 1] * _WEEKDAY[day.weekday()] * growth


def sailings(random: Random) -> Iterator[Sequence[object]]:
    """A row for each departure; the load of the last day was cut off at midday."""
    for day in filter(sails, days(FIRST, LAST)):
        for route, (hours, usual, fare) in ROUTES.items():
            for hour in hours:
                passengers = max(2, round(usual * demand(day) * (0.7 + 0.6 * random.random())))
                if day < LAST or hour < 12:
                    yield day, route, passengers, f"{passengers * fare:.2f}"


def gate_scans(random: Random) -> Iterator[Sequence[object]]:
    """A row for each ticket at a gate, in UTC; evening scans are on the next day there."""
    number = 0
    for day in filter(sails, days(date(2025, 10, 20), LAST)):
        for _ in range(round(105 * demand(day))):
            route = tuple(ROUTES)[between(random, 0, 2)]
            local = datetime(day.year, day.month, day.day, tzinfo=ZONE) + timedelta(
                minutes=390 + between(random, 0, 1048), seconds=between(random, 0, 59)
            )
            number += 1
            if day < LAST or local.hour < 12:
                yield number, _utc(local), route, f"G{between(random, 1, 4)}"


def bookings(random: Random) -> Iterator[Sequence[object]]:
    """A row for each seat booked ahead; travel dates run past the clock."""
    number = 0
    clock = datetime(CLOCK.year, CLOCK.month, CLOCK.day, 9, tzinfo=ZONE)
    for day in days(date(2026, 1, 1), BOOKED_UNTIL):
        ahead = max(0, (day - CLOCK).days)
        for _ in range(round(48 * demand(day) * 0.985**ahead)):
            route = tuple(ROUTES)[between(random, 0, 2)]
            number += 1
            sails_at = datetime(day.year, day.month, day.day, 7, tzinfo=ZONE)
            before = timedelta(minutes=between(random, 30, 60 * 24 * 60))
            booked = min(sails_at, clock) - before
            yield number, day, _utc(booked), route, f"{ROUTES[route][2] * 0.9:.2f}"


def work_orders(random: Random) -> Iterator[Sequence[object]]:
    """A row for each repair, raised on days when the office is open."""
    number = 0
    for day in days(date(2025, 10, 1), CLOCK - timedelta(days=1)):
        if day.weekday() >= 5 or day in OFFICE_CLOSED:
            continue
        for _ in range(between(random, 0, 4)):
            number += 1
            closed = day + timedelta(days=int(40 * random.random() ** 2))
            while closed.weekday() >= 5 or closed in OFFICE_CLOSED:
                closed += timedelta(days=1)
            open_still = closed >= CLOCK or random.random() < 0.04
            yield (
                f"W{number:04}",
                VESSELS[between(random, 0, 2)],
                TASKS[between(random, 0, 6)],
                day,
                "" if open_still else closed,
            )


def _utc(local: datetime) -> str:
    return local.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


TABLES = {
    "sailings": (("sailed_on", "route", "passengers", "fares"), sailings),
    "gate_scans": (("scan", "scanned_at", "route", "gate"), gate_scans),
    "bookings": (("booking", "travels_on", "booked_at", "route", "price"), bookings),
    "work_orders": (("work_order", "vessel", "task", "raised_on", "closed_on"), work_orders),
}


def write(folder: Path) -> None:
    """Write the four tables as CSV into a folder."""
    for place, (name, (header, rows)) in enumerate(TABLES.items()):
        _write_csv(folder / f"{name}.csv", header, rows(Random(SEED + place)))


def _write_csv(path: Path, header: Iterable[str], rows: Iterable[Sequence[object]]) -> None:
    with path.open("w", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(header)
        writer.writerows(rows)


if __name__ == "__main__":
    write(Path(sys.argv[1]))
