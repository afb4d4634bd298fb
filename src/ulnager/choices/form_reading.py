"""Views from forms, query strings and links, and links from views.

Whatever stands in them comes out as a view: nothing here raises for what a viewer sent.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, date, datetime, time
from typing import Any, Final
from urllib.parse import parse_qs, parse_qsl

from ulnager.choices.frozen import read_frozen
from ulnager.choices.picker_base import Choice, PickerBase
from ulnager.choices.picker_state import Signed
from ulnager.choices.resolver import Moment
from ulnager.choices.view import REFUSED, View
from ulnager.core.calendars.zones import zone_named
from ulnager.core.language.inputs import Input
from ulnager.core.messages import Message

RESERVED: Final = ("state", "shown", "by", "compare", "signed")
"""What no choice and no input can be called."""
_MOST_FIELDS: Final = 500
_MOST_TEXT: Final = 2_000
_CHANGED: Final = Message(
    "the link was changed, so this is what it opens with", code="link-changed"
)
_OF_ANOTHER: Final = Message(
    "the link is for other choices than these, so this is what it opens with",
    code="link-of-another",
)
_EXPIRED: Final = Message(
    "the link has expired, so this is what it opens with", code="link-expired"
)


def sent_fields(sent: object) -> Mapping[str, Any] | None:
    """The fields of a form as they are; of a link or its query, its fields with their values;
    None for what is neither."""
    if isinstance(sent, Mapping):
        return sent
    if not isinstance(sent, str) or len(sent) > _MOST_FIELDS * _MOST_TEXT:
        return None
    text = sent.partition("#")[0]
    try:
        return parse_qs(text.rpartition("?")[2], True, max_num_fields=_MOST_FIELDS)
    except ValueError:
        return None


def view_of(picker: PickerBase, moment: Moment, sent: object, *, is_trusted: bool = False) -> View:
    """The view for the fields of a form, a link, its query, or a stored state. What a book itself
    says is trusted: it opens a picker whose viewers may not choose, as a signed link does."""
    texts = _texts(picker, sent_fields(sent))
    if not isinstance(texts, dict):
        return View(picker, moment, said=(texts,))
    before = _query(texts.pop(f"{picker.name}.state", ""))
    token = texts.pop(f"{picker.name}.signed", None) or before.pop(f"{picker.name}.signed", None)
    signed, state, said = None, {}, []
    if token is not None:
        found, note = _signed(picker, moment, token)
        if note:
            return View(picker, moment, said=(note,))
        state.update(_kept(picker, found.get("state", {}))[0])
        dates = state.get(picker.name, "") if found.get("beyond") else ""
        signed = Signed(token, bool(found.get("fixed")), dates)
    view = View(picker, moment, state, signed=signed)
    if view.locked:
        if is_trusted:
            return View(picker, moment, _kept(picker, texts)[0])
        touched = any(_is_change(view, name, text) for name, text in texts.items())
        return view.choose(None) if touched else view
    stored, notes = _kept(picker, before)
    state.update(stored)
    said += notes
    echo = {**_query(texts.pop(f"{picker.name}.shown", "")), **stored}
    new = {name: text for name, text in texts.items() if echo.get(name) != text}
    return _applied(picker, moment, state, new, said, signed)


def _is_change(view: View, name: str, text: str) -> bool:
    """Whether a field says something else than is shown."""
    if name.rpartition(".")[2] in ("state", "shown"):
        return False
    return {**view.shown, **view.state}.get(name, text) != text or name not in {
        **view.shown,
        **view.state,
    }


def _texts(picker: PickerBase, fields: Mapping[str, Any] | None) -> dict[str, str] | str:
    """The picker's fields as text: of several values the last, all for listed units."""
    if fields is None:
        return Message("what was sent is no form", code="no-form")
    found: dict[str, str] = {}
    for name, value in fields.items():
        if not isinstance(name, str) or not (
            name == picker.name or name.startswith(f"{picker.name}.")
        ):
            continue
        if isinstance(value, (list, tuple)):
            texts = [one for one in value if isinstance(one, str)]
            if _kind(picker, name) == "listed":
                text = ",".join(one for one in texts if one != "off")
            else:
                text = texts[-1] if texts else ""
        else:
            text = value if isinstance(value, str) else ""
        found[name] = text[: 20 * _MOST_TEXT]
        if len(found) >= _MOST_FIELDS:
            break
    return found


def _query(text: str) -> dict[str, str]:
    try:
        pairs = parse_qsl(text, keep_blank_values=True, max_num_fields=_MOST_FIELDS)
    except ValueError:
        return {}
    return dict(pairs)


def _kind(picker: PickerBase, name: str) -> str | None:
    made = _input(picker, name)
    return None if made is None else made[1].kind


