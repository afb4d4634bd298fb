"""The JSON Schemas of a book's file and of a view, for editors and front ends."""

from __future__ import annotations

from typing import Any, Final

from pydantic import TypeAdapter

from ulnager.book.file_schema import BookFile
from ulnager.choices.view_shape import ViewTold
from ulnager.core.arguments import checked
from ulnager.core.errors import SettingError
from ulnager.core.values import Json

KEYS: Final = {
    "accept": "Findings of a check that are as they should be: by rule, each with a reason.",
    "anchor": "The anchor that periods without one of their own are measured from.",
    "anchors": "Named points to measure from; a phrase alone stands for its point.",
    "at": "The time of day in the schedule's zone, such as 07:00.",
    "base": "The calendar that a table builds on for units that it does not list.",
    "beside": "What a chart compares with, such as '1 year earlier'.",
    "build": "Whether viewers put a period together, in a sentence with fields.",
    "by": "The unit that charts are grouped by; of a chart also 'viewer', who chooses it.",
    "calendar": "The calendar for periods that name none.",
    "calendars": "Named calendars: of months, of weeks, or from a table.",
    "charts": "The charts of a page, by name.",
    "compare": "What viewers may compare charts with.",
    "cuts": "Switches that leave out today, what is running, or what is to come.",
    "csv": "Whether the rows of a chart may be had as a CSV file.",
    "choices": "Periods by name, in order; { heading = '…' } stands above those that follow.",
    "column": "The date column; of a filter the one whose values are chosen.",
    "columns": "The columns of rows that are shown.",
    "column_type": "That the date column is a key, and of what.",
    "cycles": "Units of a fixed number of days under names of one's own.",
    "date_format": "How dates are written in a CSV file, such as %d/%m/%Y.",
    "round": "Whether playing begins again at the end of the data.",
    "plays": "Whether playing starts by itself.",
    "refresh": "How often an open page asks anew, such as '10 minutes'.",
    "details": "'none' leaves out what only developers need.",
    "dates": "'none' for a chart that is meant to have no dates.",
    "day": "Whether the anchor's day is over or running, where its point does not say so.",
    "days": "How many days the unit has.",
    "day_starts": "When a new day starts, for the clock and for times in sources: 04:00.",
    "days_off": "The weekdays that are off.",
    "decimal": "The sign before decimals in a CSV file, ',' or '.'.",
    "delimiter": "What parts the fields of a CSV file.",
    "encoding": "The encoding of a CSV file.",
    "ends": "Whether a year ends on the last such weekday of its month or on the nearest.",
    "every": "A rule of RFC 5545, such as FREQ=WEEKLY;BYDAY=MO.",
    "file": "The file, or several, below the folder of the book.",
    "follows": "The picker that a chart follows.",
    "grain": "The unit that a row stands for, if not a day.",
    "header": "Whether the first line of a CSV file has names.",
    "heading": "The heading; an empty one ends the one before.",
    "holiday_country": "The country whose holidays are off, such as CA.",
    "holiday_file": "A CSV or iCalendar file of holidays.",
    "holiday_table": "A table of the database with a column of dates that are off.",
    "database": "The source in whose database a table or holiday_table of the calendar is.",
    "holiday_region": "The region of that country.",
    "holidays": "Dates that are off.",
    "how": "How values are put together: sum, mean, count, …",
    "include": "Files in its folder whose calendars, anchors, sources and periods it takes.",
    "inputs": "Settings of typed slots, by name.",
    "kind": "Of a calendar months, weeks or table; of an input what it stands for.",
    "key": "The name of a choice in links and states; made of the phrase unless it is said.",
    "label": 'What viewers see; in several languages: { en = "…", de = "…" }.',
    "locale": "The language of labels and messages for viewers, such as de or fr-CA.",
    "dates_as": "How days are written for viewers, as a CLDR pattern: dd.MM.yyyy.",
    "labels": "Whether the long or the short labels are shown; of an input each word's.",
    "last": "How 'last N units' is read.",
    "last_day": "The weekday on which a year of weeks ends.",
    "layout": "How the weeks of a quarter are laid out, such as 4-4-5.",
    "offset_file": "The table that 'ulnager calendar --offsets' wrote, whose end check looks at.",
    "link_key": "The environment variable with the key that links are signed with.",
    "form": "What a chart is drawn as, where not as what fits.",
    "limit": "The most that is listed: units, values, rows.",
    "long_period": "The period that the 53rd week goes to.",
    "max": "The largest value; of a day a date or a point.",
    "max_buckets": "The most buckets that are drawn.",
    "min": "The least value; of a day a date or a point.",
    "month": "The month in which a year of weeks ends.",
    "next": "How 'next N units' is read.",
    "of": "The ones to choose from.",
    "only": "'business days', where no other day may be picked.",
    "open_ended": "Dates that stand for none, such as 9999-12-31.",
    "opens": "What it opens with: a choice, a unit, values, or for a page and a schedule a state.",
    "order": "The newest or the oldest unit first; of rows columns, ascending or descending.",
    "per": "What a running measure is divided by.",
    "page": "The page that is sent.",
    "pages": "Pages with their charts, by name.",
    "partial": "What happens to unfinished buckets: mark, drop or keep.",
    "password_env": "The environment variable with the password of the database.",
    "period": "Of a chart the period that it is pinned to, of a source what is looked at at all.",
    "periods": "Named periods; a phrase alone stands for its period.",
    "phrase": "The phrase of the language; {slots} are filled by viewers.",
    "picker": "The picker that governs charts which name none.",
    "pickers": "Pickers with their choices, by name.",
    "point": "The point, such as latest whole day.",
    "query": "A SELECT over the book's other sources by name.",
    "ranges": "How many sets of its inputs a viewer may add; their union is taken.",
    "readings": "How ambiguous phrases are read.",
    "rounding": "What becomes of a unit of its grain that a period cuts: inward or outward.",
    "running": "A phrase that is measured from every day in turn.",
    "schedules": "Pages at set times, by name.",
    "loaded": "How long after their day its rows come, for moments of the past: 3 days later.",
    "share": "The part of a usual day's rows that makes a day whole.",
    "several": "Whether several units or values may be picked.",
    "shifted": "The dates at another time, such as '1 year earlier'.",
    "short": "The short label.",
    "source": "The source that a chart draws from, or whose units an input lists.",
    "sources": "Named data; of an anchor the ones that answer for its dates.",
    "split": "A column whose values are drawn apart, or two, one in the other.",
    "stamps": "Whether the first or the last day of a unit is written.",
    "starts": "The day that is counted from.",
    "step": "The step between values; of a day its unit; of a page how far playing moves.",
    "table": "The table of a database, or a SELECT.",
    "top": "How many values of a split are drawn; the others together.",
    "tz": "The time zone in which days begin.",
    "under": "The bigger unit that the units are listed under.",
    "unit": "The unit that is listed.",
    "until": "The column of the last day, for rows that last: each counts wherever it overlaps.",
    "url": "The URL of a database.",
    "value": "The column whose values are drawn.",
    "values": "Filters by value, by name; of a page those that it offers.",
    "viewers": "What viewers may do: choose, see, or nothing.",
    "week_starts": "The weekday on which weeks start.",
    "where": "Values that rows must have, by column.",
    "working_days": "Dates that are business days all the same.",
    "year_named_by": "Whether a year is named by its start or its end.",
    "year_starts": "The month and day on which a year starts, such as 10-01.",
}


_MODELS: Final[dict[str, Any]] = {"view": ViewTold, "book": BookFile}


@checked()
def schema(name: str) -> Json:
    """The JSON Schema (2020-12) of a ``view`` or of a ``book``.

    >>> schema("view")["title"]
    'ViewTold'

    Raises SettingError for any other name.
    """
    if name not in _MODELS:
        raise SettingError(f"there is no schema {name!r}; there are: {', '.join(_MODELS)}")
    found = TypeAdapter(_MODELS[name]).json_schema()
    found = {"$schema": "https://json-schema.org/draft/2020-12/schema", **found}
    if name == "book":
        _describe(found)
    return found


def _describe(found: dict[str, Any]) -> None:
    """A description on every key of a book."""
    for table in (found, *found.get("$defs", {}).values()):
        for key, one in table.get("properties", {}).items():
            one.setdefault("description", KEYS[key])
