"""How long repairs have been open, in business days, for a whole table at once.

Needs pandas: pip install 'ulnager[frames]'.
"""

try:
    import pandas as pd
except ImportError as error:
    raise SystemExit(f"{error}: pip install 'ulnager[frames]'") from None

import ulnager
from ulnager.demo import CLOCK, table

office = ulnager.BusinessDays(
    holidays=pd.to_datetime(["2025-12-25", "2025-12-26", "2026-01-01", "2026-05-18"]).date
)
calendar = ulnager.MonthCalendar(year_starts="10-01", business=office)
orders = pd.read_csv(table("work_orders"), parse_dates=["raised_on", "closed_on"])

# NaT while a repair is open: its age is counted up to the clock's day instead.
orders["age"] = ulnager.business_days_between(
    orders["raised_on"], orders["closed_on"].fillna(pd.Timestamp(CLOCK)), business=office
)
still_open = orders[orders["closed_on"].isna()]
print(f"{len(orders)} repairs, {len(still_open)} open; usual age {orders['age'].median():.0f}")

# "Open for at least 3 business days" is a plain condition on the day it was raised.
overdue = ulnager.period("at least 3 business days ago").resolve(today=CLOCK, calendar=calendar)
print(f"raised {overdue.label}: {len(ulnager.keep(still_open, overdue, 'raised_on'))} of them")

# A period measured from each row: the five business days after it was raised.
starts, stops = ulnager.period("next 5 business days").resolve_each(
    orders["raised_on"], calendar=calendar
)
in_time = (orders["closed_on"] < stops) | (orders["closed_on"] == orders["raised_on"])
print(f"closed within five business days: {in_time.mean():.0%}")
