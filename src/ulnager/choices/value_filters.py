"""Filters by value: which routes, shops or harbours a page shows, chosen by its viewers.

A filter is a column with a name of its own, which stands beside the pickers. Nothing chosen is all.
Whatever is sent, no chart ever has rows that it has not without the filter.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, Final, NamedTuple
from urllib.parse import urlencode

from sqlalchemy import case, func, select

from ulnager.choices.form_reading import sent_fields
from ulnager.choices.picker_base import Signer
from ulnager.core.errors import SettingError, UlnagerError
from ulnager.core.messages import Message
from ulnager.core.values import Json
from ulnager.core.words import Words
from ulnager.sources.kept import rows_in

ALL, MISSING, EMPTY = "~all", "~missing", "~empty"
"""Keys that are no values; the key of a value that begins with such a sign has one more."""
MOST_VALUES: Final = 5_000
_MOST_CHOSEN: Final = 200
_MOST_TEXT: Final = 500
_FIXED: Final = "{0} is fixed here, so this changed nothing"
_CHANGED: Final = "the link was changed, so there are no rows"


@dataclass(frozen=True)
class ValueFilter:
    """A column whose values viewers choose; it filters each chart whose source has it.

    ``opens`` are the keys that it opens with, none for all; ``limit`` is how many values are
    listed, those with the most rows, until they are searched for.
    """

    name: str
    label: str
    column: str
    several: bool = True
    opens: tuple[str, ...] = ()
    limit: int = 50
    signer: Signer | None = field(default=None, compare=False)


class ValueOption(NamedTuple):
    """A value that is offered: its key, how viewers see it, and how many rows it has in the dates
    of the page; None where that is not known."""

    key: str
    label: str
    chosen: bool
    rows: int | None


def key_of(value: Any) -> str:
    """The key of a value of the data: its text."""
    if value is None:
        return MISSING
    text = str(value)
    return EMPTY if text == "" else f"~{text}" if text.startswith("~") else text


class OpenedValues:
    """A filter by value at a moment: what is chosen, what is offered, and what is wrong.

    ``chosen`` are keys, None for all. While there is a ``problem``, its charts have no rows.
    """

    def __init__(
        self,
        made: ValueFilter,
        words: Words,
        fields: Mapping[str, Any] | None = None,
        *,
        opens: Sequence[str] = (),
        is_fixed: bool = False,
    ) -> None:
        self.made, self.name, self.words = made, made.name, words
        self.label = words.label(made.label)
        self.sources: Mapping[str, Any] = {}
        """The sources of its page, opened."""
        self._opens = tuple(opens) or made.opens
        self._said: Message | None = None
        self.notes: list[str] = []
        self.token = ""
        self.locked = is_fixed
        self.charts: list[Any] = []
        """The charts that it filters, once they are there."""
        self._touched: tuple[str, ...] | None = None
        self.searched = ""
        self._read(fields or {})

    # What was sent.

    def _read(self, fields: Mapping[str, Any]) -> None:
        name = self.name
        texts = _texts(fields.get(name))
        shown = _texts(fields.get(f"{name}.shown"))
        self.searched = next(iter(_texts(fields.get(f"{name}.find"))), "").strip()
        token = next(iter(_texts(fields.get(f"{name}.signed"))), "")
        if token:
            self._read_signed(token)
            if texts and tuple(texts) != (self._touched or ()):
                self._note(_FIXED, self.label, code="fixed")
            return
        if self.locked:
            if texts:
                self._note(_FIXED, self.label, code="fixed")
            return
        is_form = bool(shown)
        if is_form and shown == [*texts]:
            texts = [one for one in _texts(fields.get(f"{name}.state")) if one]
            is_form = bool(texts)
        elif is_form and ALL in texts and len(texts) > 1:
            # What changed counts: all was ticked beside values, or a value beside all.
            texts = [ALL] if ALL not in shown else [one for one in texts if one != ALL]
        if not texts:
            if is_form:
                self._said = self._words("{0}: tick at least one, or all", code="none-ticked")
                self._touched = ()
            return
        if ALL in texts:
            # All is what it opens with, or was chosen.
            self._touched = (ALL,)
            return
        if len(texts) > _MOST_CHOSEN:
            told = "{0}: at most {1} can be chosen at once"
            self._said = self._words(told, _MOST_CHOSEN, code="too-many-values")
        several = texts[:_MOST_CHOSEN] if self.made.several else texts[-1:]
        self._touched = tuple(dict.fromkeys(several))

    def _read_signed(self, token: str) -> None:
        self.locked, self.token = True, token
        found = None if self.made.signer is None else self.made.signer.read(token)
        chosen = found.get("chosen") if isinstance(found, dict) else None
        is_own = isinstance(found, dict) and found.get("values") == [self.name, self.made.column]
        if (
            not is_own
            or not isinstance(chosen, list)
            or not all(isinstance(one, str) for one in chosen)
        ):
            self._said = self._words(_CHANGED, code="link-changed")
            self._touched = ()
            return
        self._touched = tuple(chosen)

    def _words(self, text: str, *arguments: Any, code: str = "") -> Message:
        return self.words.say(text, self.label, *arguments, code=code)

    def _note(self, text: str, *arguments: Any, code: str = "") -> None:
        self.notes.append(self.words.say(text, *arguments, code=code))

    # What it says.

    @property
    def keys(self) -> tuple[str, ...] | None:
        """The keys that are chosen, whether they are known or not; None for all."""
        keys = self._opens if self._touched is None else self._touched
        return None if ALL in keys or (not keys and self._touched is None) else keys

    @property
    def opening(self) -> bool:
        """Whether nobody touched it."""
        return self._touched is None

    @cached_property
    def problem(self) -> Message | None:
        """Why its charts have no rows; None while all is well."""
        if self._said is not None:
            return self._said
        if self.keys is None:
            return None
        if isinstance(self._held, str):
            return self.words.say(self._held)
        unknown = [one for one in self.keys if one not in self._held]
        if unknown:
            return self._words("{0}: there is no {1}", repr(unknown[0][:40]), code="no-value")
        return None

    @cached_property
    def _held(self) -> dict[str, tuple[Any, int, int | None]] | str:
        """The values of all its sources by their keys: each with its rows, and those in the dates
        of the page; the sentence of the error where a source cannot be read."""
        found: dict[str, tuple[Any, int, int | None]] = {}
        by_source: dict[str, list[Any]] = {}
        for chart in self.charts:
            by_source.setdefault(chart.chart.source, []).append(chart)
        for name, some in by_source.items():
            try:
                for value, rows, inside in self._asked(name, some):
                    key = key_of(value)
                    before = found.get(key, (value, 0, None))
                    both = [one for one in (before[2], inside) if one is not None]
                    found[key] = (value, before[1] + rows, sum(both) if both else None)
            except UlnagerError as error:
                return Message(str(error), code="unreadable")
        if len(found) > MOST_VALUES:
            told = "{0} has more than {1} values, which are too many to choose from"
            return Message(told, self.made.column, f"{MOST_VALUES:,}", code="too-many-values")
        return found

    def _asked(self, name: str, charts: Sequence[Any]) -> Sequence[tuple[Any, int, Any]]:
        """The values of a source, with their rows, in one question; those in the dates of the first
        chart that has some."""
        source = self.sources[name]
        column = source.rows.c[self.made.column]
        dated = next((one for one in charts if one.resolution is not None), None)
        inside: Any = func.count()
        if dated is not None and dated.resolution is not None:
            on = source.column(dated.chart.column)
            tz = dated.chart.tz
            days = rows_in(source, on, tz, dated.resolution, dated.chart.until)
            inside = func.coalesce(func.sum(case((days, 1), else_=0)), 0)
        query = (
            select(column, func.count(), inside)
            .select_from(source.rows)
            .group_by(column)
            .limit(MOST_VALUES + 1)
        )
        is_dated = dated is not None
        return [
            (value, int(rows), int(some) if is_dated else None)
            for value, rows, some in source.run(query)
        ]

    @property
    def options(self) -> tuple[ValueOption, ...]:
        """The values that are offered, those with the most rows first; what is chosen always."""
        held = {} if isinstance(self._held, str) else self._held
        chosen = self.keys or ()
        wanted = self.searched.casefold()
        ordered = sorted(held, key=lambda one: (-held[one][1], one))
        fitting = [one for one in ordered if wanted in self.called(one).casefold()]
        keys = dict.fromkeys(
            [*fitting[: self.made.limit], *(one for one in ordered if one in chosen)]
        )
        return tuple(
            ValueOption(one, self.called(one), one in chosen, held[one][2])
            for one in ordered
            if one in keys
        )

    @property
    def left_out(self) -> int:
        """How many values are there that are not offered."""
        return 0 if isinstance(self._held, str) else len(self._held) - len(self.options)

    def called(self, key: str) -> str:
        """A value as viewers see it."""
        told = {MISSING: "missing", EMPTY: "empty", ALL: "all"}.get(key)
        if told is not None:
            return f"({self.words.say(told)})"
        return key[1:] if key.startswith("~") else key

    @property
    def told(self) -> str:
        """What is chosen, in words."""
        if self.problem is not None:
            return ""
        if self.keys is None:
            return self.words.say("all")
        inside = {one.key: one.rows for one in self.options}
        names = [
            self.called(one)
            + (f" ({self.words.say('no rows in these dates')})" if inside.get(one) == 0 else "")
            for one in self.keys
        ]
        return ", ".join(names)

    @property
    def values(self) -> tuple[Any, ...] | None:
        """The values of the data that are kept; None for all, and none at all for a problem."""
        if self.problem is not None:
            return ()
        if self.keys is None or isinstance(self._held, str):
            return None
        return tuple(self._held[one][0] for one in self.keys)

    def filters(self, chart: Any) -> bool:
        """Whether a chart is one of those that it filters."""
        return any(chart is one for one in self.charts)

    # What is sent on.

    @property
    def state(self) -> dict[str, list[str]]:
        """What was chosen, by the names of fields; empty while nobody touched it."""
        if self.token:
            return {f"{self.name}.signed": [self.token]}
        return {} if self._touched is None else {self.name: list(self._touched)}

    def link(self, fixed: bool = False) -> str:
        """What is chosen as a query string; a ``fixed`` one is signed, and whoever opens it cannot
        choose. SettingError while there is a problem, or where the book has no ``link_key``."""
        if self.problem is not None:
            raise SettingError(str(self.problem))
        if not fixed:
            return urlencode(self.state, doseq=True)
        if self.made.signer is None:
            raise SettingError("links are signed with the book's key; say link_key = 'ENV_NAME'")
        of = [self.name, self.made.column]
        chosen = [ALL] if self.keys is None else list(self.keys)
        token = self.made.signer.sign({"values": of, "chosen": chosen})
        return urlencode({f"{self.name}.signed": token})

    @property
    def sent_along(self) -> list[tuple[str, str]]:
        """The hidden fields of a form, by which what nobody touched is told from the rest."""
        shown = [ALL] if self.keys is None else list(self.keys)
        state = [] if self._touched is None else list(self._touched)
        found = [(f"{self.name}.shown", one) for one in shown or [""]]
        return [*found, *((f"{self.name}.state", one) for one in state)]

    def to_dict(self) -> Json:
        """The filter as plain values, ready for JSON."""
        return {
            "key": self.name,
            "label": self.label,
            "column": self.made.column,
            "several": self.made.several,
            "fixed": self.locked,
            "value": None if self.keys is None else list(self.keys),
            "told": self.told,
            "problem": self.problem,
            "options": [one._asdict() for one in self.options],
            "left_out": self.left_out,
            "charts": [chart.key for chart in self.charts],
            "notes": list(self.notes),
        }

    def __repr__(self) -> str:
        return f"<values of {self.name}: {self.told or self.problem}>"


def _texts(value: Any) -> list[str]:
    """The texts of a field: one, or several."""
    if isinstance(value, str):
        return [value[:_MOST_TEXT]]
    if isinstance(value, (list, tuple)):
        return [one[:_MOST_TEXT] for one in value if isinstance(one, str)][: _MOST_CHOSEN + 1]
    return []


def opened_filters(
    made: Sequence[ValueFilter],
    words: Words,
    sent: Mapping[str, Any] | str | None,
    opens: Mapping[str, Sequence[str]],
    *,
    is_fixed: bool,
) -> dict[str, OpenedValues]:
    """The filters of a page for what was sent; what a schedule says is fixed."""
    fields = sent_fields(sent) or {}
    found = {}
    for one in made:
        own = opens.get(one.name, ())
        if is_fixed and one.name in fields:
            said = _texts(fields[one.name])
            found[one.name] = OpenedValues(one, words, opens=said, is_fixed=True)
        else:
            found[one.name] = OpenedValues(one, words, fields, opens=own)
    return found
