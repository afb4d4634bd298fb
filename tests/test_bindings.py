"""The examples that bind a picker to what dashboards are built with, driven as users do."""

import re
import sys
from datetime import date
from html import unescape

import pytest

import ulnager
from ulnager.demo import CLOCK, book_file

from conftest import ROOT

sys.path.insert(0, str(ROOT / "examples"))
OLD = ulnager.Extent(date(2023, 10, 1), date(2026, 5, 17), date(2026, 5, 16))
NEW = OLD._replace(last=date(2026, 5, 24), last_whole=date(2026, 5, 23))


@pytest.fixture(scope="module")
def picker():
    return ulnager.read_book(book_file()).picker("dates")


class Form:
    """A browser without scripts: it sends back what stands in the page."""

    def __init__(self, picker, **now):
        import choices_form

        self.page, self.picker, self.now = choices_form, picker, now
        self.view = self.page.bind(picker, **now)

    def set(self, name=None, text=None):
        html = self.page.drawn(self.view)
        sent = {}
        for one, value in re.findall(r'<input [^>]*?name="([^"]*)" value="([^"]*)"', html):
            sent[one] = unescape(value)
        for one, inside in re.findall(r'<select name="([^"]*)"(.*?)</select>', html):
            chosen = re.findall(r'value="([^"]*)" selected', inside)
            sent[one] = [unescape(value) for value in chosen]
        for one in re.findall(r'type="checkbox" name="([^"]*)" value="on" >', html):
            sent[one] = "off"
        if name:
            sent[name] = text
        self.view = self.page.bind(self.picker, sent, **self.now)


class Notebook:
    def __init__(self, picker, **now):
        from choices_notebook import Bound

        self.bound = Bound(picker, **now)

    def set(self, name=None, text=None):
        if name is None:
            self.bound.changed(None)
        else:
            self.bound.drawn[name].value = text

    @property
    def view(self):
        return self.bound.view

    @property
    def now(self):
        return self.bound.now


class DashApp:
    def __init__(self, picker, **now):
        from choices_dash import app_of

        self.picker, self.now = picker, now
        self.client = app_of(picker, **now).server.test_client()
        self.view = picker.open(**now)

    def set(self, name=None, text=None):
        """One call of the callback, as the browser makes it."""
        from choices_dash import app_of

        fields = [(one.name, text if one.name == name else one.text) for one in self.view.fields]
        ids = [{"type": "ulnager", "name": one.replace(".", "/")} for one, _ in fields]
        body = {
            "output": "..fields.children...dates.children...sent-along.data..",
            "outputs": [{"id": "fields", "property": "children"},
                        {"id": "dates", "property": "children"},
                        {"id": "sent-along", "property": "data"}],
            "inputs": [[{"id": at, "property": "value", "value": value}
                        for at, (_, value) in zip(ids, fields, strict=True)]],
            "changedPropIds": [],
            "state": [[{"id": at, "property": "id", "value": at} for at in ids],
                      {"id": "sent-along", "property": "data", "value": self.view.sent_along}],
        }  # fmt: skip
        client = app_of(self.picker, **self.now).server.test_client()
        answer = client.post("/_dash-update-component", json=body)
        assert answer.status_code == 200, answer.data[:300]
        found = answer.get_json()["response"]
        self.view = self.picker.read(found["sent-along"]["data"], **self.now)
        label = self.view.resolution.label if self.view.resolution else "no dates"
        assert found["dates"]["children"] == label


class Streamlit:
    def __init__(self, picker, **now):
        from streamlit.testing.v1 import AppTest

        self.picker, self.now = picker, now

        def script(picker, now):
            from choices_streamlit import bind

            bind(picker, **now)

        self.app = AppTest.from_function(script, args=(picker, now), default_timeout=30).run()
        assert not self.app.exception

    def set(self, name=None, text=None):
        self.app.args = (self.picker, self.now)
        if name is not None:
            (widget,) = [one for kind in ("selectbox", "text_input", "multiselect")
                         for one in self.app.get(kind) if one.key == name]  # fmt: skip
            widget.set_value(text)
        self.app.run()
        assert not self.app.exception

    @property
    def view(self):
        return self.picker.read(self.app.session_state["dates sent along"], **self.now)


@pytest.mark.parametrize("kind", [Form, Notebook, DashApp, Streamlit])
def test_a_visit(picker, kind):
    visit = kind(picker, today=CLOCK, data=OLD)
    assert visit.view.choice == "month_so_far"
    visit.set("dates", "recent")
    visit.set("dates.recent.n", "14")
    assert visit.view.resolution.label == "3 to 16 May 2026"
    visit.set("dates.recent.n", "many")
    assert visit.view.resolution is None
    assert "whole number" in visit.view.problems[0]
    visit.set("dates", "own")  # Leaving, and coming back to what was typed there.
    assert visit.view.resolution.label == "1 to 17 May 2026"
    visit.set("dates.own.first", "2026-05-20")
    assert "out of bounds" in visit.view.problems[0]
    visit.set("dates", "recent")
    assert visit.view.problems
    visit.set("dates.recent.n", "7")
    assert visit.view.resolution.days == 7


@pytest.mark.parametrize("kind", [Form, Notebook, DashApp, Streamlit])
def test_new_data_under_an_untouched_form(picker, kind):
    visit = kind(picker, today=CLOCK, data=OLD)
    visit.now["data"], visit.now["today"] = NEW, date(2026, 5, 27)
    visit.set()
    assert visit.view.resolution.label == "1 to 23 May 2026"
    assert visit.view.opening


@pytest.mark.parametrize("kind", [Form, Notebook, DashApp, Streamlit])
def test_a_fixed_picker(picker, kind):
    import dataclasses

    seen = dataclasses.replace(picker, viewers="see")
    visit = kind(seen, today=CLOCK, data=OLD)
    visit.set("dates", "recent")
    assert visit.view.choice == "month_so_far"
