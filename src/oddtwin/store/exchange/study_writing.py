"""A study as the parts of its file."""

from __future__ import annotations

from dataclasses import replace

from oddtwin.core.design import Design, DesignKind, design_values
from oddtwin.core.language import tr
from oddtwin.core.study import (
    Arm,
    ArmFile,
    BlindSession,
    Factor,
    MeasuredRegion,
    Piece,
    Plate,
    Response,
    Run,
    Study,
    plate_key,
)
from oddtwin.store.exchange.part import part_of
from oddtwin.store.exchange.print_parts import (
    EventPart,
    MarkPart,
    PhotographPart,
    PlatePart,
    ReadingPart,
    RecheckPart,
    RunPart,
    SlotPart,
)
from oddtwin.store.exchange.study_parts import (
    AnswerPart,
    ArmFilePart,
    ArmPart,
    DecisionPart,
    DesignPart,
    FactorPart,
    KeyLetterPart,
    LevelPart,
    LookPart,
    PlanPart,
    ResponsePart,
    SessionPart,
    StudyFile,
    TrialPart,
    TwinCheckPart,
)
from oddtwin.store.exchange.workshop_parts import (
    EstimatePart,
    MachinePart,
    PiecePart,
    RatesPart,
    RegionPart,
    RegionStepPart,
    SizePart,
    SpoolPart,
    TiePart,
    ViewPart,
)


def file_of(study: Study) -> StudyFile:
    """Return a study as the parts of its file."""
    used = {block.piece_id for block in study.blocks} | set(study.plan.piece_ids if study.plan else ())
    used |= {piece for response in study.responses for piece in response.piece_ids}
    used_machines = {block.machine_id for block in study.blocks} | {run.machine_id for run in study.runs}
    used_machines |= set(study.plan.machine_ids if study.plan else ())
    spools = {run.spool for run in study.runs}
    plates = {plate_key(run): run.plate for run in study.runs}
    number = {key: place for place, key in enumerate(plates, 1)}
    return StudyFile(
        name=study.name,
        question=study.question,
        tags=list(study.tags),
        created=study.created,
        arms=[_arm_part(study, arm) for arm in study.arms],
        factors=[_factor_part(factor) for factor in study.factors],
        responses=[_response_part(study, item) for item in study.responses],
        held=[item.text for item in study.held],
        machines=[
            part_of(MachinePart, machine)
            for machine in study.machines.values()
            if machine.id in used_machines
        ],
        pieces=[_piece_part(study, piece) for piece in study.pieces.values() if piece.id in used],
        spools=[part_of(SpoolPart, spool) for spool in study.spools if spool.name in spools],
        rates=part_of(RatesPart, study.rates),
        plan=_plan_part(study),
        plates=[_plate_part(plate) for plate in plates.values()],
        runs=[_run_part(study, run, number[plate_key(run)]) for run in study.runs],
        twin_checks=[
            part_of(TwinCheckPart, check, piece=_piece_name(study, check.piece_id), result=dict(check.result))
            for check in study.checks
        ],
        decision=part_of(DecisionPart, study.decision) if study.decision else None,
        looks=[part_of(LookPart, look) for look in study.looks],
        sessions=[_session_part(study, session) for session in study.sessions],
    )


def _arm_part(study: Study, arm: Arm) -> ArmPart:
    values = {
        factor.name: level.value or tr("level {number}", number=number)
        for factor in study.factors
        for number, level in enumerate(factor.levels, 1)
        if level.id in arm.level_ids
    }
    files = [_file_part(study, file) for file in study.files if file.arm_id == arm.id]
    return part_of(ArmPart, arm, baseline=arm.is_baseline, levels=values, files=files)


def _file_part(study: Study, file: ArmFile) -> ArmFilePart:
    seconds = {
        study.machines[key].name: value for key, value in file.seconds.items() if key in study.machines
    }
    return part_of(ArmFilePart, file, piece=_piece_name(study, file.piece_id), seconds=seconds)


def _piece_name(study: Study, piece_id: int | None) -> str:
    piece = study.pieces.get(piece_id or 0)
    return piece.name if piece else ""


