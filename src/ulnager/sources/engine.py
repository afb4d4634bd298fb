"""The embedded engine as it is always started: it installs nothing, loads nothing, asks nobody."""

from __future__ import annotations

from typing import Final

import duckdb

_SETTINGS: Final = {
    # It would fetch them over the network, and keep them in the home folder.
    "autoinstall_known_extensions": "false",
    "autoload_known_extensions": "false",
}


def started(path: str = ":memory:") -> duckdb.DuckDBPyConnection:
    """A connection to an engine of its own, or to a database that is written to."""
    return duckdb.connect(path, config=dict(_SETTINGS))
