"""What the commands that measure have in common."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from typing import Any

import click

from ulnager.core.errors import SettingError
from ulnager.core.messages import Message
from ulnager.core.words import ENGLISH, Words

_OPTIONS = (
    click.option("--value", metavar="C", help="The column whose values are put together."),
    click.option(
        "--how",
        metavar="HOW",
        help="count, sum, mean, min, max, median or distinct. [default: sum]",
    ),
    click.option("--split", metavar="C", help="A series for each value of that column."),
    click.option(
        "--where", metavar="C=VALUE", multiple=True, help="Only rows with that value; repeatable."
    ),
)


_PICTURE = (
    click.option("--picture", metavar="FILE", help="Draw it into a PNG, SVG or PDF file."),
    click.option("--size", metavar="WxH", help="Pixels of the picture. [default: 1280x800]"),
)


def picture_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """Adds the options of a picture."""
    for option in reversed(_PICTURE):
        command = option(command)
    return command


def measured_title(
    how: str | None, value: str | None, per: str | None = None, words: Words = ENGLISH
) -> str:
    """What is measured, as the title of a picture, in the words of a language."""
    how = how or ("count" if value is None else "sum")
    said = {"count": "Number", "sum": "Total", "mean": "Mean", "min": "Least", "max": "Largest",
            "median": "Median", "distinct": "Different values"}.get(how, how)  # fmt: skip
    key = f"{said} of rows" if value is None else f"{said} of {{0}}"
    told = words.say(key) if value is None else words.say(key, value)
    return f"{told} {words.say('per {0}', Message(per))}" if per else told


def measure_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """Adds the options that say what is measured."""
    for option in reversed(_OPTIONS):
        command = option(command)
    return command


def values_where(where: tuple[str, ...]) -> dict[str, list[str]]:
    """The values by column; SettingError for what is no pair."""
    found: dict[str, list[str]] = {}
    for text in where:
        name, sign, value = text.partition("=")
        if not sign or not name:
            raise SettingError(f"--where {text}: write COLUMN=VALUE")
        found.setdefault(name.strip(), []).append(value.strip())
    return found


def number_text(value: Any) -> str:
    """A measure for a table."""
    if value is None:
        return ""
    if isinstance(value, float | Decimal) and value != int(value):
        return f"{value:,.2f}"
    return f"{int(value):,}" if isinstance(value, int | float | Decimal) else str(value)


def percent_text(value: float | None) -> str:
    """A share or a change as a percentage."""
    return "" if value is None else f"{value:+.1%}"
