"""Keys of days, months and weeks in a source: which columns are said to hold some."""

from __future__ import annotations

from collections.abc import Mapping

from ulnager.core.arguments import shown
from ulnager.core.errors import SettingError
from ulnager.filters.columns import KEY_TYPES


def check_key_types(types: object) -> dict[str, str]:
    """The columns that are keys with what they are; SettingError for anything else."""
    if not isinstance(types, Mapping):
        raise SettingError(
            "column_types is a mapping of columns to what they hold, such as {'month': 'yyyymm'}"
        )
    for name, kind in types.items():
        if not isinstance(name, str) or not isinstance(kind, str) or kind not in KEY_TYPES:
            raise SettingError(
                f"column_types: {name!r} cannot be {shown(kind)}; choose {', '.join(KEY_TYPES)}; "
                "dates and timestamps need nothing"
            )
    return dict(types)
