"""Databricks, which writes dates as Spark does."""

from __future__ import annotations

from ulnager.filters.engines.spark import SPARK, SparkDialect


class _Databricks(SparkDialect):
    name = "databricks"


DATABRICKS = SPARK._replace(name="databricks", dialect=lambda: _Databricks)
