"""Phrases with slots, ``last {n} rolling {unit}``: read once, and filled with values later."""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterator, Mapping
from itertools import combinations, product
from typing import Any, Final, NoReturn

from ulnager.core.arguments import shown
from ulnager.core.errors import PeriodSyntaxError, ResolveError, SettingError
from ulnager.core.language.failures import vocabulary
from ulnager.core.language.inputs import (
    Input,
    InputProblem,
    ListedInput,
    SwitchInput,
    WordInput,
    checked_input,
    settings_of,
)
from ulnager.core.language.period import Period, PeriodBase
from ulnager.core.language.reader import read_open, read_period
from ulnager.core.language.tokens import Token, tokens_of
from ulnager.core.messages import Message
from ulnager.core.periods import phrases
from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.open_slots import LISTED, OpenCount, OpenDay, OpenUnit
from ulnager.core.periods.phrases.rolling_and_whole import family_readings
from ulnager.core.periods.rule import Kind
from ulnager.core.text import pattern
from ulnager.core.units import UNIT_NAMES, Unit

_SLOT: Final = pattern(r"\{\w+\}")
Settings = Mapping[str, Mapping[str, Any]]
_FILLS: Final[dict[type, str]] = {OpenCount: "count", OpenUnit: "unit", OpenDay: "day"}


class OpenPeriod(PeriodBase):
    """A phrase with slots. ``inputs`` are the slots by name, with their kinds and settings.

    ``filled`` gives a period like any other; resolving one whose slots are open is an error.

    >>> from ulnager import period
    >>> recent = period("last {n} whole months")
    >>> str(recent.filled(n=3))
    'last 3 whole months'
    """

    __slots__ = ("_forms", "_inputs", "_text")

    def __init__(
        self, text: str, forms: dict[tuple[str, ...], Definition], inputs: dict[str, Input]
    ) -> None:
        super().__init__(next(iter(forms.values())))
        object.__setattr__(self, "_text", text)
        object.__setattr__(self, "_forms", forms)
        object.__setattr__(self, "_inputs", inputs)

    @property
    def inputs(self) -> dict[str, Input]:
        """The slots by name, with their kinds and settings."""
        return dict(self._inputs)

    _inputs: dict[str, Input]
    _text: str
    _forms: dict[tuple[str, ...], Definition]

    def filled(self, **values: Any) -> Period:
        """The period with a value in each slot, typed or as text; what is left out opens as set.

        >>> from ulnager import period
        >>> str(period("last {n} rolling {unit}").filled(n=14, unit="week"))
        'last 14 rolling weeks'

        Raises SettingError for a value that cannot be, or a slot that is left out and has no
        ``opens``.
        """
        for name in values:
            if name not in self.inputs:
                raise SettingError(
                    f"there is no slot {{{name}}}; there are: {', '.join(self.inputs)}"
                )
        found = {}
        for name, made in self.inputs.items():
            given = values.get(name, made.opens)
            if given is None and not isinstance(made, SwitchInput):
                raise SettingError(f"the slot {{{name}}} is open; give {name}=")
            try:
                found[name] = plain_value(made, given)
            except InputProblem as problem:
                raise SettingError(f"{name} is {shown(given)}: {problem}") from None
        try:
            return Period(self._definition_with(found))
        except InputProblem as problem:
            raise SettingError(str(problem)) from None

    def _definition_with(self, values: Mapping[str, Any]) -> Definition:
        """The definition with values in its slots: numbers, dates or points, units, words,
        phrases for listed ones, and whether a switch is on."""
        slots = self._inputs.items()
        words = tuple(values[name] for name, _ in self._worded)
        if words not in self._forms:
            told = (made.told(word) for word, (_, made) in zip(words, self._worded, strict=True))
            raise InputProblem(Message("these do not go together: {0}", ", ".join(told)))
        definition = _put(self._forms[words], values)
        for name, made in slots:
            if isinstance(made, SwitchInput) and values.get(name):
                definition = cut_by(definition, made.phrase)
        return definition

    @property
    def _worded(self) -> list[tuple[str, WordInput]]:
        """The slots that stand for words."""
        return [(key, made) for key, made in self._inputs.items() if isinstance(made, WordInput)]

    def _goes(self, words: Mapping[str, Any]) -> bool:
        """Whether the words among some values can stand together."""
        names = [name for name, _ in self._worded]
        return any(
            all(words.get(name, word) == word for name, word in zip(names, chosen, strict=True))
            for chosen in self._forms
        )

    def resolve(self, *args: Any, **given: Any) -> NoReturn:
        """Not while slots are open: raises ResolveError that names them."""
        raise self._is_open()

    def _as_of(self, point: Definition) -> Any:
        """The same measured from a point."""
        forms = {
            words: Definition(phrases.as_of, (form, point)) for words, form in self._forms.items()
        }
        return OpenPeriod(f"{self} as of {point}", forms, self.inputs)

    def _closed(self) -> NoReturn:
        """Not while slots are open: raises ResolveError that names them."""
        raise self._is_open()

    def _is_open(self) -> ResolveError:
        names = ", ".join(f"{{{name}}}" for name in self.inputs)
        first = next(iter(self.inputs))
        return ResolveError(
            f"'{self}' has open slots: {names}; fill them first: period.filled({first}=…)"
        )

    def __str__(self) -> str:
        return self._text

    def __eq__(self, other: object) -> bool:
        return (
            isinstance(other, OpenPeriod)
            and self._text == other._text
            and self.inputs == other.inputs
        )

    def __hash__(self) -> int:
        return hash(self._text)

    def __repr__(self) -> str:
        return f"ulnager.period({self._text!r})"

    def __reduce__(self) -> tuple[Any, ...]:
        return open_period, (self._text, {n: i._settings() for n, i in self.inputs.items()})


