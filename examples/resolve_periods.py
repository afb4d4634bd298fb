"""Define a period once, resolve it against several anchors, and turn it into SQL."""

import ulnager
from ulnager.demo import CLOCK, table

sailings = ulnager.open_source(table("sailings"))
extent = sailings.extent("sailed_on")
print(f"The clock shows {CLOCK}; the sailings run from {extent.first} to {extent.last}.\n")

period = ulnager.period("last 3 whole months")
for name, basis in {
    "by the clock": {"today": CLOCK},
    "as of the latest load": {"today": CLOCK, "as_of": "latest", "data": extent},
    "as of the end of June": {"as_of": "2026-06-30"},
    "in fiscal quarters": {"today": CLOCK, "calendar": ulnager.MonthCalendar(year_starts="10-01")},
}.items():
    result = period.resolve(**basis)
    print(f"{period}, {name}: {result.start} to {result.end}, {result.days} days")

print("\n'last 3 months' can be read in four ways:")
for name, reading in ulnager.period("last 3 months").readings().items():
    result = reading.resolve(today=CLOCK)
    print(f"  {name:<8} {result.start} to {result.end}")

result = ulnager.period("month to date as of latest").resolve(today=CLOCK, data=extent)
print("\nWhy the month to date is what it is:")
for step in result.steps:
    print(f"  - {step}")

print("\nAs SQL, bound and literal:")
bound = ulnager.condition(result, "sailed_on")
print(f"  {bound.text}  {bound.parameters}")
print(f"  {ulnager.condition(result, 'sailed_on', literal=True)}")

found = ulnager.preview(sailings, result, "sailed_on", rows=3)
print(f"\nIt keeps {found.kept} of {found.total} sailings, from {found.first} to {found.last}.")
