"""Pickers and pages in dashboard frameworks, driven by the tools that these bring."""

import re
from dataclasses import replace
from datetime import date
from html import unescape

import pytest

import ulnager
from ulnager.demo import CLOCK, book_file

OLD = ulnager.Extent(date(2023, 10, 1), date(2026, 5, 17), date(2026, 5, 16))
NEW = OLD._replace(last=date(2026, 5, 24), last_whole=date(2026, 5, 23))
BOOK = ulnager.read_book(book_file())


@pytest.fixture(scope="module")
def picker():
    return BOOK.picker("dates")


class Form:
    """A browser without scripts: it sends back what stands in the page."""

    def __init__(self, x, **now):
        self.x, self.now = x, now
        self.view = x.read({}, **now)

    def set(self, name=None, text=None):
        html = ulnager.bind.form(self.view)
        sent = {}

        def put(name, value):
            sent.setdefault(unescape(name), []).append(unescape(value))

        for one, value in re.findall(r'<input type="hidden" name="([^"]*)" value="([^"]*)"', html):
            put(one, value)
        for one, value, rest in re.findall(
            r'<input type="(?:radio|checkbox)"[^>]*? ?name="([^"]*)" value="([^"]*)"( checked)?',
            html,
        ):
            if rest:
                put(one, value)
        for one, value in re.findall(r'<input id="[^"]*" name="([^"]*)" value="([^"]*)"', html):
            put(one, value)
        for one, inside in re.findall(
            r'<select id="[^"]*" name="([^"]*)"(.*?)</select>', html, re.DOTALL
        ):
            for value in re.findall(r'value="([^"]*)" selected', inside):
                put(one, value)
        if name:
            sent[name] = text if isinstance(text, list) else [str(text)]
        self.view = self.x.read(sent, **self.now)


class Notebook:
    make = staticmethod(lambda x, now: ulnager.bind.notebook(x, **now))

    def __init__(self, x, **now):
        self.bound = self.make(x, now)

    @property
    def now(self):
        return self.bound.when

    def set(self, name=None, text=None):
        if name is None:
            self.bound.refresh()
            return
        control = self.bound.controls[name]
        if text == "many":
            return  # No number field takes it.
        was = control.value
        if isinstance(was, int) and not isinstance(was, bool):
            text = int(text)
        elif isinstance(was, date):
            text = date.fromisoformat(text)
        control.value = text

    @property
    def view(self):
        return self.bound.view


class Panel(Notebook):
    make = staticmethod(lambda x, now: ulnager.bind.panel(x, **now))


class DashApp:
    def __init__(self, x, **now):
        self.x, self.now = x, now
        self.sent, self.link = {}, ""
        self.view = x.read({}, **now)

    def set(self, name=None, text=None):
        """One call of the callback, as the browser makes it."""
        from dash import Dash, html

        app = Dash(__name__)
        fields = ulnager.bind.dash(self.x, app, **self.now)
        app.layout = html.Div(fields.layout)
        found = ulnager.bind.shown(self.x, self.sent, self.now)
        lists = {"value": ([], []), "date": ([], [])}
        for one in found.fields:
            is_day = one.kind == "day" and not one.problem
            kind = f"{fields.kind}-day" if is_day else fields.kind
            at = {"type": kind, "name": one.name.replace(".", "/")}
            value = list(one.keys) or one.text.split(",") if one.several else one.text
            ids, values = lists["date" if is_day else "value"]
            ids.append(at)
            values.append(text if one.name == name else value)
        output = (
            f"..{fields.kind}-fields.children...{fields.store}.data...{fields.address}.search.."
        )
        inputs = [[{"id": at, "property": word, "value": value}
                   for at, value in zip(*lists[word], strict=True)] for word in lists]  # fmt: skip
        state = [[{"id": at, "property": "id", "value": at} for at in lists[word][0]]
                 for word in lists]  # fmt: skip
        body = {
            "output": output,
            "outputs": [{"id": f"{fields.kind}-fields", "property": "children"},
                        {"id": fields.store, "property": "data"},
                        {"id": fields.address, "property": "search"}],
            "inputs": [*inputs, {"id": fields.address, "property": "search", "value": self.link}],
            "changedPropIds": [],
            "state": [*state, {"id": fields.store, "property": "data",
                               "value": found.sent_along}],
        }  # fmt: skip
        answer = app.server.test_client().post("/_dash-update-component", json=body)
        assert answer.status_code == 200, answer.data[:300]
        told = answer.get_json()["response"]
        self.sent, self.link = told[fields.store]["data"], told[fields.address]["search"]
        self.view = fields.read(self.sent)


class Streamlit:
    def __init__(self, x, **now):
        from streamlit.testing.v1 import AppTest

        self.x, self.now = x, now

        def script(x, now):
            import ulnager

            ulnager.bind.streamlit(x, **now)

        self.app = AppTest.from_function(script, args=(x, now), default_timeout=60).run()
        assert not self.app.exception

    def set(self, name=None, text=None):
        self.app.args = (self.x, self.now)
        if name is not None:
            kinds = ("radio", "selectbox", "text_input", "multiselect", "number_input",
                     "date_input")  # fmt: skip
            (widget,) = [one for kind in kinds for one in self.app.get(kind) if one.key == name]
            if text == "many":
                return
            if widget.type == "number_input":
                text = int(text)
            elif widget.type == "date_input":
                text = date.fromisoformat(text)
            widget.set_value(text)
        self.app.run()
        assert not self.app.exception

    @property
    def view(self):
        along, _ = self.app.session_state[f"ulnager {self.x.name}"]
        return self.x.read(along, **self.now)


