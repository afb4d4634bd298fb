"""Messages for people: what is said, and what stands in it, so that languages need no sentence.

A message is translated first and filled in afterwards, so that what a book or its data call
something stands in it as it is. No code reads a sentence: what a program wants to know of one is
its ``code``.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, TypeVar, cast

READING, CLOCK, WEEK, HABIT, LATEST, CUT, HALF, TWIN, EMPTY = (
    "reading",
    "clock",
    "week",
    "habit",
    "latest",
    "no-cut",
    "half-cut",
    "twin",
    "empty",
)
"""The codes of notes on a period: how it was read, that a point is the clock's, and so on."""
NO_SUCH, NO_FILE, NO_KEY, OFF_TABLE = "no-such", "no-file", "missing-key", "off-table"
"""The codes of what is not there: a name, a file, a key of a book, a day in a calendar's table."""


class Message(str):
    """A sentence: its ``key``, the English text with a slot ``{0}`` for each of its ``arguments``,
    and a ``code`` for programs. As a text it is filled in, in English or as it was translated.

    Arguments that are messages are translated with it; all others stay as they are.

    >>> Message("choose one of {0}", "north, south", code="choice")
    'choose one of north, south'
    """

    __slots__ = ("arguments", "code", "key")

    key: str
    arguments: tuple[Any, ...]
    code: str

    def __new__(cls, key: str, *arguments: Any, code: str = "") -> Message:
        return cls._made(key.format(*arguments) if arguments else key, key, arguments, code)

    @classmethod
    def _made(cls, text: str, key: str, arguments: tuple[Any, ...], code: str) -> Message:
        made = super().__new__(cls, text)
        made.key, made.arguments, made.code = key, arguments, code
        return made

    def told(self, text: str) -> Message:
        """The same in other words."""
        return self._made(text, self.key, self.arguments, self.code)

    def __reduce__(self) -> tuple[Any, ...]:
        return Message._made, (str(self), self.key, self.arguments, self.code)


def coded(code: str, texts: Iterable[str]) -> Iterable[Message]:
    """Sentences as messages of one code."""
    for text in texts:
        if isinstance(text, Message):
            yield Message(text.key, *text.arguments, code=code)
        else:
            yield Message(text, code=code)


def message_of(error: BaseException) -> str:
    """What an error says, as the message that it was made of, where it was made of one."""
    first = error.args[0] if error.args else None
    return first if isinstance(first, Message) else str(error)


def error_message(error: BaseException | None, *codes: str) -> Message | None:
    """The message with one of some codes that an error was made of, or one that it comes from."""
    while error is not None:
        said = getattr(error, "problem", None) or next(iter(error.args), None)
        if isinstance(said, Message) and said.code in codes:
            return said
        error = error.__context__
    return None


def code_of(text: object) -> str:
    """The code of a sentence; empty for what has none."""
    return text.code if isinstance(text, Message) else ""


def codes_of(texts: Iterable[str]) -> list[str]:
    """The codes of several sentences, in their order, for programs."""
    return [code_of(text) for text in texts]


def of_code(texts: Iterable[str], code: str) -> list[str]:
    """The sentences of one code."""
    return [text for text in texts if code_of(text) == code]


Told = TypeVar("Told")


def with_codes(told: Told) -> Told:
    """Plain values for JSON, with the codes of messages beside them: ``note_codes`` beside
    ``notes``, ``why_code`` beside ``why``; empty for one that has none, left out where none has.

    >>> with_codes({"notes": [Message("cut", code="no-cut")], "why": None})
    {'notes': ['cut'], 'note_codes': ['no-cut'], 'why': None}
    """
    if isinstance(told, list | tuple):
        return cast("Told", [with_codes(one) for one in told])
    if not isinstance(told, dict):
        return told
    found: dict[str, Any] = {}
    for name, one in told.items():
        found[name] = with_codes(one)
        if code_of(one):
            found[f"{name}_code"] = code_of(one)
        elif isinstance(one, list | tuple) and any(map(code_of, one)):
            found[f"{name.removesuffix('s')}_codes"] = codes_of(one)
    return cast("Told", found)
