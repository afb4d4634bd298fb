"""Links from views: a query string, signed where it carries what viewers cannot do themselves."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any
from urllib.parse import urlencode

from ulnager.core.choices.frozen import bounds_of, cut, frozen_text
from ulnager.core.errors import SettingError
from ulnager.core.periods.clock import as_day
from ulnager.core.periods.resolution import Resolution


def link_of(
    view: Any, result: Resolution, *, frozen: bool, fixed: bool, expires: date | str | None
) -> str:
    """A view as a query string."""
    picker = view.picker
    state, beyond, by = view.state, False, f"{picker.name}.by"
    if view.chosen is None:
        # Fixed dates have no choice and no inputs.
        state = {name: text for name, text in state.items() if name in (picker.name, by)}
    if frozen:
        if result.is_empty:
            raise SettingError("there are no dates to link to; link to the choice instead")
        bounds = bounds_of(result)
        beyond = (
            cut(bounds, view.extent) != bounds and picker.signer is not None and picker.signer.ready
        )
        state = {picker.name: frozen_text(bounds)}
        state.update({by: view.state[by]} if by in view.state else {})
    if not fixed and expires is None and not beyond:
        return urlencode(state, safe="/,")
    if picker.signer is None:
        raise SettingError(
            "links are signed with the book's key, and it has none; say link_key = 'ENV_NAME'"
        )
    signed: dict[str, Any] = {"picker": picker.name, "of": picker.identity, "state": state,
                              "fixed": fixed, "beyond": beyond or view.beyond}  # fmt: skip
    if expires is not None:
        signed["expires"] = _expiry(expires)
    return urlencode({f"{picker.name}.signed": picker.signer.sign(signed)})


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
