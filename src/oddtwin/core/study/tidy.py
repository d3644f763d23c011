"""A study's readings as the tidy rows that the engine and the CSV file share."""

from __future__ import annotations

from collections import defaultdict

from oddtwin.core.readings import Reading
from oddtwin.core.study.model import Response, Run, RunReading, RunState, Study


def readings_by_run(study: Study) -> dict[int, list[RunReading]]:
    """Gather a study's readings by the id of their run."""
    gathered: dict[int, list[RunReading]] = defaultdict(list)
    for item in study.readings:
        gathered[item.run_id].append(item)
    return gathered


def tidy_readings(study: Study) -> list[Reading]:
    """Write out every reading of every print that was finished or set aside.

    Parameters
    ----------
    study : Study
        Whole.

    Returns
    -------
    list of Reading
        Response by response, in the order of the runs. A print without a reading of
        a response has one row without a value, so that it is not lost from sight.
    """
    values: dict[tuple[int, int], list[tuple[str, float]]] = defaultdict(list)
    for item in study.readings:
        values[item.run_id, item.response_id].append((item.zone, item.value))
    blocks = {block.id: block for block in study.blocks}
    arms = {arm.id: arm.name for arm in study.arms}
    made = [run for run in study.runs if run.state in (RunState.PRINTED, RunState.SET_ASIDE)]

    def row(response: Response, run: Run, zone: str, value: float | None) -> Reading:
        block = blocks[run.block_id]
        machine = study.machines.get(block.machine_id or 0)
        piece = study.pieces.get(block.piece_id or 0)
        return Reading(
            arm=arms[run.arm_id],
            value=value,
            response=response.name,
            unit=response.unit,
            pair=block.label,
            machine=machine.name if machine else "",
            piece=piece.name if piece else "",
            run=run.code,
            zone=zone,
            type=response.type,
            combine=response.combine,
            set_aside=run.set_aside,
            spool=run.spool,
            day=run.started.date().isoformat() if run.started else "",
        )

    rows = []
    for response in study.responses:
        for run in made:
            read = values.get((run.id, response.id))
            rows += [row(response, run, zone, value) for zone, value in read or ()]
            if not read:
                rows.append(row(response, run, "", None))
    return rows
