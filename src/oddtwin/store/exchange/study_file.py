"""The study file: one study as JSON with a published schema."""

from __future__ import annotations

import json
from collections import defaultdict
from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from oddtwin.core.readings import Better, Combine, ResponseType
from oddtwin.core.study import (
    Arm,
    Decision,
    DecisionKind,
    Deviation,
    Factor,
    HeldItem,
    Machine,
    Piece,
    Plan,
    Response,
    Role,
    Run,
    RunReading,
    Study,
    StudyBlock,
    readings_by_run,
)
from oddtwin.store.errors import StoreError

Finite = Annotated[float, Field(allow_inf_nan=False)]
Name = Annotated[str, Field(min_length=1)]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid")


class ArmPart(_Part):
    """One of the two arms."""

    name: Name
    baseline: bool = False


class FactorPart(_Part):
    """What differs between the arms."""

    kind: str
    name: Name
    baseline: str = Field("", description="level in the baseline arm")
    change: str = Field("", description="level in the change arm")


class ResponsePart(_Part):
    """What is measured or graded; margin, target and resolution are in its unit."""

    name: Name
    unit: str = ""
    type: ResponseType = ResponseType.NUMBER
    combine: Combine = Field(Combine.MEAN, description="how readings of one run become one value")
    better: Better | None = None
    target: Finite | None = None
    margin: Annotated[float, Field(gt=0, allow_inf_nan=False)] | None = None
    resolution: Annotated[float, Field(gt=0, allow_inf_nan=False)] | None = None
    primary: bool = False
    role: Role | None = None
    margin_moved: bool = False

    @model_validator(mode="after")
    def _target_goes_with_direction(self) -> ResponsePart:
        if (self.target is not None) != (self.better is Better.TARGET):
            raise ValueError("a target goes with the direction “target”, and only with it")
        return self


class PiecePart(_Part):
    """A test object; minutes and grams are estimates for one print."""

    name: Name
    zones: list[str] = []
    minutes: Annotated[float, Field(ge=0, allow_inf_nan=False)] = 0.0
    part_g: Annotated[float, Field(ge=0, allow_inf_nan=False)] = 0.0
    waste_g: Annotated[float, Field(ge=0, allow_inf_nan=False)] = 0.0


class PlanPart(_Part):
    """How many prints were planned, where, and the seed of their order."""

    pairs: Annotated[int, Field(ge=1)]
    twins: Annotated[int, Field(ge=0)]
    seed: Annotated[int, Field(ge=0)]
    order_version: int
    machines: list[str]
    pieces: list[str]


class ReadingPart(_Part):
    """One value of one response; grades name a zone, waste names its kind."""

    response: str
    zone: str = ""
    value: Finite


class RunPart(_Part):
    """One print, in planned order."""

    code: Name
    arm: str
    pair: str = ""
    machine: str = ""
    piece: str = ""
    started: datetime | None = None
    finished: datetime | None = None
    spool: str = ""
    note: str = ""
    set_aside: str = Field("", description="reason why it does not count; empty when it does")
    reprint_of: str = Field("", description="code of the run that it replaces")
    readings: list[ReadingPart] = []
    departures: list[str] = []


class DecisionPart(_Part):
    """How the study was settled."""

    kind: DecisionKind
    reason: str
    at: datetime


class StudyFile(_Part):
    """One study, whole, as Odd Twin writes it."""

    format: Literal["odd-twin-study"] = "odd-twin-study"
    version: Literal[1] = 1
    name: Name
    question: str = ""
    created: datetime
    arms: Annotated[list[ArmPart], Field(min_length=2, max_length=2)]
    factors: list[FactorPart] = []
    responses: list[ResponsePart] = []
    held: list[str] = []
    pieces: list[PiecePart] = []
    plan: PlanPart | None = None
    runs: list[RunPart] = []
    decision: DecisionPart | None = None
    verdict_seen: datetime | None = None

    @model_validator(mode="after")
    def _names_fit(self) -> StudyFile:
        if sum(arm.baseline for arm in self.arms) != 1:
            raise ValueError("exactly one arm is the baseline")
        _unique("arm", [arm.name for arm in self.arms])
        _unique("response", [response.name for response in self.responses])
        _unique("run code", [run.code for run in self.runs])
        arms = {arm.name for arm in self.arms}
        responses = {response.name for response in self.responses}
        for run in self.runs:
            if run.arm not in arms:
                raise ValueError(f"run {run.code} names an unknown arm “{run.arm}”")
            for reading in run.readings:
                if reading.response not in responses:
                    raise ValueError(f"run {run.code} names an unknown response “{reading.response}”")
        return self


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


def schemas() -> dict[str, str]:
    """Return the published JSON Schemas by file name."""
    from oddtwin.store.exchange.readings_schema import ReadingRow

    models: dict[str, type[BaseModel]] = {"study": StudyFile, "readings-row": ReadingRow}
    return {
        f"{name}.schema.json": json.dumps(model.model_json_schema(), indent=2, ensure_ascii=False) + "\n"
        for name, model in models.items()
    }


