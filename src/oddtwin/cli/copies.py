"""The command ``go-back``: put a copy in the place of a lab book that was damaged or spoilt."""

from __future__ import annotations

import argparse
from pathlib import Path

from oddtwin.cli.errors import InputError


def add_parser(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command to the parser."""
    parser = commands.add_parser("go-back", help="go back to a copy of a lab book")
    parser.set_defaults(run=run)
    parser.add_argument("folder", type=Path, metavar="FOLDER", help="the lab book")
    parser.add_argument("copy", type=Path, metavar="COPY.sqlite", help="a copy of its database")


def run(arguments: argparse.Namespace) -> int:
    """Go back, and say where the database that was there lies."""
    from oddtwin.store import DATABASE, StoreError, go_back

    try:
        aside = go_back(arguments.folder / DATABASE, arguments.copy)
    except StoreError as error:
        raise InputError(str(error)) from None
    if aside == arguments.copy:
        print(f"{arguments.folder} is as {arguments.copy} has it.")
    else:
        print(f"{arguments.folder} is as {arguments.copy} has it; as it was before, it lies in {aside}.")
    return 0
