"""The command ``verdict``: judge tidy readings from a CSV file."""

from __future__ import annotations

import argparse
import json
from pathlib import Path

from oddtwin.cli.errors import InputError, read_text


def add_parser(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command to the parser."""
    parser = commands.add_parser("verdict", help="judge tidy readings from a CSV file")
    parser.set_defaults(run=run)
    parser.add_argument("file", type=Path, metavar="FILE.csv")
    parser.add_argument("--baseline", required=True, metavar="A", help="name of the baseline arm")
    parser.add_argument("--change", metavar="B", help="name of the changed arm")
    parser.add_argument("--margin", type=float, help="smallest difference that matters")
    parser.add_argument("--better", choices=("lower", "higher"))
    parser.add_argument("--response", metavar="NAME", help="judge only this response")
    parser.add_argument("--noise-sd", type=float, metavar="S", help="known standard deviation of twins")
    parser.add_argument("--noise-df", type=float, metavar="N", help="its degrees of freedom")
    parser.add_argument("--look", metavar="K/N", help="this is look K of N that were planned, at equal steps")
    parser.add_argument("--combine", choices=("worst", "mean"), help="how the zones of a print become one")
    parser.add_argument("--seed", type=int, default=0, help="for permutation draws (default 0)")
    parser.add_argument("--json", action="store_true", help="print figures instead of sentences")


def run(arguments: argparse.Namespace) -> int:
    """Judge, and print what was found."""
    from oddtwin.core.decide import as_json, findings_of

    by_response = _readings(arguments.file, arguments.response, arguments.combine)
    measure = _measure(arguments, {reading.arm for group in by_response.values() for reading in group})
    if arguments.seed < 0:
        raise InputError("--seed: give a whole number of zero or more")
    findings = findings_of(by_response, measure, arguments.seed, _look(arguments.look))
    if arguments.json:
        print(json.dumps([as_json(finding) for finding in findings], indent=2, ensure_ascii=False))
        return 0
    for finding in findings:
        print(finding.sentence)
        for threat in finding.threats:
            print(f"  ! {threat.line} {threat.remedy}")
    return 0


def _readings(path: Path, wanted: str | None, combine: str | None):  # type: ignore[no-untyped-def]
    from dataclasses import replace

    from oddtwin.core.readings import Combine, Reading, TableError, read_table

    try:
        readings = read_table(read_text(path))
    except TableError as error:
        raise InputError(f"{path}, {error}") from None
    by_response: dict[str, list[Reading]] = {}
    if combine:
        readings = [replace(reading, combine=Combine(combine)) for reading in readings]
    for reading in readings:
        by_response.setdefault(reading.response, []).append(reading)
    if wanted is None:
        return by_response
    if wanted not in by_response:
        known = ", ".join(f"“{name}”" for name in by_response)
        raise InputError(f"{path}, column response: there is no “{wanted}”; it has {known}")
    return {wanted: by_response[wanted]}


def _look(text: str | None) -> tuple[int, int] | None:
    if text is None:
        return None
    this, _, of = text.partition("/")
    if not (
        this.isascii()
        and this.isdigit()
        and of.isascii()
        and of.isdigit()
        and 1 <= int(this) <= int(of) <= 50
    ):
        raise InputError("--look: give which of how many looks, such as 3/8, at most 50")
    return int(this), int(of)


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
