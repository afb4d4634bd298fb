"""Pages as HTML: the templates, their style, and a page to send as one file."""

from __future__ import annotations

import functools
from datetime import datetime
from importlib.resources import files
from typing import Any, Final
from urllib.parse import urlencode

from jinja2 import DictLoader, Environment, StrictUndefined

from ulnager.choices.pages import OpenedPage
from ulnager.choices.view import View
from ulnager.core.errors import SettingError, UlnagerError
from ulnager.pictures import paper
from ulnager.web.chart_layout import Drawn, drawn
from ulnager.web.chart_panels import HEIGHT, WIDE

STATIC: Final = {"page.css": "text/css", "page.js": "text/javascript", "icon.svg": "image/svg+xml"}
_NAMES: Final = (
    *("base.html", "book.html", "chart.html", "page.html", "problem.html"),
    *("ruler.html", "sent.html", "try.html"),
)
MOST_BYTES: Final = 300_000
_ROWS: Final = (31, 12, 0)
"""So many rows of numbers at most stand below a chart that is sent, fewer where it is too large."""


@functools.cache
def environment() -> Environment:
    """The templates."""
    texts = {name: _file(name) for name in (*_NAMES, *STATIC)}
    return Environment(
        loader=DictLoader(texts),
        autoescape=True,
        trim_blocks=True,
        lstrip_blocks=True,
        undefined=StrictUndefined,
    )


def _file(name: str) -> str:
    return files("ulnager.web").joinpath("templates", name).read_text(encoding="utf-8")


@functools.cache
def static(name: str) -> bytes:
    """What a page is drawn with, in the colours of the pictures."""
    lines = {f"series-{place}": pair for place, pair in enumerate(paper.SERIES, 1)}
    light = {
        **{name: day for name, (day, _) in lines.items()},
        "ink": paper.INK,
        "faint": paper.FAINT,
        "paper": paper.PAPER,
        "band": paper.BAND,
        "period": paper.PERIOD,
        "light": paper.LIGHT,
        "warn": paper.WARN,
    }
    dashes = [" ".join(map(str, one)) or "none" for one in paper.DASHES]
    dark = {**{name: night for name, (_, night) in lines.items()}, **paper.DARK}
    return environment().get_template(name).render(light=light, dark=dark, dashes=dashes).encode()


def drawn_chart(opened: OpenedPage, key: str, values: dict[str, Any], told: Any = str) -> Drawn:
    """A chart as it is drawn; what is said of its picker or of a filter stands there once. ``told``
    makes of a problem what its reader may know."""
    chart = opened.charts[key]
    view, value = chart.view, values.get(key)
    if chart.filtered and isinstance(value, str):
        value = chart.said("no rows")
    problems = chart.problems
    if view is not None and not chart.is_hidden and problems and problems == view.problems:
        problems, value = (), chart.said("no dates")
    return drawn(chart, value, [chart.said(told(one)) for one in problems])


def sent_page(
    opened: OpenedPage, address: str | None = None, next_due: datetime | None = None
) -> str:
    """A page as one HTML file without outside references: its charts, and their numbers as text.

    ``address`` is where the page is served; then there is a link to exactly these dates, signed
    where the book has a key. Rows of the data are in it only where the book lets viewers have them.
    """
    words, values = opened.moment.words, opened.values()
    charts = [drawn_chart(opened, key, values) for key in opened.charts]
    charts = [one._replace(rows=()) if one.listed and not one.csv else one for one in charts]
    told = {
        "title": opened._labelled(opened.page.label),
        "lang": words.locale,
        "dir": words.direction,
        "today": words.day(opened.moment.today),
        "say": opened.said,
        "style": static("page.css").decode(),
        "details": opened.page.details != "none",
        "height": HEIGHT,
        "wide": WIDE,
        "pickers": [_told(opened.views[name]) for name in opened.offered],
        "filters": tuple(opened.filters.values()),
        "charts": charts,
        "link": None if address is None else _link(opened, address),
        "next": None if next_due is None else f"{words.day(next_due.date())} {next_due:%H:%M}",
    }
    template = environment().get_template("sent.html")
    for most in _ROWS:
        text = template.render(most=most, **told)
        if len(text.encode()) <= MOST_BYTES:
            return text
    raise SettingError(
        f"the page has more than {MOST_BYTES // 1000:,} kB; send fewer charts, or charts by a "
        "coarser unit"
    )


def _told(view: View) -> dict[str, Any]:
    result = view.resolution
    return {
        "label": view._labelled(view.picker.label),
        "dates": result.label if result is not None else view._in_words("no dates"),
        "days": "" if result is None or not result.days else view.counted(result.days, "day"),
        "choice": view.choice_label if view.choice is not None else "",
        "told": (*view.problems, *view.notes),
    }


def _link(opened: OpenedPage, address: str) -> str:
    """The address of a page with exactly these dates and values."""
    parts = []
    for view in opened.views.values():
        if view.resolution is None or view.resolution.is_empty:
            continue
        try:
            parts.append(view.link(frozen=True))
        except UlnagerError:
            continue  # Nobody can sign it, and viewers may not choose.
    if opened.values_state:
        parts.append(urlencode(opened.values_state, doseq=True))
    query = "&".join(parts)
    return f"{address}?{query}" if query else address
