"""Signatures of links, with the key in the environment variable that a book names."""

from __future__ import annotations

import os
from typing import Any

from ulnager.core.choices.picker import Signer
from ulnager.core.errors import SettingError


class KeySigner(Signer):
    """Signs with the key in an environment variable; the key itself is never shown."""

    def __init__(self, variable: str) -> None:
        self.variable = variable

    @property
    def ready(self) -> bool:  # type: ignore[override]
        """Whether the key is there."""
        return bool(os.environ.get(self.variable))

    def _serializer(self) -> Any:
        from itsdangerous import URLSafeSerializer

        key = os.environ.get(self.variable)
        if not key:
            raise SettingError(
                f"links are signed with the key in the environment variable {self.variable}, which "
                "is not set"
            )
        return URLSafeSerializer(key, salt="ulnager link")

    def sign(self, value: dict[str, Any]) -> str:
        """The value with a signature; SettingError when there is no key."""
        return str(self._serializer().dumps(value))

    def read(self, text: str) -> dict[str, Any] | None:
        """The value that was signed; None where it was changed, or nobody has the key."""
        from itsdangerous import BadData

        try:
            found = self._serializer().loads(text)
        except (BadData, SettingError, RecursionError, ValueError):
            return None
        return found if isinstance(found, dict) else None
