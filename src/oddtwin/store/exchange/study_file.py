"""The study file: one study as JSON with a published schema."""

from __future__ import annotations

from dataclasses import asdict, replace

from pydantic import ValidationError

from oddtwin.core.design import Design, DesignKind, design_values
from oddtwin.core.study import (
    Arm,
    ArmFile,
    ArmRole,
    Decision,
    Deviation,
    Estimate,
    Factor,
    HeldItem,
    Level,
    Look,
    Machine,
    NominalSize,
    Piece,
    Plan,
    Rates,
    Recheck,
    Response,
    Run,
    RunReading,
    Slot,
    Spool,
    Study,
    StudyBlock,
    TwinCheckResult,
)
from oddtwin.store.columns import first_fault
from oddtwin.store.errors import StoreError
from oddtwin.store.exchange.study_parts import (
    ArmFilePart,
    ArmPart,
    DecisionPart,
    DesignPart,
    EstimatePart,
    FactorPart,
    LevelPart,
    LookPart,
    MachinePart,
    PiecePart,
    PlanPart,
    RatesPart,
    ReadingPart,
    RecheckPart,
    ResponsePart,
    RunPart,
    SizePart,
    SlotPart,
    SpoolPart,
    StudyFile,
    TwinCheckPart,
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
        return _to_study(_with_factor(StudyFile.model_validate_json(text)))
    except ValidationError as error:
        raise StoreError(f"{source}, at {first_fault(error)}. Nothing was imported.") from None
    except (ValueError, RecursionError) as error:
        raise StoreError(f"{source}: {error}. Nothing was imported.") from None


def _to_file(study: Study) -> StudyFile:
    names = _Names(study)
    used = {block.piece_id for block in study.blocks} | set(study.plan.piece_ids if study.plan else ())
    used_machines = {block.machine_id for block in study.blocks} | {run.machine_id for run in study.runs}
    used_machines |= set(study.plan.machine_ids if study.plan else ())
    return StudyFile(
        name=study.name,
        question=study.question,
        created=study.created,
        arms=[_arm_part(study, arm) for arm in study.arms],
        factors=[_factor_part(factor) for factor in study.factors],
        responses=[ResponsePart.model_validate(item, from_attributes=True) for item in study.responses],
        held=[item.text for item in study.held],
        machines=[
            MachinePart.model_validate(machine, from_attributes=True)
            for machine in study.machines.values()
            if machine.id in used_machines
        ],
        pieces=[_piece_part(study, piece) for piece in study.pieces.values() if piece.id in used],
        spools=[
            SpoolPart.model_validate(spool, from_attributes=True)
            for spool in study.spools
            if spool.name in {run.spool for run in study.runs}
        ],
        rates=RatesPart.model_validate(study.rates, from_attributes=True),
        plan=_plan_part(study),
        runs=[_run_part(study, run, names) for run in study.runs],
        twin_checks=[
            TwinCheckPart(piece=_piece_name(study, check.piece_id), at=check.at, result=dict(check.result))
            for check in study.checks
        ],
        decision=DecisionPart.model_validate(study.decision, from_attributes=True)
        if study.decision
        else None,
        looks=[LookPart.model_validate(look, from_attributes=True) for look in study.looks],
    )


def _arm_part(study: Study, arm: Arm) -> ArmPart:
    values = {
        factor.name: level.value or f"level {number}"
        for factor in study.factors
        for number, level in enumerate(factor.levels, 1)
        if level.id in arm.level_ids
    }
    files = [_file_part(study, file) for file in study.files if file.arm_id == arm.id]
    return ArmPart(
        name=arm.name,
        baseline=arm.is_baseline,
        role=arm.role,
        of_change=arm.of_change,
        levels=values,
        files=files,
    )


def _file_part(study: Study, file: ArmFile) -> ArmFilePart:
    return ArmFilePart(
        piece=_piece_name(study, file.piece_id),
        name=file.name,
        sha256=file.sha256,
        size=file.size,
        layers=file.layers,
        filament_mm=file.filament_mm,
        waste_mm=file.waste_mm,
        seconds={
            study.machines[key].name: value for key, value in file.seconds.items() if key in study.machines
        },
    )


def _piece_name(study: Study, piece_id: int | None) -> str:
    piece = study.pieces.get(piece_id or 0)
    return piece.name if piece else ""


def _factor_part(factor: Factor) -> FactorPart:
    # A level that has no value yet is called by its number, so that arms can name it.
    levels = [
        LevelPart.model_validate(replace(level, value=level.value or f"level {number}"), from_attributes=True)
        for number, level in enumerate(factor.levels, 1)
    ]
    return FactorPart(
        kind=factor.kind,
        name=factor.name,
        levels=levels,
        disturbs=factor.disturbs,
        disturbs_by_hand=factor.disturbs_by_hand,
    )


def _piece_part(study: Study, piece: Piece) -> PiecePart:
    return PiecePart(
        name=piece.name,
        zones=list(piece.zones),
        minutes=piece.minutes,
        part_g=piece.part_g,
        waste_g=piece.waste_g,
        faults=list(piece.faults),
        sizes=[SizePart(name=size.name, mm=size.mm) for size in piece.sizes],
        on_machines=[
            EstimatePart(machine=study.machines[key].name, **asdict(takes))
            for key, takes in piece.on_machines.items()
            if key in study.machines
        ],
    )


def _plan_part(study: Study) -> PlanPart | None:
    plan = study.plan
    if plan is None:
        return None
    return PlanPart(
        repeats=plan.repeats,
        twins=plan.twins,
        seed=plan.seed,
        order_version=plan.order_version,
        design=_design_part(study, plan.design),
        spools=list(plan.spools),
        frozen=plan.frozen,
        machines=[study.machines[key].name for key in plan.machine_ids],
        pieces=[study.pieces[key].name for key in plan.piece_ids],
    )


def _design_part(study: Study, design: Design) -> DesignPart:
    values = design_values(design)
    hard = study.factors[design.hard_factor].name if design.kind is DesignKind.SPLIT_PLOT else ""
    kept = {name: values[name] for name in DesignPart.model_fields if name != "hard_factor"}
    return DesignPart(hard_factor=hard, **kept)


class _Names:
    """Names for everything that a study links by id, looked up once for all its runs."""

    def __init__(self, study: Study) -> None:
        self.arms = {arm.id: arm.name for arm in study.arms}
        self.responses = {item.id: item.name for item in study.responses}
        self.codes = {item.id: item.code for item in study.runs}
        self.places = study.index.places
        self.readings = study.index.readings


def _run_part(study: Study, run: Run, names: _Names) -> RunPart:
    pair, machine, piece = names.places[run.id]
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
            for item in names.readings[run.id]
        ],
        operator=run.operator,
        place=run.place,
        turn_deg=run.turn_deg,
        slot=SlotPart.model_validate(run.slot, from_attributes=True) if run.slot else None,
        rechecks=[
            RecheckPart(text=item.text, at=item.at, waived=item.waived)
            for item in study.index.rechecks[run.id]
        ],
        departures=[item.text for item in study.index.deviations[run.id]],
        sha256=run.sha256,
    )