def _input(picker: PickerBase, name: str, chosen: Choice | None = None) -> tuple[str, Input] | None:
    """The whole name of an input and the input; the short name is the chosen choice's."""
    parts = name.split(".")[1:]
    if len(parts) == 1:
        if parts[0] in picker.inputs:
            return name, picker.inputs[parts[0]]
        if chosen is not None and parts[0] in chosen.inputs:
            return f"{picker.name}.{chosen.key}.{parts[0]}", chosen.inputs[parts[0]]
        return None
    choice = picker.choice(parts[0]) if len(parts) in (2, 3) else None
    if choice is None or parts[1] not in picker._own_inputs(choice):
        return None
    if len(parts) == 3:
        numbers = {str(number) for number in range(2, choice.ranges + 1)}
        if parts[2] not in numbers:
            return None
    return name, choice.inputs[parts[1]]


def _kept(picker: PickerBase, fields: Mapping[str, Any]) -> tuple[dict[str, str], list[str]]:
    """The fields of a stored state that the picker still has."""
    found: dict[str, str] = {}
    notes = []
    for name, value in fields.items() if isinstance(fields, Mapping) else ():
        if not isinstance(value, str) or not isinstance(name, str):
            continue
        text = value[:_MOST_TEXT]
        if name == picker.name:
            if picker.choice(text) is None and read_frozen(text) is None:
                notes.append(_no_choice(text))
                continue
        elif name in _of_charts(picker):
            if text not in (picker._known_of(name) or ()):
                continue
        elif len(name.split(".")) < 2 or _input(picker, name) is None:
            continue
        found[name] = text
    return found, notes


def state_problem(picker: PickerBase, name: str, text: str) -> str | None:
    """What is wrong with a field that a page or a schedule opens with; None when nothing is."""
    if name == picker.name:
        return None if picker.choice(text) or read_frozen(text) else f"there is no choice {text!r}"
    if name in _of_charts(picker):
        if text in (picker._known_of(name) or ()):
            return None
        is_unit = name.endswith(".by")
        return f"there is no {'unit' if is_unit else 'comparison'} {text!r} here"
    found = _input(picker, name)
    return None if found is not None and found[0] == name else f"there is no input {name!r}"


def _of_charts(picker: PickerBase) -> tuple[str, str]:
    """The fields that say how charts are grouped, and what they are compared with."""
    return f"{picker.name}.by", f"{picker.name}.compare"


def _no_choice(text: str) -> str:
    key = "there is no choice {0}, so this is what it opens with"
    return Message(key, repr(text[:40]), code="no-choice")


def _applied(
    picker: PickerBase,
    moment: Moment,
    state: dict[str, str],
    new: dict[str, str],
    said: list[str],
    signed: Signed | None,
) -> View:
    """The view after each field that differs: the choice, then inputs, then the unit."""
    name = picker.name
    if name in new:
        text = new.pop(name)[:_MOST_TEXT]
        if picker.choice(text) is not None or (read_frozen(text) is not None):
            state[name] = text
        else:
            return View(picker, moment, said=(*said, _no_choice(text)))
    view = View(picker, moment, state, signed=signed)
    of_charts = {key: new.pop(key) for key in _of_charts(picker) if key in new}
    for field, text in new.items():
        found = _input(picker, field, view.chosen)
        if found is None:
            key = "there is no {0} here, so this is what it opens with"
            none = Message(key, repr(field[:60]), code="no-input")
            return View(picker, moment, said=(*said, none))
        state[found[0]] = text[:_MOST_TEXT]
    for key, text in of_charts.items():
        known = picker._known_of(key)
        if known is None:
            continue
        if text in known:
            state[key] = text
        else:
            told, code = REFUSED[key.rpartition(".")[2]]
            said.append(Message(told, repr(text[:40]), code=code))
    return View(picker, moment, state, tuple(said), signed=signed)


# Signed links carry what viewers cannot do themselves.


def _signed(picker: PickerBase, moment: Moment, token: str) -> tuple[dict[str, Any], str]:
    found = None if picker.signer is None else picker.signer.read(token)
    if not isinstance(found, dict) or found.get("picker") != picker.name:
        return {}, _CHANGED
    if found.get("of") != picker._identity:
        return {}, _OF_ANOTHER
    expires = found.get("expires")
    if isinstance(expires, str) and _is_over(expires, picker, moment):
        return {}, _EXPIRED
    return found, ""


def _is_over(expires: str, picker: PickerBase, moment: Moment) -> bool:
    now = moment.now or datetime.combine(moment.today, time(), UTC)
    today = moment.today
    if picker.clock is not None:
        now = picker.clock()
        today = now.astimezone(zone_named(moment.tz or "UTC")).date()
    try:
        if len(expires) == 10:
            return today > date.fromisoformat(expires)
        return now > datetime.fromisoformat(expires)
    except (ValueError, TypeError):
        return True
