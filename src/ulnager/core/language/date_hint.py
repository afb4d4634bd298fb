"""A phrase with dates in another form is answered with their ISO form, both where there are two."""

from __future__ import annotations

from ulnager.core.date_forms import other_dates
from ulnager.core.errors import PeriodSyntaxError


def date_failure(phrase: str) -> PeriodSyntaxError | None:
    """What to say of a phrase that holds dates in another form; None when it holds none."""
    others = other_dates(phrase)
    if not others:
        return None
    first = others[0]
    written = phrase[first.start : first.end]
    text = phrase
    for other in reversed(others):
        text = f"{text[: other.start]}{other.days[0]}{text[other.end :]}"
    is_sure = all(len(other.days) == 1 for other in others)
    return PeriodSyntaxError(
        phrase,
        first.start,
        len(written),
        f"'{written}' is {first.either} in ISO form",
        (),
        text if is_sure else None,
        is_sure=True,
    )
