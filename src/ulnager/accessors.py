"""``frame.ulnager``: the calls that take a frame, as pandas and Polars let others register them.

They are registered when ``ulnager`` is imported after the library, as sorted imports do; importing
this module after it does the same.
"""

from __future__ import annotations

import sys
from typing import Any, Final

_CALLS: Final = (
    "keep",
    "keep_each",
    "preview",
    "totals",
    "running",
    "ages",
    "with_ages",
    "profile",
)
_DONE: Final[set[str]] = set()


class FrameCalls:
    """The calls of Ulnager on one frame: ``frame.ulnager.keep("last 3 whole months", "day")``.

    >>> import polars as pl
    >>> from datetime import date
    >>> register()
    >>> frame = pl.DataFrame({"day": [date(2026, 4, 30), date(2026, 5, 1)]})
    >>> frame.ulnager.keep("month to date", "day", today="2026-05-20").height
    1
    """

    def __init__(self, frame: Any) -> None:
        self._frame = frame

    def __getattr__(self, name: str) -> Any:
        if name not in _CALLS:
            raise AttributeError(f"there is no call {name!r} here; there are: {', '.join(_CALLS)}")
        import ulnager

        call = getattr(ulnager, name)
        return lambda *args, **given: call(self._frame, *args, **given)

    def __dir__(self) -> list[str]:
        return list(_CALLS)

    def __repr__(self) -> str:
        return f"<calls of ulnager: {', '.join(_CALLS)}>"


def register() -> None:
    """Registers ``frame.ulnager`` with the libraries that are imported already, once."""
    if "pandas" in sys.modules and "pandas" not in _DONE:
        extensions = getattr(getattr(sys.modules["pandas"], "api", None), "extensions", None)
        if extensions is not None:
            _DONE.add("pandas")
            extensions.register_dataframe_accessor("ulnager")(FrameCalls)
    if "polars" in sys.modules and "polars" not in _DONE:
        api = getattr(sys.modules["polars"], "api", None)
        if api is not None:
            _DONE.add("polars")
            api.register_dataframe_namespace("ulnager")(FrameCalls)
            api.register_lazyframe_namespace("ulnager")(FrameCalls)


register()
