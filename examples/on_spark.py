"""The demo data on Spark: frozen and live conditions, and rows with an anchor of their own."""

import os

os.environ.setdefault("SPARK_LOCAL_IP", "127.0.0.1")

from pyspark.sql import SparkSession

import ulnager
from ulnager.demo import CLOCK, table

spark = SparkSession.builder.master("local[1]").config("spark.ui.enabled", "false").getOrCreate()
spark.sparkContext.setLogLevel("ERROR")
sailings, bookings = (
    spark.read.csv(str(table(name)), header=True, inferSchema=True)
    for name in ("sailings", "bookings")
)

# Frozen: a DataFrame is filtered as any other frame, and stays lazy.
period = ulnager.period("last 3 whole months")
kept = ulnager.keep(sailings, period.resolve(today=CLOCK), "sailed_on")
print("frozen:", kept.count(), "sailings")

# Live: SQL text that works out its own dates; here with the demo's clock in place of today.
live = ulnager.live_where(period, "sailed_on", today=CLOCK)
text = ulnager.sql_text(live, "spark")
print("live:  ", sailings.filter(text).count(), "sailings\n   ", text)

# Each booking measured from its own day of travel: who booked within the 30 days before it?
last_minute = ulnager.period("last 30 rolling days")
late = ulnager.keep_each(
    bookings, last_minute, "booked_at", anchor="travels_on", tz="America/Halifax"
)
print("late:  ", late.count(), "of", bookings.count(), "bookings")