class _Numbers:
    """Numbers from 1 for everything that a file links by name."""

    def __init__(self, file: StudyFile) -> None:
        self.machine_differs = any(item.kind == "machine" for item in file.factors)
        plan_machines, plan_pieces = (file.plan.machines, file.plan.pieces) if file.plan else ([], [])
        levels = [level.value for item in file.factors if item.kind == "machine" for level in item.levels]
        listed = [*(item.name for item in file.machines), *plan_machines, *levels]
        listed += [takes.machine for piece in file.pieces for takes in piece.on_machines]
        self.machines = _ids([*listed, *(run.machine for run in file.runs if run.machine)])
        named = [piece.name for piece in file.pieces]
        self.pieces = _ids([*named, *plan_pieces, *(run.piece for run in file.runs if run.piece)])
        self.arms = _ids([arm.name for arm in file.arms])
        self.responses = _ids([item.name for item in file.responses])
        self.runs = _ids([run.code for run in file.runs])
        self.blocks = {
            place: number
            for number, place in enumerate(dict.fromkeys(self.block(run) for run in file.runs), 1)
        }
        self.levels = {
            pair: number
            for number, pair in enumerate(
                ((item.name, place) for item in file.factors for place in range(len(item.levels))), 1
            )
        }

    def block(self, run: RunPart) -> tuple[str, str, str]:
        """Return what makes the block of a run; the machine does not where it is what differs."""
        return run.pair, "" if self.machine_differs else run.machine, run.piece


def _with_factor(file: StudyFile) -> StudyFile:
    """Let arms that are to be drawn, and are named without factors, be the levels of one."""
    if file.factors or file.runs or file.plan is None:
        return file
    named = sorted((arm for arm in file.arms if not arm.role), key=lambda arm: not arm.baseline)
    factor = FactorPart(kind="settings pack", name="arm", levels=[LevelPart(value=arm.name) for arm in named])
    arms = [arm if arm.role else arm.model_copy(update={"levels": {"arm": arm.name}}) for arm in file.arms]
    plan = file.plan
    if len(named) > 2 and plan.design.kind is DesignKind.PAIRS:
        design = plan.design.model_copy(update={"kind": DesignKind.SEVERAL})
        plan = plan.model_copy(update={"design": design})
    return file.model_copy(update={"factors": [factor], "arms": arms, "plan": plan})