KINDS = [Form, Notebook, Panel, DashApp, Streamlit]


@pytest.mark.parametrize("kind", KINDS)
def test_a_visit(picker, kind):
    visit = kind(picker, today=CLOCK, data=OLD)
    assert visit.view.choice == "month_so_far"
    visit.set("dates", "recent")
    visit.set("dates.recent.n", "14")
    assert visit.view.resolution.label == "3 to 16 May 2026"
    visit.set("dates.recent.n", "many")
    if kind in (Form, DashApp):  # The others have a field that takes numbers only.
        assert visit.view.resolution is None
        assert "whole number" in visit.view.problems[0]
    visit.set("dates", "own")  # Leaving, and coming back to what was typed there.
    assert visit.view.resolution.label == "1 to 17 May 2026"
    visit.set("dates.own.first", "2026-05-10")
    assert visit.view.resolution.label == "10 to 17 May 2026"
    visit.set("dates", "recent")
    visit.set("dates.recent.n", "7")
    assert visit.view.resolution.days == 7
    visit.set("dates.recent.n", "30")
    visit.set("dates.by", "week")
    visit.set("dates.compare", "1 year earlier")
    assert (visit.view.by, visit.view.compared_with) == ("week", "1 year earlier")
    visit.set("dates", "own")
    assert visit.view.resolution.label == "10 to 17 May 2026"


@pytest.mark.parametrize("kind", KINDS)
def test_new_data_under_an_untouched_form(picker, kind):
    visit = kind(picker, today=CLOCK, data=OLD)
    visit.now["data"], visit.now["today"] = NEW, date(2026, 5, 27)
    visit.set()
    assert visit.view.resolution.label == "1 to 23 May 2026"
    assert visit.view.opening


@pytest.mark.parametrize("kind", KINDS)
def test_a_fixed_picker_has_no_fields(picker, kind):
    seen = replace(picker, viewers="see")
    assert ulnager.bind.shown(seen, {}, {"today": CLOCK, "data": OLD}).fields == ()
    visit = kind(seen, today=CLOCK, data=OLD)
    visit.set()
    assert visit.view.choice == "month_so_far"


@pytest.mark.parametrize("kind", KINDS)
def test_a_page_with_its_filters(kind):
    """Pickers and filters by value together: all, one, and none of them again."""
    page = BOOK.page("routes")
    visit = kind(page, today=CLOCK)
    whole = visit.view.values()["all"].rows[0].value
    visit.set("route", ["~all", "Saltmarsh"])
    assert visit.view.filters["route"].keys == ("Saltmarsh",)
    visit.set("dates", "week_so_far")
    assert visit.view.filters["route"].keys == ("Saltmarsh",)
    assert visit.view.views["dates"].choice == "week_so_far"
    assert 0 < visit.view.values()["all"].rows[0].value < whole
    visit.set("route", ["Saltmarsh", "~all"])
    assert visit.view.filters["route"].keys is None


def test_fields_are_public_values(picker):
    """What anybody needs to bind another framework."""
    view = picker.open(today=CLOCK, data=OLD).choose("recent").enter(n=500)
    fields = {one.name: one for one in view.fields}
    count = fields["dates.recent.n"]
    assert (count.id, count.kind, count.low, count.high, count.step) == (
        "dates-recent-n", "count", 1, 90, 1)  # fmt: skip
    assert count.problem.startswith("500 is out of bounds")
    assert dict(fields["dates"].dates)["month_so_far"] == "1 to 16 May 2026"
    given = {one.id: one for one in view.inputs}["dates-recent-n"]
    assert (given.kind, given.min, given.max, given.step) == ("count", 1, 90, None)
    html = ulnager.bind.form(view, action="/x?<")
    assert 'action="/x?&lt;"' in html
    assert html.count("500 is out of bounds") == 1
    assert 'aria-describedby="dates-recent-n-problem"' in html


def test_the_form_can_be_taken_apart(picker):
    """The macros that it is made of, in a template of one's own that escapes nothing itself."""
    import jinja2

    from ulnager.templates import loader

    found = ulnager.bind.shown(
        picker, {"dates": "recent", "dates.recent.n": '"<5'}, {"today": CLOCK}
    )
    templates = jinja2.Environment(loader=loader())
    text = templates.from_string(
        '{% from "ulnager/form.html" import along, field, said %}<form>{{ along(found) }}'
        "{% for one in found.fields if one.kind == 'count' %}{{ field(one) }}{% endfor %}</form>"
        "{{ said(found) }}"
    ).render(found=found)
    assert 'value="&#34;&lt;5"' in text
    assert text.count('name="dates.recent.n"') == 1
    assert text.count('type="hidden"') == 2
    assert "no dates" in text


def test_what_is_not_installed_is_said(picker, monkeypatch):
    import sys

    monkeypatch.setitem(sys.modules, "panel", None)
    monkeypatch.delitem(sys.modules, "ulnager.bind.panel_widgets", raising=False)
    with pytest.raises(ImportError, match=r"ulnager\[panel\]"):
        ulnager.bind.panel(picker, today=CLOCK)
