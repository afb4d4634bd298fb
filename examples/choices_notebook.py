"""A picker in a notebook: paste it into a cell. ``box.view`` is what is shown."""

import ulnager
from ulnager.demo import CLOCK

try:
    box = ulnager.bind.notebook(ulnager.read_book("demo:ferries").picker("dates"), today=CLOCK)
except ImportError as error:
    raise SystemExit(f"{error}: pip install ipywidgets") from None

if __name__ == "__main__":
    box.controls["dates"].value = "recent"
    box.controls["dates.recent.n"].value = 14
    print(box.view.choice_label, box.view.resolution.label)
