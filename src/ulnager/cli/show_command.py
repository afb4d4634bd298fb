"""``ulnager show``: a picker, a page or a schedule of the book as viewers see it now."""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import UTC, date, datetime, time
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final
from urllib.parse import parse_qs

import click

from ulnager.cli.help import Command
from ulnager.cli.options import OF_CALENDAR, basis_options_but, json_option, locale_option
from ulnager.cli.output import echo, show_json, show_pairs, show_table
from ulnager.cli.request import Request
from ulnager.core.errors import FilterError, SettingError, SourceError, UlnagerError
from ulnager.core.periods.clock import as_day, as_instant
from ulnager.core.text import number_text

if TYPE_CHECKING:
    from ulnager.book.book import Book, BookAnchor, BookPeriod
    from ulnager.book.schedules import Schedule
    from ulnager.book.sources import BookSource
    from ulnager.choices.charts import OpenedChart
    from ulnager.choices.pages import OpenedPage, Page
    from ulnager.choices.picker_state import ShownChoice
    from ulnager.choices.view import View


Pairs = Iterator[tuple[str, str]]


def told_name(book: Book, name: str, clock: dict[str, Any]) -> list[tuple[str, str]] | None:
    """What is to be said of a name, None where no period, anchor, source or calendar has it."""
    if name in book.periods:
        return list(_period(book, book.period(name), clock))
    if name in book.anchors:
        return list(_anchor(book, book.anchors[name], clock))
    if name in book.sources:
        return list(_source(book, book.sources[name], clock))
    if name in book.calendars:
        return [("calendar", str(book.calendars[name]))]
    return None


def _period(book: Book, entry: BookPeriod, clock: dict[str, Any]) -> Pairs:
    yield "period", str(entry.period)
    yield "label", entry.label
    if entry.short:
        yield "short", entry.short
    anchor = entry._measured_from
    yield "measured from", "the clock" if anchor is None else f"{anchor.name}: {anchor.point}"
    yield "calendar", str(entry.calendar or book.calendar or "the Gregorian calendar")
    for made in entry.period.inputs.values():
        yield "input", f"{made.name}: {made.kind}, opens with {made.opens or 'nothing'}"
    if entry.period.inputs:
        return
    try:
        result = entry.resolve(moment=book.moment(**clock))
    except UlnagerError as error:
        yield "problem", str(error)
        return
    yield "dates", result.label
    if result.days is not None:
        yield "length", f"{result.days:,} day{'s' * (result.days != 1)}"
    for note in result.notes:
        yield "note", note


def _anchor(book: Book, anchor: BookAnchor, clock: dict[str, Any]) -> Pairs:
    yield "anchor", str(anchor.point)
    if anchor.running is not None:
        yield "its day", "is running" if anchor.running else "is over"
    if anchor.sources:
        yield "sources", ", ".join(one.name for one in anchor.sources)
    try:
        day = book._resolve_phrase(anchor.point, as_of=anchor.name, moment=book.moment(**clock))
        yield "day", day.label
    except UlnagerError as error:
        yield "problem", str(error)
    used = [one.name for one in book.periods.values() if one._measured_from == anchor]
    if used:
        yield "measures", ", ".join(used)


def _source(book: Book, source: BookSource, clock: dict[str, Any]) -> Pairs:
    yield "source", source.query or source.told_place
    if source.column is not None:
        yield "column", source.column
    if source.tz is not None:
        yield "zone", source.tz
    if source.limit is not None:
        yield "period", str(source.limit)
    try:
        held = source.profile(moment=book.moment(**clock))
    except UlnagerError as error:
        yield "problem", str(error)
        return
    yield "dates", f"{held.first} to {held.last}, {held.rows:,} rows"
    yield "look at", f"ulnager profile {source.name} --book {book.file}"


_MOMENTS = 5


