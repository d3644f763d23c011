"""Which runs are printed together on one plate."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Final

from oddtwin.core.language import tr
from oddtwin.core.study.printed import Run
from oddtwin.core.study.whole import Study, derived_from


@derived_from("runs")
def plates(study: Study) -> Mapping[int, tuple[Run, ...]]:
    """Return the runs that share a plate with each run, itself included, by its id, in planned order."""
    together: dict[tuple[int, int], list[Run]] = {}
    for run in sorted(study.runs, key=lambda run: run.position):
        together.setdefault(plate_key(run), []).append(run)
    return {run.id: tuple(group) for group in together.values() for run in group}


def plates_of(study: Study, runs: Iterable[Run]) -> list[tuple[Run, ...]]:
    """Group some runs by their plate, in planned order; each run alone that has a plate for itself."""
    chosen = {run.id for run in runs}
    found: dict[tuple[Run, ...], None] = {}
    for run in sorted(study.runs, key=lambda run: run.position):
        if run.id in chosen:
            # A dictionary keeps the order and drops what comes up once for every print on the plate.
            found[tuple(item for item in plates(study)[run.id] if item.id in chosen)] = None
    return list(found)


def plate_of(study: Study, run: Run) -> tuple[Run, ...]:
    """Return the runs that share a plate with one, itself included; set-aside ones took their time too."""
    return plates(study)[run.id]


def shares_plates(study: Study) -> bool:
    """Whether prints of different arms share a plate, so that nothing is set up between them."""
    return any(len({run.arm_id for run in group}) > 1 for group in plates(study).values())


_SIDES: Final = ("front", "right", "back", "left")


def facing(turn_deg: int) -> str:
    """Return the side of the machine that the front of a piece faces: front, right, back or left.

    Parameters
    ----------
    turn_deg : int
        Turned counterclockwise as seen from above, degrees; between two sides the angle is told too.
    """
    turned = turn_deg % 360
    side, rest = divmod(turned, 90)
    return _SIDES[side] if not rest else tr("{turned}° from front to right", turned=turned)


def place_words(run: Run) -> str:
    """Say where on its plate a run lies, and how it is turned; empty where it has the plate for itself."""
    if not run.place:
        return ""
    turned = tr(", its front to the {facing}", facing=facing(run.turn_deg)) if run.turn_deg % 360 else ""
    return tr("place {place}{turned}", place=run.place, turned=turned)


def plate_key(run: Run) -> tuple[int, int]:
    """Return what tells a run's plate from the others; a plate without an id is that of a single run."""
    return (run.plate.id, 0) if run.plate.id else (0, run.id)
