"""The text of a book: read within limits, and parsed only where it is not nested too deeply."""

from __future__ import annotations

import re
import tomllib
from pathlib import Path
from typing import Any, Final

from ulnager.core.errors import BookError, SourceError
from ulnager.sources.guard import small_file
from ulnager.sources.limits import limits_now


def text_of_file(path: str | Path) -> str:
    """The text of a book's file; BookError when it cannot be read, or is larger than a book is."""
    file = str(path)
    try:
        return small_file(path, limits_now().book, "a book").decode("utf-8-sig")
    except SourceError as error:
        told = str(error).removeprefix(f"{file} ").removeprefix("cannot be read: ")
        raise BookError(file, "", f"the book cannot be read: {told}") from None
    except UnicodeDecodeError:
        raise BookError(file, "", "the book is not UTF-8 text", "Save it as UTF-8.") from None


def values_of_text(file: str, text: str) -> dict[str, Any]:
    """What stands in the text of a book; BookError for what is no TOML, or nested too deeply."""
    most = limits_now().depth
    too_deep = BookError(
        file, "", f"the book is nested too deeply: more than {most} tables, lists or parts of a "
        "key in each other", "Raise the limit depth if you trust it.",
    )  # fmt: skip
    # Before it is parsed: a parser goes down with it, or takes forever.
    if re.search(rf"{_KEY_PART}{{{most}}}", text):
        raise too_deep
    try:
        found = tomllib.loads(text)
    except RecursionError:
        raise too_deep from None
    except ValueError as error:
        raise BookError(file, "", f"this is not TOML: {str(error)[:300]}") from None
    waiting: list[tuple[Any, int]] = [(found, 0)]
    while waiting:
        held, depth = waiting.pop()
        if depth > most:
            raise too_deep
        inner = held.values() if isinstance(held, dict) else held
        waiting += [(one, depth + 1) for one in inner if isinstance(one, (dict, list))]
    return found


# Each part is tried from its beginning only, and given up as a whole.
_KEY_PART: Final = r"""(?:(?>(?<![\w-])[\w-]+|"[^"\n]*+"|'[^'\n]*+')[ \t]*+\.[ \t]*+)"""
