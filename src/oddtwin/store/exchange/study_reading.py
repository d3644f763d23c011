"""The parts of a study file as a study."""

from __future__ import annotations

from oddtwin.core.customs.kinds import ChangeKind
from oddtwin.core.design import Design, DesignKind
from oddtwin.core.language import tr
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
    Plate,
    PrintEvent,
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
    tidy_tags,
)
from oddtwin.store.exchange.looked_reading import photographs_of, sessions_of, view_ids, views_of
from oddtwin.store.exchange.part import value_of_part
from oddtwin.store.exchange.print_parts import PlatePart, RunPart
from oddtwin.store.exchange.study_parts import FactorPart, LevelPart, ResponsePart, StudyFile
from oddtwin.store.exchange.workshop_parts import MachinePart, PiecePart


def study_of(file: StudyFile) -> Study:
    """Return the study that a file tells, with ids of its own from 1.

    Raises
    ------
    ValueError
        Its parts make no study.
    """
    return _study(_with_factor(file))


class _Numbers:
    """Numbers from 1 for everything that a file links by name."""

    def __init__(self, file: StudyFile) -> None:
        machines = [item for item in file.factors if item.kind is ChangeKind.MACHINE]
        self.machine_differs = bool(machines)
        plan_machines, plan_pieces = (file.plan.machines, file.plan.pieces) if file.plan else ([], [])
        levels = [
            level.value for item in file.factors if item.kind is ChangeKind.MACHINE for level in item.levels
        ]
        listed = [*(item.name for item in file.machines), *plan_machines, *levels]
        listed += [takes.machine for piece in file.pieces for takes in piece.on_machines]
        self.machines = _ids([*listed, *(run.machine for run in file.runs if run.machine)])
        named = [piece.name for piece in file.pieces]
        named += [name for item in file.responses for name in item.pieces]
        self.pieces = _ids([*named, *plan_pieces, *(run.piece for run in file.runs if run.piece)])
        self.arms = _ids([arm.name for arm in file.arms])
        self.responses = _ids([item.name for item in file.responses])
        self.runs = _ids([run.code for run in file.runs])
        self.views = view_ids(file)
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
    factor = FactorPart(kind=ChangeKind.PACK, name="arm", levels=[LevelPart(value=arm.name) for arm in named])
    arms = [arm if arm.role else arm.model_copy(update={"levels": {"arm": arm.name}}) for arm in file.arms]
    plan = file.plan
    if len(named) > 2 and plan.design.kind is DesignKind.PAIRS:
        design = plan.design.model_copy(update={"kind": DesignKind.SEVERAL})
        plan = plan.model_copy(update={"design": design})
    return file.model_copy(update={"factors": [factor], "arms": arms, "plan": plan})


def _study(file: StudyFile) -> Study:
    numbers = _Numbers(file)
    photographs, marks = photographs_of(file, numbers.runs, numbers.views)
    sessions, answers = sessions_of(file, numbers.runs, numbers.responses, numbers.views)
    return Study(
        id=0,
        name=file.name,
        question=file.question,
        tags=tidy_tags(", ".join(file.tags)),
        created=file.created,
        arms=_arms(file, numbers),
        factors=tuple(_factor(number, item, numbers) for number, item in enumerate(file.factors, 1)),
        responses=tuple(_response(number, item, numbers) for number, item in enumerate(file.responses, 1)),
        held=tuple(HeldItem(number, text) for number, text in enumerate(file.held, 1)),
        plan=_plan(file, numbers),
        blocks=tuple(
            StudyBlock(key, label, numbers.machines.get(machine), numbers.pieces.get(piece))
            for (label, machine, piece), key in numbers.blocks.items()
        ),
        runs=_runs(file, numbers),
        readings=tuple(
            value_of_part(
                RunReading,
                item,
                id=0,
                run_id=numbers.runs[run.code],
                response_id=numbers.responses[item.response],
            )
            for run in file.runs
            for item in run.readings
        ),
        deviations=tuple(
            Deviation(0, numbers.runs[run.code], text) for run in file.runs for text in run.departures
        ),
        decision=value_of_part(Decision, file.decision) if file.decision else None,
        looks=tuple(value_of_part(Look, item) for item in file.looks),
        rechecks=tuple(
            value_of_part(Recheck, item, id=0, run_id=numbers.runs[run.code])
            for run in file.runs
            for item in run.rechecks
        ),
        machines=_machines(file, numbers),
        pieces=_pieces(file, numbers),
        spools=tuple(value_of_part(Spool, item, id=number) for number, item in enumerate(file.spools, 1)),
        rates=value_of_part(Rates, file.rates) if file.rates else Rates(),
        files=_files(file, numbers),
        checks=tuple(
            value_of_part(TwinCheckResult, item, id=0, piece_id=numbers.pieces.get(item.piece))
            for item in file.twin_checks
        ),
        photographs=photographs,
        marks=marks,
        sessions=sessions,
        answers=answers,
    )


