"""Who tells the core what it cannot know: the system's clock, the sources, the languages."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, tzinfo
from typing import TYPE_CHECKING, Any

from ulnager.core.errors import SettingError

if TYPE_CHECKING:
    from ulnager.core.periods.anchors import Extent
    from ulnager.core.words import Words


class Surroundings:
    """The answers to what the core asks; what takes long to import is imported when it is asked."""

    def present(self, zone: tzinfo | None) -> datetime:
        """The system's clock."""
        return datetime.now(zone).astimezone(zone)

    def extent(self, data: object) -> Extent:
        """The dates in a frame, a file, a source or a profile."""
        from ulnager.sources.profile import extent_in

        return extent_in(data)

    def field_schema(self, kind: type) -> Any:
        """A field of Pydantic: text that is read, or a value of the kind; text in JSON."""
        from pydantic_core import core_schema as schema

        from ulnager.core.language.phrase import period_or_open

        def read(given: object) -> object:
            found: Any = given if isinstance(given, kind) else period_or_open(given)  # type: ignore[arg-type]
            if not isinstance(found, kind):
                found._closed()  # Says which slots are open.
                raise SettingError(f"'{found}' has no slots, and a phrase with some is wanted")
            return found

        return schema.no_info_plain_validator_function(
            read, serialization=schema.to_string_ser_schema()
        )

    def words(
        self, locale: str, dates_as: str | None, texts: Mapping[str, Mapping[str, str]]
    ) -> Words:
        """The words of a language by the CLDR."""
        try:
            from ulnager.locales.locale_words import words
        except ModuleNotFoundError as error:
            from ulnager.core.arguments import needed

            raise needed(error) from None
        return words(locale, dates_as, texts)
