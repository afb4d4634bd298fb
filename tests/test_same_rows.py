"""Every engine and every data frame library keeps exactly the rows that plain Python keeps."""

import functools
import re
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import pytest
import sqlalchemy as sa
from dateutil.relativedelta import relativedelta
from hypothesis import assume, given
from hypothesis import strategies as st

from ulnager import (
    BusinessDays,
    FilterError,
    MonthCalendar,
    ResolveError,
    keep,
    keep_each,
    period,
    where,
)
from ulnager.filters.engines import ENGINES as PRIMITIVES
from ulnager.filters.engines.engine import filled
from ulnager.filters.sql_text import dialect_named

from engines import (
    CALENDARS,
    COLUMNS,
    ENGINES,
    LOADS,
    WITHOUT_ZONES,
    ZONES,
    engine_named,
    engines_there,
    frames,
    local_days,
    rows,
    tally,
    what_python_keeps,
)
from strategies import (
    PLURALS,
    TAKEN,
    TIMES,
    any_phrase,
    calendars,
    chain,
    examples,
    phrases,
    said,
    units,
)

UNITS = ["day", "week", "month", "quarter", "half", "year"]
TEMPLATES = [
    "this {u}", "previous {u}", "next {u}", "{u} to date", "rest of {u}", "latest {u}",
    "last {n} rolling {us}", "last {n} {us}", "last {n} whole {us}", "last {n} {us} to date",
    "last {n} {us} to end", "next {n} rolling {us}", "next {n} whole {us}",
    "next {n} {us} from date", "next {n} {us} from start", "yesterday", "tomorrow",
    "since {n} {us} before today", "from start of {u} to end of next {u}", "until latest",
    "before {n} {us} after start of {u}", "after earliest", "from {n} {us} before latest",
    "last {n} whole {us} as of latest", "{u} to date as of end of previous {u}",
    "{u} to date, {n} {us} earlier", "{u} to date, 1 period earlier", "2026-03, {n} {us} later",
    "last {n} rolling {us}, {n} periods earlier", "last {n} whole {us}, 1 period later",
    "last {n} {us} within data", "{u} to date within last {n} whole {us}", "all dates",
    "last {n} whole {us} within {u} to date", "since start of {u}, 1 period earlier",
    "from start of previous {u} to yesterday, 2 periods earlier", "this {u}, 1 year earlier",
    "{u} to date, 1 week earlier as of 2024-02-29", "first day of this {u}",
    "from 2025-03-31 to {n} {us} after 2025-03-31", "last day of previous {u}", "2026-W14",
    "first day of next {u}", "last {n} {us} as of 2024-02-29", "since 2026-01-31, {n} {us} later",
    "{n} {us} from yesterday", "{n} {us} to latest", "first {n} {us} of previous year",
    "first {n} {us} of previous year, 1 period earlier",
    "last {n} {us} of this quarter", "first {u} of this year", "last {u} of previous quarter",
    "from earlier of latest and yesterday to today", "since later of earliest and start of {u}",
    "{n} {us} from start of {u}, 1 {u} later",
    "at least {n} {us} ago", "less than {n} {us} ago", "at most {n} {us} ago",
    "until 2300-03, {n} {us} later",
]  # fmt: skip
CUTS = [
    "last {n} whole {us} except today", "{u} to date only weekends", "rest of {u} plus yesterday",
    "last {n} rolling {us} except mondays and weekends", "this {u} only business days",
    "(this {u} except holidays) plus (last {n} {us} only fridays)", "this year except this {u}",
    "(last {n} {us} except weekends) within this year", "last {n} {us} only weekdays within data",
    "({u} to date except yesterday) as of latest", "this {u} plus (today only tuesdays)",
]  # fmt: skip
MONTHLY = [
    "first monday of this month", "last friday of previous quarter", "3rd sunday of next month",
    "year to date in fiscal", '"May 2026"',
    "this weekend", "previous weekend", "next weekend", "since monday", "last wednesday",
    "next friday",
    "this sunday", "march", "this december", "last may", "next june",
    "Q{q}", "last Q{q}", "next H1", "this Q3", "week {n}", "last week 53", "next week 1",
    "march of previous year", "Q{q} of next year", "from monday to friday", "from march to june",
    "from 2026-01-01 to friday", "from {n} months before today to march",
    "november to february 2026",
    "until friday", "before december", "march, {n} months earlier", "Q{q}, 1 period earlier",
    "week {n} of this year", "month to date in gregorian", "last 2 calendar quarters",
    "from Q{q} to today, 1 year earlier",
    "month to date, {n} weeks earlier as of 2024-02-29", "third friday of last 2 whole months",
]  # fmt: skip
TODAYS = st.one_of(
    st.dates(date(2024, 1, 1), date(2027, 12, 31)),
    st.sampled_from([date(2024, 2, 29), date(2026, 5, 31), date(2025, 12, 31), date(2026, 2, 28)]),
)
TYPES = st.sampled_from(sorted(COLUMNS))
FISCAL = {"fiscal": MonthCalendar("10-01"), "the office": MonthCalendar()}


