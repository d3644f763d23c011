"""The command ``match``: whether sliced files differ only in what was meant."""

from __future__ import annotations

import argparse
import json
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final

from oddtwin.cli import gcode
from oddtwin.cli.errors import InputError, read_text

if TYPE_CHECKING:
    from oddtwin.core.toolpath.match import Declared

SETTINGS_FILES: Final = frozenset({".ini", ".json", ".cfg", ".conf", ".toml"})


def add_parser(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command to the parser."""
    parser = commands.add_parser("match", help="check that sliced files are twins but for the change")
    parser.set_defaults(run=run)
    parser.add_argument(
        "files", type=Path, nargs="+", metavar="FILE", help="the baseline’s first, then others"
    )
    parser.add_argument(
        "--declare",
        action="append",
        default=[],
        metavar="KEY=FROM:TO",
        help="a setting that is meant to differ",
    )
    parser.add_argument(
        "--hold",
        action="append",
        default=[],
        metavar="WORDS",
        help="what must stay the same, such as “layer height”; a settings pack does not excuse it",
    )
    gcode.add_options(parser)


def run(arguments: argparse.Namespace) -> int:
    """Compare, and print what was found."""
    if len(arguments.files) < 2:
        raise InputError("match: give two files or more, the baseline’s first")
    declared = [_declared(text, len(arguments.files)) for text in arguments.declare]
    if all(path.suffix.lower() in SETTINGS_FILES for path in arguments.files):
        figures = _settings_only(arguments.files, declared, arguments.hold)
    else:
        figures = _whole(arguments, declared)
    if arguments.json:
        print(json.dumps(figures, indent=2, ensure_ascii=False))
        return 0
    for sentence in figures["sentences"]:
        print(sentence)
    for threat in figures["threats"]:
        print(f"  ! {threat['sentence']} {threat['remedy']}")
    return 0


def _declared(text: str, files: int) -> Declared:
    from oddtwin.core.toolpath.match import parse_declared

    try:
        declared = parse_declared(text)
    except ValueError as error:
        raise InputError(f"--declare: {error}") from None
    if len(declared.levels) != files:
        raise InputError(
            f"--declare: “{text}” names {len(declared.levels)} levels for {files} files; give one for each"
        )
    return declared


def _whole(arguments: argparse.Namespace, declared: Sequence[Declared]) -> dict[str, Any]:
    from oddtwin.core.toolpath.match import MatchFile, as_json, match_files
    from oddtwin.work import SlicedFile

    limits, spool = gcode.limits(arguments), gcode.spool(arguments)
    files = []
    for place, path in enumerate(arguments.files):
        sliced = gcode.load(path, limits, spool)
        name = ("the baseline", "the change")[place] if len(arguments.files) == 2 else path.name
        files.append(MatchFile(name, SlicedFile(path).sha256(), sliced))
    check = match_files(files, declared, held=arguments.hold)
    assert check is not None
    return as_json(check)


def _settings_only(
    paths: Sequence[Path], declared: Sequence[Declared], held: Sequence[str]
) -> dict[str, Any]:
    """Compare exported settings alone: there are no paths."""
    from oddtwin.core.toolpath.match import SettingsError, check_settings, read_settings, settings_as_json

    try:
        check = check_settings(
            [read_settings(read_text(path), str(path)) for path in paths], declared, held=held
        )
    except SettingsError as error:
        raise InputError(str(error)) from None
    same = len({path.read_bytes() for path in paths}) == 1
    return {
        "same_bytes": same,
        "settings": settings_as_json(check),
        "paths": None,
        "delta": None,
        "took_effect": [],
        "can_show": [],
        "sentences": [check.sentence, "These are settings only; the paths were not compared."],
        "threats": [],
    }
