"""The command ``simulate``: a study played through simulated devices into a lab book."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from pathlib import Path

from oddtwin.cli.errors import InputError, read_text, writing


def add_parser(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command to the parser."""
    parser = commands.add_parser("simulate", help="play a study through simulated devices into a lab book")
    parser.set_defaults(run=run)
    parser.add_argument("file", type=Path, metavar="STUDY.json")
    parser.add_argument("--seed", type=int, default=1, metavar="N")
    for name, says in (
        ("effect", "what the change adds to a response"),
        ("mean", "of the baseline"),
        ("sd", "between twins"),
    ):
        parser.add_argument(
            f"--{name}", action="append", default=[], metavar="RESPONSE=VALUE", help=says, dest=name
        )
    parser.add_argument("--typed", action="store_true", help="type readings instead of reading devices")
    parser.add_argument("-o", "--output", type=Path, required=True, metavar="DIR", help="of the new lab book")


def run(arguments: argparse.Namespace) -> int:
    """Play, and say what was made."""
    from oddtwin.demo.played import PlayError, play_study
    from oddtwin.store import StoreError
    from oddtwin.store.exchange import read_study

    if arguments.seed < 0:
        raise InputError("--seed: give a whole number of zero or more")
    given: dict[str, dict[str, float]] = {}
    for name in ("effect", "mean", "sd"):
        for response, value in _pairs(name, getattr(arguments, name)):
            if name == "sd" and value < 0:
                raise InputError("--sd: give a number of zero or more")
            given.setdefault(response, {})[name] = value
    if arguments.output.exists() and any(arguments.output.iterdir()):
        raise InputError(f"{arguments.output} is not empty; name a new folder")
    try:
        study = read_study(read_text(arguments.file), str(arguments.file))
        with writing(arguments.output):
            book = play_study(arguments.output, study, arguments.seed, given, devices=not arguments.typed)
    except (PlayError, StoreError) as error:
        raise InputError(str(error)) from None
    try:
        (summary,) = book.summaries()
        print(
            f"{arguments.output}: “{summary.name}”, {len(study.runs)} runs printed and measured by stand-ins"
        )
    finally:
        book.close()
    return 0


def _pairs(option: str, texts: Sequence[str]) -> list[tuple[str, float]]:
    from oddtwin.core.quantities import QuantityError, parse_number

    found = []
    for text in texts:
        name, equals, value = text.rpartition("=")
        if not equals or not name.strip():
            raise InputError(f"--{option} {text}: write it as Response=0.5")
        try:
            found.append((name.strip(), parse_number(value)))
        except QuantityError as error:
            raise InputError(f"--{option} {text}: {error}") from None
    return found