def filled_in(template, unit, count):
    many = template.replace("{us}", PLURALS.get(unit, f"{unit}s"))
    return many.replace("{u}", unit).replace("{n}", str(count)).replace("{q}", str(count % 4 + 1))


live_phrases = st.one_of(
    st.builds(
        lambda template, unit, count, shifts: said(filled_in(template, unit, count), shifts),
        st.sampled_from([text for text in TEMPLATES if " as of " not in text]),
        st.sampled_from(UNITS),
        st.integers(1, 3),
        chain(units | st.just("period")),
    ),
    st.builds(filled_in, st.sampled_from(TEMPLATES), st.sampled_from(UNITS), st.integers(1, 8)),
    st.builds(filled_in, st.sampled_from(MONTHLY), st.just("month"), st.integers(1, 8)),
    st.builds(
        lambda template, unit, count, shifts: said(filled_in(template, unit, count), shifts),
        st.sampled_from(CUTS),
        st.sampled_from(UNITS),
        st.integers(1, 3),
        st.just([]) | chain(units | st.just("period"), 2),
    ),
)


# The days of loads between the first and the last one are not told to Python.
of_grammar = any_phrase.filter(lambda phrase: " up to " not in phrase)


def compared(engine, cases):
    """Each case is a clause with what Python keeps; the engine is asked once for all of them."""
    if not cases:
        return
    clauses, expected, told = zip(*cases, strict=True)
    TAKEN[f"conditions on {engine.name}"] += len(cases)
    literal = hash(told) % 2 == 0
    for found, wanted, case in zip(engine.tallies(clauses, literal), expected, told, strict=True):
        assert found == wanted, case


@st.composite
def cases(draw, some_phrases=phrases | live_phrases | of_grammar):
    return draw(some_phrases), draw(calendars())[0], draw(TODAYS), draw(TYPES), draw(
        st.sampled_from(ZONES)), draw(st.sampled_from(["inward", "outward"]))  # fmt: skip


@pytest.mark.parametrize("name", ENGINES)
@examples(14)
@given(drawn=st.lists(cases(), min_size=12, max_size=12))
def test_frozen_and_live_conditions(name, drawn):
    """Any phrase, as fixed dates; and as SQL that works out its dates where there is one span."""
    engine = engine_named(name)
    told = []
    for phrase, calendar, today, column_type, zone, rounding in (
        drawn[::4] if name == "spark" else drawn
    ):
        meant = period(phrase)
        options = {"column_type": column_type, "tz": zone, "rounding": rounding}
        try:
            result = meant.resolve(today=today, calendar=calendar, data=LOADS, calendars=FISCAL)
            frozen = where(result, COLUMNS[column_type], **options)
        except (ResolveError, FilterError) as error:  # No dates, or those of the edges of time.
            assert isinstance(error, ResolveError) or "9999" in str(error)
            continue
        case = (phrase, str(calendar), today, *options.values())
        wanted = what_python_keeps(result, column_type, zone, rounding)
        told.append((frozen, wanted, case))
        by_clock = zone == "UTC" or name not in WITHOUT_ZONES
        if not by_clock and column_type in ("timestamptz", "epoch-seconds", "epoch-milliseconds"):
            continue
        try:
            clause = where(
                meant, COLUMNS[column_type], **options, calendar=calendar, calendars=FISCAL,
                latest=("ulnager_loads", "d"), today=today,
            )  # fmt: skip
            clause.compile(dialect=dialect_named(name))
        except (ResolveError, FilterError) as error:
            assert re.search(
                "several spans|cannot be told apart|inside a |may be empty|be there|every year|"
                "cannot be counted|no end on one side|longer than 100,000 characters|"
                "nested deeper|business days cannot|go outside years",
                str(error),
            )
        else:
            told.append((clause, wanted, ("live", *case)))
    compared(engine, told)


