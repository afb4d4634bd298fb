"""Links from views: a query string, signed where it carries what viewers cannot do themselves."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any
from urllib.parse import urlencode

from ulnager.choices.frozen import bounds_of, cut, frozen_text
from ulnager.choices.picker_base import PickerBase
from ulnager.choices.picker_state import PickerState
from ulnager.core.errors import SettingError
from ulnager.core.periods.clock import as_day
from ulnager.core.periods.resolution import Resolution


def link_of(
    view: PickerState, result: Resolution, *, frozen: bool, fixed: bool, expires: date | str | None
) -> str:
    """A view as a query string; signed where it says what viewers could not choose themselves."""
    picker, name = view.picker, view.picker.name
    if not frozen and not fixed and expires is None and (view.signed or not view.locked):
        return urlencode(_plain(view), safe="/,")
    state, beyond = view.touched, False
    of_charts = {key: state[key] for key in (f"{name}.by", f"{name}.compare") if key in state}
    if view.chosen is None:
        # Fixed dates have no choice and no inputs.
        state = {key: text for key, text in state.items() if key in (name, *of_charts)}
        beyond = view.signed is not None and view.signed.dates == state.get(name)
    if frozen:
        bounds = bounds_of(result)
        if not bounds:
            raise SettingError("there are no dates to link to; link to the choice instead")
        beyond = cut(bounds, view.extent) != bounds and _can_sign(picker)
        state = {name: frozen_text(bounds)} | of_charts
    fixed = fixed or view.locked
    if not fixed and expires is None and not beyond:
        return urlencode(state, safe="/,")
    if picker.signer is None:
        why = "links are signed with the book's key"
        if picker.viewers != "choose":
            why = f"viewers may not choose {picker.label!r}, so that only a signed link opens it"
        raise SettingError(f"{why}, and the book has none; say link_key = 'ENV_NAME'")
    signed: dict[str, Any] = {
        "picker": name,
        "of": picker._identity,
        "state": state,
        "fixed": fixed,
        "beyond": beyond,
    }
    if expires is not None:
        signed["expires"] = _expiry(expires)
    return urlencode({f"{picker.name}.signed": picker.signer.sign(signed)})


def _plain(view: PickerState) -> dict[str, str]:
    """The state that a link carries: all that was touched, with the signed link that it is of; of
    fixed dates these alone."""
    name, state = view.picker.name, view.state
    if view.chosen is None:
        kept = (name, f"{name}.by", f"{name}.compare", f"{name}.signed")
        return {key: text for key, text in state.items() if key in kept}
    return state


def _can_sign(picker: PickerBase) -> bool:
    return picker.signer is not None and picker.signer.ready


def _expiry(expires: date | str) -> str:
    if isinstance(expires, datetime):
        if expires.tzinfo is None:
            raise SettingError("expires is a time without a zone; add its offset")
        return expires.isoformat()
    if isinstance(expires, str) and len(expires) > 10:
        try:
            return _expiry(datetime.fromisoformat(expires))
        except ValueError:
            raise SettingError(f"expires is {expires[:40]!r}; give a date or an instant") from None
    return as_day(expires, "expires").isoformat()
