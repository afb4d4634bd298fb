"""A view in PostgreSQL that always shows the last three whole months of what is loaded.

Everything happens in a schema that is dropped at the end. The server is the one of the
environment variable ULNAGER_POSTGRESQL, or a local one. Needs psycopg: pip install
'ulnager[postgresql]'.
"""

import os
import sys

import sqlalchemy as sa

import ulnager
from ulnager.demo import table

URL = os.environ.get("ULNAGER_POSTGRESQL", "postgresql+psycopg://postgres@127.0.0.1:5432/test")
SCHEMA = "ulnager_example"
LATEST = "SELECT count(*), min(sailed_on), max(sailed_on) FROM recent_sailings"

period = ulnager.period("last 3 whole months as of latest")
live = ulnager.where(period, "sailed_on", latest=("sailings", "sailed_on"))
condition = ulnager.condition(live, target="postgresql", literal=True)
view = f"CREATE VIEW recent_sailings AS SELECT * FROM sailings WHERE {condition}"
print(view)

try:
    connection = sa.create_engine(URL).connect()
except ImportError as error:
    sys.exit(f"{error}: pip install 'ulnager[postgresql]'")
except sa.exc.OperationalError as error:
    sys.exit(f"PostgreSQL cannot be reached: {error.orig}\nName a server in ULNAGER_POSTGRESQL.")
sailings = ulnager.open_source(table("sailings")).query("SELECT sailed_on, passengers FROM data")
with connection:
    connection.exec_driver_sql(f"CREATE SCHEMA {SCHEMA}")
    connection.exec_driver_sql(f"SET LOCAL search_path TO {SCHEMA}")
    connection.exec_driver_sql("CREATE TABLE sailings (sailed_on date, passengers int)")
    connection.exec_driver_sql("INSERT INTO sailings VALUES (%s, %s)", sailings)
    connection.exec_driver_sql(view)
    print("{} sailings from {} to {}".format(*connection.exec_driver_sql(LATEST).one()))
    # The next load comes in, to the last day of May, and nobody touches the view.
    connection.exec_driver_sql("INSERT INTO sailings VALUES ('2026-05-31', 40)")
    print("{} sailings from {} to {}".format(*connection.exec_driver_sql(LATEST).one()))
    connection.rollback()