HOURS = st.builds(
    filled_in,
    st.sampled_from([
        "last {n} rolling {us}", "last {n} whole {us}", "this {u}", "{u} to date", "next {n} {us}",
        "last {n} {us} to end", "rest of {u}", "since {n} {us} before now", "before now",
        "last {n} {us}, 1 period earlier", "this {u}, {n} {us} later", "today within last {n} {us}",
        "from start of yesterday to {n} {us} before now", "yesterday within since 2026-05-16T08:30",
        "last {n} {us} as of latest", "this {u} as of {n} {us} after 2026-03-08T01:30:00Z",
        "from {n} {us} before end of month to 3 hours after start of this {u}",
        "after {n} {us} after latest", "last {n} {us} within data",
        "before {n} months before now", "since {n} days before now", "this {u}, 1 month earlier",
        "last {n} {us}, 2 weeks earlier, 1 year later",
        "from 1 year before now to {n} {us} before now",
    ]),
    st.sampled_from(["second", "minute", "hour"]),
    st.integers(1, 90),
)  # fmt: skip
NOWS = st.sampled_from([row["z"].replace(microsecond=0) for row in rows()[200:-300:7]])


@pytest.mark.parametrize("name", ENGINES)
@examples(7)
@given(drawn=st.lists(
    st.tuples(HOURS, NOWS, st.sampled_from(ZONES), st.sampled_from(["00:00", "00:00", "05:00"])),
    min_size=10, max_size=10))  # fmt: skip
def test_live_conditions_of_hours(name, drawn):
    """In elapsed time, also over changes of clocks, and where days start later."""
    engine, told = engine_named(name), []
    for phrase, now, zone, after in drawn:
        zone = "UTC" if name in WITHOUT_ZONES else zone
        result = period(phrase).resolve(now=now, tz=zone, data=LOADS, day_starts=after)
        bounds = result.instants(UTC) if result.is_empty is False else ()
        inside = [
            row["z"] is not None
            and any((not a or row["z"] >= a) and (not b or row["z"] < b) for a, b in bounds)
            for row in rows()
        ]
        clause = where(period(phrase), "z", column_type="timestamptz", tz=zone, now=now,
                            latest=("ulnager_loads", "d"), day_starts=after)  # fmt: skip
        told.append((clause, tally(inside), (phrase, now, zone, after)))
        for column_type in ("timestamptz", "epoch-seconds", "epoch-milliseconds"):
            fixed = where(result, COLUMNS[column_type], column_type=column_type, tz=zone)
            told.append((fixed, tally(inside), (column_type, phrase, now, zone)))
    compared(engine, told)


OFFSET_PHRASES = [
    "today", "yesterday", "last 3 days", "week to date", "previous month", "since 2 weeks ago",
    "latest", "last 2 days as of latest", "from start of yesterday to now", "hour to date",
    "last 5 whole hours", "last 26 rolling hours", "month to date, 1 year earlier",
]  # fmt: skip


@functools.cache
def extent_in(zone):
    """The first and the last day of the instants of the rows."""
    days = local_days(zone)[:-1].tolist()
    return min(days), max(days)


@pytest.mark.parametrize("name", sorted({*ENGINES} & {*WITHOUT_ZONES}))
@examples(8)
@given(drawn=st.lists(st.tuples(
    st.sampled_from(OFFSET_PHRASES), NOWS, st.sampled_from(ZONES[:3]),
    st.sampled_from(["timestamptz", "epoch-seconds", "epoch-milliseconds"]),
    st.sampled_from(["00:00", "05:00"])), min_size=6, max_size=6))  # fmt: skip
