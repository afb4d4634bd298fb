"""The entry of the command ``ulnager``: an interruption ends it quietly, while importing too."""

from __future__ import annotations

import gc
import os


def main() -> None:
    try:
        # Importing makes nothing that could be thrown away, so nothing is looked for meanwhile.
        gc.disable()
        from ulnager.cli.main import main as run

        gc.freeze()
        gc.enable()
        run()
    except KeyboardInterrupt:
        # Nothing more may be printed or waited for.
        os._exit(130)
