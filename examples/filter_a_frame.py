"""The same period keeps the same rows in pandas, in Polars and in PyArrow.

Needs pandas, Polars and PyArrow: pip install 'ulnager[frames]'.
"""

try:
    import pandas as pd
    import polars as pl
    import pyarrow.csv
except ImportError as error:
    raise SystemExit(f"{error}: pip install 'ulnager[frames]'") from None

import ulnager
from ulnager.demo import CLOCK, ZONE, table

sailings, scans = table("sailings"), table("gate_scans")
in_pandas = pd.read_csv(sailings, parse_dates=["sailed_on"])
in_polars = pl.read_csv(sailings, try_parse_dates=True)
in_arrow = pyarrow.csv.read_csv(sailings)

data = (in_pandas["sailed_on"].min(), in_pandas["sailed_on"].max())
result = ulnager.period("last 3 whole months as of latest").resolve(today=CLOCK, data=data)
print(result.label)

print("pandas  ", len(ulnager.keep(in_pandas, result, "sailed_on")))
print("Polars  ", len(ulnager.keep(in_polars, result, "sailed_on")))
print("lazy    ", len(ulnager.keep(in_polars.lazy(), result, "sailed_on").collect()))
print("PyArrow ", len(ulnager.keep(in_arrow, result, "sailed_on")))

# Tickets are scanned until midnight, which is the next day in UTC already.
yesterday = ulnager.period("yesterday").resolve(today="2026-05-17")
instants = pl.read_csv(scans, try_parse_dates=True)
print("scans of", yesterday.label, len(ulnager.keep(instants, yesterday, "scanned_at", tz=ZONE)))
print(
    "  if days were taken in UTC:", len(ulnager.keep(instants, yesterday, "scanned_at", tz="UTC"))
)
