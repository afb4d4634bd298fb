"""The demo's picker in a notebook: paste it into a cell, or run it to see a visit.

Needs ``pip install "ulnager[demo,notebook]"``.
"""

import ulnager
from ulnager.demo import CLOCK, table

try:
    box = ulnager.bind.notebook(ulnager.read_book("demo:ferries").picker("dates"), today=CLOCK)
except ImportError as error:
    raise SystemExit(f"{error}: pip install ipywidgets") from None


@box.on_change
def told(view):
    """What is drawn of each new view."""
    if view.resolution is not None:
        found = ulnager.totals(table("sailings"), view.resolution, value="passengers")
        print(view.choice_label, view.resolution.label, found.rows[0].value)


if __name__ == "__main__":
    box.controls["dates"].value = "recent"
    box.controls["dates.recent.n"].value = 14
