"""The command line: every calculation without a window, and the way to the window."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import NoReturn

from oddtwin import __version__


class InputError(Exception):
    """The input cannot be used; the message is one sentence for the user."""


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
    arguments = _parser().parse_args(argv)
    try:
        if arguments.command == "verdict":
            return _verdict(arguments)
        return _window(arguments)
    except InputError as error:
        print(f"odd-twin: {error}", file=sys.stderr)
        return 2
    except BrokenPipeError:
        return 0


class _Parser(argparse.ArgumentParser):
    """Says what is wrong with the arguments in one sentence, without the usage before it."""

    def error(self, message: str) -> NoReturn:
        self.exit(2, f"odd-twin: {message}; see odd-twin --help\n")


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="odd-twin", description="An experimenter's bench for controlled print comparisons.")
    parser.add_argument("--version", action="version", version=f"odd-twin {__version__}")
    parser.add_argument("--demo", action="store_true", help="open a fresh copy of the demo lab book")
    parser.add_argument("--book", type=Path, metavar="FOLDER", help="open this lab book")
    parser.set_defaults(command="window")
    commands = parser.add_subparsers(title="without a window")
    verdict = commands.add_parser("verdict", help="judge tidy readings from a CSV file")
    verdict.set_defaults(command="verdict")
    verdict.add_argument("file", type=Path, metavar="FILE.csv")
    verdict.add_argument("--baseline", required=True, metavar="A", help="name of the baseline arm")
    verdict.add_argument("--change", metavar="B", help="name of the changed arm")
    verdict.add_argument("--margin", type=float, help="smallest difference that matters")
    verdict.add_argument("--better", choices=("lower", "higher"))
    verdict.add_argument("--response", metavar="NAME", help="judge only this response")
    verdict.add_argument("--noise-sd", type=float, metavar="S", help="known standard deviation of twins")
    verdict.add_argument("--noise-df", type=float, metavar="N", help="its degrees of freedom")
    verdict.add_argument("--seed", type=int, default=0, help="for permutation draws (default 0)")
    verdict.add_argument("--json", action="store_true", help="print figures instead of sentences")
    return parser


def _window(arguments: argparse.Namespace) -> int:
    from oddtwin.ui.app import run

    return run(book=arguments.book, demo=arguments.demo)


def _verdict(arguments: argparse.Namespace) -> int:
    import numpy as np

    from oddtwin.core.decide import as_json, find

    by_response = _readings(arguments.file, arguments.response)
    measure = _measure(arguments, {reading.arm for group in by_response.values() for reading in group})
    if arguments.seed < 0:
        raise InputError("--seed: give a whole number of zero or more")
    findings = [find(group, measure, np.random.default_rng(arguments.seed)) for group in by_response.values()]
    if arguments.json:
        print(json.dumps([as_json(finding) for finding in findings], indent=2, ensure_ascii=False))
        return 0
    for finding in findings:
        print(finding.sentence)
        for threat in finding.threats:
            print(f"  ! {threat.sentence} {threat.remedy}")
    return 0


def _readings(path: Path, wanted: str | None):  # type: ignore[no-untyped-def]
    from oddtwin.core.readings import Reading, TableError, read_table

    try:
        text = path.read_bytes().decode("utf-8")
    except OSError as error:
        raise InputError(f"{path}: the file cannot be read ({error.strerror})") from None
    except UnicodeDecodeError as error:
        line = error.object[: error.start].count(b"\n") + 1
        raise InputError(f"{path}, line {line}: this is not UTF-8 text; save it as UTF-8") from None
    try:
        readings = read_table(text)
    except TableError as error:
        raise InputError(f"{path}, {error}") from None
    by_response: dict[str, list[Reading]] = {}
    for reading in readings:
        by_response.setdefault(reading.response, []).append(reading)
    if wanted is None:
        return by_response
    if wanted not in by_response:
        known = ", ".join(f"“{name}”" for name in by_response)
        raise InputError(f"{path}, column response: there is no “{wanted}”; it has {known}")
    return {wanted: by_response[wanted]}


def _measure(arguments: argparse.Namespace, arms: set[str]):  # type: ignore[no-untyped-def]
    from oddtwin.core.effects import Measure, NoiseFloor
    from oddtwin.core.readings import Better

    known = ", ".join(f"“{name}”" for name in sorted(arms))
    baseline, change = arguments.baseline, arguments.change
    others = sorted(arms - {baseline})
    if baseline not in arms:
        raise InputError(f"{arguments.file}, column arm: there is no “{baseline}”; it has {known}")
    if not others:
        raise InputError(f"{arguments.file}, column arm: it has only {known}; a comparison needs two arms")
    if change is None:
        if len(others) != 1:
            raise InputError(f"{arguments.file}, column arm: it has {known}; name the change with --change")
        change = others[0]
    if change not in others:
        raise InputError(f"{arguments.file}, column arm: “{change}” is no other arm; it has {known}")
    if (arguments.noise_sd is None) != (arguments.noise_df is None):
        raise InputError("--noise-sd and --noise-df go together; give both or neither")
    try:
        noise = None if arguments.noise_sd is None else NoiseFloor(arguments.noise_sd, arguments.noise_df)
        better = Better(arguments.better) if arguments.better else None
        return Measure(baseline, change, arguments.margin, better, noise=noise)
    except ValueError as error:
        raise InputError(str(error)) from None


if __name__ == "__main__":
    sys.exit(main())
