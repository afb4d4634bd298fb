"""Prints docs/grammar.md from the tables of the reader: ``python docs/grammar.py``."""

from __future__ import annotations

import re
from pathlib import Path

from ulnager.core.language.tokens import NUMBER_WORDS, SYNONYMS
from ulnager.core.language.tree import WORDING
from ulnager.core.periods.day_sorts import DAY_SETS
from ulnager.core.periods.names import ORDINAL_WORDS
from ulnager.core.periods.phrases import RULES
from ulnager.core.periods.phrases.aliases import SAID
from ulnager.core.periods.rule import Kind, Rule
from ulnager.core.units import LONG_MONTHS, UNITS, WEEKDAYS

PAGE = Path(__file__).parent / "grammar.md"

INTRODUCTION = """\
# The grammar

This page is written by `python docs/grammar.py` from the tables that the reader walks, and a test
holds it to them. With [conformance.jsonl](conformance.jsonl), whose cases say what must come out,
it is enough to read the language elsewhere; what each phrase means is in [language.md](language.md).

The notation is EBNF (ISO/IEC 14977). A comment behind an alternative names the row of the table,
and, where a wording is read and never printed, `said`.

## Words

Case does not matter, white space parts words, and a hyphen between letters joins words. These words
are read as others, wherever they stand; `the` is passed over:

"""

READING = """\

## How it is read

- Of all ways to read a text, one that takes in every word counts. Where there are several, a word of
  the grammar goes before a slot, and a row that stands higher on this page before a lower one.
- `in`, `within`, `over` or `during` before a whole phrase says nothing. Where a text is no phrase,
  it is read with `from` before it, or behind one of its open brackets: `january to march 2026`.
- Where `edge` is written and a phrase stands, its first day is meant (`start of …`); its last day
  (`end of …`) in {sides}. A phrase `{{point}}` alone, and outside brackets a phrase with a `to` of its
  own, is no edge.
- `phrase inside` outside brackets is no `from … to …` unless it begins with `from` or `between`. A
  bare unit there means the one around the anchor.
- `calendar` before a unit makes the phrase around it one `in gregorian`, and `whole` where it would
  be ambiguous; `fiscal` makes it one `in fiscal`.
- `unit of point` takes points only, `nth unit` no days, `N units from now` is a point.
- Several weeks, quarters and halves with their year are labels: `Q1 2026`, `W14 2026`, `FY2026`,
  `P05 W2 FY2026`; a month with its year is an ISO form: `March 2026` is `2026-03`; so are dates with
  a month's name. `L7D` is `last 7 days`, `TTM` is `last 12 rolling months`, `a month` is `1 month`.

## How it is printed

Each row has one canonical form, the first of its alternatives here. Phrases that begin with a phrase
stand in brackets inside others, but not at the beginning of one; so do those marked `brackets`, and
a weekday alone behind `plus`, `except` and `within`.

## The phrases

```ebnf
"""

SLOTS = {
    "count": "count",
    "unit": "unit",
    "units": "units",
    "steps": "steps",
    "period": "phrase inside",
    "point": "edge",
    "date": "date",
    "timestamp": "timestamp",
    "ordinal": "ordinal",
    "dayname": "sort of day",
    "weekday": "weekday",
    "monthname": "month name",
    "unitname": "unit name",
    "days": "days",
    "calendar": "calendar name",
    "label": "label",
    "iso": "iso form",
}


def _symbols(wording: str) -> str:
    """A wording as a sequence of EBNF."""
    if wording == "{point}":
        return "point"
    parts = []
    for slot, word in WORDING.findall(wording):
        parts.append(SLOTS[slot] if slot else f'"{word}"')
    return ", ".join(parts)


def _alternatives(rules: list[Rule]) -> list[str]:
    lines = []
    for rule in rules:
        for number, wording in enumerate((rule.template, *rule.also)):
            text = wording.removeprefix("{period}") if rule.follows else wording
            told = "said" if rule.stands_for else rule.key.replace("_", " ")
            if rule.in_brackets and not number:
                told += ", brackets"
            lines.append(f"{_symbols(text)} (* {told} *)")
    return lines


