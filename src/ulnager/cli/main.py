"""The command ``ulnager``: finds a command, and turns every error into words and an exit code.

Exit codes: 0 done, an empty span included; 2 the command or the phrase is wrong; 1 anything
else that stopped it.
"""

from __future__ import annotations

import os
import sys
from collections.abc import Sequence
from importlib import import_module
from typing import Final, NoReturn

import click

from ulnager.core.errors import FilterError, PeriodSyntaxError, SettingError, UlnagerError

# A command's module is imported when that command runs, so that none waits for another's needs.
COMMANDS: Final = {
    "resolve": "the dates of a period, and why",
    "readings": "every way to read a phrase, side by side",
    "filter": "a condition that keeps the rows of a period",
    "preview": "which rows a period keeps and leaves out",
    "profile": "what a date column holds, and which anchor it suggests",
    "buckets": "the units that a period touches, and which are whole",
    "calendar": "a date table, or a membership table of periods",
    "draw": "a picture of periods on a timeline",
    "demo": "a full run on the demo data",
}
_WRONG_INPUT: Final = (PeriodSyntaxError, SettingError, FilterError)


class _Commands(click.Group):
    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in COMMANDS:
            return None
        command: click.Command = import_module(f"ulnager.cli.{cmd_name}").command
        return command

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands"):
            formatter.write_dl(list(COMMANDS.items()))


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
    given = list(sys.argv[1:] if args is None else args)
    debug = "--debug" in given
    if debug:
        given.remove("--debug")
    try:
        code = commands.main(given, prog_name="ulnager", standalone_mode=False)
        sys.stdout.flush()
    except click.exceptions.NoArgsIsHelpError as error:
        error.show()
        sys.exit(2)
    except click.ClickException as error:
        error.show()
        sys.exit(error.exit_code)
    except click.Abort:
        sys.exit(1)
    except BrokenPipeError:
        # Whoever read the output has seen enough; nothing more may be written to it.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        sys.exit(1)
    except UlnagerError as error:
        if debug:
            raise
        click.echo(f"Error: {error}", err=True)
        sys.exit(2 if isinstance(error, _WRONG_INPUT) else 1)
    except Exception as error:
        if debug:
            raise
        click.echo(
            f"Error: something went wrong inside Ulnager ({type(error).__name__}: {error}).\n"
            "  Run it again with --debug and report what it prints.",
            err=True,
        )
        sys.exit(1)
    sys.exit(code if isinstance(code, int) else 0)