@click.command("show", cls=Command)
@click.argument("name", metavar="[NAME]", required=False)
@click.option("--choose", metavar="KEY", help="Another choice of the picker.")
@click.option("--set", "values", metavar="INPUT=VALUE", multiple=True, help="A value of an input.")
@click.option("--by", metavar="UNIT", help="Another unit for charts to be grouped by.")
@click.option("--compare", metavar="SHIFT", help="Compare charts with it: '1 year earlier'.")
@click.option("--link", metavar="LINK", help="Open it from a link: a query string.")
@click.option("--as-link", is_flag=True, help="Print the link to what is shown, and nothing else.")
@click.option("--as-book", is_flag=True, help="Print a line for 'opens' in the book instead.")
@click.option("--to", metavar="FILE.html", help="Write a page, or what is due, as one file.")
@click.option("--replace", is_flag=True, help="Make a file that is there already anew.")
@click.option("--address", metavar="URL", help="Where the page is served: --to links to there.")
@click.option("--moment", metavar="WHEN", help="With --to: what a schedule was to send then.")
@json_option
@locale_option
@basis_options_but("as_of", "day_starts", "defaults", *OF_CALENDAR)
def command(
    request: Request,
    name: str | None,
    choose: str | None,
    values: tuple[str, ...],
    by: str | None,
    compare: str | None,
    link: str | None,
    as_link: bool,
    as_book: bool,
    to: str | None,
    replace: bool,
    address: str | None,
    moment: str | None,
    as_json: bool,
) -> None:
    """Print a picker, a page or a schedule of the book as viewers see it now, or what another name
    of the book stands for; without NAME, the whole book at a glance.

    \b
      ulnager show --book periods.toml
      ulnager show dates --book periods.toml --choose recent --set n=14
      ulnager show operations --book periods.toml --link "dates=recent&dates.recent.n=14"
      ulnager show monday_mail --book periods.toml --to mail.html
    """
    book = request.open_book
    if book is None:
        raise SettingError("show what? Name a book: --book FILE")
    clock = _clock(request)
    if to is not None and name not in book.pages and name not in book.schedules:
        raise SettingError("--to writes a page or a schedule; name one")
    if to is None and (replace or address is not None):
        raise SettingError("--replace and --address are of a file; say --to FILE.html")
    if moment is not None and (to is None or name not in book.schedules):
        raise SettingError("--moment is of a schedule; name one, and say --to FILE.html")
    if name is None:
        for option in (choose, values, by, compare, link, as_link, as_book):
            if option:
                raise SettingError("--choose and its kin are for a picker or a page; name one")
        _show_book(book, clock, as_json)
        return
    fields = _fields(link)
    if name in book.schedules:
        if choose or values or by or compare or link or as_link or as_book:
            raise SettingError("what a schedule sends is said in the book")
        if to is not None:
            _send_schedule(book.schedules[name], clock, moment, to, replace, address)
            return
        _show_schedule(book.schedules[name], clock, as_json)
        return
    if name in book.pages:
        page = book.pages[name]
        opened = page.read(fields, **clock) if link is not None else page.open(**clock)
        opened = _changed_page(page, opened, clock, choose, values, (by, compare))
        if to is not None:
            _send(opened, to, replace, address)
        elif as_link or as_book:
            view = opened.views[page.home] if page.home else None
            if view is None:
                raise SettingError(f"the page {name} has no picker of its own to link to")
            _print_state(view, as_book)
        else:
            _show_page(book, opened, as_json)
        return
    if name not in book.pickers:
        for option in (choose, values, by, compare, link, as_link, as_book):
            if option:
                raise SettingError("--choose and its kin are for a picker or a page")
        _show_name(book, name, clock, as_json)
        return
    picker = book.picker(name)
    view = picker.read(fields, **clock) if link is not None else picker.open(**clock)
    view = _changed(view, choose, values, (by, compare))
    if as_link or as_book:
        _print_state(view, as_book)
    elif as_json:
        show_json(view.to_dict())
    else:
        _show_view(view)


def _show_name(book: Book, name: str, clock: dict[str, Any], as_json: bool) -> None:
    told = told_name(book, name, clock)
    if told is None:
        from ulnager.core.suggest import no_such

        known = [
            *book.pickers,
            *book.pages,
            *book.schedules,
            *book.periods,
            *book.anchors,
            *book.sources,
            *book.calendars,
        ]
        raise SettingError(no_such("name in the book", name, known))
    if as_json:
        show_json([{"what": what, "told": text} for what, text in told])
    else:
        show_pairs(told)


def _clock(request: Request) -> dict[str, Any]:
    """The moment as the options say it."""
    return {"today": request.today, "now": request.now, "tz": request.tz, "locale": request.locale}


def _fields(link: str | None) -> dict[str, Any]:
    if link is None:
        return {}
    query = link.partition("?")[2] if "?" in link else link
    try:
        return dict(parse_qs(query, keep_blank_values=True, max_num_fields=500))
    except ValueError:
        raise SettingError("the link has too many fields") from None


Said = tuple[str | None, str | None]
"""The unit that charts are grouped by, and what they are compared with."""


