"""The study file: one study as JSON with a published schema."""

from __future__ import annotations

from datetime import datetime

from pydantic import ValidationError

from oddtwin.core.study import (
    Arm,
    Decision,
    Deviation,
    Factor,
    HeldItem,
    Machine,
    Piece,
    Plan,
    Response,
    Run,
    RunReading,
    Study,
    StudyBlock,
    places,
    readings_by_run,
)
from oddtwin.store.errors import StoreError
from oddtwin.store.exchange.study_parts import (
    ArmPart,
    DecisionPart,
    FactorPart,
    PiecePart,
    PlanPart,
    ReadingPart,
    ResponsePart,
    RunPart,
    StudyFile,
)


def write_study(study: Study) -> str:
    """Write a study as JSON text that ``read_study`` reads back."""
    return _to_file(study).model_dump_json(indent=2) + "\n"


def read_study(text: str, source: str) -> Study:
    """Read a study from JSON text.

    Parameters
    ----------
    text : str
        As ``write_study`` gives it.
    source : str
        Name of the file, for the message.

    Returns
    -------
    Study
        With ids of its own, from 1.

    Raises
    ------
    StoreError
        A sentence that says where and why the file cannot be read.
    """
    try:
        return _to_study(StudyFile.model_validate_json(text))
    except ValidationError as error:
        first = error.errors()[0]
        place = " › ".join(str(part) for part in first["loc"])
        where = f"{source}, at {place}" if place else source
        raise StoreError(f"{where}: {first['msg']}. Nothing was imported.") from None


def _to_file(study: Study) -> StudyFile:
    names = _Names(study)
    used = {block.piece_id for block in study.blocks} | set(study.plan.piece_ids if study.plan else ())
    return StudyFile(
        name=study.name,
        question=study.question,
        created=study.created,
        arms=[ArmPart(name=arm.name, baseline=arm.is_baseline) for arm in study.arms],
        factors=[
            FactorPart(kind=item.kind, name=item.name, baseline=item.baseline_level, change=item.change_level)
            for item in study.factors
        ],
        responses=[ResponsePart.model_validate(item, from_attributes=True) for item in study.responses],
        held=[item.text for item in study.held],
        pieces=[
            PiecePart.model_validate(piece, from_attributes=True)
            for piece in study.pieces.values()
            if piece.id in used
        ],
        plan=_plan_part(study),
        runs=[_run_part(study, run, names) for run in study.runs],
        decision=DecisionPart.model_validate(study.decision, from_attributes=True)
        if study.decision
        else None,
        verdict_seen=study.verdict_seen,
    )


def _plan_part(study: Study) -> PlanPart | None:
    plan = study.plan
    if plan is None:
        return None
    return PlanPart(
        pairs=plan.pairs,
        twins=plan.twins,
        seed=plan.seed,
        order_version=plan.order_version,
        machines=[study.machines[key].name for key in plan.machine_ids],
        pieces=[study.pieces[key].name for key in plan.piece_ids],
    )


class _Names:
    """Names for everything that a study links by id, looked up once for all its runs."""

    def __init__(self, study: Study) -> None:
        self.arms = {arm.id: arm.name for arm in study.arms}
        self.responses = {item.id: item.name for item in study.responses}
        self.codes = {item.id: item.code for item in study.runs}
        self.places = places(study)
        self.readings = readings_by_run(study)


def _run_part(study: Study, run: Run, names: _Names) -> RunPart:
    pair, machine, piece = names.places[run.block_id]
    return RunPart(
        code=run.code,
        arm=names.arms[run.arm_id],
        pair=pair,
        machine=machine,
        piece=piece,
        started=run.started,
        finished=run.finished,
        spool=run.spool,
        note=run.note,
        set_aside=run.set_aside,
        reprint_of=names.codes.get(run.reprint_of or 0, ""),
        readings=[
            ReadingPart(response=names.responses[item.response_id], zone=item.zone, value=item.value)
            for item in names.readings.get(run.id, [])
        ],
        departures=[item.text for item in study.deviations if item.run_id == run.id],
    )