def _to_study(file: StudyFile) -> Study:
    numbers = _Numbers(file)
    decision = file.decision
    return Study(
        id=0,
        name=file.name,
        question=file.question,
        created=file.created,
        arms=_arms(file, numbers),
        factors=tuple(_factor(number, item, numbers) for number, item in enumerate(file.factors, 1)),
        responses=tuple(Response(id=number, **dict(item)) for number, item in enumerate(file.responses, 1)),
        held=tuple(HeldItem(number, text) for number, text in enumerate(file.held, 1)),
        plan=_plan(file, numbers),
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
        decision=Decision(decision.kind, decision.reason, decision.at) if decision else None,
        looks=tuple(Look(item.at, item.who, item.what, item.advised) for item in file.looks),
        rechecks=tuple(
            Recheck(0, numbers.runs[run.code], item.text, item.at, item.waived)
            for run in file.runs
            for item in run.rechecks
        ),
        machines=_machines(file, numbers),
        pieces=_pieces(file, numbers),
        spools=tuple(Spool(number, **dict(item)) for number, item in enumerate(file.spools, 1)),
        rates=Rates(**dict(file.rates)) if file.rates else Rates(),
        files=tuple(
            ArmFile(
                id=0,
                arm_id=numbers.arms[arm.name],
                piece_id=numbers.pieces.get(item.piece),
                sha256=item.sha256,
                name=item.name,
                size=item.size,
                layers=item.layers,
                filament_mm=item.filament_mm,
                waste_mm=item.waste_mm,
                seconds={
                    numbers.machines[name]: value
                    for name, value in item.seconds.items()
                    if name in numbers.machines
                },
            )
            for arm in file.arms
            for item in arm.files
        ),
        checks=tuple(
            TwinCheckResult(0, numbers.pieces.get(item.piece), item.at, item.result)
            for item in file.twin_checks
        ),
    )


def _arms(file: StudyFile, numbers: _Numbers) -> tuple[Arm, ...]:
    if not file.arms:
        # What they stand for follows when the order is drawn.
        return (Arm(1, "Baseline", True), Arm(2, "Change", False))
    arms = []
    for part in file.arms:
        levels = []
        for factor in file.factors if part.levels else ():
            values = [level.value for level in factor.levels]
            value = part.levels.get(factor.name, values[0])
            levels.append(numbers.levels[factor.name, values.index(value)])
        ids = tuple(levels)
        arms.append(Arm(numbers.arms[part.name], part.name, part.baseline, ids, part.role, part.of_change))
    return tuple(arms)


def _factor(number: int, part: FactorPart, numbers: _Numbers) -> Factor:
    levels = tuple(
        Level(numbers.levels[part.name, place], **dict(level)) for place, level in enumerate(part.levels)
    )
    return Factor(number, part.kind, part.name, levels, part.disturbs, part.disturbs_by_hand)


def _machines(file: StudyFile, numbers: _Numbers) -> dict[int, Machine]:
    named = {item.name: item for item in file.machines}
    machines = {}
    for name, key in numbers.machines.items():
        part = named.get(name, MachinePart(name=name))
        machines[key] = Machine(key, **dict(part))
    return machines


def _run(run: RunPart, position: int, numbers: _Numbers) -> Run:
    return Run(
        id=numbers.runs[run.code],
        code=run.code,
        position=position,
        arm_id=numbers.arms[run.arm],
        block_id=numbers.blocks[numbers.block(run)],
        started=run.started if run.started else None,
        finished=run.finished if run.finished else None,
        spool=run.spool,
        note=run.note,
        set_aside=run.set_aside,
        reprint_of=numbers.runs.get(run.reprint_of),
        place=run.place,
        turn_deg=run.turn_deg,
        operator=run.operator,
        machine_id=numbers.machines.get(run.machine) if numbers.machine_differs else None,
        slot=Slot(run.slot.start, run.slot.end, run.slot.pinned) if run.slot else None,
        sha256=run.sha256,
    )


def _pieces(file: StudyFile, numbers: _Numbers) -> dict[int, Piece]:
    named = {piece.name: piece for piece in file.pieces}
    pieces = {}
    for name, key in numbers.pieces.items():
        part = named.get(name, PiecePart(name=name))
        pieces[key] = Piece(
            id=key,
            name=name,
            zones=tuple(part.zones),
            minutes=part.minutes,
            part_g=part.part_g,
            waste_g=part.waste_g,
            faults=tuple(part.faults),
            sizes=tuple(NominalSize(size.name, size.mm) for size in part.sizes),
            on_machines={
                numbers.machines[item.machine]: Estimate(item.minutes, item.part_g, item.waste_g)
                for item in part.on_machines
            },
        )
    return pieces


def _plan(file: StudyFile, numbers: _Numbers) -> Plan | None:
    part = file.plan
    if part is None:
        return None
    names = [factor.name for factor in file.factors]
    values = part.design.model_dump(exclude={"hard_factor"})
    hard = part.design.hard_factor
    return Plan(
        repeats=part.repeats,
        twins=part.twins,
        seed=part.seed,
        order_version=part.order_version,
        machine_ids=tuple(numbers.machines[name] for name in part.machines),
        piece_ids=tuple(numbers.pieces[name] for name in part.pieces),
        design=Design(
            **values,
            levels=tuple(len(factor.levels) for factor in file.factors),
            hard_factor=names.index(hard) if hard else 0,
            control=any(arm.role is ArmRole.CONTROL for arm in file.arms),
        ),
        spools=tuple(part.spools),
        frozen=part.frozen if part.frozen else None,
    )


def _slot(part: SlotPart) -> Slot:
    return Slot(part.start, part.end, part.pinned)


def _ids(names: list[str]) -> dict[str, int]:
    return {name: number for number, name in enumerate(dict.fromkeys(names), 1)}