def _changed(view: View, choose: str | None, values: tuple[str, ...], charts: Said) -> View:
    """The view after what the options say; a key, an input or a unit that is not there is wrong."""
    if choose is not None:
        keys = [choice.key for choice in view.choices]
        if choose not in keys:
            from ulnager.core.suggest import no_such

            raise SettingError(no_such("choice", choose, keys))
        view = view.choose(choose)
    for text in values:
        name, sign, value = text.partition("=")
        known = list(dict.fromkeys(given.made.name for given in view.inputs))
        base, number = _input_of(name, view)
        if not sign or base not in known or not number.isdigit() or number == "0":
            raise SettingError(
                f"--set {text}: write INPUT=VALUE, of a further range INPUT.2=VALUE, or the name "
                f"that links have; the inputs here are: {', '.join(known) or 'none'}"
            )
        count = int(number)
        while view.chosen is not None and view._range_count(view.chosen) < count:
            more = view.add_range()
            if more.state == view.state:
                raise SettingError(f"--set {text}: {more.notes[0]}")
            view = more
        view = view.enter(range=count, **{base: value})
    by, compare = charts
    view = view if by is None else view.group(by)
    return view if compare is None else view.compare(compare)


def _input_of(name: str, view: View) -> tuple[str, str]:
    """The input that a name means, and its range: ``first``, ``first.2``, or as links write it,
    ``dates.own.first.2``."""
    for before in (f"{view.picker.name}.{view.choice}.", f"{view.choice}.", f"{view.picker.name}."):
        name = name.removeprefix(before)
    base, _, number = name.partition(".")
    return base, number or "1"


def _changed_page(
    page: Page,
    opened: OpenedPage,
    clock: dict[str, Any],
    choose: str | None,
    values: tuple[str, ...],
    charts: Said,
) -> OpenedPage:
    if choose is None and not values and charts == (None, None):
        return opened
    kept: dict[str, list[str]] = dict(opened.values_state)
    for text in [one for one in values if one.partition("=")[0] in opened.filters]:
        filtered, _, value = text.partition("=")
        kept[filtered] = [*kept.get(filtered, []), value]
    values = tuple(one for one in values if one.partition("=")[0] not in opened.filters)
    if choose is None and not values and charts == (None, None):
        return page.open(**clock, chosen=opened.views, values=kept)
    if page.home is None:
        raise SettingError(f"the page {page.name} has no picker of its own to choose from")
    view = _changed(opened.views[page.home], choose, values, charts)
    return page.open(**clock, chosen={**opened.views, page.home: view}, values=kept)


def _print_state(view: View, as_book: bool) -> None:
    if not as_book:
        echo(view.link())
        return
    pairs = ", ".join(
        f'"{name}" = "{text}"' if "." in name else f'{name} = "{text}"'
        for name, text in view.state.items()
    )
    echo(f"opens = {{ {pairs} }}" if pairs else "opens = {}")


def _dates(choice: ShownChoice) -> tuple[str, str]:
    result = choice.resolution
    if result is None:
        return "has a problem", ""
    return result.label, "" if result.days is None else f"{result.days:,}"


def _show_view(view: View) -> None:
    rows, heading = [], None
    for choice in view.choices:
        if choice.heading != heading:
            heading = choice.heading
            rows.append(("", heading or "", "", "", ""))
        mark = ">" if choice.chosen else ""
        rows.append((mark, choice.label, *_dates(choice), choice.key))
    show_table(("", view._labelled(view.picker.label), "dates", "days", "key"), rows, ("days",))
    echo()
    show_pairs(_pairs(view))


def _pairs(view: View) -> Iterator[tuple[str, str]]:
    result = view.resolution
    dates = f": {result.label}" if result and view.choice is not None else ""
    yield "shown", f"{view.choice_label}{dates}"
    for given in view.inputs:
        known = f"{given.made.name} = {given.shown or '…'}"
        bounds = [one for one in (given.low, given.high) if one is not None]
        told = f" ({' to '.join(map(str, bounds))})" if bounds else ""
        number = f" {given.range}" if given.range > 1 else ""
        yield "input", f"{view._labelled(given.made.label)}{number}: {known}{told}"
    if view.by is not None:
        units = ", ".join(
            f"{one.key} ({one.buckets}{'' if one.fits else ', does not fit'})"
            for one in view.units
            if one.buckets is not None
        )
        yield "by", f"{view.by}; there are: {units}"
    if view.comparisons:
        beside = [
            f"{one.key} ({one.resolution.label})" if one.resolution else one.key
            for one in view.comparisons
        ]
        yield "compared with", f"{view._comparison}; there are: {', '.join(beside)}"
    if view.picker._is_of_several:
        yield "measured from", view._measured_from or "the clock"
    yield "today", f"{view.moment.today}"
    for text in view.problems:
        yield "problem", text
    for text in view.notes:
        yield "note", text


