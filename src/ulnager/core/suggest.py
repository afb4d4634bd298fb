"""The nearest known name, for error messages."""

from __future__ import annotations

from collections.abc import Iterable

from ulnager.core.messages import NO_SUCH, Message


def nearest(name: str, known: Iterable[str], cutoff: float = 0.6) -> str | None:
    """The known name most like this one, or None when none is near.

    >>> nearest("saild_on", ["route", "sailed_on"])
    'sailed_on'
    """
    from difflib import get_close_matches

    folded = {word.lower(): word for word in known}
    near = get_close_matches(name.lower(), folded, 1, cutoff)
    return folded[near[0]] if near else None


def no_such(what: str, name: str, known: Iterable[str]) -> Message:
    """A sentence for a name that is not there.

    >>> no_such("column", "saild_on", ["route", "sailed_on"])
    "there is no column 'saild_on'; did you mean 'sailed_on'? There are: route, sailed_on"
    """
    names = list(known)
    near = nearest(name, names)
    hint = f"; did you mean {near!r}?" if near else "."
    listed = ", ".join(names[:20]) + (" …" if len(names) > 20 else "")
    key = "there is no {0} {1!r}{2} There are: {3}"
    return Message(key, what, name, hint, listed or "none", code=NO_SUCH)
