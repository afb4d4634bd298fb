"""What phrases mean, worked out the slow way: days get labels and are walked one by one.

Shares no code with ``src``. Days are numbers (``date.toordinal``), also outside years 1 to
9999, since a boundary may lie there. Every answer is a pair: the first and the last day.
"""

from dataclasses import dataclass
from datetime import date
from functools import cache, lru_cache

CYCLE = 146_097
MONTHS = {"month": 1, "quarter": 3, "half": 6, "year": 12}


@lru_cache(1_000_000)
def civil(day):
    """Year, month, day of a day number; the calendar repeats every 400 years."""
    cycle, place = divmod(day - 1, CYCLE)
    inside = date.fromordinal(place + 1 + CYCLE)
    return inside.year - 400 + 400 * cycle, inside.month, inside.day


def number(year, month, day):
    return date((year - 1) % 400 + 401, month, day).toordinal() + ((year - 1) // 400 - 1) * CYCLE


@dataclass(frozen=True)
class Days:
    """A calendar as labels on days: two days are in one unit when their labels are equal."""

    first_month: int = 1
    first_day: int = 1
    week_day: int = 0

    def label(self, day, unit):
        if unit == "day":
            return day
        if unit == "week":
            while (day - 1) % 7 != self.week_day:
                day -= 1
            return day
        year, month, place = civil(day)
        if place < self.first_day:
            month -= 1
        months = year * 12 + month - self.first_month
        return months // MONTHS[unit]

    def around(self, day, unit):
        """The first and last day with the same label."""
        label = self.label(day, unit)
        first = last = day
        while self.label(first - 1, unit) == label:
            first -= 1
        while self.label(last + 1, unit) == label:
            last += 1
        return first, last

    def units_back(self, first, count, unit):
        """The first day of the unit ``count`` units before the one that begins on ``first``."""
        for _ in range(count):
            first = self.around(first - 1, unit)[0]
        return first

    def units_on(self, last, count, unit):
        """The last day of the unit ``count`` units after the one that ends on ``last``."""
        for _ in range(count):
            last = self.around(last + 1, unit)[1]
        return last

    def finer(self, unit, other):
        """The smaller of two units, where every start of the larger is a start of it."""
        nest = unit == other or (unit in MONTHS and other in MONTHS)
        return (
            min(unit, other, key=list(MONTHS).index)
            if nest and unit in MONTHS
            else (unit if nest else None)
        )

    def moved(self, day, count, unit):
        """The same day of the month some months away, or the last one that there is."""
        if unit in ("day", "week"):
            return day + count * (7 if unit == "week" else 1)
        year, month, place = civil(day)
        months = year * 12 + month - 1 + count * MONTHS[unit]
        while True:
            try:
                return number(months // 12, months % 12 + 1, place)
            except ValueError:
                place -= 1


class Cycles(Days):
    """Days whose months are units of so many days from a day on."""

    def label(self, day, unit):
        return (day - self.first_day) // self.first_month if unit == "month" else day

    def finer(self, unit, other):
        return unit if unit == other else None

    def moved(self, day, count, unit):
        return day + count * {"day": 1, "week": 7, "month": self.first_month}[unit]


@dataclass(frozen=True)
class Weeks(Days):
    """Years of whole weeks: every day is asked whether a year ends on it."""

    layout: tuple = (4, 4, 5) * 4
    last_day: int = 5
    month: int = 12
    nearest: bool = False
    long_period: int = 12

    def ends_year(self, day):
        if (day - 1) % 7 != self.last_day:
            return False
        near = range(-3, 4) if self.nearest else range(7)
        return any(
            civil(day + n)[1] == self.month and civil(day + n + 1)[1] != self.month for n in near
        )

    def year_end(self, day):
        return self._week_end(day + (self.last_day + 1 - day) % 7)

    @cache  # noqa: B019
    def _week_end(self, day):
        while not self.ends_year(day):
            day += 7
        return day

    def label(self, day, unit):
        if unit in ("day", "week"):
            return day if unit == "day" else (day - 2 - self.last_day) // 7
        end = self.year_end(day)
        start = end - 371 if self.ends_year(end - 371) else end - 364
        weeks = [n + (end - start == 371 and p == self.long_period)
                 for p, n in enumerate(self.layout, 1)]  # fmt: skip
        week, period = (day - start - 1) // 7, 0
        while week >= weeks[period]:
            week -= weeks[period]
            period += 1
        quarter = min(period // 3, 3)
        return end, {"month": period, "quarter": quarter, "half": quarter // 2, "year": 0}[unit]

    def finer(self, unit, other):
        if unit != "day" and other != "day" and "week" in (unit, other):
            return "week"
        return super().finer(unit, other)

    def moved(self, day, count, unit):
        if unit in ("day", "week"):
            return super().moved(day, count, unit)
        here = there = self.around(day, unit)
        for _ in range(abs(count)):
            there = self.around(there[0] - 1 if count < 0 else there[1] + 1, unit)
        day = there[0] + day - here[0]
        while day > there[1]:
            day -= 7
        return day


# phrase: what it is, given the labels d, the anchor a, the first day that is not over b,
# the count n and the unit u.
MEANINGS = {
    "this {u}": lambda d, a, b, n, u: d.around(a, u),
    "previous {u}": lambda d, a, b, n, u: d.around(d.around(a, u)[0] - 1, u),
    "last {u}": lambda d, a, b, n, u: d.around(d.around(a, u)[0] - 1, u),
    "next {u}": lambda d, a, b, n, u: d.around(d.around(a, u)[1] + 1, u),
    "{u} to date": lambda d, a, b, n, u: (d.around(a, u)[0], a),
    "rest of {u}": lambda d, a, b, n, u: (a + 1, d.around(a, u)[1]),
    "last {n} rolling {u}s": lambda d, a, b, n, u: (d.moved(a, -n, u) + 1, a),
    "last {n} {u}s": lambda d, a, b, n, u: (d.moved(a, -n, u) + 1, a),
    "last {n} whole {u}s": lambda d, a, b, n, u: (
        d.units_back(d.around(b, u)[0], n, u),
        d.around(b, u)[0] - 1,
    ),
    "last {n} {u}s to date": lambda d, a, b, n, u: (d.units_back(d.around(a, u)[0], n - 1, u), a),
    "last {n} {u}s to end": lambda d, a, b, n, u: (
        d.units_back(d.around(a, u)[0], n - 1, u),
        d.around(a, u)[1],
    ),
    "next {n} rolling {u}s": lambda d, a, b, n, u: (a + 1, d.moved(a, n, u)),
    "next {n} whole {u}s": lambda d, a, b, n, u: (
        d.around(a, u)[1] + 1,
        d.units_on(d.around(a, u)[1], n, u),
    ),
    "next {n} {u}s from date": lambda d, a, b, n, u: (a, d.units_on(d.around(a, u)[1], n - 1, u)),
    "next {n} {u}s from start": lambda d, a, b, n, u: (
        d.around(a, u)[0],
        d.units_on(d.around(a, u)[1], n - 1, u),
    ),
    "since start of {u}": lambda d, a, b, n, u: (d.around(a, u)[0], a),
    "from {n} {u}s before start of {u} to end of {u}": lambda d, a, b, n, u: (
        d.moved(d.around(a, u)[0], -n, u),
        d.around(a, u)[1],
    ),
    "until {n} {u}s after end of next {u}": lambda d, a, b, n, u: (
        None,
        d.moved(d.around(d.around(a, u)[1] + 1, u)[1], n, u),
    ),
    "after end of previous {u}": lambda d, a, b, n, u: (d.around(a, u)[0], None),
    "all dates": lambda d, a, b, n, u: (None, None),
    "at least {n} {u}s ago": lambda d, a, b, n, u: (None, d.moved(a, -n, u)),
    "more than {n} {u}s ago": lambda d, a, b, n, u: (None, d.moved(a, -n, u) - 1),
    "at most {n} {u}s ago": lambda d, a, b, n, u: (d.moved(a, -n, u), a),
    "less than {n} {u}s ago": lambda d, a, b, n, u: (d.moved(a, -n, u) + 1, a),
}


@dataclass(frozen=True)
class Office:
    """Business days, looked up one by one."""

    off: frozenset = frozenset({5, 6})
    holidays: frozenset = frozenset()
    working: frozenset = frozenset()

    def works(self, day):
        return day in self.working or ((day - 1) % 7 not in self.off and day not in self.holidays)

    def walk(self, day, step, count):
        """The first ``count`` business days met from ``day`` on, that day with them."""
        found = []
        while len(found) < count:
            if self.works(day):
                found.append(day)
            day += step
        return min(found), max(found)


def days_ago(office, day, count):
    """The last day that so many business days come after, up to the one that is given."""
    while count:
        count -= office.works(day)
        day -= 1
    return day


BUSINESS_MEANINGS = {
    "at least {n} business days ago": lambda o, a, b, n: (None, days_ago(o, a, n)),
    "more than {n} business days ago": lambda o, a, b, n: (None, days_ago(o, a, n + 1)),
    "at most {n} business days ago": lambda o, a, b, n: (days_ago(o, a, n + 1) + 1, a),
    "less than {n} business days ago": lambda o, a, b, n: (days_ago(o, a, n) + 1, a),
    "last {n} rolling business days": lambda o, a, b, n: o.walk(a, -1, n),
    "last {n} business days": lambda o, a, b, n: o.walk(a, -1, n),
    "last {n} whole business days": lambda o, a, b, n: o.walk(b - 1, -1, n),
    "last {n} business days to date": lambda o, a, b, n: o.walk(a, -1, n),
    "last {n} business days to end": lambda o, a, b, n: o.walk(a, -1, n),
    "next {n} rolling business days": lambda o, a, b, n: o.walk(a + 1, 1, n),
    "next {n} whole business days": lambda o, a, b, n: o.walk(a + 1, 1, n),
    "next {n} business days from date": lambda o, a, b, n: o.walk(a, 1, n),
    "next {n} business days from start": lambda o, a, b, n: o.walk(a, 1, n),
    "this business day": lambda o, a, b, n: (a, a) if o.works(a) else (a, a - 1),
    "business day to date": lambda o, a, b, n: (a, a) if o.works(a) else (a, a - 1),
    "rest of business day": lambda o, a, b, n: (a, a - 1),
    "previous business day": lambda o, a, b, n: o.walk(a - 1, -1, 1),
    "next business day": lambda o, a, b, n: o.walk(a + 1, 1, 1),
    "until {n} business days before {a}": lambda o, a, b, n: (None, o.walk(a - 1, -1, n)[0]),
    "from {n} business days after {a}": lambda o, a, b, n: (o.walk(a + 1, 1, n)[1], None),
    "first business day of {a}/{z}": lambda o, a, b, n: (o.walk(a, 1, 1)[0],) * 2,
    "last business day of {a}/{z}": lambda o, a, b, n: (o.walk(a + 60, -1, 1)[0],) * 2,
    "{n}th business day of {a}/{z}": lambda o, a, b, n: (o.walk(a, 1, n)[1],) * 2,
}

# How each phrase stands: what its first and its last day are the edges of ("to date": of the unit
# where it is over), and the length that it is stepped by.
STANDINGS = {
    "this {u}": ("u", "u", "unit"), "previous {u}": ("u", "u", "unit"),
    "last {u}": ("u", "u", "unit"), "next {u}": ("u", "u", "unit"),
    "{u} to date": ("u", "to date", "unit"), "rest of {u}": ("", "u", "unit"),
    "last {n} rolling {u}s": ("", "", "last"), "last {n} {u}s": ("", "", "last"),
    "last {n} whole {u}s": ("u", "u", "count"), "last {n} {u}s to date": ("u", "to date", "count"),
    "last {n} {u}s to end": ("u", "u", "count"), "next {n} rolling {u}s": ("", "", "next"),
    "next {n} whole {u}s": ("u", "u", "count"), "next {n} {u}s from date": ("", "u", "count"),
    "next {n} {u}s from start": ("u", "u", "count"), "since start of {u}": ("u", "to date", "days"),
    "from {n} {u}s before start of {u} to end of {u}": ("", "u", "days"),
    "until {n} {u}s after end of next {u}": ("", "", "open"),
    "after end of previous {u}": ("u", "", "open"), "all dates": ("", "", "open"),
    "at least {n} {u}s ago": ("", "", "open"), "more than {n} {u}s ago": ("", "", "open"),
    "at most {n} {u}s ago": ("", "", "days"), "less than {n} {u}s ago": ("", "", "days"),
}  # fmt: skip


def moved_start(d, day, count, small, unit):
    """A unit's first day, which keeps its place in a larger one; the last where it has none."""
    here = d.around(day, unit)
    place, at = 0, here[0]
    while at < day:
        at, place = d.around(at, small)[1] + 1, place + 1
    there = here
    for _ in range(abs(count)):
        there = d.around(there[0] - 1 if count < 0 else there[1] + 1, unit)
    at = there[0]
    for _ in range(place):
        following = d.around(at, small)[1] + 1
        at = at if following > there[1] else following
    return at


def shifted(template, d, a, b, n, u, shifts):
    """A phrase and its shifts, one after the other: (count, unit), a unit may be "period"."""
    first, last = MEANINGS[template](d, a, b, n, u)
    at_first, at_last, step = STANDINGS[template]
    at_first = u if at_first else None
    to_date = at_last == "to date"
    whole = not to_date or d.around(last, u)[1] == last
    at_last = u if at_last else None
    anchored = 0 if step in ("last", "next") else None
    for count, unit in shifts:
        if first is not None and last is not None and last < first:
            return first, last
        if unit == "period" and step in ("last", "next"):
            if anchored is not None:
                anchored += count
                k = anchored + (step == "next")
                first, last = d.moved(a, (k - 1) * n, u) + 1, d.moved(a, k * n, u)
            elif count < 0:
                base = first - 1
                first, last = d.moved(base, count * n, u) + 1, d.moved(base, (count + 1) * n, u)
            else:
                base = last
                first, last = d.moved(base, (count - 1) * n, u) + 1, d.moved(base, count * n, u)
            continue
        if unit == "period":
            if step == "open":
                return None
            size, unit = {
                "unit": (1, u),
                "count": (n, u),
                "days": (last and last - first + 1, "day"),
            }[step]
            count *= size
        anchored = None
        small = at_first and d.finer(at_first, unit)
        if first is not None:
            first = (
                moved_start(d, first, count, small, unit) if small else d.moved(first, count, unit)
            )
        at_first = small
        small = at_last and d.finer(at_last, unit)
        if last is not None:
            if small and whole:
                begins = moved_start(d, d.around(last, small)[0], count, small, unit)
                last = d.around(begins, small)[1]
            else:
                last = d.moved(last, count, unit)
        at_last = small
    return first, last


def business_shifted(template, office, d, a, b, n, shifts):
    """So many business days, moved: from the last one back, or for the next ones on."""
    first, last = BUSINESS_MEANINGS[template](office, a, b, n)
    n = n if "{n}" in template else 1
    for count, unit in shifts:
        if last < first:
            return first, last
        ahead = template.startswith("next")
        day = first if ahead else last
        if unit in ("period", "business day"):
            for _ in range(abs(count) * (n if unit == "period" else 1)):
                day += 1 if count > 0 else -1
                while not office.works(day):
                    day += 1 if count > 0 else -1
        else:
            day = d.moved(day, count, unit)
        first, last = office.walk(day, 1 if ahead else -1, n)
    return first, last


def nth_weekday(first, last, weekday, ordinal):
    """The day of the ``ordinal``-th such weekday (-1: the last one), or None."""
    found = [day for day in range(first, last + 1) if (day - 1) % 7 == weekday]
    place = ordinal - 1 if ordinal > 0 else ordinal
    return found[place] if -len(found) <= place < len(found) else None
