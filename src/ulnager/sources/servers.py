"""How each engine is kept from writing, from taking too long, and stopped from this side."""

from __future__ import annotations

import contextlib
import functools
import os
import socket
from collections.abc import Callable
from datetime import UTC, date, datetime
from typing import Any, Final, NamedTuple

import sqlalchemy as sa

CONNECT_SECONDS: Final = 10
"""How long it may take to reach a server."""
_CANCEL_SECONDS: Final = 1
"""How long it may take to tell a server to stop."""


class Server(NamedTuple):
    """How an engine is kept from writing, and from taking too long.

    ``connect`` gives the arguments of its driver for a time limit in seconds, ``opened`` is done
    to every new connection, ``begun`` to each before it is asked, ``stopped`` ends what one is at,
    from another thread, and ``is_late`` tells whether an error means that the time was up.
    """

    connect: Callable[[float | None], dict[str, Any]]
    opened: Callable[[Any, float | None], None]
    begun: Callable[[sa.Connection, float | None], None]
    stopped: Callable[[Any], None]
    is_late: Callable[[Any], bool]


def _postgresql_arguments(timeout: float | None) -> dict[str, Any]:
    import psycopg

    class OneStatement(psycopg.Cursor[Any]):
        """Asks by the extended protocol, which takes one statement at a time."""

        def execute(self, query: Any, params: Any = None, **options: Any) -> Any:
            return super().execute(query, params, **{**options, "prepare": True})

    return {"connect_timeout": CONNECT_SECONDS, "cursor_factory": OneStatement}


def _postgresql_opened(connection: Any, timeout: float | None) -> None:
    # Every transaction begins as READ ONLY, which no statement inside can take back.
    connection.read_only = True
    for name, loader in _loaders().items():
        connection.adapters.register_loader(name, loader)


@functools.cache
def _loaders() -> dict[str, Any]:
    """Readers of PostgreSQL's dates and times that know ``infinity``, of which Python has none."""
    from psycopg.types.datetime import DateLoader, TimestampLoader, TimestamptzLoader

    first, last = (one.replace(tzinfo=UTC) for one in (datetime.min, datetime.max))
    return {
        "date": _endless(DateLoader, date.min, date.max),
        "timestamp": _endless(TimestampLoader, datetime.min, datetime.max),
        "timestamptz": _endless(TimestamptzLoader, first, last),
    }


def _endless(loader: Any, first: date, last: date) -> Any:
    class Endless(loader):  # type: ignore[misc]
        def load(self, data: Any) -> Any:
            text = bytes(data)
            if text.endswith(b"infinity"):
                return first if text.startswith(b"-") else last
            return super().load(data)

    return Endless


def _postgresql_begun(connection: sa.Connection, timeout: float | None) -> None:
    # For this transaction only, so that nothing is left in a connection that others share.
    connection.exec_driver_sql("SET LOCAL standard_conforming_strings = on")
    if timeout is not None:
        connection.exec_driver_sql(f"SET LOCAL statement_timeout = {int(timeout * 1000)}")


def _postgresql_stopped(connection: Any) -> None:
    with contextlib.suppress(Exception):
        connection.cancel_safe(timeout=_CANCEL_SECONDS)
    # A server that is silent does not hear that either; what waits for it hears this.
    _hung_up(connection.pgconn.socket)


def _hung_up(handle: int) -> None:
    """Ends what goes over a connection, from another thread; its owner closes it."""
    with contextlib.suppress(OSError), socket.socket(fileno=os.dup(handle)) as other:
        other.shutdown(socket.SHUT_RDWR)


def _mysql_stopped(connection: Any) -> None:
    import pymysql

    with contextlib.suppress(Exception):
        said = {
            "host": connection.host,
            "port": connection.port,
            "user": connection.user,
            "password": connection.password,
            "unix_socket": connection.unix_socket,
        }
        with (
            pymysql.connect(
                **said, connect_timeout=_CANCEL_SECONDS, read_timeout=_CANCEL_SECONDS
            ) as other,
            other.cursor() as cursor,
        ):
            cursor.execute(f"KILL QUERY {int(connection.thread_id())}")
    if connection._sock is not None:
        _hung_up(connection._sock.fileno())


def _mysql_arguments(timeout: float | None) -> dict[str, Any]:
    limit = (
        {}
        if timeout is None
        else {"read_timeout": int(timeout) + 5, "write_timeout": int(timeout) + 5}
    )
    return {"connect_timeout": CONNECT_SECONDS, "local_infile": False, **limit}


def _mysql_opened(connection: Any, timeout: float | None) -> None:
    with connection.cursor() as cursor:
        cursor.execute("SELECT VERSION()")
        is_mariadb = "mariadb" in str(cursor.fetchone()[0]).lower()
        # The parser reads texts and names as these servers do when no mode is set.
        cursor.execute("SET SESSION sql_mode = ''")
        cursor.execute("SET SESSION TRANSACTION READ ONLY")
        if timeout is not None:
            limit = (
                f"max_statement_time = {timeout:.3f}"
                if is_mariadb
                else f"max_execution_time = {int(timeout * 1000)}"
            )
            cursor.execute(f"SET SESSION {limit}")
    connection.commit()


def _nothing(connection: Any, timeout: float | None) -> None:
    """Nothing more has to be done."""


def _says(*codes: Any) -> Callable[[Any], bool]:
    """Whether an error of a driver has one of these codes of its engine."""

    def found(error: Any) -> bool:
        original = getattr(error, "orig", None)
        first = (getattr(original, "args", None) or [None])[0]
        return getattr(original, "sqlstate", None) in codes or first in codes

    return found


_MYSQL: Final = Server(_mysql_arguments, _mysql_opened, _nothing, _mysql_stopped, _says(1969, 3024))
SERVERS: Final = {
    "postgresql": Server(
        _postgresql_arguments,
        _postgresql_opened,
        _postgresql_begun,
        _postgresql_stopped,
        _says("57014"),
    ),
    "mysql": _MYSQL,
    "mariadb": _MYSQL,
    "sqlite": Server(
        lambda timeout: {},
        _nothing,
        _nothing,
        lambda connection: connection.interrupt(),
        _says("interrupted"),
    ),
}
