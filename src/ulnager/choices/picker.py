"""Pickers, and how they are opened."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, tzinfo
from typing import Any

from ulnager.choices.form_reading import view_of
from ulnager.choices.picker_base import PickerBase
from ulnager.choices.view import View


@dataclass(frozen=True)
class Picker(PickerBase):
    """Choices in order, the one it opens with, and what viewers may do."""

    def open(
        self,
        today: object = None,
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
        today: object = None,
        now: datetime | str | None = None,
        tz: str | tzinfo | None = None,
        data: object = None,
        locale: object = None,
    ) -> View:
        """The view for a form or a stored state: fields by name, of text or lists of text; or for
        a link as text, whole or its query. Fields of others are passed over, and nothing in them
        raises an error."""
        return view_of(self, self.moment(today, now, tz, data, locale), fields)
