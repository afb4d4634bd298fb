"""Checking a book: every rule, against what its sources hold on a day."""

from __future__ import annotations

from datetime import date
from pathlib import Path

from ulnager.book.shipped_books import named_book
from ulnager.checking.changed_meanings import changed, checked_version
from ulnager.checking.findings import Findings
from ulnager.checking.inspection import Checking
from ulnager.checking.lenient_reading import read_leniently
from ulnager.checking.rules import ALL
from ulnager.core.arguments import Wanted, checked
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.periods.clock import Clock


@checked(path=Wanted((str, Path), "the path of a book"))
def check(
    path: str | Path,
    *,
    today: date | str | None = None,
    allow_outside: bool = False,
    since: str | None = None,
) -> Findings:
    """Every mistake and doubtful definition in a book, in the order of its lines.

    ``today`` is the clock's day. The book's sources are read; ``allow_outside`` is as for
    :func:`ulnager.read_book`. What the book accepts, with a reason, is left out. With ``since``, an
    older version (``"0.2"``), what the book means otherwise now is told, too.

    >>> from ulnager.demo import book_file
    >>> check(book_file(), today="2026-05-20")
    ()

    Raises nothing for what is wrong in the book; SettingError for a day that is none, or
    a version of which nothing is known.
    """
    checked_version(since)
    basis = Clock(today).basis(GREGORIAN)
    day = date.fromordinal(int(basis.anchor))
    file = named_book(path)
    read = read_leniently(file, allow_outside=allow_outside)
    checking = Checking(str(file), read.book, read.whole, day)
    for mistake in read.mistakes:
        checking.add(mistake.rule, mistake.path, mistake.message, mistake.instead)
    if read.book is not None:
        for rule in ALL:
            rule(checking)
        if since is not None:
            changed(checking)
    return Findings(checking.told())
