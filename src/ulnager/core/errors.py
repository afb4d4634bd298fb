"""Everything that Ulnager raises on purpose, in one family.

Each error says what was read, where it went wrong and what would be right, and
keeps those facts in fields for programs.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from ulnager.core.text import masked, visible


class UlnagerError(Exception):
    """The base of every error that Ulnager raises on purpose.

    Its message holds no control characters and no passwords, wherever its parts come from.

    >>> import ulnager
    >>> try:
    ...     ulnager.period("last 3 hole months")
    ... except UlnagerError as error:
    ...     error.suggestion
    'last 3 whole months'
    """

    def __str__(self) -> str:
        return visible(masked(super().__str__()), "\n")


class PeriodSyntaxError(UlnagerError, ValueError):
    """A phrase that cannot be read.

    ``phrase`` is the text, ``position`` the index of the first character that does
    not fit, ``length`` how many characters do not, ``problem`` what is wrong in a
    sentence, ``expected`` what could stand there, ``suggestion`` the nearest phrase or
    word, or None, and ``suggestions`` all that are near. ``is_sure`` says that nothing else
    is to be looked for.

    >>> print(PeriodSyntaxError("last 3 hole months", 7, 4, "'hole' does not fit here",
    ...                         ("whole",), "whole"))
    'hole' does not fit here; did you mean 'whole'?
      last 3 hole months
             ^^^^
      expected whole
    """

    WIDTH = 90

    def __init__(
        self,
        phrase: str,
        position: int,
        length: int,
        problem: str,
        expected: Sequence[str] = (),
        suggestion: str | Sequence[str] | None = None,
        dates: Sequence[str] = (),
        is_sure: bool = False,
    ) -> None:
        offered = (suggestion,) if isinstance(suggestion, str) else tuple(suggestion or ())
        self.suggestions = offered
        self.suggestion = offered[0] if offered else None
        self.dates = tuple(dates)
        self.is_sure = is_sure
        self.phrase = phrase
        self.position = position
        self.length = length
        self.problem = problem
        self.expected = tuple(expected)
        super().__init__(
            phrase, position, length, problem, self.expected, offered, self.dates, is_sure
        )

    def offering(
        self, phrases: Sequence[str], problem: str = "", dates: Sequence[str] = ()
    ) -> PeriodSyntaxError:
        """The same error with other phrases to offer, and another problem where one is given."""
        return PeriodSyntaxError(
            self.phrase,
            self.position,
            self.length,
            problem or self.problem,
            () if phrases else self.expected,
            phrases,
            dates,
            self.is_sure,
        )

    def dated(self, dates_of: Callable[[str], str | None]) -> PeriodSyntaxError:
        """The same error with the dates of the phrases that it offers."""
        if not self.suggestions:
            return self
        dates = [dates_of(phrase) or "" for phrase in self.suggestions]
        if not any(dates):
            return self
        return PeriodSyntaxError(
            self.phrase,
            self.position,
            self.length,
            self.problem,
            self.expected,
            self.suggestions,
            dates,
            self.is_sure,
        )

    def __str__(self) -> str:
        if "://" in self.phrase:
            return "a phrase is wanted here, such as 'last 3 whole months', and not a URL"
        shown_dates = self.dates or ("",) * len(self.suggestions)
        offered = [
            f"{phrase!r} ({dates})" if dates else repr(phrase)
            for phrase, dates in zip(self.suggestions, shown_dates, strict=True)
        ]
        hint = f"; did you mean {_either(offered)}?" if offered else ""
        shown, caret = self._window()
        lines = [visible(f"{self.problem}{hint}"), f"  {shown}", f"  {caret}"]
        if self.expected:
            lines.append(f"  expected {_either(self.expected)}")
        return "\n".join(lines)

    def _window(self) -> tuple[str, str]:
        """The part of the phrase around the place, on one line, and the caret line."""
        # One sign for one, so that the carets stay under their place.
        text = "".join(c if c.isprintable() else "·" for c in self.phrase)
        begin = max(0, self.position - self.WIDTH // 2) if len(text) > self.WIDTH else 0
        shown = text[begin : begin + self.WIDTH]
        place = self.position - begin
        lead = "…" if begin else ""
        tail = "…" if begin + self.WIDTH < len(text) else ""
        carets = "^" * max(1, min(self.length, self.WIDTH - place))
        return f"{lead}{shown}{tail}", " " * (place + len(lead)) + carets


def _either(words: Sequence[str], most: int = 8) -> str:
    """'a, b or c', cut after ``most`` words."""
    shown = list(words[:most])
    if len(words) > most:
        return ", ".join(shown) + " …"
    return ", ".join(shown[:-1]) + " or " + shown[-1] if len(shown) > 1 else shown[0]


class ResolveError(UlnagerError, ValueError):
    """A period that has no dates here: no data for ``latest``, a date outside years 1 to 9999,
    a calendar without that unit.

    >>> import ulnager
    >>> try:
    ...     ulnager.period("until latest").resolve(today="2026-05-20")
    ... except ResolveError as error:
    ...     "data" in str(error)
    True
    """


class SettingError(UlnagerError, ValueError):
    """A calendar, an anchor, a column type or another setting that cannot be used as given.

    >>> import ulnager
    >>> try:
    ...     ulnager.MonthCalendar(year_starts="13-01")
    ... except ValueError as error:
    ...     type(error).__name__
    'SettingError'
    """


class BookError(UlnagerError, ValueError):
    """A mistake in a book: ``file``, ``key`` (the path to it), ``problem`` and ``fix``.

    >>> str(BookError("b.toml", "periods.x", "this key is not known", "Did you mean 'y'?"))
    "b.toml: periods.x: this key is not known\\n  Did you mean 'y'?"
    """

    def __init__(self, file: str, key: str, problem: str, fix: str = "") -> None:
        self.file = file
        self.key = key
        self.problem = problem
        self.fix = fix
        super().__init__(file, key, problem, fix)

    def __str__(self) -> str:
        place = f"{self.file}: {self.key}" if self.key else self.file
        told = f"{place}: {self.problem}" + (f"\n  {self.fix}" if self.fix else "")
        return visible(masked(told), "\n")


class SourceError(UlnagerError):
    """Data that cannot be read, or a column that is not there or holds no dates.

    >>> import ulnager
    >>> try:
    ...     ulnager.open_source("nowhere.csv")
    ... except SourceError as error:
    ...     "nowhere.csv" in str(error)
    True
    """


class FilterError(UlnagerError, ValueError):
    """A condition that cannot be written for that column or target.

    >>> import ulnager
    >>> try:
    ...     ulnager.condition("today", "day", target="ansi")
    ... except FilterError as error:
    ...     "choose" in str(error)
    True
    """


class Private(str):
    """A sentence for developers: it may name files, databases and columns that no viewer sees."""

    __slots__ = ()


def sentence_of(error: UlnagerError) -> str:
    """What an error says; Private where it, or what it came from, speaks of what lies behind a
    source."""
    found: BaseException | None = error
    while found is not None:
        if isinstance(found, SourceError):
            return Private(error)
        found = found.__context__
    return str(error)
