"""The command ``gcode``: what one sliced file will print."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import TYPE_CHECKING, Any

from oddtwin.cli.errors import InputError, read_text

if TYPE_CHECKING:
    from oddtwin.core.toolpath.motion import Limits
    from oddtwin.core.toolpath.sliced import Sliced, SpoolSays


def add_parser(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command to the parser."""
    parser = commands.add_parser("gcode", help="time, filament and reach of a sliced file")
    parser.set_defaults(run=run)
    parser.add_argument("file", type=Path, metavar="FILE", help="G-code; packed, or in a container, too")
    add_options(parser)
    parser.add_argument(
        "--flow", type=float, metavar="MM3_S", help="tell how much is printed above this flow"
    )


def add_options(parser: argparse.ArgumentParser) -> None:
    """Add what says which machine and which filament."""
    parser.add_argument("--machine", type=Path, metavar="M.json", help="what the machine can do")
    parser.add_argument(
        "--density", type=float, metavar="G_CM3", help="of the spool (default: as the file says, else 1.24)"
    )
    parser.add_argument(
        "--diameter", type=float, metavar="MM", help="of the spool (default: as the file says, else 1.75)"
    )
    parser.add_argument("--json", action="store_true", help="print figures instead of sentences")


def run(arguments: argparse.Namespace) -> int:
    """Read, plan and print the figures."""
    from oddtwin.core.toolpath.sliced import summary

    if arguments.flow is not None and not arguments.flow > 0:
        raise InputError("--flow: give a number above zero, in mm³/s")
    sliced = load(arguments.file, limits(arguments), spool(arguments))
    figures = summary(sliced, flow_mm3_s=arguments.flow)
    if arguments.json:
        print(json.dumps(figures, indent=2, ensure_ascii=False))
    else:
        print("\n".join(_lines(figures)))
    return 0


def load(path: Path, limits: Limits, spool: SpoolSays) -> Sliced:
    """Read and plan a sliced file.

    Raises
    ------
    InputError
        It cannot be used.
    """
    from oddtwin.core.toolpath.gcode import GcodeError
    from oddtwin.core.toolpath.sliced import analyse
    from oddtwin.work import SlicedFile

    try:
        toolpath = SlicedFile(path).read()
    except GcodeError as error:
        raise InputError(str(error)) from None
    assert toolpath is not None
    sliced = analyse(toolpath, limits, spool)
    assert sliced is not None
    return sliced


def limits(arguments: argparse.Namespace) -> Limits:
    """Return what the machine can do.

    Raises
    ------
    InputError
        The file cannot be used.
    """
    from oddtwin.core.toolpath.motion import Limits, LimitsError, limits_from

    if arguments.machine is None:
        return Limits()
    try:
        data: Any = json.loads(read_text(arguments.machine))
    except ValueError as error:
        raise InputError(f"{arguments.machine}: this is not JSON ({error})") from None
    if not isinstance(data, dict):
        raise InputError(f"{arguments.machine}: write the limits as one JSON object, {{…}}")
    # A machine as it stands in a study file will do too.
    if isinstance(data.get("motion"), dict):
        data = {**data["motion"], "overhead_min": data.get("overhead_min", 0)}
    try:
        return limits_from(data)
    except LimitsError as error:
        raise InputError(f"{arguments.machine}: {error}") from None


def spool(arguments: argparse.Namespace) -> SpoolSays:
    """Return what is said of the spool.

    Raises
    ------
    InputError
        A figure cannot be used.
    """
    from oddtwin.core.toolpath.sliced import SpoolSays

    for name, value in (("density", arguments.density), ("diameter", arguments.diameter)):
        if value is not None and not 0 < value < 100:
            raise InputError(f"--{name}: give a number above zero and below 100, not {value:g}")
    return SpoolSays(arguments.diameter, arguments.density)


def _lines(figures: dict[str, Any]) -> list[str]:
    from oddtwin.core.quantities import format_minutes, format_number, with_unit

    layer = figures["layer_time"]
    reached = figures["reach"]
    metres = with_unit(format_number(figures["filament_mm"] / 1000, 2), "m")
    lines = [
        f"{format_minutes(figures['time_s'] / 60)}, {with_unit(format_number(figures['mass_g'], 2), 'g')}, "
        f"{figures['layers']} layer{'s' * (figures['layers'] != 1)}, {metres} of filament.",
        f"{100 * reached['time_at_speed']:.0f} % of the printing time is at the speed asked for, "
        f"{100 * reached['time_accelerating']:.0f} % is spent speeding up or braking.",
        f"Layers take {layer['min']:.1f} to {layer['max']:.1f} s (median {layer['median']:.1f} s); "
        f"the greatest flow is {figures['max_flow_mm3_s']:.1f} mm³/s.",
    ]
    for name, tally in figures["by_feature"].items():
        lines.append(f"  {name}: {tally['mass_g']:.2f} g, {figures['time_by_feature'][name] / 60:.1f} min")
    return [*lines, *figures["told"], *(f"  ! {note}" for note in figures["notes"])]