def test_zones_of_a_table_of_offsets(name, drawn):
    """Engines without zones find the days of a zone, those without a midnight among them."""
    engine, told = engine_named(name), []
    table = engine.with_table("offsets")
    for phrase, now, zone, held, after in drawn:
        if after != "00:00" and "latest" in phrase:
            continue
        clock = {"now": now, "tz": zone, "day_starts": after}
        result = period(phrase).resolve(**clock, data=extent_in(zone))
        spans = result.instants(zone)
        inside = [
            row["z"] is not None
            and any((not a or row["z"] >= a) and (not b or row["z"] < b) for a, b in spans)
            for row in rows()
        ]
        if held != "timestamptz" and period(phrase).definition.is_sub_day:
            held = "timestamptz"
        clause = where(period(phrase), COLUMNS[held], column_type=held, offset_table=table,
                       latest=("ulnager_rows", "z"), latest_type="timestamptz",
                       **clock)  # fmt: skip
        told.append((clause, tally(inside), (phrase, now, zone, held, after)))
    compared(engine, told)


@pytest.mark.parametrize("name", ENGINES)
def test_the_latest_of_instants_is_a_local_day(name):
    """Its column is taken for what it holds: by its name, or as one says."""
    engine, told = engine_named(name), []
    for zone in ZONES[-1:] if name in WITHOUT_ZONES else ZONES:
        days = local_days(zone)[:-1].tolist()
        data = (min(days), max(days))
        for phrase in ("latest", "from earliest to 500 weeks after earliest"):
            result = period(phrase).resolve(today="2026-05-20", data=data)
            for column, held, more in (("z", "timestamptz", {}),
                                       ("d", "date", {"latest_type": "timestamptz"})):  # fmt: skip
                clause = where(period(phrase), column, column_type=held, tz=zone,
                                    latest=("ulnager_rows", "z"), **more)  # fmt: skip
                told.append((clause, what_python_keeps(result, held, zone), (phrase, zone, held)))
    compared(engine, told)


TABLE_PHRASES = [
    *CUTS,
    *(text for text in TEMPLATES if "half" not in text),
    "last {n} whole business days", "next {n} rolling business days", "this business day",
    "last {n} business days, 1 period earlier", "3rd business day of this month",
    "last business day of previous {u}", "{n} business days before today",
    "since {n} business days before latest", "last {n} {us} as of start of previous business day",
    "last {n} rolling business days as of 2026-05-25", "at least {n} business days ago",
    "more than {n} business days ago", "at most {n} business days ago",
]  # fmt: skip
OWN_UNITS = {"harbour": ["pay period"], "school": ["term"], "camp": ["term"]}


@st.composite
def table_cases(draw):
    name = draw(st.sampled_from(sorted(CALENDARS)))
    all_units = st.sampled_from([*UNITS, *OWN_UNITS.get(name, [])])
    phrase = filled_in(
        draw(st.sampled_from(TABLE_PHRASES)), draw(all_units), draw(st.integers(1, 3))
    )
    if " as of " not in phrase and draw(st.booleans()):
        steps = all_units | st.sampled_from(["business day", "period"])
        phrase = said(phrase, draw(chain(steps, 2)))
    return name, phrase, draw(TODAYS)


@pytest.mark.parametrize("name", ENGINES)
@examples(9)
@given(drawn=st.lists(table_cases(), min_size=8, max_size=8))
def test_live_conditions_that_join_the_date_table(name, drawn):
    """Calendars of weeks and tables, units of one's own and business days."""
    engine = engine_named(name)
    told = []
    # Spark takes seconds for each of these.
    for calendar_name, phrase, today in drawn[::6] if name == "spark" else drawn:
        calendar = CALENDARS[calendar_name]
        meant = period(phrase, calendar)
        try:
            result = meant.resolve(today=today, calendar=calendar, data=LOADS)
            clause = where(
                meant, "d", calendar=calendar, latest=("ulnager_loads", "d"), today=today,
                date_table=engine.with_table(calendar_name),
            )  # fmt: skip
            clause.compile(dialect=dialect_named(name))
        except ResolveError:
            continue
        except FilterError as error:
            # Of thirteen periods the last quarter and the last half have one more.
            assert re.search(
                "no fixed number|may not be there|which SQL cannot say|is longer than", str(error)
            )
            continue
        told.append((clause, what_python_keeps(result, "date"), (calendar_name, phrase, today)))
    compared(engine, told)