def plain_value(made: Input, given: object) -> Any:
    """What was given for an input as a value to fill in; InputProblem where it cannot be."""
    if isinstance(given, Definition):
        return given
    if not isinstance(made, ListedInput):
        return made.fill(made.read(given))
    try:
        return joined([read_period(text) for text in made.read(given)])
    except PeriodSyntaxError:
        raise InputProblem(f"{shown(given)} is no key of a unit") from None


def joined(definitions: list[Definition]) -> Definition:
    """The union of several definitions."""
    found = definitions[0]
    for other in definitions[1:]:
        found = Definition(phrases.plus, (found, other))
    return found


RUNNING: Final = "except the running unit"
"""What a switch says that leaves out the unit that is running, of whatever unit a period is."""


def cut_by(definition: Definition, cut: str) -> Definition:
    """A definition cut by a phrase such as ``except anchor day``, before its ``as of`` and shifts.

    Raises PeriodSyntaxError for what is no cut.
    """
    if definition.rule.kind in (Kind.BASIS, Kind.SHIFT):
        inner = cut_by(definition.args[0], cut)
        return Definition(definition.rule, (inner, *definition.args[1:]))
    if cut == RUNNING:
        cut = f"except this {_unit_of(definition)}"
    return _led_by(_cut(cut), definition)


def _unit_of(definition: Definition) -> Unit:
    """The unit that a period is of; a day where it has none."""
    units = (arg for part in definition.walk() for arg in part.args if isinstance(arg, Unit))
    return next(units, Unit.DAY)


@functools.lru_cache(maxsize=256)
def _cut(cut: str) -> Definition:
    found = read_period(f"today {cut}")
    if not found.rule.follows:
        raise PeriodSyntaxError(
            cut,
            0,
            len(cut),
            "it cuts nothing",
            (),
            ("except anchor day", "only weekdays"),
            (),
            True,
        )
    return found


def _led_by(cut: Definition, lead: Definition) -> Definition:
    first = cut.args[0]
    return Definition(
        cut.rule, (_led_by(first, lead) if first.rule.follows else lead, *cut.args[1:])
    )


def _put(definition: Definition, values: Mapping[str, Any]) -> Definition:
    """A definition with values where its slots are."""
    if definition.rule is LISTED:
        return values[definition.args[0].name]  # type: ignore[no-any-return]
    args = []
    for arg in definition.args:
        if isinstance(arg, Definition):
            arg = _put(arg, values)
        elif isinstance(arg, tuple(_FILLS)):
            value = values[getattr(arg, "slot")]  # noqa: B009
            if isinstance(value, Definition):
                return value
            arg = value
        args.append(arg)
    return Definition(definition.rule, tuple(args))


def slots_of(definition: Definition) -> Iterator[tuple[str, str]]:
    """The names and kinds of the slots in a definition, in the order in which they are printed."""
    for arg in definition.args:
        if isinstance(arg, Definition):
            yield from slots_of(arg)
        elif isinstance(arg, tuple(_FILLS)):
            yield getattr(arg, "slot"), _FILLS[type(arg)]  # noqa: B009
        elif definition.rule is LISTED:
            yield arg.name, "listed"


