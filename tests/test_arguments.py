"""Wrong arguments: each public function answers each of them with an error of our own."""

import inspect
from datetime import date, datetime

import numpy as np
import pandas as pd
import pytest

import ulnager
from ulnager import GREGORIAN, UlnagerError, open_source, period, profile, where
from ulnager.demo import book_file, table

from strategies import TIMES

DAY, FRAME = date(2026, 1, 1), pd.DataFrame({"d": [date(2026, 1, 1)], "e": [date(2026, 1, 2)]})
RESULT, PERIOD = period("2026-03").resolve(), period("last 3 days")
BUCKET = RESULT.buckets("month")[0]
SAILINGS = open_source(table("sailings"))
WRONG = [
    None, 0, 1.5, "", "no such thing", b"x", [], {}, object(), np.arange(3), FRAME, DAY, RESULT,
    PERIOD, BUCKET, SAILINGS, profile(SAILINGS), ("a",), print, True, datetime(2026, 1, 1), int,
    float("nan"), [None, 3], "\0", {"a": FRAME}, np.datetime64("NaT"),
]  # fmt: skip
BOOK = ulnager.read_book(book_file())
PICKER, PAGE = BOOK.picker("dates"), BOOK.page("operations")
VIEW = PICKER.open(DAY, data=(DAY, DAY))
WHEN = ("today", "as_of", "now", "tz", "calendar", "data", "day_starts", "defaults", "calendars")
CALLS = {
    ulnager.period: ("last 3 days",), profile: (SAILINGS, "sailed_on"),
    ulnager.preview: (SAILINGS, RESULT, "sailed_on"), where: (RESULT, "d"),
    ulnager.condition: (RESULT, "d"), ulnager.where: (PERIOD, "d"),
    ulnager.keep: (FRAME, RESULT, "d"), ulnager.keep_each: (FRAME, PERIOD, "d"),
    open_source: (table("sailings"),), ulnager.read_book: (book_file(),),
    ulnager.date_table: (GREGORIAN, DAY, DAY, RESULT.anchor),
    ulnager.business_days_between: (DAY, DAY),
    ulnager.own_unit: ("pay period", 14, DAY), ulnager.MonthCalendar: (),
    ulnager.WeekCalendar: ("4-4-5",), ulnager.BusinessDays: (),
    ulnager.TableCalendar: ([("term", DAY), ("term", date(2026, 4, 1))],),
    PERIOD.resolve: (), PERIOD.resolve_each: ([DAY],), RESULT.buckets: ("month",),
    RESULT.mask: ([DAY],), RESULT.contains: (DAY,), RESULT.counterpart: (1, "year"),
    GREGORIAN.label: (DAY, "month"), GREGORIAN.floor: (DAY, "month"),
    GREGORIAN.shift: (DAY, "month", 1), BUCKET.mask: ([DAY],), BUCKET.contains: (DAY,),
    SAILINGS.extent: ("sailed_on",), ulnager.totals: (FRAME, "2026-01"),
    ulnager.running: (FRAME, "month to date"), ulnager.ages: (FRAME, "d", "e"),
    ulnager.complete: ("last 3 ",), ulnager.schema: ("view",), PERIOD.walk: ("1 week", DAY, DAY),
    PICKER.where: ("d",), PICKER.open: (DAY,), PICKER.read: ({}, DAY),
    VIEW.choose: ("recent",), VIEW.group: ("day",), VIEW.drop_range: (1,),
    VIEW.refreshed: (DAY,), VIEW.link: (), VIEW.condition: ("d",), PAGE.open: (DAY,),
    PAGE.read: ({}, DAY),
}  # fmt: skip


NEEDED = {
    ulnager.keep_each: {"anchor": "e"},
    ulnager.running: {"over": "2026-01", "column": "d"},
    ulnager.totals: {"column": "d"},
}


SLOW = {ulnager.totals, ulnager.running, ulnager.ages, ulnager.preview, PAGE.read, PAGE.open,
        PICKER.read, PICKER.open}  # fmt: skip


@pytest.mark.parametrize("function", CALLS, ids=lambda f: getattr(f, "__qualname__", str(f)))
def test_wrong_arguments_are_errors_of_our_own(function):
    """Each argument in turn is each wrong thing; short messages, and no object's dump in them."""
    good = CALLS[function]
    needed = NEEDED.get(function, {})
    parameters = inspect.signature(function).parameters
    others = list(parameters.values())[len(good) :]
    named = [one.name for one in others if one.kind in (1, 3)]  # By position, by name only.
    if any(one.kind == one.VAR_KEYWORD for one in parameters.values()):
        named += WHEN
    calls = [
        ((*good[:n], wrong, *good[n + 1 :]), needed) for n in range(len(good)) for wrong in WRONG
    ]
    # Some of them at a time, fewer where each call is a query; all in a longer run.
    step = 1 if TIMES > 1 else 6 if function in SLOW else 2
    calls += [(good, {**needed, name: wrong}) for place, name in enumerate(named)
              for wrong in WRONG[place % step :: step]]  # fmt: skip
    for args, given in calls:
        try:
            function(*args, **given)
        except UlnagerError as error:
            assert "object at 0x" not in str(error)
            assert len(str(error)) < 700


def test_what_people_have_is_taken():
    """Buckets, phrases, frames, pairs and profiles, wherever one of their sort is wanted."""
    assert ulnager.preview(SAILINGS, BUCKET).kept == ulnager.preview(SAILINGS, "2026-03").kept
    assert str(ulnager.condition(BUCKET, "d")) == str(ulnager.condition(RESULT, "d"))
    assert ulnager.keep(FRAME, BUCKET, "d").empty
    assert BUCKET.mask(np.array(["2026-03-31", "2026-04-01"], dtype="M8[D]")).tolist() == [
        True,
        False,
    ]
    frame = pd.read_csv(table("sailings"), parse_dates=["sailed_on"])
    for data in (
        frame,
        table("sailings"),
        SAILINGS,
        profile(SAILINGS),
        ("2023-10-01", "2026-05-17"),
    ):
        result = period("latest").resolve(data=data)
        assert result.start == date(2026, 5, 17)
    assert period("latest whole day").resolve(data=frame).start == date(2026, 5, 16)
    kept = ulnager.keep(SAILINGS, "2026-03")
    assert len(kept.rows()) == ulnager.preview(frame, "2026-03").kept
