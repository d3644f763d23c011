"""A study's readings as the tidy rows that the engine and the CSV file share."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import fields, replace
from typing import Any, Final

from oddtwin.core.language import tr
from oddtwin.core.readings import (
    Better,
    Combine,
    PrintValue,
    Reading,
    ResponseKind,
    Subject,
    Taken,
    pooled,
    value_of,
)
from oddtwin.core.study.plates import plates
from oddtwin.core.study.printed import Run, RunReading, RunState
from oddtwin.core.study.question import Response, can_show
from oddtwin.core.study.whole import Study, derived, derived_from

TAKEN: Final = tuple(field.name for field in fields(Taken))
"""What is told of a reading besides its value and what it is of."""


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
        a response has one row without a value, so that it is not lost from sight; of what is
        read once for a plate only its first print has.
    """
    made = [run for run in study.runs if run.state in (RunState.PRINTED, RunState.SET_ASIDE)]
    read = _read(study)
    return [
        row
        for response in study.responses
        for run in made
        for row in _rows(study, response, run, read[run.id, response.id])
    ]


@derived
def print_values(study: Study) -> Mapping[int, Sequence[PrintValue]]:
    """Return every print of every response, by the response's id, reduced to its one value.

    Where a response is of the plate or of the machine, its prints are what is compared: one
    value for each plate, or for each arm on a machine. Prints of one arm that have a plate for
    themselves are one too: what happens to a plate happens to all of them.
    """
    made = [run for run in study.runs if run.state in (RunState.PRINTED, RunState.SET_ASIDE)]
    read = _read(study)
    found = {}
    for response in study.responses:
        prints = [
            _print(study, response, run, readings)
            for run in made
            for readings in [read[run.id, response.id]]
            if readings or is_missed(study, response, run)
        ]
        found[response.id] = _units(study, response, prints)
    failing = failures(study)
    if failing is not None:
        found[failing.id] = _units(study, failing, [_failed(study, run) for run in made])
    return found


@derived_from("runs")
def failures(study: Study) -> Response | None:
    """Return the response “prints that failed”, where one did because of what was changed."""
    if not any(run.failed for run in study.runs):
        return None
    return Response(
        0, tr("Prints that failed"), "", ResponseKind.YES_NO, Combine.MEAN, Better.LOWER,
        None, None, None, False, None, False,
    )  # fmt: skip


def _failed(study: Study, run: Run) -> PrintValue:
    pair, machine, piece = study.index.places[run.id]
    return PrintValue(
        study.index.arms[run.arm_id].name, pair, machine, piece, run.code, run.spool, _day(run),
        float(bool(run.failed)), set_aside=run.set_aside, plate=plate_name(study, run),
    )  # fmt: skip


@derived
def zone_values(study: Study) -> Mapping[int, Mapping[str, Sequence[PrintValue]]]:
    """Return the prints of every response by its id and by zone, each reduced to its value there.

    Only responses that are read in two zones or more have any; retakes of a zone are one.
    """
    made = {run.id: run for run in study.runs if run.state in (RunState.PRINTED, RunState.SET_ASIDE)}
    responses = study.index.responses
    found: dict[int, dict[str, list[PrintValue]]] = defaultdict(lambda: defaultdict(list))
    for (run_id, response_id), readings in _read(study).items():
        if run_id not in made or not any(item.zone for item in readings):
            continue
        by_zone: dict[str, list[RunReading]] = defaultdict(list)
        for item in readings:
            by_zone[item.zone].append(item)
        response = responses[response_id]
        for zone, some in by_zone.items():
            found[response_id][zone].append(_print(study, response, made[run_id], some))
    return {
        key: {zone: _units(study, responses[key], prints) for zone, prints in zones.items()}
        for key, zones in found.items()
        if len(zones) > 1
    }


