"""A picker as a plain HTML form: no script, no framework. Run it to see a visit."""

import ulnager
from ulnager.demo import CLOCK

picker = ulnager.read_book("demo:ferries").picker("dates")

if __name__ == "__main__":
    view = picker.read({}, today=CLOCK)
    print(ulnager.bind.form(view)[:120], "…")
    # What a browser sends back, as a web framework hands it over.
    sent = {one.name: one.text for one in view.fields} | view.sent_along
    view = picker.read(sent | {"dates": "recent", "dates.recent.n": "14"}, today=CLOCK)
    print(view.choice_label, view.resolution.label)