def last_slots(definition: Definition) -> set[str]:
    """The slots that stand for a last day."""
    found = set()
    for part in definition.walk():
        if part.rule.last_days[-1] and not part.open_sides[1]:
            arg = part.args[-1]
            if isinstance(arg, Definition) and isinstance(next(iter(arg.args), None), OpenDay):
                found.add(arg.args[0].slot)
    return found


def open_period(
    phrase: str, settings: Settings | None = None, own_units: tuple[Unit, ...] = ()
) -> PeriodBase:
    """The period of a phrase with slots, and the settings of its inputs by name; a plain one where
    there are none, as in a label with such a sign.

    Raises PeriodSyntaxError for a slot where none can be, SettingError for settings that fit none.
    """
    settings = dict(settings or {})
    tokens = tokens_of(phrase)
    names = list(dict.fromkeys(token.text[1:-1] for token in tokens if token.kind == "slot"))
    if not names and not settings:
        return Period(read_period(phrase, own_units))
    said = {name: settings_of(name, given).get("kind") for name, given in settings.items()}
    for name in settings:
        if name not in names and said.get(name) not in ("switch", "anchor"):
            told = ", ".join(f"{{{one}}}" for one in names) or "none"
            raise SettingError(f"the phrase has no slot {{{name}}}; there are: {told}")
    listed = frozenset(name for name in names if said.get(name) == "listed")
    words = [name for name in names if said.get(name) == "word"]
    words, options = _words_of(phrase, tokens, names, words, listed, settings, own_units)
    forms: dict[tuple[str, ...], Definition] = {}
    for chosen in _choices(options):
        found = read_open(
            phrase, _worded(tokens, dict(zip(words, chosen, strict=True))), listed, own_units
        )
        if found is not None:
            forms[chosen] = found
    first, definition = next(iter(forms.items()))
    kinds = dict(slots_of(definition)) | dict.fromkeys(words, "word")
    inputs = {}
    for name in (*names, *(name for name in settings if name not in names)):
        given = dict(settings.get(name, {}))
        kind = kinds.get(name, given.get("kind", ""))
        told = given.get("kind", kind)
        if told != kind and (kind, told) != ("day", "anchor"):
            raise SettingError(
                f"{{{name}}} stands where a {kind} is wanted, and is said to be {told}"
            )
        if kind == "unit":
            given.setdefault("of", ["day", "week", "month", "quarter", "year"])
            _check_units(given["of"])
        if kind == "word":
            given["of"] = list(options[words.index(name)])
        if kind == "listed" and "unit" not in given:
            raise SettingError(f"{{{name}}} is listed; say of which unit: unit = 'week'")
        if kind == "switch":
            if not isinstance(given.get("phrase"), str):
                raise SettingError(f"{name} is a switch; say what it cuts: phrase = 'except today'")
            _cut(given["phrase"])
        inputs[name] = checked_input(name, kind, given)
    text = _canonical(str(definition), words, first)
    if (
        read_open(
            text, _worded(tokens_of(text), dict(zip(words, first, strict=True))), listed, own_units
        )
        != definition
    ):
        text = " ".join(token.text for token in tokens)
    return OpenPeriod(text, forms, inputs)


def _check_units(of: object) -> None:
    for name in of if isinstance(of, (list, tuple)) else ():
        if Unit.named(str(name)) is None:
            raise SettingError(f"of has {shown(name)}; give units such as 'day' and 'week'")


def _words_of(
    phrase: str,
    tokens: list[Token],
    names: list[str],
    words: list[str],
    listed: frozenset[str],
    settings: Settings,
    own_units: tuple[Unit, ...],
) -> tuple[list[str], list[list[str]]]:
    """Which slots stand for words, and which words each may be."""

    def reads(chosen: dict[str, str]) -> Definition | None:
        return read_open(phrase, _worded(tokens, chosen), listed, own_units)

    def options(name: str, others: dict[str, str]) -> list[str]:
        of = settings.get(name, {}).get("of")
        known = list(of) if isinstance(of, (list, tuple)) else _candidates()
        found, kinds = [], None
        for word in known:
            made = reads({**others, name: word})
            if made is None or (of is None and word not in str(made)):
                continue
            # The other slots have to stand for the same, whichever word it is.
            kinds = kinds or dict(slots_of(made))
            if kinds == dict(slots_of(made)):
                found.append(word)
        is_word = bool(found) or settings.get(name, {}).get("kind") == "word"
        if is_word and of is not None and len(found) < len(known):
            wrong = next(word for word in known if word not in found)
            raise SettingError(f"{{{name}}} cannot be {shown(wrong)} there")
        return found

    # What is chosen from words that are no units is a word, though nobody says its kind.
    clear = {name for name in names if _is_of_words(settings.get(name, {}))}
    if not words and len(clear) > 1:
        words = [name for name in names if name in clear]
    if not words:
        plain = read_open(phrase, tokens, listed, own_units)
        kinds = {} if plain is None else dict(slots_of(plain))
        if plain is not None and all(kinds.get(name) == "unit" for name in clear):
            return [], []
        for name in names:
            found = [] if clear - {name} else options(name, {})
            if found:
                return [name], [found]
        _check_several_words(names, settings, reads, clear)
    elif len(words) == 1:
        found = options(words[0], {})
        if found:
            return words, [found]
    else:
        each = [list(settings[name].get("of") or _candidates()[:12]) for name in words]
        if any(reads(dict(zip(words, chosen, strict=True))) for chosen in _choices(each)):
            return words, each
    _check_around_slots(phrase, own_units)
    # The reader says where and why.
    read_period(phrase, own_units)
    raise PeriodSyntaxError(phrase, 0, len(phrase), "a slot stands where none can be")


