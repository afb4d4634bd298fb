"""The demo data on Spark: frozen and live conditions, and rows with an anchor of their own.

Needs PySpark and Java: pip install 'ulnager[spark]'.
"""

import os
import warnings

import ulnager
from ulnager.demo import CLOCK, table

os.environ.setdefault("SPARK_LOCAL_IP", "127.0.0.1")
warnings.filterwarnings("ignore", module="pyspark")

try:
    from pyspark.sql import SparkSession
except ImportError as error:
    raise SystemExit(f"{error}: pip install 'ulnager[spark]'") from None

# Spark's own process greets at length on standard error; what matters comes as exceptions.
standard_error = os.dup(2)
os.dup2(os.open(os.devnull, os.O_WRONLY), 2)
try:
    spark = (
        SparkSession.builder.master("local[1]").config("spark.ui.enabled", "false").getOrCreate()
    )
except Exception as error:
    raise SystemExit(f"Spark cannot be started; is there a Java? {str(error)[:200]}") from None
finally:
    os.dup2(standard_error, 2)
sailings, bookings = (
    spark.read.csv(str(table(name)), header=True, inferSchema=True)
    for name in ("sailings", "bookings")
)

# Frozen: a DataFrame is filtered as any other frame, and stays lazy.
period = ulnager.period("last 3 whole months")
kept = ulnager.keep(sailings, period.resolve(today=CLOCK), "sailed_on")
print("frozen:", kept.count(), "sailings")

# Live: SQL text that works out its own dates; here with the demo's clock in place of today.
live = ulnager.where(period, "sailed_on", today=CLOCK)
text = ulnager.condition(live, target="spark", literal=True).text
print("live:  ", sailings.filter(text).count(), "sailings\n   ", text)

# Each booking measured from its own day of travel: who booked within the 30 days before it?
last_minute = ulnager.period("last 30 rolling days")
late = ulnager.keep_each(
    bookings, last_minute, "booked_at", anchor="travels_on", tz="America/Halifax"
)
print("late:  ", late.count(), "of", bookings.count(), "bookings")

# A DataFrame is a source too: Spark adds up, and only totals travel.
for row in ulnager.totals(
    sailings,
    "last 3 months to date as of latest",
    column="sailed_on",
    value="passengers",
    by="month",
    beside="1 year earlier",
    today=CLOCK,
).rows:
    print(f"total:  {row.bucket.label}: {row.value:,} beside {row.beside:,}")
