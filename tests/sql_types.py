"""The types of an SQL condition, by a table of what an engine has: functions.tsv."""

import re
from pathlib import Path

TEXT = (Path(__file__).parent / "functions.tsv").read_text(encoding="utf-8")
HAS = {}
for line in TEXT.splitlines():
    if line and not line.startswith("#"):
        engine, name, arguments, result = line.split("\t")
        HAS[engine, name.lower(), tuple(arguments.split())] = result
UNITS = {
    *("day", "month", "quarter", "year", "week", "hour", "minute", "second", "iso_week", "monday"),
    *("mm", "q", "yyyy", "iw", "epoch_second"),
    *("tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"),
}
TOKEN = re.compile(
    r"\s*('(?:[^']|'')*'|\"[^\"]*\"|`[^`]*`|\[[^\]]*\]|\d+|[A-Za-z_][A-Za-z_0-9]*|<=|>=|[-+*/%(),<>=.])"
)
LITERALS = {"date": "date", "datetime": "time", "timestamp": "time"}
EARLIER = {"or": 1, "and": 2, "=": 4, "<": 4, ">": 4, "<=": 4, ">=": 4, "is": 4, "in": 4,
           "+": 5, "-": 5, "*": 6, "/": 6, "%": 6, "at": 8}  # fmt: skip


class UntypedError(Exception):
    """What an engine does not have."""


class Typed:
    """A condition as it is read: ``bool`` where every part of it is what the engine has."""

    def __init__(self, engine, text, column):
        self.engine, self.column = engine, column
        self.words = TOKEN.findall(text)
        assert "".join(self.words) == re.sub(r"\s+(?=(?:[^']*'[^']*')*[^']*$)", "", text), text
        self.at = 0

    def word(self):
        return self.words[self.at].lower() if self.at < len(self.words) else ""

    def take(self, wanted=None):
        found = self.words[self.at]
        if wanted is not None and found.lower() != wanted:
            raise UntypedError(f"{wanted} is wanted, and {found} stands there")
        self.at += 1
        return found

    def taken(self, word):
        if self.word() != word:
            return False
        self.at += 1
        return True

    def known(self, name, *types):
        for given in (types, tuple("text" if one == "unit" else one for one in types),
                      tuple("real" if one == "int" else one for one in types)):  # fmt: skip
            found = HAS.get((self.engine, name.lower(), given))
            if found:
                return found
        raise UntypedError(f"{self.engine} has no {name}({', '.join(types)})")

    def whole(self):
        found = self.expression(0)
        if self.at < len(self.words) or found != "bool":
            raise UntypedError(f"{found} and then {self.words[self.at :]}")

    def expression(self, above):
        left = self.first()
        while EARLIER.get(self.word(), 0) > above:
            left = self.more(left, self.take().lower())
        return left

    def more(self, left, sign):
        if sign == "is":
            self.taken("not")
            self.take("null")
            return "bool"
        if sign == "in":
            self.take("(")
            others = self.several()
            assert set(others) == {left}, others
            return "bool"
        if sign == "at":
            self.take("time"), self.take("zone")
            return self.known("at time zone", left, self.expression(8))
        right = self.expression(EARLIER[sign])
        if sign in ("and", "or"):
            assert (left, right) == ("bool", "bool"), (left, sign, right)
            return "bool"
        if EARLIER[sign] == 4:
            return "bool" if left == right else self.known("same", left, right)
        if {left, right} <= {"int", "real"}:
            return "real" if sign == "/" or "real" in (left, right) else "int"
        return self.known(sign, left, right)

    def several(self):
        found = []
        while not self.taken(")"):
            found.append(self.expression(0))
            self.taken(",")
        return found

    def first(self):
        found = self.take()
        name = found.lower()
        if name == "(":
            if self.taken("select"):
                held = self.expression(0)
                self.take("from"), self.take()
                if self.taken("where"):
                    assert self.expression(0) == "bool"
                self.take(")")
                return held
            (held,) = self.several()
            return held
        if name == "not":
            return self.expression(3)
        if name == "-":
            return self.expression(7)
        if name.isdigit():
            return "int"
        if found[0] in '"`[':
            return self.column if found.strip('"`[]') == "d" else "date"
        if found[0] == "'":
            is_unit = name[1:-1] in UNITS and self.engine not in ("bigquery", "tsql")
            return "unit" if is_unit else "text"
        if name == "case":
            return self.case()
        if name == "interval":
            assert self.words[self.at].startswith("'") or self.expression(0) == "int"
            if self.word().startswith("'"):
                self.take()
            if self.word() in UNITS:
                self.take()
            return "interval"
        if name in LITERALS and self.word().startswith("'"):
            text = self.take()
            has_zone = bool(re.search(r"([+]00:00|UTC)'$", text))
            return "instant" if has_zone else LITERALS[name]
        if name == "cast":
            self.take("(")
            held = self.expression(0)
            self.take("as")
            made = self.known(f"cast {self.take()}", held)
            self.take(")")
            return made
        if name == "extract":
            self.take("("), self.take(), self.take("from")
            of = self.expression(0)
            self.take(")")
            assert of in ("date", "instant"), of
            return "int"
        if self.taken("("):
            return self.known(found, *self.several())
        if name in UNITS and (self.engine, name, ()) not in HAS:
            return "unit"
        return self.known(found)

    def case(self):
        kinds = set()
        while self.taken("when"):
            assert self.expression(0) == "bool"
            self.take("then")
            kinds.add(self.expression(0))
        if self.taken("else"):
            kinds.add(self.expression(0))
        self.take("end")
        assert len(kinds) == 1, kinds
        return kinds.pop()


def check_types(engine, text, column):
    """Raises UntypedError or AssertionError where a text uses what an engine does not have."""
    Typed(engine, text, column).whole()
