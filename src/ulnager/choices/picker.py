"""Pickers, and how they are opened."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime, tzinfo
from typing import TYPE_CHECKING, Any, Unpack

from ulnager.choices.form_reading import view_of
from ulnager.choices.picker_base import PickerBase
from ulnager.choices.view import View
from ulnager.core.arguments import check_options, told_names

if TYPE_CHECKING:
    from sqlalchemy import ColumnElement

    from ulnager.filters.live_condition import ConditionOptions


@dataclass(frozen=True)
class Picker(PickerBase):
    """Choices in order, the one it opens with, and what viewers may do.

    >>> from ulnager import read_book
    >>> from ulnager.demo import book_file
    >>> view = read_book(book_file()).picker("dates").open(today="2026-05-20")
    >>> view.choose("recent").enter(n=14).choice_label
    'Last 14 days'
    """

    @told_names
    def open(
        self,
        today: date | str | None = None,
        now: datetime | str | None = None,
        tz: str | tzinfo | None = None,
        data: object = None,
        locale: object = None,
    ) -> View:
        """The view that it opens with. ``data`` is one extent for all sources, or one by name;
        ``locale`` is the viewer's language, the book's unless it is said.

        Raises SettingError for what is no day, instant, zone, data or locale.
        """
        return View(self, self.moment(today, now, tz, data, locale))

    def read(
        self,
        fields: Mapping[str, Any] | str,
        today: date | str | None = None,
        now: datetime | str | None = None,
        tz: str | tzinfo | None = None,
        data: object = None,
        locale: object = None,
    ) -> View:
        """The view for a form or a stored state: fields by name, of text or lists of text; or for
        a link as text, whole or its query. Fields of others are passed over, and nothing in them
        raises an error."""
        return view_of(self, self.moment(today, now, tz, data, locale), fields)

    def where(
        self, column: str | ColumnElement[Any], **options: Unpack[ConditionOptions]
    ) -> ColumnElement[bool]:
        """A live condition for every choice, chosen by bound parameters: one statement for all.

        ``:dates`` is the key of the choice and ``:dates_recent_n`` an input of it, for a picker
        called dates; ``view.parameters`` gives their values. Null falls back to what the picker
        opens with; an unknown key, and a value beyond its bounds, keep no row. A listed input is
        two dates (``…_first``, ``…_last``); an anchor that SQL cannot work out, ``latest whole
        day``, is a date more (``:dates_anchor_load``), and null keeps no row. ``options`` are those
        of :func:`ulnager.where`.

        Raises FilterError for a choice with several ranges, and as ``where`` does.
        """
        from ulnager.choices.picker_statement import picker_where
        from ulnager.filters.live_condition import ConditionOptions

        check_options("where", options, ConditionOptions)
        return picker_where(self, column, **options)

    def __repr__(self) -> str:
        keys = ", ".join(choice.key for choice in self.choices)
        return f"<picker {self.name}: {keys}; opens with {self.opens}>"