def _unique(noun: str, names: list[str]) -> None:
    for name in names:
        if names.count(name) > 1:
            raise ValueError(f"the {noun} “{name}” stands twice")


def _to_file(study: Study) -> StudyFile:
    arms = {arm.id: arm.name for arm in study.arms}
    read = readings_by_run(study)
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
        runs=[_run_part(study, run, arms, read.get(run.id, [])) for run in study.runs],
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


def _run_part(study: Study, run: Run, arms: dict[int, str], read: list[RunReading]) -> RunPart:
    machine, piece = study.machine_of(run), study.piece_of(run)
    responses = {item.id: item.name for item in study.responses}
    codes = {item.id: item.code for item in study.runs}
    return RunPart(
        code=run.code,
        arm=arms[run.arm_id],
        pair=study.block_of(run).label,
        machine=machine.name if machine else "",
        piece=piece.name if piece else "",
        started=run.started,
        finished=run.finished,
        spool=run.spool,
        note=run.note,
        set_aside=run.set_aside,
        reprint_of=codes.get(run.reprint_of or 0, ""),
        readings=[
            ReadingPart(response=responses[item.response_id], zone=item.zone, value=item.value)
            for item in read
        ],
        departures=[item.text for item in study.deviations if item.run_id == run.id],
    )


def _to_study(file: StudyFile) -> Study:
    plan_machines = file.plan.machines if file.plan else []
    machine_ids = _ids([*plan_machines, *(run.machine for run in file.runs if run.machine)])
    named = {piece.name: piece for piece in file.pieces}
    plan_pieces = file.plan.pieces if file.plan else []
    piece_ids = _ids([*named, *plan_pieces, *(run.piece for run in file.runs if run.piece)])
    arms = _ids([arm.name for arm in file.arms])
    responses = _ids([item.name for item in file.responses])
    blocks: dict[tuple[str, str, str], int] = defaultdict(lambda: len(blocks) + 1)
    codes = _ids([run.code for run in file.runs])
    runs = tuple(
        Run(
            id=codes[run.code],
            code=run.code,
            position=position,
            arm_id=arms[run.arm],
            block_id=blocks[run.pair, run.machine, run.piece],
            started=_local(run.started),
            finished=_local(run.finished),
            spool=run.spool,
            note=run.note,
            set_aside=run.set_aside,
            reprint_of=codes.get(run.reprint_of),
        )
        for position, run in enumerate(file.runs)
    )
    pieces = [named.get(name, PiecePart(name=name)) for name in piece_ids]
    decision = file.decision
    return Study(
        id=0,
        name=file.name,
        question=file.question,
        created=_local(file.created) or file.created,
        arms=tuple(Arm(arms[arm.name], arm.name, arm.baseline) for arm in file.arms),
        factors=tuple(
            Factor(number, item.kind, item.name, item.baseline, item.change)
            for number, item in enumerate(file.factors, 1)
        ),
        responses=tuple(Response(id=number, **dict(item)) for number, item in enumerate(file.responses, 1)),
        held=tuple(HeldItem(number, text) for number, text in enumerate(file.held, 1)),
        plan=_plan(file.plan, machine_ids, piece_ids),
        blocks=tuple(
            StudyBlock(key, label, machine_ids.get(machine), piece_ids.get(piece))
            for (label, machine, piece), key in blocks.items()
        ),
        runs=runs,
        readings=tuple(
            RunReading(0, codes[run.code], responses[item.response], item.zone, item.value)
            for run in file.runs
            for item in run.readings
        ),
        deviations=tuple(Deviation(0, codes[run.code], text) for run in file.runs for text in run.departures),
        decision=Decision(decision.kind, decision.reason, decision.at) if decision else None,
        verdict_seen=_local(file.verdict_seen),
        machines={key: Machine(key, name) for name, key in machine_ids.items()},
        pieces={
            key: Piece(key, part.name, tuple(part.zones), part.minutes, part.part_g, part.waste_g)
            for key, part in enumerate(pieces, 1)
        },
    )


def _plan(part: PlanPart | None, machine_ids: dict[str, int], piece_ids: dict[str, int]) -> Plan | None:
    if part is None:
        return None
    return Plan(
        pairs=part.pairs,
        twins=part.twins,
        seed=part.seed,
        order_version=part.order_version,
        machine_ids=tuple(machine_ids[name] for name in part.machines),
        piece_ids=tuple(piece_ids[name] for name in part.pieces),
    )


def _ids(names: list[str]) -> dict[str, int]:
    return {name: number for number, name in enumerate(dict.fromkeys(names), 1)}


def _local(moment: datetime | None) -> datetime | None:
    """Lab books keep local time without a zone."""
    return moment.astimezone().replace(tzinfo=None) if moment and moment.tzinfo else moment
