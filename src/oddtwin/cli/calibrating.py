"""The command ``calibrate``: a calibration from readings in a CSV file."""

from __future__ import annotations

import argparse
import json
from collections.abc import Sequence
from pathlib import Path
from typing import Final

from oddtwin.cli.errors import InputError, read_text

NAMES: Final = (
    "steps", "flow-ceiling", "nozzle-wear", "sizes", "belts", "belt-waves", "ringing", "retraction",
    "temperature", "layer-time", "noise", "overhead", "purge-pairs", "fan-power", "motor-skip", "filament",
    "pull", "fault", "check", "instrument",
)  # fmt: skip
"""Of the calibrations: named here, so that a command is read before anything is imported."""


def add_parser(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command to the parser."""
    parser = commands.add_parser("calibrate", help="a calibration from readings in a CSV file")
    parser.set_defaults(run=run)
    parser.add_argument("name", choices=NAMES, metavar="NAME", help=", ".join(NAMES))
    parser.add_argument("file", type=Path, nargs="?", metavar="FILE.csv")
    parser.add_argument("--json", action="store_true", help="print figures instead of sentences")
    parser.add_argument(
        "--set",
        action="append",
        default=[],
        metavar="KEY=VALUE",
        help="what must be known; also as --KEY VALUE",
    )


def run(arguments: argparse.Namespace) -> int:
    """Reckon, and print what came out; without a file, what the calibration asks for."""
    from oddtwin.core.calibrate import JOBS, calibration, result_json

    job = next(job for job in JOBS if job.name == arguments.name)
    if arguments.file is None:
        print(_asked(job))
        return 0
    given = {}
    for text in arguments.set:
        name, equals, value = text.partition("=")
        if not equals:
            raise InputError(f"“{text}” is no setting; write it as name=value")
        given[name.replace("-", "_")] = _number(name, value, job)
    try:
        result = calibration(job, read_text(arguments.file), given)
    except ValueError as error:
        raise InputError(f"{arguments.file}: {error}") from None
    if arguments.json:
        told = {"job": job.name, **result_json(result), "cautions": list(job.cautions)}
        print(json.dumps(told, indent=2, ensure_ascii=False, allow_nan=False))
        return 0
    print(result.sentence)
    if result.advice:
        print(f"Do: {result.advice}.")
    for line in (*result.warnings, *job.cautions):
        print(f"  ! {line}")
    return 0


def _number(name: str, value: str, job: object) -> float:
    from oddtwin.core.calibrate import CalibrationJob
    from oddtwin.core.quantities import QuantityError, parse_quantity

    assert isinstance(job, CalibrationJob)
    unit = next((option.unit for option in job.options if option.name == name.replace("-", "_")), "")
    try:
        return parse_quantity(value, unit)
    except QuantityError as error:
        raise InputError(f"--{name}: {error}") from None


def _asked(job: object) -> str:
    """Return what to do and type, for who calls the command without a file."""
    from oddtwin.core.calibrate import CalibrationJob

    assert isinstance(job, CalibrationJob)
    lines = [job.title, job.do, "", "Columns:"]
    for column in job.columns:
        unit = f" ({column.unit})" if column.unit else ""
        lines.append(f"  {column.name}{unit}: {column.says}{'' if column.needed else '; may be left out'}")
    if job.options:
        lines += ["", "Known besides:"]
    for option in job.options:
        usual = f" (usually {option.usual:g})" if option.usual is not None else ""
        more = "" if option.needed or usual else "; may be left out"
        lines.append(f"  --{option.name.replace('_', '-')} {option.unit}: {option.says}{usual}{more}")
    return "\n".join((*lines, "", *(f"! {caution}" for caution in job.cautions)))


def with_options(argv: Sequence[str]) -> list[str]:
    """Return arguments with every ``--key value`` behind ``calibrate NAME`` as a setting.

    Each calibration knows other things, so that they are not options of the command.

    Parameters
    ----------
    argv : sequence of str
        As they were typed.
    """
    if list(argv[:1]) != ["calibrate"]:
        return list(argv)
    found: list[str] = []
    rest = iter(argv)
    for part in rest:
        key = part[2:].partition("=")[0]
        # What argparse knows itself goes on as it is.
        if not part.startswith("--") or key in ("json", "help", "set") or not key:
            found.append(part)
        elif "=" in part:
            found.append(f"--set={part[2:]}")
        else:
            found.append(f"--set={key}={next(rest, '')}")
    return found
