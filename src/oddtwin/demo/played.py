"""A study out of a file, printed and measured by stand-ins into a lab book of its own."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

import numpy as np

from oddtwin import operations
from oddtwin.core.readings import ResponseKind
from oddtwin.core.study import Response, Role, RunState, Study
from oddtwin.demo.playing import SimulatedBench
from oddtwin.demo.prints import Effect, Printing
from oddtwin.store import LabBook, load_study

SD_SHARE = 0.01
"""Twins differ by so much of their mean where nobody says."""
GRADE_SD = 0.3


class PlayError(ValueError):
    """A study cannot be played; one sentence."""


def play_study(
    folder: Path,
    study: Study,
    seed: int,
    given: Mapping[str, Mapping[str, float]],
    *,
    devices: bool = True,
) -> LabBook:
    """Print and measure every run of a study, and leave a filled lab book; it is returned open.

    Parameters
    ----------
    folder : Path
        Of the new lab book.
    study : Study
        With its question; its order is drawn where it has none, and nothing of it is printed yet.
    seed : int
        Of all that is drawn.
    given : mapping of str to mapping of str to float
        By response, ``effect`` (what the change adds), ``mean`` of the baseline, and ``sd`` between twins.
    devices : bool
        Whether simulated devices read what they can.

    Raises
    ------
    PlayError
        A response is not in the study, or it has no order of runs that could be printed.
    """
    names = {response.name for response in study.responses}
    unknown = next((name for name in given if name not in names), None)
    if unknown is not None:
        raise PlayError(f"The study has no response “{unknown}”; it has {', '.join(sorted(names))}.")
    if not study.runs:
        raise PlayError("The study has no runs; draw its order under Plan first, or with “plan”.")
    # What was printed already would be printed over, and nobody would see which is which.
    if any(run.state is not RunState.PLANNED for run in study.runs):
        raise PlayError("Runs of it were printed already; take a study whose runs are planned only.")
    book = LabBook.create(folder, study.name)
    operations.add_whole_study(book, study=study)
    (summary,) = book.summaries()
    with book.reading() as connection:
        kept = load_study(connection, summary.id)
    effects = {
        response.name: _effect(kept, response, given.get(response.name, {})) for response in kept.responses
    }
    rng = np.random.default_rng(seed)
    spool = kept.spools[0].name if kept.spools else "one spool"
    if not devices:
        Printing(book, kept.id, rng, spool, "2026-01-05").make(effects)
        return book
    with SimulatedBench(seed) as bench:
        Printing(book, kept.id, rng, spool, "2026-01-05", bench).make(effects)
    return book


def _effect(study: Study, response: Response, given: Mapping[str, float]) -> Effect:
    """Return means and scatter of a response, as given or as its piece makes likely."""
    piece = next(iter(study.pieces.values()), None)
    usual = 0.0
    if piece is not None and response.role is not None:
        usual = {Role.TIME: piece.minutes, Role.PART: piece.part_g, Role.WASTE: piece.waste_g}.get(
            response.role, 0.0
        )
    graded = response.kind is ResponseKind.GRADE
    mean = given.get("mean", usual or (1.0 if graded else 20.0))
    return Effect(
        mean, given.get("sd", GRADE_SD if graded else SD_SHARE * abs(mean)), given.get("effect", 0.0)
    )
