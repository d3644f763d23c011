"""The commands ``power`` and ``luck``: what prints and judges can show, before any is made."""

from __future__ import annotations

import argparse
import json
from dataclasses import asdict

from oddtwin.cli.errors import InputError


def add_parser(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add both commands to the parser."""
    power = commands.add_parser("power", help="chance to find the margin, and to establish a twin")
    power.set_defaults(run=run_power)
    power.add_argument("--sd", type=float, required=True, metavar="S", help="standard deviation of one print")
    power.add_argument(
        "--margin", type=float, required=True, metavar="M", help="smallest difference that matters"
    )
    power.add_argument(
        "--df",
        type=float,
        metavar="N",
        help="a noise floor known with N degrees of freedom; it judges prints without scatter of their own",
    )
    power.add_argument("--pairs", required=True, metavar="1-12", help="a number of pairs, or a range")
    power.add_argument("--unpaired", action="store_true", help="as many prints of each arm, not in pairs")
    power.add_argument("--json", action="store_true", help="print figures instead of sentences")
    luck = commands.add_parser("luck", help="chance to judge right by pure guessing")
    luck.set_defaults(run=run_luck)
    luck.add_argument("--test", required=True, choices=("triangle", "pair", "duo-trio", "matching"))
    luck.add_argument("--trials", type=int, required=True, metavar="N", help="answers, or prints sorted back")
    luck.add_argument("--correct", type=int, required=True, metavar="K", help="how many were right")
    luck.add_argument("--json", action="store_true", help="print figures instead of a sentence")


def run_power(arguments: argparse.Namespace) -> int:
    """Print the chances for each number of pairs."""
    from oddtwin.core.effects import Shape, chances_of

    try:
        if arguments.df is not None and not arguments.df > 0:
            raise InputError("--df: the degrees of freedom must be above zero")
        shape = Shape(pairs=0 if arguments.unpaired else 1, noise_df=arguments.df or 0.0)
        found = chances_of(shape, arguments.sd, arguments.margin, _range(arguments.pairs))
    except ValueError as error:
        raise InputError(str(error)) from None
    if arguments.json:
        print(json.dumps([asdict(item) for item in found], indent=2))
        return 0
    noun = "prints of each arm" if arguments.unpaired else "pairs"
    for item in found:
        if item.p_find_margin is None or item.p_establish_twin is None:
            print(f"{item.pairs} {noun}: too few for a test; print more, or give --df of a known noise floor")
        else:
            print(
                f"{item.pairs} {noun}: {100 * item.p_find_margin:.0f} % chance to find the margin, "
                f"{100 * item.p_establish_twin:.0f} % to establish a twin"
            )
    return 0


def run_luck(arguments: argparse.Namespace) -> int:
    """Print what pure guessing would do."""
    from oddtwin.core.judge import BlindTest, luck

    try:
        found = luck(BlindTest(arguments.test), arguments.trials, arguments.correct)
    except ValueError as error:
        raise InputError(str(error)) from None
    print(json.dumps(asdict(found), indent=2, ensure_ascii=False) if arguments.json else found.sentence)
    return 0


def _range(text: str) -> range:
    first, dash, last = text.partition("-")
    try:
        start = int(first)
        end = int(last) if dash else start
    except ValueError:
        raise InputError(f"--pairs {text}: give a number such as 6, or a range such as 1-12") from None
    if not 1 <= start <= end <= 10_000:
        raise InputError(f"--pairs {text}: give numbers from 1 to 10000, the smaller one first")
    return range(start, end + 1)
