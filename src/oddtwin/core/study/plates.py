"""Which runs are printed together on one plate."""

from __future__ import annotations

from collections.abc import Iterable

from oddtwin.core.study.printed import Run
from oddtwin.core.study.whole import Study


def plates_of(study: Study, runs: Iterable[Run]) -> list[tuple[Run, ...]]:
    """Group runs by the plate that they share.

    Parameters
    ----------
    study : Study
        Its design says whether copies share a plate: then those of a block do, on each
        machine.
    runs : iterable of Run
        In any order.

    Returns
    -------
    list of tuple of Run
        In planned order; each run alone where plates are not shared.
    """
    ordered = sorted(runs, key=lambda run: run.position)
    if not shares_plates(study):
        return [(run,) for run in ordered]
    machines = study.index.machine_ids
    together: dict[tuple[int, int | None], list[Run]] = {}
    for run in ordered:
        together.setdefault((run.block_id, machines[run.id]), []).append(run)
    return [tuple(group) for group in together.values()]


def plate_of(study: Study, run: Run) -> tuple[Run, ...]:
    """Return the runs that share a plate with one, itself included; set-aside ones took their time too."""
    return next(plate for plate in plates_of(study, study.runs) if run in plate)


def shares_plates(study: Study) -> bool:
    """Whether the prints of a block share a plate, so that nothing is set up between them."""
    return study.plan is not None and study.plan.design.copies > 1
