"""What stands on the paper of a study: labels that do not tell the arm, and run sheets that do."""

from __future__ import annotations

from datetime import datetime
from typing import Final

from oddtwin.core.language import dated, tr
from oddtwin.core.picture import RunLabel, SheetRow
from oddtwin.core.quantities import seconds_of
from oddtwin.core.runlist import checks_by_run
from oddtwin.core.study import RunState, Study, place_words, plate_key, plate_of

LONGEST_NAME: Final = 80
"""Letters of a study's name in a QR code; a code holds some 2 000 at most."""


def labels_of(study: Study) -> list[RunLabel]:
    """Return a label for each run that counts: code, piece, machine and place, never the arm.

    Parameters
    ----------
    study : Study
        With its runs.
    """
    where = study.index.places
    found = []
    for run in study.runs:
        if run.state is RunState.SET_ASIDE:
            continue
        block, machine, piece = where[run.id]
        # Where the machine is what differs, its name would tell the arm.
        shown = "" if run.machine_id else machine
        lines = (
            " · ".join(part for part in (piece, shown) if part),
            " · ".join(
                part for part in (tr("block {block}", block=block) if block else "", place_words(run)) if part
            ),
            study.name,
        )
        kept = tuple(line for line in lines if line)
        found.append(RunLabel(run.code, kept, f"odd-twin run {run.code} of {study.name[:LONGEST_NAME]}"))
    return found


def sheet_rows(study: Study) -> dict[str, list[SheetRow]]:
    """Return the lines of the run sheet of each machine, by its name: a line a piece, a number a plate."""
    where, due = study.index.places, checks_by_run(study)
    arms = study.index.arms
    found: dict[str, list[SheetRow]] = {}
    plates: dict[str, dict[tuple[int, int], int]] = {}
    runs = [run for run in study.runs if run.state is not RunState.SET_ASIDE]
    for run in sorted(runs, key=lambda run: (seconds_of(run.slot.start if run.slot else None), run.position)):
        _, machine, piece = where[run.id]
        arm = arms[run.arm_id]
        rows = found.setdefault(machine or tr("Any machine"), [])
        numbers = plates.setdefault(machine, {})
        # Pieces that share a plate are set up and started together: it is said with the first of them.
        first = plate_key(run) not in numbers
        number = numbers.setdefault(plate_key(run), len(numbers) + 1)
        alone = len({one.arm_id for one in plate_of(study, run)}) > 1
        rows.append(
            SheetRow(
                number=str(number) if first else "",
                code=run.code,
                when=_when(run.slot.start) if run.slot else "",
                piece=", ".join(part for part in (piece, place_words(run)) if part),
                set_up=study.set_up(arm) if first or alone else "",
                checks=tr("Check: ") + "; ".join(due[run.id]) if due[run.id] else "",
            )
        )
    return found


def _when(at: datetime) -> str:
    return f"{dated(at, '%a')} {at.day}.{at.month}. {at:%H:%M}"
