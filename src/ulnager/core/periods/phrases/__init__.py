"""The phrase table: every phrase, how it is said, what it comes out as, and why.

Importing this package fills the table, in the order in which phrases are told. A phrase is added
as one function in the module of its sort, and nowhere else.
"""

# ruff: noqa: I001
from ulnager.core.periods.rule import RULES
from ulnager.core.periods.phrases import points
from ulnager.core.periods.phrases import around
from ulnager.core.periods.phrases import counted
from ulnager.core.periods.phrases import named
from ulnager.core.periods.phrases import ends
from ulnager.core.periods.phrases import parts
from ulnager.core.periods.phrases import ages
from ulnager.core.periods.phrases import joins
from ulnager.core.periods.phrases import shifts

__all__ = [
    "RULES", "ages", "around", "counted", "ends", "joins", "named", "parts", "points", "shifts",
]  # fmt: skip
