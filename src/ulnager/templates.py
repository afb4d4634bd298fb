"""Periods in templates of SQL: a filter for Jinja, by itself or as an extension.

``{{ "last 3 whole months" | period_where("sailed_on", "postgresql") }}`` is a live condition, which
the engine works out when the statement runs; with ``today`` (or ``now``, ``as_of``, ``data``) it
has the dates of that day. Values stand in the text as literals, correctly escaped, so that the text
of a template is the whole statement.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Final

from ulnager.core.errors import FilterError
from ulnager.core.language.phrase import Settings, as_period

if TYPE_CHECKING:
    from ulnager.core.language.period import Period
    from ulnager.core.periods.resolution import Resolution

_MOMENT: Final = ("today", "as_of", "now", "data")


def period_where(
    period: Period | Resolution | str, column: str, target: str = "ansi", **options: Any
) -> str:
    """The condition of a period as text with literals, live unless a moment is given.

    >>> period_where("last 3 whole months", "sailed_on", "sqlite")
    '"sailed_on" >= date(\\'now\\', \\'localtime\\', \\'start of month\\', \\'-3 months\\') AND
    "sailed_on" < date(\\'now\\', \\'localtime\\', \\'start of month\\')'
    >>> period_where("month to date", "sailed_on", today="2026-05-20")
    '"sailed_on" >= DATE \\'2026-05-01\\' AND "sailed_on" < DATE \\'2026-05-21\\''

    ``options`` are those of :func:`ulnager.condition`. Raises PeriodSyntaxError for what is no
    phrase, FilterError for a target without a clock where no moment is given.
    """
    from ulnager.filters.conditions import condition
    from ulnager.filters.sql_text import Condition

    moment = {name: options.pop(name) for name in _MOMENT if name in options}
    if moment:
        settings = {name: options[name] for name in Settings.__annotations__ if name in options}
        period = as_period(period, settings.get("calendar")).resolve(**moment, **settings)
        # The zone is the column's as well; what is neither is refused below.
        options = {name: one for name, one in options.items() if name not in settings} | (
            {"tz": settings["tz"]} if "tz" in settings else {}
        )
    found: object = condition(period, column, target=target, literal=True, **options)
    if not isinstance(found, Condition):
        raise FilterError(f"a template is text, and {target} has none; name an engine")
    return found.text


FILTERS: Final = {"period_where": period_where}
"""For ``environment.filters.update(ulnager.templates.FILTERS)``."""


def loader() -> Any:
    """A loader of Jinja for ``{% from "ulnager/form.html" import form, along, field, said %}``: the
    macros that :func:`ulnager.bind.form` is made of. Each takes what ``ulnager.bind.shown`` gives,
    ``field`` one of its fields.

    Raises ImportError without Jinja.
    """
    from jinja2 import PackageLoader, PrefixLoader

    return PrefixLoader({"ulnager": PackageLoader("ulnager", "bind")})


def __getattr__(name: str) -> Any:
    if name != "Periods":
        raise AttributeError(f"module 'ulnager.templates' has no attribute {name!r}")
    from jinja2.ext import Extension

    class Periods(Extension):
        """An extension of Jinja: ``Environment(extensions=["ulnager.templates.Periods"])``."""

        def __init__(self, environment: Any) -> None:
            super().__init__(environment)
            environment.filters.update(FILTERS)

    Periods.__module__, Periods.__qualname__ = __name__, "Periods"
    globals()["Periods"] = Periods
    return Periods
