"""What viewers may know and set, decided in one place with :class:`OpenedPage`: nothing of hidden
pickers, nothing of what lies behind a source, no moment at the edge of time."""

from __future__ import annotations

import re
from collections.abc import Hashable, Mapping
from typing import Final

from ulnager.book.book import Book, BookPeriod
from ulnager.choices.frozen import bounds_of
from ulnager.choices.picker import Picker
from ulnager.choices.view import View
from ulnager.core.errors import Private, SettingError, UlnagerError
from ulnager.core.periods.anchors import Extent
from ulnager.core.periods.clock import as_instant
from ulnager.web.problems import UNREADABLE

_PLACE: Final = re.compile(
    r"\w+://|(?:^|[\s'\"(])(?:/|[A-Za-z]:\\)[^\s'\"]|speaks of the data, but none was given"
)


def periods_for_viewers(book: Book, pickers: Mapping[str, Picker]) -> dict[str, BookPeriod]:
    """The periods that viewers may know of: all but those that only hidden pickers offer."""
    seen = {one.key for picker in pickers.values() for one in picker.choices}
    seen |= {c.pinned.key for page in book.pages.values() for c in page.charts if c.pinned}
    hidden = {
        one.key
        for name, picker in book.pickers.items()
        if name not in pickers
        for one in picker.choices
    }
    return {name: one for name, one in book.periods.items() if name in seen or name not in hidden}


def discreet(text: str) -> str:
    """A sentence as viewers may read it: nothing of what lies behind a source, of which it says
    that it cannot be read."""
    return UNREADABLE if isinstance(text, Private) or _PLACE.search(text) else text


def checked_instant(now: str) -> None:
    """SettingError for what is no instant with its offset, or one at the edge of time."""
    found = as_instant(now)
    if found.tzinfo is None:
        raise SettingError("now is a time without a zone; add its offset: +00:00")
    if not 2 <= found.year <= 9997:
        raise SettingError("now lies outside of years 2 to 9997")


def held_dates(extent: Extent | None) -> Hashable:
    """What is known of dates, without what asks for more."""
    if extent is None:
        return None
    return (
        extent.first,
        extent.last,
        extent.last_whole,
        extent.missing,
        extent.before_last,
        extent.stand_ins,
    )


def links_of(view: View) -> dict[str, str | None]:
    """Links to a view, moving and as fixed dates, and one step back and on; None for what there is
    not."""
    if view.resolution is None or view.problems:
        return dict.fromkeys(("moving", "frozen", "earlier", "later"))
    if view.locked:
        # What viewers may not choose they cannot sign, either: the link that they came by is all.
        own = view.link() if view.signed is not None else ""
        return {"moving": own, **dict.fromkeys(("frozen", "earlier", "later"))}
    found: dict[str, str | None] = {"moving": view.link()}
    bounds = bounds_of(view.resolution)
    is_fixed = bool(bounds) and bounds[0][0] is not None
    found["frozen"] = view.link(frozen=True) if is_fixed else None
    for name in ("earlier", "later"):
        try:
            stepped = getattr(view, name)()
        except UlnagerError:
            found[name] = None
            continue
        found[name] = None if stepped.state == view.state else stepped.link()
    return found
