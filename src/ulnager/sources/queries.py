"""A query that stands for a table: parsed, and refused when it could do more than read rows.

What goes to the engine are the very pieces that were checked, without comments, since an engine
may take for a statement what a parser takes for a comment.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Any, Final, NamedTuple

from ulnager.core.errors import SourceError
from ulnager.core.text import visible
from ulnager.sources.guard import limits_now

# Without a way back, or many comments would be tried in every combination.
_COMMENTS = r"(?>\s|\(|--[^\n]*(?:\n|$)|#[^\n]*(?:\n|$)|/\*.*?\*/)*+"
_STATEMENT = re.compile(
    rf"{_COMMENTS}(alter|analyze|attach|begin|call|checkpoint|cluster|comment|commit|copy|create|"
    r"deallocate|declare|delete|describe|detach|discard|do|drop|end|execute|explain|export|from|"
    r"grant|handler|import|insert|install|kill|listen|load|lock|merge|notify|optimize|pragma|"
    r"prepare|reindex|release|rename|replace|reset|revoke|rollback|savepoint|select|set|show|"
    r"start|table|truncate|update|use|vacuum|values|with)(?![\w$.])(?=.*\S)",
    re.I | re.S,
)


class QueryRules(NamedTuple):
    """How an engine writes queries, and what in them does more than read.

    ``reads`` is the parser's name of the dialect; ``strings`` and ``names`` are how texts and
    quoted names look; ``denied`` are functions, with ``*`` for the rest of a name, and
    ``harmless`` those among them that may be called all the same.
    """

    reads: str
    strings: str
    names: str
    denied: tuple[str, ...]
    harmless: tuple[str, ...] = ()


_PLAIN_STRINGS: Final = r"'(?:[^']|'')*'"
# A text between two of the same tags: $$it's$$, $note$it's$note$.
_DOLLARS: Final = r"\$(?P<tag>\w*)\$(?:(?!\$(?P=tag)\$).)*\$(?P=tag)\$"
_PLAIN_NAMES: Final = r'"(?:[^"]|"")+"'
_BACKSLASHES: Final = r"'(?:[^'\\]|''|\\.)*'|\"(?:[^\"\\]|\"\"|\\.)*\""
_MYSQL: Final = QueryRules(
    "mysql",
    rf"(?:[nxb]|_utf8mb4)?(?:{_BACKSLASHES})",
    r"`(?:[^`]|``)+`",
    (
        "load_file",
        "sleep",
        "benchmark",
        "*_lock",
        "release_all_locks",
        "*_pos_wait",
        "*_gtid_wait",
        "wait_*",
        "nextval",
        "setval",
        "lastval",
        "last_insert_id",
        "sys_*",
        "lib_mysqludf_*",
        "master_*",
        "source_*",
        "keyring_*",
        "service_*",
        "wsrep_*",
        "group_replication_*",
    ),
)
DIALECTS: Final = {
    "postgresql": QueryRules(
        "postgres",
        rf"[nxb]?{_PLAIN_STRINGS}|e'(?:[^'\\]|''|\\.)*'|{_DOLLARS}",
        _PLAIN_NAMES,
        (
            "pg_*",
            "lo_*",
            "loread",
            "lowrite",
            "dblink*",
            "set_config",
            "nextval",
            "setval",
            "query_to_xml*",
            "cursor_to_xml*",
            "table_to_xml*",
            "schema_to_xml*",
            "database_to_xml*",
            "ts_stat",
            "ts_rewrite",
            "crosstab*",
            "connectby",
            "xpath_table",
            "xslt_process",
            "brin_*",
            "gin_*",
            "binary_upgrade_*",
            "http*",
            "aws_*",
            "txid_current*",
            "plperl_*",
            "plpython*",
            "currtid*",
            "unique_key_recheck",
            "suppress_*",
            "fsm_*",
            "heap_*",
        ),
        ("pg_typeof", "pg_size_pretty", "pg_column_size", "pg_client_encoding"),
    ),
    "mysql": _MYSQL,
    "mariadb": _MYSQL,
    "sqlite": QueryRules(
        "sqlite",
        rf"x?{_PLAIN_STRINGS}",
        rf"{_PLAIN_NAMES}|`(?:[^`]|``)+`|\[[^\]]+\]",
        (
            "load_extension",
            "readfile",
            "writefile",
            "edit",
            "eval",
            "fts3_tokenizer",
            "fts5",
            "pragma_*",
            "sqlite_*",
            "zeroblob",
            "randomblob",
            "lsdir",
            "fsdir",
        ),
    ),
    "duckdb": QueryRules(
        "duckdb",
        rf"[xeb]?{_PLAIN_STRINGS}|{_DOLLARS}",
        _PLAIN_NAMES,
        (
            "read_*",
            "glob",
            "sniff_*",
            "parquet_*",
            "query",
            "query_table",
            "getenv",
            "*_scan",
            "scan_*",
            "*_scan_*",
            "*_query",
            "*_execute",
            "*_attach",
            "nextval",
            "currval",
            "pragma_*",
            "duckdb_*",
            "which_secret",
            "sqlite_*",
            "postgres_*",
            "mysql_*",
            "sql_auto_complete",
            "json_execute_*",
            "from_substrait*",
            "get_substrait*",
            "checkpoint",
            "force_checkpoint",
            "enable_*",
            "disable_*",
            "load_*",
            "write_*",
            "set_*",
            "iceberg_*",
            "delta_*",
            "st_read*",
            "summary",
            "index_scan",
            "repeat_row",
            "test_*",
            "add_parquet_key",
            "icu_*",
            "http_*",
            "sleep*",
            "arrow_*",
            "pandas_*",
            "python_*",
            "copy_*",
            "current_setting",
        ),
    ),
}
_WORDS_DENIED: Final = ("INTO", "PROCEDURE")


def looks_like_query(text: str) -> bool:
    """Whether a text is a statement, and not the name of a table."""
    return _STATEMENT.match(text) is not None


def checked_query(text: str, engine: str, tables: Iterable[str] | None = None) -> str:
    """The query as it may be sent to an engine: one SELECT that only reads.

    With ``tables`` it may speak of no others. Comments and a semicolon at the end are left out.

    >>> checked_query("-- all of them\\nSELECT d FROM trips;", "sqlite")
    'SELECT d FROM trips'
    >>> checked_query("SELECT pg_sleep(9)", "postgresql")
    Traceback (most recent call last):
        ...
    ulnager.core.errors.SourceError: the query calls pg_sleep, which does more than read rows; ...

    Raises SourceError for anything else, saying what is refused.
    """
    import sqlglot
    from sqlglot.errors import SqlglotError

    if engine not in DIALECTS:
        raise SourceError(f"a query cannot be checked for {engine}; make a view, and name that")
    dialect = DIALECTS[engine]
    # Engines take the rest of such a text for other things than the parser does.
    for sign in ("\0", "/*!", "/*M!", "/*m!"):
        if sign in text:
            raise _refused(f"holds {visible(sign)!r}", "take it out")
    try:
        tokens = list(sqlglot.tokenize(text, read=dialect.reads))
        while tokens and tokens[-1].token_type.name == "SEMICOLON":
            tokens.pop()
        sent = _joined(text, tokens)
        _check_tokens(text, tokens, dialect)
        found = [one for one in sqlglot.parse(sent, read=dialect.reads) if one is not None]
    except (SqlglotError, RecursionError) as error:
        said = visible(re.sub(r"\x1b\[\d*m", "", str(error)).split("\n")[0])
        raise SourceError(
            f"the query cannot be parsed, so nobody can tell whether it only reads ({said}); "
            "make a view of it in the database, and name that as the table"
        ) from None
    if len(found) != 1:
        raise _refused(f"is {len(found)} statements", "give one SELECT")
    _check_tree(found[0], tables)
    check_lengths(sent, "the query", dialect.reads)
    return sent


def _joined(text: str, tokens: list[Any]) -> str:
    """The pieces with the space that was between them, but without comments."""
    sent = ""
    for place, token in enumerate(tokens):
        between = text[tokens[place - 1].end + 1 : token.start] if place else ""
        if between:
            # Texts on two lines are one text to some engines, and on one line they are a mistake.
            sent += "\n" if "\n" in between else " "
        sent += text[token.start : token.end + 1]
    return sent


def _check_tokens(text: str, tokens: list[Any], dialect: QueryRules) -> None:
    quoted = re.compile(dialect.names, re.S)
    strings = re.compile(dialect.strings, re.I | re.S)
    for place, token in enumerate(tokens):
        kind, written = token.token_type.name, text[token.start : token.end + 1]
        after = tokens[place + 1].token_type.name if place + 1 < len(tokens) else ""
        if kind == "IDENTIFIER":
            if not quoted.fullmatch(written):
                raise _refused(f"holds the name {visible(written)}", "write it plainly")
            before = tokens[place - 1] if place else None
            if (
                before is not None
                and before.end + 1 == token.start
                and (before.token_type.name == "AMP")
            ):
                raise _refused("holds a name with escapes (U&…)", "write it plainly")
        elif kind == "UNICODE_STRING" or (
            (kind.endswith("STRING") or written[:1] in "'\"$") and not strings.fullmatch(written)
        ):
            raise _refused(f"holds the text {visible(written[:40])}", "write it plainly")
        elif written.upper() in _WORDS_DENIED:
            raise _refused(f"says {written.upper()}, which writes", "give a plain SELECT")
        elif (
            written.upper() == "NEXT"
            and place + 1 < len(tokens)
            and (tokens[place + 1].text.upper() == "VALUE")
        ):
            raise _refused("takes the next value of a sequence", "leave it out")
        if after == "L_PAREN" and _is_denied(token.text.lower(), dialect):
            raise _refused(
                f"calls {visible(token.text)}, which does more than read rows",
                "leave it out, or make a view of the query",
            )


_LENGTHENING: Final = frozenset(
    {
        "repeat",
        "lpad",
        "rpad",
        "printf",
        "format",
        "space",
        "replicate",
        "bar",
        "list_resize",
        "array_resize",
        "zeroblob",
        "char",
    }
)
_LONG_WIDTH: Final = re.compile(r"%[-+ 0#',!]*(\d{7,})|\{[^}]*?(\d{7,})[^}]*\}")


def check_lengths(text: str, what: str, reads: str = "duckdb") -> None:
    """SourceError for a query or a view that makes one text longer than one may be.

    The engine does not count a single text among what it may take, so what says in so many words
    that it is huge is refused; what is worked out cannot be told here.
    """
    import sqlglot
    from sqlglot.errors import SqlglotError

    most = limits_now().text
    try:
        tokens = list(sqlglot.tokenize(text, read=reads))
    except SqlglotError:
        return
    calls: list[str] = []
    for place, token in enumerate(tokens):
        kind, written = token.token_type.name, token.text
        if kind == "L_PAREN":
            calls.append(tokens[place - 1].text.lower() if place else "")
        elif kind == "R_PAREN" and calls:
            calls.pop()
        elif calls and calls[-1] in _LENGTHENING:
            width = _LONG_WIDTH.search(written) if kind == "STRING" else None
            found = (
                [written] if kind == "NUMBER" else [] if width is None else [width[1] or width[2]]
            )
            if any(_number(one) > most for one in found):
                raise SourceError(
                    f"{what} makes a text of more than {most:,} signs with {calls[-1]}; raise the "
                    "limit text if you trust it (docs/security.md)"
                )


def _number(text: str) -> float:
    try:
        return float(text.replace("_", ""))
    except ValueError:
        return 0.0


def _is_denied(name: str, dialect: QueryRules) -> bool:
    if name in dialect.harmless:
        return False
    return any(
        re.fullmatch(re.escape(one).replace(r"\*", ".*"), name) is not None
        for one in dialect.denied
    )


def _check_tree(root: Any, tables: Iterable[str] | None) -> None:
    from sqlglot import exp

    if not isinstance(root, (exp.Select, exp.SetOperation, exp.Subquery)):
        raise _refused(f"is {_named(root)}", "give a SELECT")
    writes = (
        exp.DDL,
        exp.DML,
        exp.Command,
        exp.Into,
        exp.Lock,
        exp.Copy,
        exp.Set,
        exp.Transaction,
        exp.Commit,
        exp.Rollback,
        exp.Pragma,
        exp.Use,
        exp.Attach,
        exp.Detach,
        exp.Drop,
        exp.NextValueFor,
        exp.Kill,
        exp.LoadData,
    )
    for node in root.walk():
        if isinstance(node, writes) and not isinstance(node, exp.Query):
            what = "locks rows" if isinstance(node, exp.Lock) else f"holds {_named(node)}"
            raise _refused(what, "give a SELECT that only reads")
    if tables is not None:
        _check_tables(root, {name.lower() for name in tables})


def _check_tables(root: Any, known: set[str]) -> None:
    from sqlglot import exp

    own = {cte.alias_or_name.lower() for cte in root.find_all(exp.CTE)}
    for table in root.find_all(exp.Table):
        name: Any = table.this
        if isinstance(name, exp.Func):
            continue  # A function that makes rows; those that read files are refused by name.
        if table.args.get("db") or table.name.lower() not in known | own:
            raise SourceError(
                f"the query reads {visible(table.sql())}, and only {', '.join(sorted(known))} "
                "can be read here"
            )


def _named(node: Any) -> str:
    name = type(node).__name__.upper()
    return f"{'an' if name[0] in 'AEIOU' else 'a'} {name}"


def _refused(problem: str, instead: str) -> SourceError:
    return SourceError(f"the query {problem}; {instead}")
