"""How the dialect is read of Spark and Databricks."""

from __future__ import annotations

from typing import Any

from sqlglot import exp

from ulnager.checking.readers.dialect_reader import Reader
from ulnager.checking.readers.rewriting import from_sunday, is_temporal, piece


def _of_spark(node: Any) -> Any:
    if isinstance(node, exp.Concat):
        dated = [
            piece("CAST(x AS DATE)", x=one) if is_temporal(one) else one for one in node.expressions
        ]
        node.set("expressions", dated)
        return node
    if isinstance(node, exp.AtTimeZone):
        # It has no such words: this is how from_utc_timestamp is parsed.
        return piece("x AT TIME ZONE 'UTC' AT TIME ZONE y", x=node.this, y=node.args["zone"])
    is_weekday = isinstance(node, exp.Anonymous) and node.name.lower() == "weekday"
    return piece("(isodow(x) - 1)", x=node.expressions[0]) if is_weekday else from_sunday(node)


SPARK = Reader("spark", ("dayofweek", "weekday"), _of_spark)
DATABRICKS = SPARK._replace(reads="databricks")