@examples(30)
@given(phrase=phrases | live_phrases, today=TODAYS, column=st.sampled_from(["d", "t", "z"]),
       zone=st.sampled_from(ZONES))  # fmt: skip
def test_data_frames(phrase, today, column, zone):
    try:
        result = period(phrase).resolve(today=today, data=LOADS, calendars=FISCAL)
    except ResolveError:
        assume(False)
    column_type = {"d": "date", "t": "timestamp", "z": "timestamptz"}[column]
    wanted = what_python_keeps(result, column_type, zone)
    for library, (frame, tallied) in frames().items():
        assert tallied(keep(frame, result, column, tz=zone)) == wanted, library


def measured_each(phrase, calendar, running, zone, first=date.min, last=date.max):
    """What Python keeps when each row is measured from its own anchor, ``a``, if in that time."""
    meant, found, inside = period(phrase), {}, []
    for row, day in zip(rows(), local_days(zone).tolist(), strict=True):
        anchor = row["a"]
        if anchor is not None and not first <= anchor <= last:
            anchor = None
        if anchor not in found and anchor is not None:
            clock = {"today": anchor} if running else {"as_of": anchor, "today": "2026-05-20"}
            found[anchor] = meant.resolve(**clock, calendar=calendar)
        inside.append(anchor is not None and day is not None and found[anchor].contains(day))
    return tally(inside)


EACH = st.sampled_from([
    "last 30 rolling days", "last 2 whole weeks", "this month", "next 3 rolling months",
    "quarter to date", "from 1 month before start of month to end of week", "since yesterday",
    "this year within last 2 quarters", "week to date, 1 month earlier", "until start of year",
])  # fmt: skip


@examples(5)
@given(phrase=EACH, calendar=calendars(), running=st.booleans(), zone=st.sampled_from(ZONES))
def test_rows_measured_from_their_own_anchor(phrase, calendar, running, zone):
    """On every engine that is there, and in every data frame library."""
    meant, calendar = period(phrase), calendar[0]
    for column, column_type, tz in (("d", "date", "UTC"), ("z", "timestamptz", zone)):
        wanted = measured_each(phrase, calendar, running, tz)
        options = {"anchor": "a", "running": running, "tz": tz, "calendar": calendar}
        for library, (frame, tallied) in frames().items():
            assert tallied(keep_each(frame, meant, column, **options)) == wanted, (library, column)
        for name, engine in engines_there():
            if tz == "UTC" or name not in WITHOUT_ZONES:
                clause = where(meant, column, **options, column_type=column_type,
                                    today=date(2026, 5, 20))  # fmt: skip
                assert engine.tallies([clause]) == [wanted], (name, column)


@pytest.mark.parametrize("phrase", ["this month", "last 3 whole business days", "last 2 quarters"])
def test_rows_of_their_own_anchor_look_it_up_in_the_date_table(phrase):
    first, last = (
        (date(2026, 1, 1), date(2026, 12, 31))
        if TIMES <= 1
        else (date(2014, 1, 1), date(2028, 12, 31))
    )
    shop = CALENDARS["shop"]
    wanted = measured_each(phrase, shop, False, "UTC", first, last)
    for name, engine in engines_there():
        clause = where(period(phrase), "d", calendar=shop, anchor="a",
                            date_table=engine.with_table("shop"))  # fmt: skip
        if name in ("spark", "datafusion", "clickhouse"):
            with pytest.raises(FilterError, match="keep_each"):
                clause.compile(dialect=dialect_named(name))
        else:
            in_time = sa.column("a").between(first, last)
            assert engine.tallies([sa.and_(clause, in_time)]) == [wanted], name


def first_of(day, months, first_month):
    back = (day.month - 1 - first_month) % months
    return day.replace(day=1) - relativedelta(months=back)


