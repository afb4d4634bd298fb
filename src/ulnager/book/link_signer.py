"""Signatures of links, with the key in the environment variable that a book names."""

from __future__ import annotations

import hmac
import os
from typing import Any, Final

from ulnager.choices.picker_base import Signer
from ulnager.core.errors import SettingError

_SHORTEST: Final = 16
_FEWEST: Final = 5
"""So many different characters a key has at least."""
_MAKES: Final = "python -c 'import secrets; print(secrets.token_urlsafe(32))'"


class KeySigner(Signer):
    """Signs with the key in an environment variable; the key itself is never shown."""

    def __init__(self, variable: str) -> None:
        self.variable = variable

    @property
    def ready(self) -> bool:  # type: ignore[override]
        """Whether the key is there."""
        return bool(os.environ.get(self.variable))

    def check(self) -> None:
        """SettingError for a key that anybody could guess."""
        key = os.environ.get(self.variable)
        if key and (len(key.strip()) < _SHORTEST or len(set(key)) < _FEWEST):
            raise SettingError(
                f"the key in the environment variable {self.variable} could be guessed: it needs "
                f"{_SHORTEST} characters or more, of several sorts; make one with: {_MAKES}"
            )

    def _serializer(self) -> Any:
        from itsdangerous import URLSafeSerializer

        key = os.environ.get(self.variable)
        if not key:
            raise SettingError(
                f"links are signed with the key in the environment variable {self.variable}, which "
                f"is not set; make one with: {_MAKES}"
            )
        self.check()
        return URLSafeSerializer(key, salt="ulnager link")

    def sign(self, value: dict[str, Any]) -> str:
        """The value with a signature; SettingError when there is no key."""
        return str(self._serializer().dumps(value))

    def read(self, text: str) -> dict[str, Any] | None:
        """The value that was signed; None where it was changed, or nobody has the key.

        A value has one spelling: what says the same in other signs was changed.
        """
        from itsdangerous import BadData

        try:
            found = self._serializer().loads(text)
            is_own = isinstance(found, dict) and hmac.compare_digest(
                self.sign(found).encode(), text.encode()
            )
        except (BadData, SettingError, RecursionError, ValueError):
            return None
        return found if is_own else None
