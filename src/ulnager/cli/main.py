"""The command ``ulnager``: finds a command, and turns every error into words and an exit code.

Exit codes: 0 done, an empty span included, or its reader had enough; 2 the command or the phrase
is wrong; 1 anything else that stopped it; 130 interrupted.
"""

from __future__ import annotations

import contextlib
import io
import itertools
import os
import shlex
import sys
from collections.abc import Sequence
from importlib import import_module
from typing import Any, Final, NoReturn

import click

from ulnager.cli.help import COMMANDS, GROUPS
from ulnager.cli.output import echo
from ulnager.core.arguments import ArgumentError, needed
from ulnager.core.errors import (
    BookError,
    FilterError,
    PeriodSyntaxError,
    ResolveError,
    SettingError,
    SourceError,
    UlnagerError,
)
from ulnager.core.language.phrase import period
from ulnager.core.suggest import nearest
from ulnager.core.text import masked
from ulnager.sources.trusted import configured

_COMPLETION: Final = "_ULNAGER_COMPLETE"
_KINDS: Final = {
    SettingError: "setting",
    ArgumentError: "setting",
    FilterError: "condition",
    ResolveError: "dates",
    SourceError: "source",
    BookError: "book",
}
"""What went wrong, in a word for programs."""
_WRONG_INPUT: Final = (PeriodSyntaxError, SettingError, FilterError)


class _Commands(click.Group):
    # A command's module is imported when that command runs, so that none waits for another's needs.

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in COMMANDS:
            return None
        command: click.Command = import_module(f"ulnager.cli.{cmd_name}_command").command
        return command

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        for title, group in GROUPS.items():
            with formatter.section(title):
                formatter.write_dl(list(group.items()))


@click.group(
    cls=_Commands,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100},
    epilog="Try: ulnager readings 'last 3 months'",
)
@click.version_option(package_name="ulnager")
@click.option("--debug", is_flag=True, expose_value=False, help="Show the traceback of an error.")
def commands() -> None:
    """Relative and rolling date periods for dashboards: defined once, exact everywhere."""


def main(args: Sequence[str] | None = None) -> NoReturn:
    """Run the command line and leave with its exit code."""
    asked = os.environ.get(_COMPLETION) if args is None else None
    if asked:
        # The shell asks what may follow, or for the script that makes it ask.
        from click.shell_completion import shell_complete

        done = shell_complete(commands, {}, "ulnager", _COMPLETION, asked)
        _flush()
        sys.exit(done)
    given = list(sys.argv[1:] if args is None else args)
    debug = "--debug" in given
    if debug:
        given.remove("--debug")
    _prepare_streams()
    try:
        code = _run(given, debug)
        _flush()
    except KeyboardInterrupt:
        _leave(130)
    except BrokenPipeError:
        # Whoever read the output has seen enough, as ``head`` has, and all is well.
        _leave(0)
    except OSError as error:
        if debug:
            raise
        _tell(f"Error: the output cannot be written: {error.strerror or error}")
        _leave(1)
    sys.exit(code)


def _prepare_streams() -> None:
    is_own = sys.stdout is sys.__stdout__
    if is_own and isinstance(getattr(sys.stdout, "buffer", None), io.RawIOBase):
        # Unbuffered, Python takes a write that was cut short for a whole one.
        out: Any = sys.stdout
        sys.stdout = io.TextIOWrapper(
            io.BufferedWriter(out.buffer), out.encoding, line_buffering=out.isatty()
        )
    for stream in (sys.stdout, sys.stderr):
        # What a terminal or a pipe cannot hold is shown as an escape.
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")


def _run(given: list[str], debug: bool) -> int:
    """Runs a command; the exit code."""
    is_json = not {"--json", "--codes"}.isdisjoint(given)
    if sys.stdout is None:
        _tell("Error: there is no standard output to write to")
        return 1
    try:
        with contextlib.ExitStack() as held:
            if raised := os.environ.get("ULNAGER_LIMITS"):
                from ulnager.sources.guard import limits, limits_of_text

                held.enter_context(limits(**limits_of_text(raised)))
            held.enter_context(configured())
            context = held.enter_context(commands.make_context("ulnager", given))
            commands.invoke(context)
    except click.exceptions.Exit as left:
        return left.exit_code
    except click.exceptions.NoArgsIsHelpError as error:
        _tell(error.format_message())
        return 2
    except click.UsageError as error:
        usage = error.ctx.get_usage() if error.ctx else ""
        wrong = error.format_message()
        wrong = masked(wrong + _meant(wrong, given))
        if is_json:
            _tell_json("usage", wrong)
        else:
            _tell(f"{usage}\nError: {wrong}".lstrip())
        return 2
    except click.Abort:
        raise KeyboardInterrupt from None
    except UlnagerError as error:
        if debug:
            raise
        if is_json:
            _tell_error(error)
        else:
            _tell(f"Error: {error}")
        return 2 if isinstance(error, _WRONG_INPUT) else 1
    except (KeyboardInterrupt, OSError):
        raise
    except MemoryError:
        _tell("Error: there is not enough memory for this")
        return 1
    except Exception as error:
        if isinstance(error, ModuleNotFoundError):
            told = needed(error)
            if told is not error:
                _tell_json("install", str(told)) if is_json else _tell(f"Error: {told}")
                return 2
        if debug:
            raise
        _tell(
            "Error: something went wrong inside Ulnager "
            f"({type(error).__name__}: {masked(str(error))}).\n"
            "  Run it again with --debug and report what it prints."
        )
        return 1
    return 0


def _meant(told: str, given: list[str]) -> str:
    """What somebody meant who gave a phrase and no command, or a phrase without quotes, or who
    misspelt a command; to be put behind what is told."""
    words = list(itertools.takewhile(lambda one: not one.startswith("-"), given))
    is_no_command = told.startswith("No such command")
    if not is_no_command and "unexpected extra argument" not in told:
        return ""
    command, text = "resolve", " ".join(words)
    if not is_no_command:
        command, text = words[0], " ".join(words[1:])
    end = "" if told.endswith(".") else "."
    with contextlib.suppress(PeriodSyntaxError, SettingError):
        period(text)
        asked = f"ulnager {command} {shlex.quote(text)}"
        return f"{end} A phrase stands in quotes, behind a command: {asked}"
    near = nearest(words[0], COMMANDS) if is_no_command else None
    return f" Did you mean '{near}'?" if near else ""


def _tell_error(error: UlnagerError) -> None:
    """An error as plain values on standard error, beside output that is JSON."""
    if not isinstance(error, PeriodSyntaxError):
        _tell_json(_KINDS.get(type(error), "error"), str(error))
        return
    more = {"phrase": error.phrase, "position": error.position, "instead": error.suggestions}
    _tell_json("phrase", error.problem, **more)


def _tell_json(code: str, detail: str, **more: Any) -> None:
    import json

    _tell(json.dumps({"error": {"code": code, "detail": detail, **more}}, ensure_ascii=False))


def _tell(message: str) -> None:
    """A message on standard error, if that can still be written to."""
    with contextlib.suppress(OSError, ValueError):
        echo(message, err=True)


def _flush() -> None:
    for stream in (sys.stdout, sys.stderr):
        if stream is not None:
            stream.flush()


def _leave(code: int) -> NoReturn:
    """Leaves at once: what is still held back for a stream that is gone is given up."""
    if _is_tested():
        sys.exit(code)
    os._exit(code)


def _is_tested() -> bool:
    """Whether the streams are stand-ins of a caller, who wants to go on."""
    return not isinstance(getattr(sys.stdout, "buffer", None), io.BufferedWriter)