# What each primitive gives of a row, worked out by hand: its name, its values, and the result.
BY_HAND = [
    *(("add_days", {"n": n}, lambda r, n=n: r["d"] + timedelta(days=n)) for n in (-400, -1, 1, 59)),
    *(("add_months", {"n": n}, lambda r, n=n: r["d"] + relativedelta(months=n))
      for n in (-37, -12, -1, 1, 2, 11, 25)),
    *(("add_months_first", {"n": n}, lambda r, n=n: r["d"].replace(day=1) + relativedelta(months=n))
      for n in (-13, -1, 1, 48)),
    *(("truncated", {"u": u}, lambda r, m=m: first_of(r["d"], m, 0))
      for u, m in (("month", 1), ("quarter", 3), ("year", 12))),
    ("truncated", {"u": "week"}, lambda r: r["d"] - timedelta(days=r["d"].weekday())),
    *(("months_start", {"k": -1 - n % m, "m": m}, lambda r, n=n, m=m: first_of(r["d"], m, n))
      for m, n in ((3, 0), (3, 1), (6, 5), (12, 0), (12, 9), (12, 11))),
    *(("week_start", {"w": w}, lambda r, w=w: r["d"] - timedelta(days=(r["d"].weekday() - w) % 7))
      for w in range(7)),
    ("later", {"y": "a"}, lambda r: max(r["d"], r["a"])),
    ("earlier", {"y": "a"}, lambda r: min(r["d"], r["a"])),
    ("days_between", {"y": "a"}, lambda r: (r["d"] - r["a"]).days),
    ("add_count", {"a": "id - 9000"}, lambda r: r["d"] + timedelta(days=r["id"] - 9000)),
    ("date_of", {"x": "t"}, lambda r: r["d"]),
    *(("local_day", {"x": "z", "tz": zone},
       lambda r, zone=zone: r["z"].astimezone(ZoneInfo(zone)).date()) for zone in ZONES),
    *(("midnight", {"tz": zone}, lambda r, zone=zone: datetime.combine(
        r["d"], time(), ZoneInfo(zone)).timestamp()) for zone in ZONES),
]  # fmt: skip


@functools.cache
def by_hand(primitive):
    """What a primitive gives of every third row."""
    return [as_plain(BY_HAND[primitive][2](row)) for row in every_third()]


def every_third():
    return [row for row in rows() if row["a"] is not None and row["id"] % 3 == 0]


@pytest.mark.parametrize("name", ENGINES)
def test_primitives(name):
    """Each by itself, on thousands of dates: leap days, ends of months, and both ways."""
    engine, sql = engine_named(name), PRIMITIVES[name]
    some = every_third()
    assert len(some) > 4000
    asked, wanted = [], []
    for place, (primitive, values, _) in enumerate(BY_HAND):
        values = {"x": "d", **values}
        if values.get("tz", "UTC") != "UTC" and not sql.has_zones:
            continue
        if primitive == "truncated":
            if values["u"] not in sql.truncates:
                continue
            values["u"] = sql.truncates[values["u"]]
        if primitive == "months_start":
            values["k"] %= values["m"]
        if primitive == "add_months_first":
            values["x"] = filled(sql, "months_start", x="d", m=1, k=0)
        if primitive == "local_day" and not sql.has_zones:
            primitive = "date_of"
        template = getattr(sql, primitive)
        text = filled(sql, primitive if template else "add_months", **values) if template or \
            primitive != "midnight" else values["x"]  # fmt: skip
        asked.append(filled(sql, "seconds", x=text) if primitive == "midnight" else text)
        wanted.append(by_hand(place))
    for between in ("-", ""):
        asked.append(filled(sql, "formatted", x="d", f=between.join(sql.pieces)))
        wanted.append([between.join(str(row["d"]).split("-"))[:10] for row in some])
    found = zip(*engine.values(asked, "a IS NOT NULL AND id % 3 = 0"), strict=True)
    for text, values, right in zip(asked, found, wanted, strict=True):
        assert list(map(as_plain, values)) == right, text


def as_plain(value):
    """A date as text, however an engine gives it; anything else as it is."""
    return str(value)[:10] if isinstance(value, (date, str)) else int(value)


@pytest.mark.parametrize("name", ENGINES)
@examples(6)
@given(drawn=st.lists(
    st.tuples(live_phrases, NOWS, st.sampled_from(ZONES), st.sampled_from(["t", "z", "es", "em"]),
              st.integers(1, 9)), min_size=6, max_size=6))  # fmt: skip
