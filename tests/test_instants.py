"""Hours, minutes and seconds; and the instants at which local days begin."""

from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo, available_timezones

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from ulnager import FilterError, ResolveError, SettingError, condition, period
from ulnager.core.calendars.zones import day_start

from strategies import TIMES

HALIFAX = ZoneInfo("America/Halifax")
NOW = "2026-05-20T11:30:00+00:00"  # 08:30 in Halifax
HERE = {"now": NOW, "tz": "America/Halifax"}
MICROSECOND = timedelta(microseconds=1)


LINES = (Path(__file__).parent / "hours.txt").read_text().splitlines()[1:]


@pytest.mark.parametrize("line", LINES)
def test_periods_of_hours(line):
    phrase, start, stop = line.split(" => ")
    result = period(phrase).resolve(**HERE, data=("2023-10-01", "2026-05-20"))
    shown = [(edge and f"{edge:%m-%d %H:%M}") or "open" for edge in (result.start, result.stop)]
    assert shown == [start, stop]
    assert (result.end, result.days) == (None, None)
    assert result.steps[-1].startswith("So the times are")
    assert period(str(period(phrase))) == period(phrase)


def test_a_day_measured_from_an_instant_is_still_running():
    for phrase, end in [
        ("last 2 whole days as of 2026-05-17T08:00", "2026-05-16"),
        ("last 2 whole days as of now", "2026-05-19"),
        ("last 2 whole days as of 2026-05-17", "2026-05-17"),
    ]:
        assert str(period(phrase).resolve(**HERE).end) == end


@given(
    st.integers(1, 500),
    st.sampled_from(["hour", "minute", "second"]),
    st.datetimes(datetime(1980, 1, 1), datetime(2037, 1, 1)),
    st.sampled_from(["America/Halifax", "Australia/Lord_Howe", "Asia/Kathmandu", "UTC"]),
)
def test_hours_are_elapsed_time(count, unit, moment, tz):
    now = moment.replace(tzinfo=UTC)
    length = timedelta(**{f"{unit}s": count})
    rolling = period(f"last {count} rolling {unit}s").resolve(now=now, tz=tz)
    assert (rolling.stop, rolling.stop - rolling.start.astimezone(UTC)) == (now, length)
    assert rolling.duration == length
    whole = period(f"last {count} whole {unit}s").resolve(now=now, tz=tz)
    assert whole.duration == length
    assert timedelta(0) <= now - whole.stop < timedelta(**{f"{unit}s": 1})
    assert whole.stop.second == 0 or unit == "second"
    ahead = period(f"next {count} rolling {unit}s").resolve(now=now, tz=tz)
    assert ahead.start == rolling.stop
    assert rolling.contains(now - MICROSECOND)
    assert not rolling.contains(now)


def changes(zone):
    """Days near which a zone changes its offset, from 1970 to 2037."""
    noon, week = datetime(1970, 1, 1, 12, tzinfo=UTC), timedelta(days=7)
    before = noon.astimezone(zone).utcoffset()
    while noon.year < 2038:
        noon += week
        after = noon.astimezone(zone).utcoffset()
        if after != before:
            yield from ((noon - timedelta(days=n)).date() for n in range(9))
        before = after


def test_local_days_begin_right_at_every_change_of_every_zone():
    skipped = 0
    for place, name in enumerate(sorted(available_timezones())):
        # A third of them, and those beside the date line; all in a longer run.
        if TIMES < 1 and place % 3 and not name.startswith("Pacific/"):
            continue
        zone = ZoneInfo(name)
        for day in changes(zone):
            start = day_start(day, zone)
            assert (start - MICROSECOND).astimezone(zone).date() < day, (name, day)
            if start.astimezone(zone).date() != day:
                # Some islands crossed the date line, and that day was never there.
                assert start.astimezone(zone).date() == day + timedelta(days=1), (name, day)
                assert day_start(day + timedelta(days=1), zone) == start
                skipped += 1
    assert 0 < skipped < 30


