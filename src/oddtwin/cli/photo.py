"""The command ``photo``: measure photographs, and render some whose truth is known."""

from __future__ import annotations

import argparse
import json
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from oddtwin.cli.errors import InputError, painting, writing

if TYPE_CHECKING:
    from oddtwin.core.photo import Region, StepRegion, What
    from oddtwin.work.photos import Photo

WHATS = ("ringing", "banding", "layers", "strings", "bleed", "droop", "onset", "radius", "size", "gaps")


def add_parser(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command to the parser."""
    mat = commands.add_parser("mat", help="write the photo mat as a PDF")
    mat.set_defaults(run=run_mat)
    mat.add_argument("--size", choices=("a4", "letter"), default="a4")
    mat.add_argument("-o", "--output", type=Path, required=True, metavar="FILE.pdf")
    photo = commands.add_parser("photo", help="measure photographs of prints")
    doing = photo.add_subparsers(title="what to do", required=True)
    measure = doing.add_parser("measure", help="measure one thing in photographs of one view")
    measure.set_defaults(run=run_measure)
    measure.add_argument("files", type=Path, nargs="+", metavar="FILE")
    measure.add_argument("--what", required=True, choices=WHATS)
    measure.add_argument("--region", metavar="X,Y,W,H", help="where to look, in pixels")
    measure.add_argument("--px-per-mm", type=float, metavar="P", help="pixels of a millimetre")
    measure.add_argument("--speed", type=float, metavar="V", help="of the wall, mm/s")
    measure.add_argument("--accel", type=float, metavar="A", help="of the wall, mm/s²")
    measure.add_argument("--corner", choices=("left", "right"), default="left", help="where ringing begins")
    measure.add_argument("--layer-height", type=float, metavar="H", help="of a layer, mm")
    measure.add_argument(
        "--elevation", type=float, default=30.0, metavar="DEG", help="of the lamp above the face (default 30)"
    )
    measure.add_argument("--gaps", metavar="X,Y,W,H;…", help="of strings: several gaps instead of the region")
    measure.add_argument(
        "--steps",
        metavar="DEG:X,Y,W,H;…",
        help="of onset: lower edge of each step, by angle from upright",
    )
    measure.add_argument("--limit", type=float, metavar="MM", help="of onset: droop that counts (default .3)")
    measure.add_argument("--json", action="store_true", help="print figures instead of sentences")
    _add_others(doing)


def _add_others(doing: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    scale = doing.add_parser("scale", help="read the scale of a photograph from the mat in it")
    scale.set_defaults(run=run_scale)
    scale.add_argument("file", type=Path, metavar="FILE")
    scale.add_argument("--mat", choices=("a4", "letter"), default="a4")
    scale.add_argument("--check-x", type=float, metavar="MM", help="length of the bar across, as measured")
    scale.add_argument("--check-y", type=float, metavar="MM", help="length of the bar along, as measured")
    scale.add_argument("--height", type=float, default=0.0, metavar="MM", help="of the face above the mat")
    scale.add_argument("--camera", type=float, metavar="MM", help="height of the camera above the mat")
    scale.add_argument("--json", action="store_true", help="print figures instead of sentences")
    align = doing.add_parser("align", help="lay a second photograph of a view over a first one")
    align.set_defaults(run=run_align)
    align.add_argument("first", type=Path, metavar="A")
    align.add_argument("second", type=Path, metavar="B")
    align.add_argument("--json", action="store_true", help="print figures instead of a sentence")
    camera = doing.add_parser("camera", help="a simulated camera: photographs with labels into a folder")
    camera.set_defaults(run=run_camera)
    camera.add_argument("folder", type=Path, metavar="FOLDER", help="that Look watches")
    camera.add_argument("--codes", required=True, metavar="K7M,P3D", help="runs to photograph, in order")
    camera.add_argument("--study", required=True, metavar="NAME", help="that stands on their labels")
    camera.add_argument("--seconds", type=float, default=0.0, metavar="S", help="between two photographs")
    camera.add_argument("--seed", type=int, default=1, metavar="N")
    render = doing.add_parser("render", help="render a photograph whose truth is known")
    render.set_defaults(run=run_render)
    render.add_argument("kind", metavar="KIND", help=f"{', '.join(WHATS)}, view, mat, or wall")
    render.add_argument("--seed", type=int, default=1, metavar="N")
    render.add_argument("-o", "--output", type=Path, required=True, metavar="FILE.png")
    render.add_argument(
        "--set", action="append", default=[], metavar="KEY=VALUE", help="a setting; also as --KEY=VALUE"
    )


def run_measure(arguments: argparse.Namespace) -> int:
    """Measure every photograph, and print what was found or why it cannot be told."""
    from oddtwin.core.photo import Asked, Motion, What, as_json, measure

    for name in ("px_per_mm", "speed", "accel", "layer_height"):
        value = getattr(arguments, name)
        if value is not None and not 0 < value < 1e7:
            raise InputError(f"--{name.replace('_', '-')}: give a number above zero")
    if not 0 < arguments.elevation < 90:
        raise InputError("--elevation: give degrees between 0 and 90")
    what = What(arguments.what)
    if arguments.gaps and what is not What.STRINGS:
        raise InputError("--gaps goes with --what strings")
    steps, limit = _steps(arguments, what)
    regions = _regions(arguments, steps)
    motion = Motion(arguments.speed, arguments.accel)
    found: list[dict[str, Any]] = []
    unread: list[str] = []
    for path in arguments.files:
        try:
            photo = _read(path)
        except InputError as error:
            # One file that is no picture must not take the figures of ninety-nine with it.
            unread.append(str(error))
            continue
        for region in regions:
            asked = Asked(
                region,
                arguments.px_per_mm,
                motion,
                arguments.corner,
                arguments.layer_height,
                arguments.elevation,
                steps,
                limit,
            )
            figures = as_json(measure(photo.pixels, what, asked))
            found.append({"file": str(path), "photo": photo.sha256, **figures})
    if arguments.json and found:
        print(json.dumps(found, indent=2, ensure_ascii=False, allow_nan=False))
    elif found:
        print(*(f"{one['file']}: {one['sentence']}" for one in found), sep="\n")
    if unread:
        raise InputError("; ".join(unread))
    return 0


def run_scale(arguments: argparse.Namespace) -> int:
    """Read the scale from the mat, and print what it tells."""
    from oddtwin.core.photo import mat_json, mat_scale

    for name, low, high in (("check_x", 100, 200), ("check_y", 150, 250), ("camera", 50, 5000)):
        value = getattr(arguments, name)
        if value is not None and not low < value < high:
            raise InputError(f"--{name.replace('_', '-')}: give millimetres between {low} and {high}")
    if not 0 <= arguments.height < 1000:
        raise InputError("--height: give millimetres of zero or more")
    checks = (arguments.check_x, arguments.check_y)
    found = mat_scale(_read(arguments.file).pixels, arguments.mat, checks, arguments.height, arguments.camera)
    told = mat_json(found)
    if arguments.json:
        print(json.dumps(told, indent=2, ensure_ascii=False))
        return 0
    for line in (told["sentence"], *told["warnings"]):
        print(line)
    return 0


def run_mat(arguments: argparse.Namespace) -> int:
    """Write the mat as a PDF."""
    from oddtwin.core.picture import mat_page
    from oddtwin.ui.widgets.paper import pdf_of

    with painting(), writing(arguments.output):
        arguments.output.write_bytes(pdf_of([mat_page(arguments.size)], "Odd Twin photo mat"))
    print(f"{arguments.output}: print it at 100 %, then measure its two bars")
    return 0


def run_align(arguments: argparse.Namespace) -> int:
    """Lay B over A, and print how it lies."""
    from oddtwin.core.photo import align, aligned_json

    found = align(_read(arguments.first).pixels, _read(arguments.second).pixels)
    print(json.dumps(aligned_json(found), indent=2, ensure_ascii=False) if arguments.json else found.sentence)
    return 0


def run_render(arguments: argparse.Namespace) -> int:
    """Render, and write the truth beside the picture."""
    from oddtwin.core.render import render, whole
    from oddtwin.work.photos import write_png

    settings = {}
    for text in arguments.set:
        name, equals, value = text.partition("=")
        if not equals:
            raise InputError(f"“{text}” is no setting; write it as name=value")
        settings[name] = value
    if arguments.seed < 0:
        raise InputError("--seed: give a whole number of zero or more")
    try:
        pixels, truth = render(arguments.kind, arguments.seed, settings)
    except ValueError as error:
        raise InputError(str(error)) from None
    beside = arguments.output.with_suffix(".json")
    told: dict[str, Any] = {"kind": arguments.kind, "seed": arguments.seed, **whole(truth)}
    with writing(arguments.output):
        write_png(arguments.output, pixels)
        beside.write_text(json.dumps(told, indent=2) + "\n", encoding="utf-8")
    print(f"{arguments.output}: {pixels.shape[1]} × {pixels.shape[0]} pixels; its truth is in {beside}")
    return 0


def run_camera(arguments: argparse.Namespace) -> int:
    """Photograph into a folder, and say what was written."""
    from oddtwin.work.camera import shoot

    codes = [code.strip() for code in arguments.codes.split(",") if code.strip()]
    if not codes:
        raise InputError("--codes: name at least one run, as K7M,P3D")
    if not 0 <= arguments.seconds <= 3600:
        raise InputError("--seconds: give 0 to 3600 seconds")
    if arguments.seed < 0:
        raise InputError("--seed: give a whole number of zero or more")
    with writing(arguments.folder):
        for path in shoot(
            arguments.folder, codes, arguments.study, seed=arguments.seed, seconds=arguments.seconds
        ):
            print(path, flush=True)
    return 0


def _steps(arguments: argparse.Namespace, what: What) -> tuple[tuple[StepRegion, ...], float]:
    """Return the steps of an overhang and how far one must hang."""
    from oddtwin.core.photo import LEAST_LIMIT_MM, USUAL_LIMIT_MM, StepRegion, What

    if what is not What.ONSET:
        for name in ("steps", "limit"):
            if getattr(arguments, name) is not None:
                raise InputError(f"--{name} goes with --what onset")
        return (), USUAL_LIMIT_MM
    if not arguments.steps or arguments.region is not None:
        raise InputError("--what onset takes --steps in place of --region, as 30:0,60,280,140;35:…")
    limit = USUAL_LIMIT_MM if arguments.limit is None else arguments.limit
    if not LEAST_LIMIT_MM <= limit < 100:
        raise InputError(f"--limit: give {LEAST_LIMIT_MM:g} mm or more")
    steps = []
    for text in (part for part in arguments.steps.split(";") if part.strip()):
        angle, colon, box = text.partition(":")
        try:
            degrees = float(angle)
        except ValueError:
            degrees = -1.0
        if not colon or not 0 <= degrees <= 90:
            raise InputError(
                f"--steps {text}: begin with its angle from upright, 0 to 90, as 45:0,60,280,140"
            )
        steps.append(StepRegion(degrees, _region(box, "--steps")))
    return tuple(steps), limit


def _regions(arguments: argparse.Namespace, steps: Sequence[StepRegion]) -> list[Region]:
    """Return where to look: once, or in each of several gaps."""
    from oddtwin.core.photo import Region

    if steps:
        boxes = [step.region for step in steps]
        left, top = min(box.x for box in boxes), min(box.y for box in boxes)
        right, bottom = max(box.x + box.width for box in boxes), max(box.y + box.height for box in boxes)
        return [Region(left, top, right - left, bottom - top)]
    asked = arguments.gaps or arguments.region
    if not asked:
        raise InputError("--region: say where to look, as 100,80,400,300")
    return [_region(text) for text in asked.split(";") if text.strip()]


def _region(text: str, option: str = "--region") -> Region:
    from oddtwin.core.photo import Region

    try:
        numbers = [int(part) for part in text.split(",")]
    except ValueError:
        numbers = []
    if len(numbers) != 4:
        raise InputError(f"{option} {text}: give left, top, width, height in whole pixels, as 100,80,400,300")
    return Region(*numbers)


def _read(path: Path) -> Photo:
    from oddtwin.work.photos import PhotoError, read_photo

    try:
        return read_photo(path)
    except PhotoError as error:
        raise InputError(f"{path}: {error}") from None


def with_settings(argv: Sequence[str]) -> list[str]:
    """Return arguments with every ``--key=value`` behind ``photo render`` as a setting.

    The settings of a rendered face are many and its own, so that they are not options of the command.

    Parameters
    ----------
    argv : sequence of str
        As they were typed.
    """
    known = ("--seed", "--output", "--set")
    if list(argv[:2]) != ["photo", "render"]:
        return list(argv)
    return [
        f"--set={part[2:]}"
        if part.startswith("--") and "=" in part and part.partition("=")[0] not in known
        else part
        for part in argv
    ]
