"""The entry of the command ``ulnager``: an interruption ends it quietly, while importing too."""

from __future__ import annotations

import os


def main() -> None:
    try:
        from ulnager.cli.main import main as run

        run()
    except KeyboardInterrupt:
        # Nothing more may be printed or waited for.
        os._exit(130)
