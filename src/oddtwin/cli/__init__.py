"""The command line: every calculation without a window, and the way to the window."""

from __future__ import annotations

import argparse
import io
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import NoReturn

from oddtwin import __version__
from oddtwin.cli import (
    ahead,
    calibrating,
    copies,
    desktop,
    gcode,
    judging,
    listening,
    match,
    photo,
    planning,
    playing,
    sharing,
    verdict,
)
from oddtwin.cli.errors import InputError


def main(argv: Sequence[str] | None = None) -> int:
    """Run Odd Twin from the command line.

    Parameters
    ----------
    argv : sequence of str, optional
        Arguments without the program's name; ``sys.argv`` by default.

    Returns
    -------
    int
        Exit status: 0 for success, 2 for input that cannot be used.
    """
    for stream in (sys.stdout, sys.stderr):
        # A name that is no text, such as of an old folder, is shown escaped.
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")
    typed = calibrating.with_options(photo.with_settings(sys.argv[1:] if argv is None else argv))
    arguments = _parser().parse_args(typed)
    try:
        status: int = arguments.run(arguments)
    except InputError as error:
        print(f"odd-twin: {error}", file=sys.stderr)
        return 2
    except BrokenPipeError:
        return 0
    except KeyboardInterrupt:
        return 130
    except Exception as error:  # noqa: BLE001 - the border: no traceback reaches a user
        print(f"odd-twin: something went wrong inside Odd Twin ({error}); please report it", file=sys.stderr)
        return 2
    return status


class _Parser(argparse.ArgumentParser):
    """Says what is wrong with the arguments in one sentence, without the usage before it."""

    def error(self, message: str) -> NoReturn:
        self.exit(2, f"odd-twin: {message}; see odd-twin --help\n")


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="odd-twin", description="An experimenter's bench for controlled print comparisons.")
    parser.add_argument("--version", action="version", version=f"odd-twin {__version__}")
    parser.add_argument("--demo", action="store_true", help="open a fresh copy of the demo lab book")
    parser.add_argument("--book", type=Path, metavar="FOLDER", help="open this lab book")
    menus = parser.add_mutually_exclusive_group()
    menus.add_argument("--install-desktop", action="store_true", help="put Odd Twin into the menus")
    menus.add_argument("--remove-desktop", action="store_true", help="take it out of the menus again")
    parser.set_defaults(run=_window)
    commands = parser.add_subparsers(title="without a window")
    for part in (
        verdict,
        planning,
        ahead,
        judging,
        photo,
        calibrating,
        listening,
        playing,
        gcode,
        match,
        sharing,
        copies,
    ):
        part.add_parser(commands)
    return parser


def _window(arguments: argparse.Namespace) -> int:
    if arguments.install_desktop:
        return desktop.install_desktop()
    if arguments.remove_desktop:
        return desktop.remove_desktop()
    from oddtwin.ui.spoken import speak_as_here

    speak_as_here()
    from oddtwin.ui.app import run

    return run(book=arguments.book, demo=arguments.demo)
