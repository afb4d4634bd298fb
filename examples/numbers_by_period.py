"""What a chart needs besides its dates: totals with a comparison, a running average, a walk.

Runs as it is, on the demo data.
"""

import ulnager
from ulnager.demo import CLOCK, table

sailings = table("sailings")

# The last month is unfinished: it is compared on as many days of May a year before.
months = ulnager.totals(
    sailings,
    "last 3 months to date as of latest",
    value="passengers",
    by="month",
    beside="1 year earlier",
    today=CLOCK,
)
for row in months.rows:
    because = f"  ({', '.join(row.bucket.reasons)})" if row.bucket.reasons else ""
    print(f"{row.bucket.label}: {row.value:,}, {row.relative:+.1%} on a year before{because}")

# Every day has its whole lead-in, the first one too.
line = ulnager.running(
    sailings,
    "last 7 rolling days",
    over="last 5 rolling days as of latest",
    value="passengers",
    per="day",
    today=CLOCK,
)
for point in line.rows:
    print(f"{point.day}: {point.value:.1f} passengers a day since {point.window.start}")

# A window that is measured from one day after another, each counted from the first.
extent = ulnager.profile(sailings).extent
window = ulnager.period("last 30 rolling days")
for step in window.walk("1 month", "2026-01-31", "latest", data=extent, today=CLOCK):
    print(f"as of {step.anchor.day}: {step.label}")

# Open repairs by age, and the oldest of them.
found = ulnager.ages(
    table("work_orders"), "raised_on", "closed_on", unit="business day", today=CLOCK
)
print(
    f"{found.open} repairs are open, {found.closed} ended; {found.median:g} business days usually"
)
