"""One period, frozen and live, keeps the same rows on SQLite and on DuckDB."""

import csv
import sqlite3

import duckdb
import sqlalchemy as sa

import ulnager
from ulnager.demo import CLOCK, table

period = ulnager.period("last 3 whole months as of latest")
sailings = table("sailings")
extent = ulnager.open_source(sailings).extent("sailed_on")
result = period.resolve(today=CLOCK, data=extent)
live = ulnager.where(period, sa.column("sailed_on"), latest=("sailings", "sailed_on"))

lite = sqlite3.connect(":memory:")
lite.execute("CREATE TABLE sailings (sailed_on TEXT, route TEXT, passengers INT, fares REAL)")
with sailings.open() as file:
    lite.executemany("INSERT INTO sailings VALUES (?, ?, ?, ?)", list(csv.reader(file))[1:])
duck = duckdb.connect()
duck.read_csv(str(sailings)).create("sailings")

for name, engine in {"sqlite": lite, "duckdb": duck}.items():
    frozen = ulnager.condition(result, "sailed_on", target=name, literal=True)
    moving = ulnager.condition(live, target=name, literal=True)
    for kind, made in (("frozen", frozen), ("live", moving)):
        query = f"SELECT count(*), min(sailed_on), max(sailed_on) FROM sailings WHERE {made}"
        rows, first, last = engine.execute(query).fetchone()
        print(f"{name}, {kind}: {rows} rows from {first} to {last}\n    {made}")
