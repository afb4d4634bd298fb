"""The demo's picker in Panel: ``panel serve examples/dashboard/in_panel.py``.

Needs ``pip install "ulnager[demo,panel]"``.
"""

import ulnager
from ulnager.demo import CLOCK, table

try:
    import panel as pn

    column = ulnager.bind.panel(ulnager.read_book("demo:ferries").picker("dates"), today=CLOCK)
except ImportError as error:
    raise SystemExit(f"{error}: pip install panel") from None
number = pn.pane.Str()


@column.on_change
def told(view):
    """What is drawn of each new view."""
    number.object = "no dates"
    if view.resolution is not None:
        found = ulnager.totals(table("sailings"), view.resolution, value="passengers")
        number.object = f"{view.resolution.label}: {found.rows[0].value:,} passengers"


column.refresh()
pn.Row(column, number).servable()

if __name__ == "__main__":
    print(number.object)