def _value(found: Any) -> str:
    """The measure of all a chart's dates, where it draws one."""
    return "" if found is None or isinstance(found, str) else number_text(found.rows[0].value)


def _show_page(book: Book, opened: OpenedPage, as_json: bool) -> None:
    from ulnager.choices.chart_values import kept_by, values_of

    sources: dict[str, Any] = {}
    kept: dict[str, int | None] = {}
    refused: list[str] = []
    lost: list[SourceError] = []
    for key, chart in opened.charts.items():
        try:
            kept[key] = kept_by(book.sources, chart, sources)
        except FilterError as error:  # Hours of dates, or a part of what a row stands for.
            kept[key] = None
            refused.append(str(error))
        except SourceError as error:
            kept[key] = None
            lost.append(error)
    if lost and len(lost) == len(opened.charts):
        raise lost[0]
    refused += map(str, lost)  # The others are there all the same.
    if as_json:
        plain: Any = opened.to_dict()
        for key, rows in kept.items():
            plain["charts"][key]["rows"] = rows
        found: Any
        for key, found in opened.values().items():
            is_said = found is None or isinstance(found, str)
            plain["charts"][key]["values"] = found if is_said else found.to_dict()
        show_json(plain)
        return
    echo(opened.page.label)
    drawn = {key: one for key, one in opened.charts.items() if one.chart.drawn.get("value")}
    values = values_of(book.sources, drawn, by=False, opened=sources)
    refused += [one for one in values.values() if isinstance(one, str)]
    shown = [
        (
            chart.label,
            chart.dates,
            kept[chart.key],
            _value(values.get(chart.key)),
            chart.by or "",
            chart.key,
        )
        for chart in opened.charts.values()
    ]
    show_table(("chart", "dates", "rows", "value", "by", "key"), shown, ("rows", "value"))
    echo()
    show_pairs([(key, _governed(chart)) for key, chart in opened.charts.items()])
    if opened.filters:
        echo()
        show_pairs([(one.label, one.told or str(one.problem)) for one in opened.filters.values()])
    told: list[tuple[str, str]] = []
    told += [("note", text) for one in opened.filters.values() for text in one.notes]
    told += [("problem", text) for chart in opened.charts.values() for text in chart.problems]
    told += [("problem", text) for text in refused]
    told += [("note", text) for chart in opened.charts.values() for text in chart.said_of_it]
    told += [("note", text) for view in opened.views.values() for text in view.notes]
    if told:
        echo()
        show_pairs(list(dict.fromkeys(told)))


def _governed(chart: OpenedChart) -> str:
    beside = chart.beside_dates
    told = chart.said("compared with {0}", beside.label) if beside else ""
    return f"{chart.governed_by}; {told}" if told else chart.governed_by


def _show_schedule(schedule: Schedule, clock: dict[str, Any], as_json: bool) -> None:
    now = _now(schedule, clock)
    when = {"today": clock["today"], "now": clock["now"]}
    moments = schedule.moments(now, _MOMENTS)
    if as_json:
        show_json([schedule.to_dict(moment, **when) for moment in moments])
        return
    if not moments:
        echo(f"{schedule.label}: {schedule.every} has no moment any more, so it goes out no more")
        return
    rows = []
    for moment in moments:
        opened = schedule.open(moment, **when)
        for place, chart in enumerate(opened.charts.values()):
            rows.append(
                (
                    "" if place else f"{moment:%a %Y-%m-%d %H:%M}",
                    chart.label,
                    chart.dates,
                    chart.governed_by,
                )
            )
    echo(f"{schedule.label}: {schedule.page.label}, {schedule.every} at {schedule.at:%H:%M}")
    show_table(("goes out", "chart", "dates", "what governs it"), rows)


def _send(
    opened: OpenedPage,
    to: str,
    replace: bool,
    address: str | None,
    next_due: datetime | None = None,
) -> None:
    from ulnager.sources.writing import whole_file
    from ulnager.web.rendering import sent_page

    path = Path(to)
    if path.suffix.lower() not in (".html", ".htm"):
        raise SettingError(f"{to}: give a file ending in .html")
    if path.is_file() and not replace:
        raise SettingError(f"{to} is there already; say --replace, or choose another name")
    text = sent_page(opened, address, next_due)
    with whole_file(path) as part:
        part.write_text(text, encoding="utf-8")
    echo(f"written into {to}: {opened.page.label}, {len(text.encode()):,} bytes", err=True)