def test_midnights_that_do_not_exist_or_come_twice():
    for zone, day, instant in [
        ("America/Sao_Paulo", date(2017, 10, 15), "2017-10-15T03:00:00+00:00"),
        ("America/St_Johns", date(2006, 10, 29), "2006-10-29T02:30:00+00:00"),
        ("Asia/Amman", date(2022, 2, 25), "2022-02-24T22:00:00+00:00"),
        ("Pacific/Apia", date(2011, 12, 30), "2011-12-30T10:00:00+00:00"),
    ]:
        assert day_start(day, ZoneInfo(zone)).isoformat() == instant
    with pytest.raises(ResolveError, match="begins outside"):
        day_start(date(1, 1, 1), ZoneInfo("Asia/Tokyo"))


def test_conditions_of_hours():
    result = period("last 6 hours").resolve(**HERE)
    made = condition(result, "t", column_type="timestamptz", literal=True).text
    assert "'2026-05-20 05:30:00+00:00'" in made
    assert "'2026-05-20 11:30:00+00:00'" in made
    made = condition(result, "t", column_type="timestamp", literal=True).text
    assert "'2026-05-20 02:30:00'" in made
    with pytest.raises(FilterError, match="column of dates"):
        condition(result, "d")


def test_hours_without_a_moment():
    hours = period("last 6 hours")
    with pytest.raises(ResolveError, match="need a time zone"):
        hours.resolve(today="2026-05-20")
    with pytest.raises(ResolveError, match="need the moment"):
        hours.resolve(today="2026-05-20", tz="UTC")
    with pytest.raises(ResolveError, match="no moment was given"):
        period("before now").resolve(as_of="2026-05-20", today="2026-05-20", tz="UTC")
    with pytest.raises(ResolveError, match="years 1 to 9999"):
        period("last 99999999999 hours").resolve(**HERE)
    with pytest.raises(SettingError, match="no instant"):
        hours.resolve(**HERE).contains(date(2026, 5, 20))
    assert hours.resolve().stop.tzinfo is not None
    as_of = hours.resolve(as_of="2026-05-19", today="2026-05-20", tz="America/Halifax")
    assert as_of.stop == datetime(2026, 5, 20, tzinfo=HALIFAX)


@given(
    st.integers(1, 200),
    st.sampled_from(["only weekdays", "except weekends", "only mondays and fridays",
                     "except sundays", "only business days"]),
    st.datetimes(datetime(2020, 1, 1), datetime(2030, 1, 1)),
    st.sampled_from(["America/Halifax", "Australia/Lord_Howe", "UTC"]),
)  # fmt: skip
def test_hours_of_some_days_are_those_of_their_local_days(count, days, moment, tz):
    here = {"now": moment.replace(tzinfo=UTC), "tz": tz}
    hours = period(f"last {count} whole hours").resolve(**here)
    some = period(f"last {count} whole hours {days}").resolve(**here)
    whole = period(f"from 2019-01-01 to 2031-01-01 {days}").resolve(**here)
    at = hours.start.astimezone(UTC)
    while at < hours.stop:
        is_in = whole.contains(at.astimezone(ZoneInfo(tz)).date())
        assert some.contains(at) == is_in, at
        at += timedelta(hours=1)
    assert not some.contains(hours.stop)
    assert not some.contains(hours.start - MICROSECOND)


def test_local_times_and_days_in_a_period_of_hours():
    found = period("from start of today to now").resolve(**HERE)
    times = np.array(["2026-05-19T23:59", "2026-05-20T00:00", "2026-05-20T08:29",
                      "2026-05-20T08:30", "NaT"], dtype="datetime64[m]")  # fmt: skip
    assert found.mask(times).tolist() == [False, True, True, False, False]
    days = np.array(["2026-05-19", "2026-05-20", "2026-05-21", "NaT"], dtype="datetime64[D]")
    # A day is where it begins.
    assert found.mask(days).tolist() == [False, True, False, False]
    later = period("last 3 whole hours").resolve(**HERE)
    assert later.mask(days).tolist() == [False] * 4
    assert later.mask(times + np.timedelta64(0)).tolist() == [False, False, False, False, False]
    assert later.mask(np.array(["2026-05-20T07:59"], dtype="datetime64[s]")).tolist() == [True]