def _rule(name: str, alternatives: list[str]) -> str:
    return f"{name} =\n    " + "\n  | ".join(alternatives) + " ;\n"


def _words(words: object) -> str:
    return " | ".join(f'"{word}"' for word in words)  # type: ignore[attr-defined]


def grammar() -> str:
    """The page, as it has to be."""
    rules = [*RULES.values(), *SAID]
    synonyms = [f"| `{word}` | {' '.join(to)} |" for word, to in SYNONYMS.items()]
    numbers = f"| {', '.join(NUMBER_WORDS)} | 1 to {len(NUMBER_WORDS)} |"
    day_units = [unit.name for unit in UNITS]
    ordinals = _words(ORDINAL_WORDS)
    sides = ", ".join(
        f"`{re.sub('[{}]', '', rule.template)}`" for rule in RULES.values() if any(rule.last_days)
    )
    parts = [
        _rule("phrase", ["simple phrase, { continuation }"]),
        _rule(
            "simple phrase",
            [
                *_alternatives([r for r in rules if r.kind is not Kind.POINT and not r.follows]),
                '"(", phrase, ")"',
            ],
        ),
        _rule("continuation", _alternatives([r for r in rules if r.follows])),
        _rule("point", _alternatives([r for r in rules if r.kind is Kind.POINT])),
        _rule("edge", ["point", "simple phrase"]),
        _rule("phrase inside", ["simple phrase", "unit (* this unit *)"]),
        _rule("count", ["digit, { digit } (* from 1 *)"]),
        _rule(
            "unit",
            [
                _words(day_units),
                '"half", "year"',
                '("calendar" | "fiscal"), unit',
                "(* a unit of the calendar in use *) word, { word }",
            ],
        ),
        _rule("units", ["unit (* in the plural or the singular *)"]),
        _rule("steps", ["units", '"period" | "periods"']),
        _rule("weekday", [_words(WEEKDAYS), "(* the first three letters of one *) word"]),
        _rule("month name", [_words(LONG_MONTHS), "(* the first three letters of one *) word"]),
        _rule(
            "unit name",
            [
                '("Q", digit) | ("quarter", digit) (* 1 to 4 *)',
                '("H", digit) | ("half", digit) (* 1 to 2 *)',
                '("W", digit, [ digit ]) | ("week", count) (* 1 to 53 *)',
            ],
        ),
        _rule("ordinal", [ordinals, 'digit, { digit }, ("st" | "nd" | "rd" | "th")', '"last"']),
        _rule("sort of day", ['"day" | "business", "day"', "weekday"]),
        _rule("days", ['one sort, { ("and" | ","), one sort }']),
        _rule("one sort", [_words(sorted(DAY_SETS)) + " (* in the singular, too *)"]),
        _rule("calendar name", ["word", "quoted text"]),
        _rule("label", ["quoted text", '"week", count, "of", year']),
        _rule("iso form", ['period form, [ "/", period form ]', 'date, "/", date']),
        _rule(
            "period form",
            ["year", 'year, "-", digit, digit', 'year, "-Q", digit', 'year, "-W", digit, digit'],
        ),
        _rule("date", ['year, "-", digit, digit, "-", digit, digit']),
        _rule(
            "timestamp",
            [
                'date, "T", digit, digit, ":", digit, digit, '
                '[ ":", digit, digit, [ ".", digit, { digit } ] ], [ offset ]'
            ],
        ),
        _rule("offset", ['"Z"', '("+" | "-"), digit, digit, [ ":" ], digit, digit']),
        _rule("year", ["digit, digit, digit, digit"]),
        _rule(
            "quoted text",
            [
                "'\"', { ? any sign but the quote ? }, '\"'",
                '"\'", { ? any sign but the quote ? }, "\'"',
            ],
        ),
        _rule("word", ['letter, { letter | digit | "_" }']),
        _rule("letter", ["? any letter ?"]),
        _rule("digit", [_words("0123456789")]),
    ]
    head = "| word | read as |\n| --- | --- |\n" + "\n".join([*synonyms, numbers]) + "\n"
    return INTRODUCTION + head + READING.format(sides=sides) + "\n".join(parts) + "```\n"


if __name__ == "__main__":
    PAGE.write_text(grammar())