def _send_schedule(
    schedule: Schedule,
    clock: dict[str, Any],
    when: str | None,
    to: str,
    replace: bool,
    address: str | None,
) -> None:
    now = _now(schedule, clock)
    now = now if when is None else _moment(schedule, when)
    moment, after = schedule.due(now), schedule.next(now)
    if moment is None:
        raise SettingError(
            f"nothing was due yet on {now:%Y-%m-%d %H:%M}"
            + (f"; the first goes out on {after:%a %Y-%m-%d %H:%M}" if after else "")
        )
    opened = schedule.open(moment, today=clock["today"], now=clock["now"])
    _send(opened, to, replace, address, after)
    due = f"next due {after:%a %Y-%m-%d %H:%M}" if after else "it goes out no more"
    echo(f"as of {moment:%a %Y-%m-%d %H:%M}; {due}")
    moments = (opened.moment, *(view.moment for view in opened.views.values()))
    last = max(one.last_date or date.min for one in moments)
    if any(one.is_reconstructed for one in moments):
        echo(f"note  {', '.join(schedule.notes(opened))}", err=True)
    elif when is None and (clock["today"] or clock["now"]) and last > moment.date():
        echo(
            f"note  the data runs to {last}, and all of it counts; without --today or --now, "
            f"--moment {moment:%Y-%m-%d} writes what went out then",
            err=True,
        )


_DAY: Final = re.compile(r"\d{4}-\d\d-\d\d")


def _moment(schedule: Schedule, when: str) -> datetime:
    """A moment as it is said, by the schedule's clocks; the end of a day that is said alone."""
    if _DAY.fullmatch(when):
        found = datetime.combine(as_day(when, "--moment"), time.max)
    else:
        found = as_instant(when, "--moment")
    found = found if found.tzinfo is not None else found.replace(tzinfo=schedule.zone)
    try:
        found.astimezone(UTC)
    except OverflowError:
        raise SettingError(f"--moment is {when}, outside years 1 to 9999 in UTC") from None
    return found


def _now(schedule: Schedule, clock: dict[str, Any]) -> datetime:
    from ulnager.choices.resolver import moment_from

    if clock["locale"] is not None:
        raise SettingError("a schedule goes out in the book's language; leave --locale out")
    moment = moment_from(clock["today"], clock["now"], clock["tz"] or None)
    if moment.now is not None:
        return moment.now
    return datetime(moment.today.year, moment.today.month, moment.today.day, tzinfo=schedule.zone)


def _show_book(book: Book, clock: dict[str, Any], as_json: bool) -> None:
    rows, shorts = [], []
    moment = book.moment(**clock)
    for entry in book.periods.values():
        if entry.period.inputs:
            dates = "viewers fill it in"
        else:
            try:
                dates = book.resolve(entry.name, moment=moment).label
            except UlnagerError as error:
                dates = f"has no dates: {error}".splitlines()[0]
        rows.append((entry.name, entry.label, dates, str(entry.period)))
        shorts.append(entry.short or entry.label)
    offered = [
        *(
            ("picker", one.name, f"{one.label}: {', '.join(c.key for c in one.choices)}")
            for one in book.pickers.values()
        ),
        *(
            ("page", one.name, f"{one.label}: {', '.join(c.key for c in one.charts)}")
            for one in book.pages.values()
        ),
        *(
            ("schedule", one.name, f"{one.label}: {one.page.name}, {one.every} at {one.at:%H:%M}")
            for one in book.schedules.values()
        ),
    ]
    if as_json:
        show_json(
            {
                "periods": [
                    {
                        **dict(zip(("name", "label", "dates", "phrase"), row, strict=True)),
                        "short": short,
                    }
                    for row, short in zip(rows, shorts, strict=True)
                ],
                "offered": [
                    dict(zip(("kind", "name", "what"), one, strict=True)) for one in offered
                ],
            }
        )
        return
    if rows:
        show_table(("name", "label", "dates", "phrase"), rows)
    elif not offered:
        echo("the book has no period, no picker, no page and no schedule")
    if offered:
        if rows:
            echo()
        show_pairs([(f"{kind} {name}", what) for kind, name, what in offered])
