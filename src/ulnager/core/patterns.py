"""Regular expressions that are compiled when they are first used: no import waits for them."""

from __future__ import annotations

import re
from typing import Any, cast


class _Pattern:
    """Text that becomes a pattern at the first question."""

    def __init__(self, text: str, flags: int) -> None:
        self._asked = text, flags

    def __getattr__(self, name: str) -> Any:
        # Kept on the object, so that later questions go straight there.
        found = getattr(re.compile(*self._asked), name)
        self.__dict__[name] = found
        return found


def pattern(text: str, flags: int = 0) -> re.Pattern[str]:
    """The regular expression of a text.

    >>> year = pattern("[0-9]{4}")
    >>> [year.fullmatch(text) is not None for text in ("2026", "26")]
    [True, False]
    """
    return cast("re.Pattern[str]", _Pattern(text, flags))