def _factor_part(factor: Factor) -> FactorPart:
    # A level that has no value yet is called by its number, so that arms can name it.
    levels = [
        part_of(LevelPart, replace(level, value=level.value or tr("level {number}", number=number)))
        for number, level in enumerate(factor.levels, 1)
    ]
    return part_of(FactorPart, factor, levels=levels)


def _response_part(study: Study, response: Response) -> ResponsePart:
    pieces = [study.pieces[key].name for key in response.piece_ids if key in study.pieces]
    return part_of(ResponsePart, response, pieces=pieces)


def _piece_part(study: Study, piece: Piece) -> PiecePart:
    return part_of(
        PiecePart,
        piece,
        sizes=[part_of(SizePart, size) for size in piece.sizes],
        views=[
            part_of(
                ViewPart,
                view,
                regions=[_region_part(region) for region in view.regions],
                ties=[part_of(TiePart, tie) for tie in view.ties],
            )
            for view in piece.views
        ],
        on_machines=[
            part_of(EstimatePart, takes, machine=study.machines[key].name)
            for key, takes in piece.on_machines.items()
            if key in study.machines
        ],
    )


def _region_part(region: MeasuredRegion) -> RegionPart:
    return part_of(RegionPart, region, steps=[part_of(RegionStepPart, step) for step in region.steps])


def _plan_part(study: Study) -> PlanPart | None:
    plan = study.plan
    if plan is None:
        return None
    return part_of(
        PlanPart,
        plan,
        design=_design_part(study, plan.design),
        machines=[study.machines[key].name for key in plan.machine_ids],
        pieces=[study.pieces[key].name for key in plan.piece_ids],
    )


def _design_part(study: Study, design: Design) -> DesignPart:
    values = design_values(design)
    hard = study.factors[design.hard_factor].name if design.kind is DesignKind.SPLIT_PLOT else ""
    kept = {name: values[name] for name in DesignPart.model_fields if name != "hard_factor"}
    return DesignPart(hard_factor=hard, **kept)


def _plate_part(plate: Plate) -> PlatePart:
    return part_of(
        PlatePart,
        plate,
        slot=part_of(SlotPart, plate.slot) if plate.slot else None,
        events=[part_of(EventPart, event) for event in plate.events],
    )


def _run_part(study: Study, run: Run, plate: int) -> RunPart:
    index = study.index
    first = index.runs.get(run.reprint_of or 0)
    return part_of(
        RunPart,
        run,
        arm=index.arms[run.arm_id].name,
        **index.places[run.id]._asdict(),
        plate=plate,
        reprint_of=first.code if first else "",
        readings=[
            part_of(ReadingPart, item, response=index.responses[item.response_id].name)
            for item in index.readings[run.id]
        ],
        rechecks=[part_of(RecheckPart, item) for item in index.rechecks[run.id]],
        departures=[item.text for item in index.deviations[run.id]],
        photographs=[
            part_of(
                PhotographPart,
                photograph,
                view=_view_name(study, photograph.view_id),
                marks=[
                    part_of(MarkPart, mark)
                    for mark in index.marks[run.id]
                    if mark.photograph_id == photograph.id
                ],
            )
            for photograph in index.photographs[run.id]
        ],
    )


def _view_name(study: Study, view_id: int | None) -> str:
    view = study.index.views.get(view_id or 0)
    return view.name if view else ""


def _session_part(study: Study, session: BlindSession) -> SessionPart:
    index = study.index
    view = index.views.get(session.view_id or 0)
    response = index.responses.get(session.response_id or 0)
    return part_of(
        SessionPart,
        session,
        piece=study.pieces[view.piece_id].name if view else "",
        view=view.name if view else "",
        response=response.name if response else "",
        trials=[part_of(TrialPart, trial) for trial in session.trials],
        letters=[
            part_of(KeyLetterPart, one, run=index.runs[one.run_id].code if one.run_id in index.runs else "")
            for one in session.letters
        ],
        answers=[part_of(AnswerPart, one) for one in study.answers if one.session_id == session.id],
    )
