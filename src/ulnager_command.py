"""The entry of the command ``ulnager``: an interruption ends it quietly, while importing too."""

from __future__ import annotations

import atexit
import gc
import os
import signal
import sys
from typing import NoReturn


def _interrupted(*_: object) -> NoReturn:
    """An engine that is interrupted while it is imported would end with an abort."""
    for module in [*sys.modules.values()]:
        if getattr(getattr(module, "__spec__", None), "_initializing", False):
            os._exit(130)
    raise KeyboardInterrupt


def main() -> None:
    try:
        if signal.getsignal(signal.SIGINT) is signal.default_int_handler:
            signal.signal(signal.SIGINT, _interrupted)
        # Importing makes nothing that could be thrown away, so nothing is looked for meanwhile.
        gc.disable()
        from ulnager.cli.main import main as run

        gc.freeze()
        gc.enable()
        run()
    except SystemExit as left:
        # All is written. What others want done at the end is done; taking everything apart, as
        # Python would go on to do, takes longer than many a command.
        atexit._run_exitfuncs()
        os._exit(left.code if isinstance(left.code, int) else 1)
    except KeyboardInterrupt:
        # Nothing more may be printed or waited for.
        os._exit(130)
