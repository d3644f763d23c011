"""A study's readings as the tidy rows that the engine and the CSV file share."""

from __future__ import annotations

from collections import defaultdict

from oddtwin.core.readings import Reading
from oddtwin.core.study.index import derived
from oddtwin.core.study.printed import RunState
from oddtwin.core.study.question import can_show
from oddtwin.core.study.whole import Study


@derived
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
    values: dict[tuple[int, int], list[tuple[str, float | None]]] = defaultdict(list)
    for item in study.readings:
        values[item.run_id, item.response_id].append((item.zone, item.value))
    where = study.index.places
    arms = {arm.id: arm.name for arm in study.arms}
    made = [run for run in study.runs if run.state in (RunState.PRINTED, RunState.SET_ASIDE)]
    days = {run.id: run.started.date().isoformat() if run.started else "" for run in made}
    missing: list[tuple[str, float | None]] = [("", None)]
    of_block = {block.id: study.pieces.get(block.piece_id or 0) for block in study.blocks}
    return [
        Reading(
            arms[run.arm_id],
            value,
            response.name,
            response.unit,
            *where[run.id],
            run=run.code,
            zone=zone,
            type=response.type,
            combine=response.combine,
            set_aside=run.set_aside,
            spool=run.spool,
            day=days[run.id],
        )
        for response in study.responses
        for run in made
        for zone, value in values.get((run.id, response.id))
        or (missing if can_show(of_block[run.block_id], response) else ())
    ]
