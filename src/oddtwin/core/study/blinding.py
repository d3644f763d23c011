"""What may be seen of a study before the key is opened."""

from __future__ import annotations

from dataclasses import replace

from oddtwin.core.customs.kinds import ChangeKind
from oddtwin.core.quantities import seconds_of
from oddtwin.core.study.printed import Run, RunState
from oddtwin.core.study.settled import HIDDEN
from oddtwin.core.study.whole import Study, derived, derived_from


@derived
def blinded(study: Study) -> Study:
    """Return a study as a view may show it: what tells the arm of a print that is to be judged is gone.

    Parameters
    ----------
    study : Study
        Whole.

    Returns
    -------
    Study
        Prints that are made, and were not revealed since, have no arm (its id is ``HIDDEN``)
        and no file; nor a spool or machine where that is what differs. Before a print is made its
        arm has to be known, to set it up.
    """
    return replace(study, runs=_blinded_runs(study))


@derived_from("runs", "looks", "factors")
def _blinded_runs(study: Study) -> tuple[Run, ...]:
    kinds = {factor.kind for factor in study.factors}
    return tuple(
        replace(
            run.with_plate(sha256=""),
            arm_id=HIDDEN,
            # Whatever differs between the arms tells the arm: the spool, the machine, and the file that was
            # printed.
            spool="" if ChangeKind.FILAMENT in kinds else run.spool,
            machine_id=None if ChangeKind.MACHINE in kinds else run.machine_id,
        )
        if is_sealed(study, run)
        else run
        for run in study.runs
    )


def is_sealed(study: Study, run: Run) -> bool:
    """Return whether the arm of a run is not to be told: it is made, and nobody looked since."""
    if run.state not in (RunState.PRINTED, RunState.SET_ASIDE):
        return False
    made = seconds_of(run.finished or run.started)
    # A look seals nothing that is made after it: the next print is judged by its code again.
    return not any(look.of_arms or seconds_of(look.at) >= made for look in study.looks)


def revealed(study: Study) -> bool:
    """Return whether all prints that were made were looked at since."""
    return not any(is_sealed(study, run) for run in study.runs)


def advised_look(study: Study) -> bool:
    """Return whether a look is what comes next: all that is planned is printed, so nothing is taken early."""
    counting = [run for run in study.runs if run.state is not RunState.SET_ASIDE]
    return bool(counting) and all(run.state is RunState.PRINTED for run in counting)
