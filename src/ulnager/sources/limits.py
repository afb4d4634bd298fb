"""How much of what strangers wrote is read before it is refused.

Books, files and databases may come from somebody else; what would never end, or eat all memory,
stops at these limits. A caller who trusts what is read raises them.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, fields, replace
from typing import Final

from ulnager.core.errors import SettingError
from ulnager.core.suggest import no_such

MEGABYTE: Final = 1_000_000


@dataclass(frozen=True)
class Limits:
    """Each in bytes, or in what its name says.

    ``book`` and ``holidays`` are for the files of a book and of iCalendar, ``depth`` is how many
    tables, lists and parts of a key may stand inside each other, ``bases`` how many calendars may
    build on each other. ``rule_days`` is how many days all rules of a file of holidays may go
    through, ``rule_years`` over how many years one may go, ``event_days`` how long an event may be.
    ``pipe`` is what is read from a pipe, and ``pipe_seconds`` how long it may say nothing. A
    compressed file may have ``unpacked`` bytes, or ``ratio`` times its own size. ``memory`` is for
    each embedded engine, ``text`` for one value in SQLite.
    """

    book: int = 4 * MEGABYTE
    depth: int = 50
    bases: int = 50
    holidays: int = 4 * MEGABYTE
    rule_days: int = 500_000
    rule_years: int = 500
    event_days: int = 400
    pipe: int = 256 * MEGABYTE
    pipe_seconds: int = 8
    unpacked: int = 256 * MEGABYTE
    ratio: int = 100
    memory: int = 800 * MEGABYTE
    text: int = MEGABYTE


_IN_FORCE: ContextVar[Limits] = ContextVar("limits", default=Limits())  # noqa: B039


def limits_now() -> Limits:
    """The limits in force here."""
    return _IN_FORCE.get()


@contextmanager
def limits(**raised: int) -> Iterator[Limits]:
    """While other limits hold, for who trusts what is read: ``with ulnager.limits(book=10**9): …``.

    What they are stands in docs/security.md.

    >>> with limits(unpacked=10**10) as now:
    ...     now.unpacked
    10000000000

    Raises SettingError for a limit that there is not, or is no whole number above 0.
    """
    known = [one.name for one in fields(Limits)]
    for name, value in raised.items():
        if name not in known:
            raise SettingError(no_such("limit", name, known))
        if not isinstance(value, int) or isinstance(value, bool) or value < 1:
            raise SettingError(f"the limit {name} is {value!r}; give a whole number above 0")
    token = _IN_FORCE.set(replace(_IN_FORCE.get(), **raised))
    try:
        yield _IN_FORCE.get()
    finally:
        _IN_FORCE.reset(token)


def limits_of_text(text: str) -> dict[str, int]:
    """Limits as they are written in the environment: ``unpacked=10000000000 book=99999999``.

    Raises SettingError for what is none.
    """
    found = {}
    for part in text.split():
        name, _, value = part.partition("=")
        if not value.isdecimal():
            raise SettingError(f"ULNAGER_LIMITS holds {part[:40]!r}; write name=number, such as "
                               "unpacked=10000000000")  # fmt: skip
        found[name] = int(value)
    return found