def _response(number: int, part: ResponsePart, numbers: _Numbers) -> Response:
    pieces = tuple(numbers.pieces[name] for name in part.pieces)
    return value_of_part(Response, part, id=number, piece_ids=pieces)


def _arms(file: StudyFile, numbers: _Numbers) -> tuple[Arm, ...]:
    if not file.arms:
        # What they stand for follows when the order is drawn.
        return (Arm(1, tr("Baseline"), True), Arm(2, tr("Change"), False))
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
        value_of_part(Level, level, id=numbers.levels[part.name, place])
        for place, level in enumerate(part.levels)
    )
    return value_of_part(Factor, part, id=number, levels=levels)


def _machines(file: StudyFile, numbers: _Numbers) -> dict[int, Machine]:
    named = {item.name: item for item in file.machines}
    return {
        key: value_of_part(Machine, named.get(name, MachinePart(name=name)), id=key)
        for name, key in numbers.machines.items()
    }


def _runs(file: StudyFile, numbers: _Numbers) -> tuple[Run, ...]:
    plates = [_plate(number, part) for number, part in enumerate(file.plates, 1)]
    return tuple(
        value_of_part(
            Run,
            run,
            id=numbers.runs[run.code],
            position=position,
            arm_id=numbers.arms[run.arm],
            block_id=numbers.blocks[numbers.block(run)],
            plate=plates[run.plate - 1] if run.plate else Plate(),
            reprint_of=numbers.runs.get(run.reprint_of),
            machine_id=numbers.machines.get(run.machine) if numbers.machine_differs else None,
        )
        for position, run in enumerate(file.runs)
    )


def _plate(number: int, part: PlatePart) -> Plate:
    slot = value_of_part(Slot, part.slot) if part.slot else None
    events = tuple(value_of_part(PrintEvent, event) for event in part.events)
    return value_of_part(Plate, part, id=number, slot=slot, events=events)


def _files(file: StudyFile, numbers: _Numbers) -> tuple[ArmFile, ...]:
    return tuple(
        value_of_part(
            ArmFile,
            item,
            id=0,
            arm_id=numbers.arms[arm.name],
            piece_id=numbers.pieces.get(item.piece),
            seconds={
                numbers.machines[name]: value
                for name, value in item.seconds.items()
                if name in numbers.machines
            },
        )
        for arm in file.arms
        for item in arm.files
    )


def _pieces(file: StudyFile, numbers: _Numbers) -> dict[int, Piece]:
    named = {piece.name: piece for piece in file.pieces}
    pieces = {}
    for name, key in numbers.pieces.items():
        part = named.get(name, PiecePart(name=name))
        pieces[key] = value_of_part(
            Piece,
            part,
            id=key,
            sizes=tuple(value_of_part(NominalSize, size) for size in part.sizes),
            views=views_of(part, key, numbers.views),
            on_machines={
                numbers.machines[item.machine]: value_of_part(Estimate, item) for item in part.on_machines
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
    return value_of_part(
        Plan,
        part,
        machine_ids=tuple(numbers.machines[name] for name in part.machines),
        piece_ids=tuple(numbers.pieces[name] for name in part.pieces),
        design=Design(
            **values,
            levels=tuple(len(factor.levels) for factor in file.factors),
            hard_factor=names.index(hard) if hard else 0,
            control=any(arm.role in (ArmRole.CONTROL, ArmRole.POSITIVE) for arm in file.arms),
        ),
    )


def _ids(names: list[str]) -> dict[str, int]:
    return {name: number for number, name in enumerate(dict.fromkeys(names), 1)}