def test_days_that_start_in_the_small_hours(name, drawn):
    """Whole days move, of the clock and of the rows, frozen and live; and hold the moment."""
    engine, told = engine_named(name), []
    for phrase, now, zone, column, hour in drawn:
        zone = "UTC" if name in WITHOUT_ZONES else zone
        tz, after = ZoneInfo(zone), timedelta(hours=hour)
        clock = {"now": now, "tz": zone, "day_starts": f"{hour:02}:00"}
        today = period("today").resolve(**clock)
        (start, stop), moment = today.instants(zone)[0], now.astimezone(UTC)
        assert start <= moment < stop or abs(moment - start) < timedelta(hours=2)
        held = {"t": "timestamp", "z": "timestamptz", "es": "epoch-seconds"}.get(
            column, "epoch-milliseconds")  # fmt: skip
        try:
            result = period(phrase).resolve(**clock, data=LOADS, calendars=FISCAL)
        except ResolveError:
            continue
        edges = result._local_bounds() if held == "timestamp" else result.instants(zone)
        inside = [
            (moment := row["t"] if held == "timestamp" else row["z"]) is not None
            and any((not a or moment >= a) and (not b or moment < b) for a, b in edges)
            for row in rows()
        ]
        if name == ENGINES[0]:
            by_days = [
                row["z"] is not None
                and result.contains(row["t"] if held == "timestamp"
                                    else row["z"].astimezone(tz).replace(tzinfo=None))
                for row in rows()
            ]  # fmt: skip
            # The hour that comes twice, or never, may be on either side of the start of a day.
            assert sum(a != b for a, b in zip(inside, by_days, strict=True)) < 40
        case = (phrase, now, zone, held, after)
        options = {"column_type": held, "tz": zone}
        told.append((where(result, COLUMNS[held], **options), tally(inside), case))
        if re.search("latest|earliest|data", phrase) or (
            "e" in column and re.search("only|except [a-z]+days|weekends|holidays", phrase)
        ):
            continue
        try:
            clause = where(period(phrase), COLUMNS[held], **options, now=now,
                                calendars=FISCAL, day_starts=f"{hour:02}:00")  # fmt: skip
        except (FilterError, ResolveError) as error:
            assert re.search("may not be there|may be empty|every year|several spans", str(error))
        else:
            told.append((clause, tally(inside), ("live", *case)))
    compared(engine, told)


MANY = st.builds(
    "last {} rolling years{}{}".format,
    st.sampled_from([5, 6, 25]),
    st.sampled_from([" except weekends", " only fridays and mondays", " only business days",
                     " except tuesdays only weekdays", " except holidays except weekends"]),
    st.sampled_from(["", " except 2020-03-02/2021-01-31", ", 1 year earlier", " plus 2026-05-24",
                     " within data"]),
)  # fmt: skip
OFFICE = MonthCalendar(
    business=BusinessDays(
        ["friday", "saturday"], [date(2024, 5, 20), date(2025, 12, 25)], [date(2023, 3, 4)]
    )
)


@pytest.mark.parametrize("name", ENGINES)
@examples(3)
@given(drawn=st.lists(
    st.tuples(MANY, st.sampled_from(["date", "timestamp", "timestamptz"]), st.sampled_from(ZONES)),
    min_size=3, max_size=3))  # fmt: skip
def test_very_many_spans(name, drawn):
    """Cut by weekdays, on every engine; and, on the first, in every data frame library."""
    engine, told = engine_named(name), []
    for phrase, column_type, zone in drawn:
        result = period(phrase).resolve(today=date(2026, 5, 20), calendar=OFFICE,
                                        data=(date(2009, 1, 1), date(2027, 1, 1)))  # fmt: skip
        options = {"column_type": column_type, "tz": zone, "rounding": "outward"}
        wanted = what_python_keeps(result, *options.values())
        clause = where(result, COLUMNS[column_type], **options)
        if column_type == "timestamptz" and name in WITHOUT_ZONES and phrase[5:7] == "25":
            continue  # Thousands of spans, which take an engine long.
        told.append((clause, wanted, (phrase, column_type, zone)))
        if name == ENGINES[0]:
            for library, (frame, tallied) in frames().items():
                kept = keep(frame, result, COLUMNS[column_type], tz=zone)
                assert tallied(kept) == wanted, library
    compared(engine, told)
