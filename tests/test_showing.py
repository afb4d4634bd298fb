"""How values show themselves in a notebook: tables that are well-formed, escaped and uncoloured."""

import pickle
import re
from html.parser import HTMLParser

import pytest
from hypothesis import given
from hypothesis import strategies as st

import ulnager
from ulnager.core.notebook_tables import html_of, markdown_of, table
from ulnager.core.text import number_text
from ulnager.demo import CLOCK, book_file
from ulnager.demo import table as demo_table

from strategies import examples

SAILINGS = demo_table("sailings")
SPRING = ulnager.period("last 3 whole months").resolve(today=CLOCK)
SHOWN = {
    "resolution": lambda: SPRING,
    "empty": lambda: ulnager.period("month to date except today").resolve(today="2026-05-01"),
    "many": lambda: ulnager.period("this year only fridays").resolve(today=CLOCK),
    "open": lambda: ulnager.period("all dates").resolve(today=CLOCK),
    "hours": lambda: ulnager.period("last 3 hours").resolve(now="2026-05-20T10:00Z", tz="UTC"),
    "readings": lambda: ulnager.period("last 3 months").readings(),
    "buckets": lambda: SPRING.buckets("month"),
    "no buckets": lambda: SPRING.buckets("year", partial="drop"),
    "preview": lambda: ulnager.preview(SAILINGS, SPRING),
    "profile": lambda: ulnager.profile(SAILINGS),
    "totals": lambda: ulnager.totals(SAILINGS, SPRING, value="fares", by="month", split="route",
                                     beside="1 year earlier"),
    "many totals": lambda: ulnager.totals(SAILINGS, SPRING, by="day"),
    "view": lambda: ulnager.read_book(book_file()).picker("dates").open(today=CLOCK),
}  # fmt: skip
EMPTY = {"br", "hr", "img", "input"}


class Nested(HTMLParser):
    """Reads HTML, and complains of what is not closed; keeps its texts and its tags."""

    def __init__(self, text):
        super().__init__()
        self.open, self.texts, self.tags, self.styles = [], [], set(), []
        self.feed(text)
        assert self.open == []

    def handle_starttag(self, tag, attrs):
        self.tags.add(tag)
        self.styles += [value for name, value in attrs if name == "style"]
        assert {name for name, _ in attrs} <= {"style"}
        if tag not in EMPTY:
            self.open.append(tag)

    def handle_endtag(self, tag):
        assert self.open.pop() == tag

    def handle_data(self, data):
        self.texts.append(data)


def cells(line):
    return re.split(r" \| ", line.strip("| "))


@pytest.mark.parametrize("name", SHOWN)
def test_it_shows_itself(name):
    shown = SHOWN[name]()
    read = Nested(shown._repr_html_())
    assert read.tags <= {"table", "caption", "thead", "tbody", "tr", "th", "td", "div"}
    assert "color:inherit" in read.styles[0]  # Light or dark is the notebook's choice.
    assert not re.search(r"#[0-9a-f]{3}|rgb|white|black", " ".join(read.styles))
    text = shown._repr_markdown_()
    assert text.startswith("**")
    lines = [line for line in text.split("\n") if line.startswith("|")]
    assert len({len(re.findall(r"(?<!\\)\|", line)) for line in lines}) == 1
    assert len(lines) <= 62
    if name in ("many totals",):
        assert "… and 29 more rows" in text


TEXTS = st.text(max_size=20) | st.sampled_from(
    ["<script>alert(1)</script>", "a|b", "**x**", "`x`", "[a](javascript:b)", "\x1b[31m", "&amp;",
     "a\nb", "\u202e", "$x$", "</td>", "![x](y)", "~~x~~", "\\"]
)  # fmt: skip


@examples(120)
@given(TEXTS, st.lists(st.tuples(TEXTS, TEXTS), max_size=3), TEXTS)
def test_what_stands_in_it_is_text(title, rows, note):
    made = table(title, ("a", "b"), rows, (1,), (note,))
    read = Nested(html_of(made))
    assert read.tags <= {"table", "caption", "thead", "tbody", "tr", "th", "td", "div"}
    text = markdown_of(made)
    for sign in "<>`[]$":
        assert sign not in text
    assert "\x1b" not in text
    assert sum(line.startswith("| ") for line in text.split("\n")) >= 2 + len(rows)


def test_they_are_still_what_they_were():
    buckets, readings = SPRING.buckets("month"), ulnager.period("last 3 months").readings()
    assert buckets == tuple(buckets)
    assert isinstance(buckets, tuple)
    assert buckets[:1] == (buckets[0],)
    assert readings == dict(readings)
    assert list(readings) == ["rolling", "whole", "to date", "to end"]
    for one in (buckets, readings, SPRING):
        assert pickle.loads(pickle.dumps(one)) == one


@pytest.mark.parametrize(("value", "text"), [
    (None, ""), (1234, "1,234"), (1234.5, "1,234.5"), (2.0, "2"), (True, "True"), ("x", "x"),
])  # fmt: skip
def test_numbers_in_tables(value, text):
    assert number_text(value) == text


def test_the_parts_of_a_table_are_where_they_belong():
    shown = table("t", ("a", "b"), [("x", 1), ("<y>", 2)], right=(1,), notes=("n",))
    tags = re.findall(r"<(/?\w+)", html_of(shown))
    cells = ["tr", "th", "/th", "td", "/td", "/tr"]
    head = [
        "table",
        "caption",
        "/caption",
        "thead",
        "tr",
        "th",
        "/th",
        "th",
        "/th",
        "/tr",
        "/thead",
    ]
    assert tags == [*head, "tbody", *cells, *cells, "/tbody", "/table", "div", "/div"]
    sides = re.findall(r"text-align:(\w+);vertical", html_of(shown))
    assert sides == ["left", "right"] * 3
    lines = markdown_of(shown).splitlines()
    assert "| x | 1 |" in lines
    assert r"| &lt;y&gt; | 2 |" in lines or r"| \<y\> | 2 |" in lines


@pytest.mark.parametrize(("count", "rows", "more"), [(1, 1, None), (12, 12, None), (13, 12, 1),
                                                      (30, 12, 18)])  # fmt: skip
def test_so_many_spans_are_shown(count, rows, more):
    phrase = " plus ".join(f"2026-01-{2 * n + 1:02}" for n in range(min(count, 15)))
    if count > 15:
        phrase += "".join(f" plus 2026-02-{2 * n + 1:02}" for n in range(count - 15 - 1))
        phrase += " plus 2027-01-01"
    result = ulnager.period(phrase).resolve()
    assert len(result.spans) == min(count, 15) + max(0, count - 15)
    text = result._repr_markdown_()
    assert len(re.findall(r"^\| (?:dates)? ?\| \d{4}-\d\d-\d\d \|$", text, re.M)) == rows
    assert text.count("more spans") == bool(more) + (count > 3)