def _print(study: Study, response: Response, run: Run, readings: Sequence[RunReading]) -> PrintValue:
    value = value_of([item for item in readings if not item.word], response.rule)
    pair, machine, piece = study.index.places[run.id]
    return PrintValue(
        arm=study.index.arms[run.arm_id].name,
        pair=pair,
        machine=machine,
        piece=piece,
        run=run.code,
        spool=run.spool,
        day=_day(run),
        value=value.value if value else None,
        worst=value.worst if value else None,
        reach=value.reach if value else None,
        words=tuple(item.word for item in readings if item.word),
        set_aside=run.set_aside,
        plate=plate_name(study, run),
        tries=value.tries if value else 1,
    )


def _day(run: Run) -> str:
    return run.started.date().isoformat() if run.started else ""


def _read(study: Study) -> Mapping[tuple[int, int], list[RunReading]]:
    """Return readings by the ids of their run and response."""
    read: dict[tuple[int, int], list[RunReading]] = defaultdict(list)
    for item in study.readings:
        read[item.run_id, item.response_id].append(item)
    return read


def _rows(study: Study, response: Response, run: Run, read: Sequence[RunReading]) -> list[Reading]:
    known: dict[str, Any] = {
        "response": response.name,
        "unit": response.unit,
        **study.index.places[run.id]._asdict(),
        "run": run.code,
        "kind": response.kind,
        "combine": response.combine,
        "set_aside": run.set_aside,
        "failed": run.failed,
        "spool": run.spool,
        "day": _day(run),
        "plate": plate_name(study, run),
    }
    arm = study.index.arms[run.arm_id].name
    if not read:
        return [Reading(arm, None, **known)] if is_missed(study, response, run) else []
    return [
        Reading(
            arm, None if item.word else item.value, **known, **{name: getattr(item, name) for name in TAKEN}
        )
        for item in read
    ]


def is_missed(study: Study, response: Response, run: Run) -> bool:
    """Return whether a run without a reading of a response lacks it: its piece can show it.

    What is read once for a plate, or for a machine, is lacked only by the first of its prints
    where none of them has it.
    """
    # A print that failed cannot show the rest: that it failed is what there is to know of it.
    if run.failed or not can_show(study.piece_of(run), response):
        return False
    if response.subject is Subject.PIECE:
        return True
    group = plates(study)[run.id] if response.subject is Subject.PLATE else _on_machine(study, run)
    read = any(item.response_id == response.id for one in group for item in study.index.readings[one.id])
    # Told once, of the first print: else a plate of nine would miss the same reading nine times.
    return not read and run.id == group[0].id


def plate_name(study: Study, run: Run) -> str:
    """Return the name of a plate that a run shares with others: the code of its first; else nothing."""
    group = plates(study)[run.id]
    return group[0].code if len(group) > 1 else ""


def _on_machine(study: Study, run: Run) -> tuple[Run, ...]:
    """The runs of an arm on a machine."""
    machines = study.index.machine_ids
    return tuple(
        one for one in study.runs if one.arm_id == run.arm_id and machines[one.id] == machines[run.id]
    )


def _units(study: Study, response: Response, prints: Sequence[PrintValue]) -> Sequence[PrintValue]:
    if response.subject is Subject.MACHINE:
        # Blocks are made of one machine each; here the machine is the block.
        return [replace(item, pair=item.machine, piece="") for item in pooled(prints, lambda item: item.arm)]
    names = unit_names(study)
    if all(names[run.id] == run.code for run in study.runs):
        return prints
    of_code = {run.code: names[run.id] for run in study.runs}
    return pooled(prints, lambda item: of_code[item.run])


@derived_from("runs")
def unit_names(study: Study) -> Mapping[int, str]:
    """Return what each run is compared as, by its id: itself, or its plate where all on it are one arm."""
    named = {}
    for run in study.runs:
        group = plates(study)[run.id]
        # Prints of one plate share its heat-up, its bed and its luck: counted one by one they would promise
        # more than was tried.
        whole = len(group) > 1 and len({one.arm_id for one in group}) == 1
        named[run.id] = group[0].code if whole else run.code
    return named