def _check_around_slots(phrase: str, own_units: tuple[Unit, ...]) -> None:
    """PeriodSyntaxError for what is wrong beside the slots, when a number stands in each."""
    slots = list(_SLOT.finditer(phrase))
    try:
        read_period(_SLOT.sub(lambda slot: "3".ljust(len(slot[0])), phrase), own_units)
    except PeriodSyntaxError as error:
        if any(slot.start() <= error.position < slot.end() for slot in slots):
            return
        near = [text.replace("3", slots[0][0], 1) for text in error.suggestions] if slots else []
        at, size = error.position, error.length
        raise PeriodSyntaxError(
            phrase, at, size, error.problem, error.expected, near, (), True
        ) from None


def _check_several_words(
    names: list[str],
    settings: Settings,
    reads: Callable[[dict[str, str]], Definition | None],
    clear: set[str],
) -> None:
    """SettingError where two slots stand for words, of which nobody said that they do."""
    for pair in sorted(combinations(names, 2), key=lambda pair: -len(clear & {*pair})):
        each = [settings.get(name, {}).get("of") or _candidates()[:12] for name in pair]
        if any(reads(dict(zip(pair, chosen, strict=True))) for chosen in product(*each)):
            cure = ", ".join(f"{name} = {{ kind = 'word', of = […] }}" for name in pair)
            both = " and ".join(f"{{{name}}}" for name in pair)
            raise SettingError(f"{both} stand for words here; say so of each: {cure}")


def _is_of_words(given: Mapping[str, Any]) -> bool:
    of = given.get("of")
    said = given.get("kind") is None and isinstance(of, (list, tuple))
    texts = [one for one in of or () if isinstance(one, str)]
    return said and bool(texts) and all(Unit.named(one) is None for one in texts)


def _candidates() -> list[str]:
    others = (word for word in vocabulary() if word not in _FIRST_WORDS and word not in UNIT_NAMES)
    return [*_FIRST_WORDS, *others]


_FIRST_WORDS: Final = (
    "rolling",
    "whole",
    "last",
    "next",
    "previous",
    "this",
    "first",
    "before",
    "after",
    "since",
    "until",
    "from",
    "earlier",
    "later",
    "plus",
    "except",
    "only",
    "within",
)


_AFTER_UNITS: Final = frozenset(
    name for family in ("last", "next") for name in family_readings(family) if " " in name
)
"""The readings whose words stand after the unit: ``to date``, ``from start``."""


def _choices(options: list[list[str]]) -> Iterator[tuple[str, ...]]:
    from itertools import product

    return product(*options)


def _worded(tokens: list[Token], chosen: Mapping[str, str]) -> list[Token]:
    """The tokens with words where their slots are; a reading that follows its unit, such as ``to
    date``, after it."""
    found: list[Token] = []
    late: list[Token] = []
    for place, token in enumerate(tokens):
        word = chosen.get(token.text[1:-1]) if token.kind == "slot" else None
        if word is None:
            found += [token, *late]
            late = []
            continue
        words = [token._replace(kind="word", text=part) for part in word.split()]
        if word in _AFTER_UNITS and place + 1 < len(tokens):
            late = words
        else:
            found += words
    return found + late


def _canonical(text: str, names: list[str], words: tuple[str, ...]) -> str:
    """The printed form with the slots of words put back."""
    parts = text.split(" ")
    for name, word in zip(names, words, strict=True):
        for place, part in enumerate(parts):
            if part == word:
                parts[place] = f"{{{name}}}"
                break
    return " ".join(parts)
