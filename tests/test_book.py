"""Books: what they hold, and what is said about mistakes in them."""

from datetime import date

import pytest

from ulnager import BookError, ResolveError, read_book
from ulnager.demo import CLOCK, book_file

GOOD = """
[anchors]
load = "latest"
clock = { point = "2026-05-20", day = "running" }
done = { point = "today", day = "over" }
[readings]
last = "whole"
[periods.recent]
phrase = "last 3 months"
label = "Recent months"
anchor = "load"
[periods.so_far]
phrase = "last 2 whole days"
anchor = "clock"
[periods.with_today]
phrase = "last 2 whole days"
anchor = "done"
"""


@pytest.fixture
def book(tmp_path):
    def read(text):
        path = tmp_path / "book.toml"
        path.write_bytes(text if isinstance(text, bytes) else text.encode())
        return read_book(path)

    return read


def test_names_labels_anchors_and_readings(book):
    good = book(GOOD)
    data = (date(2023, 10, 1), date(2026, 5, 17))
    assert good.period("recent").label == "Recent months"
    assert good.period("so_far").label == "So far"
    for name, start, end in [
        ("recent", date(2026, 2, 1), date(2026, 4, 30)),
        ("so_far", date(2026, 5, 18), date(2026, 5, 19)),
        ("with_today", date(2026, 5, 19), date(2026, 5, 20)),
    ]:
        result = good.resolve(name, today=CLOCK, data=data)
        assert (result.start, result.end) == (start, end)
    assert good.resolve("recent", as_of="2026-03-31").end == date(2026, 3, 31)
    with pytest.raises(BookError, match="did you mean 'recent'"):
        good.resolve("recnt")
    with pytest.raises(ResolveError, match="speaks of the data"):
        good.resolve("recent", today=CLOCK)


def test_the_demo_book_is_sound():
    assert len(read_book(book_file()).periods) >= 8


@pytest.mark.parametrize(
    ("text", "key", "problem", "fix"),
    [
        ('[period.x]\nphrase="today"', "period", "not known", "Did you mean 'periods'"),
        ('[periods.x]\nphrase="today"\nlable="X"', "periods.x.lable", "not known", "'label'"),
        ('[periods.x]\nlabel="X"', "periods.x.phrase", "missing", "Add 'phrase"),
        ("[periods.x]\nphrase=3", "periods.x.phrase", "valid string", "It is 3"),
        ('[periods.x]\nphrase="last 3 hole days"', "periods.x.phrase", "'whole'", ""),
        ('[periods.x]\nphrase="today"\nanchor="q"', "periods.x.anchor", "no anchor 'q'", "Add it"),
        ('[periods.today]\nphrase="today"', "periods.today", "phrase of its own", "Choose"),
        ('[periods."A b"]\nphrase="today"', "periods.A b", "small letters", "Begin"),
        ('[anchors]\nload="last month"', "anchors.load", "one day", "start of previous month"),
        ('[anchors]\nload={point="latest",day="x"}', "anchors.load.day", "'over'", "It is 'x'"),
        ('[readings]\nlast="best"', "readings.last", "'rolling'", "It is 'best'"),
        ("[periods.x", "", "not TOML", ""),
        (b"\xff\xfe", "", "not UTF-8", "Save it"),
    ],
)
def test_mistakes_name_the_file_the_key_and_the_fix(book, text, key, problem, fix):
    with pytest.raises(BookError) as raised:
        book(text)
    error = raised.value
    assert error.file.endswith("book.toml")
    assert error.key == key
    assert problem in error.problem
    assert fix in error.fix
    assert str(error).startswith(error.file)


def test_a_book_that_is_not_there():
    with pytest.raises(BookError, match="cannot be read"):
        read_book("nowhere.toml")