class _Numbers:
    """Numbers from 1 for everything that a file links by name."""

    def __init__(self, file: StudyFile) -> None:
        plan_machines, plan_pieces = (file.plan.machines, file.plan.pieces) if file.plan else ([], [])
        self.machines = _ids([*plan_machines, *(run.machine for run in file.runs if run.machine)])
        named = [piece.name for piece in file.pieces]
        self.pieces = _ids([*named, *plan_pieces, *(run.piece for run in file.runs if run.piece)])
        self.arms = _ids([arm.name for arm in file.arms])
        self.responses = _ids([item.name for item in file.responses])
        self.runs = _ids([run.code for run in file.runs])
        self.blocks = {
            place: number
            for number, place in enumerate(
                dict.fromkeys((run.pair, run.machine, run.piece) for run in file.runs), 1
            )
        }


def _to_study(file: StudyFile) -> Study:
    numbers = _Numbers(file)
    decision = file.decision
    return Study(
        id=0,
        name=file.name,
        question=file.question,
        created=_local(file.created),
        arms=tuple(Arm(numbers.arms[arm.name], arm.name, arm.baseline) for arm in file.arms),
        factors=tuple(
            Factor(number, item.kind, item.name, item.baseline, item.change)
            for number, item in enumerate(file.factors, 1)
        ),
        responses=tuple(Response(id=number, **dict(item)) for number, item in enumerate(file.responses, 1)),
        held=tuple(HeldItem(number, text) for number, text in enumerate(file.held, 1)),
        plan=_plan(file.plan, numbers),
        blocks=tuple(
            StudyBlock(key, label, numbers.machines.get(machine), numbers.pieces.get(piece))
            for (label, machine, piece), key in numbers.blocks.items()
        ),
        runs=tuple(_run(run, position, numbers) for position, run in enumerate(file.runs)),
        readings=tuple(
            RunReading(0, numbers.runs[run.code], numbers.responses[item.response], item.zone, item.value)
            for run in file.runs
            for item in run.readings
        ),
        deviations=tuple(
            Deviation(0, numbers.runs[run.code], text) for run in file.runs for text in run.departures
        ),
        decision=Decision(decision.kind, decision.reason, _local(decision.at)) if decision else None,
        verdict_seen=_local(file.verdict_seen) if file.verdict_seen else None,
        machines={key: Machine(key, name) for name, key in numbers.machines.items()},
        pieces=_pieces(file, numbers),
    )


def _run(run: RunPart, position: int, numbers: _Numbers) -> Run:
    return Run(
        id=numbers.runs[run.code],
        code=run.code,
        position=position,
        arm_id=numbers.arms[run.arm],
        block_id=numbers.blocks[run.pair, run.machine, run.piece],
        started=_local(run.started) if run.started else None,
        finished=_local(run.finished) if run.finished else None,
        spool=run.spool,
        note=run.note,
        set_aside=run.set_aside,
        reprint_of=numbers.runs.get(run.reprint_of),
    )


def _pieces(file: StudyFile, numbers: _Numbers) -> dict[int, Piece]:
    named = {piece.name: piece for piece in file.pieces}
    pieces = {}
    for name, key in numbers.pieces.items():
        part = named.get(name, PiecePart(name=name))
        pieces[key] = Piece(key, name, tuple(part.zones), part.minutes, part.part_g, part.waste_g)
    return pieces


def _plan(part: PlanPart | None, numbers: _Numbers) -> Plan | None:
    if part is None:
        return None
    return Plan(
        pairs=part.pairs,
        twins=part.twins,
        seed=part.seed,
        order_version=part.order_version,
        machine_ids=tuple(numbers.machines[name] for name in part.machines),
        piece_ids=tuple(numbers.pieces[name] for name in part.pieces),
    )


def _ids(names: list[str]) -> dict[str, int]:
    return {name: number for number, name in enumerate(dict.fromkeys(names), 1)}


def _local(moment: datetime) -> datetime:
    """Lab books keep local time without a zone."""
    return moment.astimezone().replace(tzinfo=None) if moment.tzinfo else moment
