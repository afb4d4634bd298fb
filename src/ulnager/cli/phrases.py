"""The argument for a phrase, and its completion in the shell."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import click

from ulnager.core.errors import UlnagerError

if TYPE_CHECKING:
    from click.shell_completion import CompletionItem


def _completions(
    context: click.Context, parameter: click.Parameter, incomplete: str
) -> list[CompletionItem]:
    """The phrases that what is typed may become, as far as one word more."""
    from click.shell_completion import CompletionItem

    from ulnager.core.language.completing import completed, followers

    file = context.params.get("book")
    find = followers if file is None else _with_names(file)
    texts = list(completed(incomplete, find(incomplete)))
    if len(texts) == 1:
        # The shell would close the quotes behind the only one; what may follow it goes on.
        further = completed(f"{texts[0]} ", find(f"{texts[0]} "))
        texts = list(further) or texts
    return [CompletionItem(text) for text in texts]


def _with_names(file: str) -> Callable[[str], list[str]]:
    from ulnager.book.completing import complete
    from ulnager.book.reading import read_book
    from ulnager.core.language.completing import followers
    from ulnager.demo import named_book

    try:
        book = read_book(named_book(file))
    except UlnagerError:
        return followers
    return lambda text: complete(text, book)


def period_argument(**more: Any) -> Callable[[Any], Any]:
    """An argument PERIOD, the beginning of which the shell can complete."""
    settings = {"metavar": "PERIOD", **more}
    return click.argument(
        "phrases" if "nargs" in more else "phrase", shell_complete=_completions, **settings
    )
