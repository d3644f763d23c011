"""Studies as people make them, of everything that can be asked, planned, printed, lost and written down.

Figures are multiples of an eighth, so that equal ones are equal on every machine, and ties are many.
"""

from __future__ import annotations

import random
from dataclasses import replace
from datetime import datetime, timedelta

from oddtwin.core import customs
from oddtwin.core.customs import ChangeKind
from oddtwin.core.design import Design, DesignKind, DriftGuard, LadderRule
from oddtwin.core.readings import Better, Bound, Combine, ResponseKind, Subject
from oddtwin.core.runlist import checks_by_run, draw_plan
from oddtwin.core.study import (
    Decision,
    DecisionKind,
    Deviation,
    EventKind,
    Factor,
    Level,
    Look,
    LookAt,
    Machine,
    MachineChange,
    NominalSize,
    Piece,
    PrintEvent,
    Rates,
    Recheck,
    Response,
    Role,
    Run,
    RunReading,
    Spool,
    Study,
    Threshold,
)
from tests.builders import NOON, plan, response, study

ZONES = ("rim", "rib")
STEPS = ("30°", "40°", "50°", "60°")
WORDS = ("clean", "hairy", "torn")


def any_study(seed: int) -> Study:
    """Return a study drawn from a seed: planned, and printed some way."""
    rng = random.Random(seed)
    while True:
        asked = _asked(rng)
        try:
            value = draw_plan(asked, _plan(rng, asked))
        except ValueError:
            # Not every design can be made of every number of factors, machines and prints.
            continue
        if len(value.runs) <= 60:
            return _printed(rng, value)


def _asked(rng: random.Random) -> Study:
    machines = {
        number: Machine(number, word, rng.choice((0.0, 4.0)), rng.choice((0.0, 0.5)), rng.choice((0.0, 90.0)))
        for number, word in enumerate(("Marlow", "Heron", "Tarn")[: rng.randint(1, 3)], 1)
    }
    pieces = {
        number: Piece(
            number,
            word,
            rng.choice(((), ZONES, STEPS)),
            rng.choice((30.0, 60.0)),
            20.0,
            rng.choice((0.0, 2.0)),
            faults=tuple(customs.FAULTS)[: rng.randint(0, 3)],
            sizes=(NominalSize("width", 20.0), NominalSize("bore", 8.0)),
        )
        for number, word in enumerate(("Ring", "Hook")[: rng.randint(1, 2)], 1)
    }
    levels = rng.choice((2, 2, 3, 4))
    factors = tuple(_factor(rng, number, levels) for number in range(1, rng.choice((1, 1, 2, 2, 3, 5)) + 1))
    kinds = rng.sample(list(ResponseKind), rng.randint(1, 4))
    responses = tuple(_response(rng, number, kind) for number, kind in enumerate(kinds, 1))
    rates = Rates(
        "€", rng.choice((0.0, 0.25)), rng.choice((0.0, 30.0)), hands_min=rng.choice((2.0, 5.0)), check_min=3.0
    )
    spools = (Spool(1, "lot 1", 24.0, rng.choice((None, 60.0, 900.0))), Spool(2, "lot 2", 0.0, 500.0))
    return study(
        plan=None, blocks=(), factors=factors, machines=machines, pieces=pieces, responses=responses,
        rates=rates, spools=spools,
    )  # fmt: skip


def _factor(rng: random.Random, number: int, levels: int) -> Factor:
    words = ("4", "6", "8", "10") if rng.random() < 0.7 else ("dry", "damp", "wet", "soaked")
    made = tuple(
        Level(
            10 * number + place,
            words[place],
            how=rng.choice(("", "swap it")),
            way_back=rng.choice(("", "put it back")),
            minutes=rng.choice((0.0, 0.0, 25.0)),
            cost=rng.choice((0.0, 12.5)),
            mass_g=rng.choice((0.0, 40.0)),
        )
        for place in range(levels)
    )
    disturbs = rng.choice(("", *customs.DISTURBS))
    return Factor(number, rng.choice(list(ChangeKind)), f"factor {number}", made, disturbs)


def _response(rng: random.Random, number: int, kind: ResponseKind) -> Response:
    numeric = kind in (ResponseKind.QUANTITY, ResponseKind.SIZE, ResponseKind.ONSET)
    better = rng.choice((Better.LOWER, Better.LOWER, Better.HIGHER, None))
    if kind in (ResponseKind.QUANTITY, ResponseKind.DEVIATION) and rng.random() < 0.25:
        better = Better.TARGET
    margin = rng.choice((None, 0.25, 0.5, 1.0))
    return response(
        number,
        f"response {number}",
        unit="mm" if kind is ResponseKind.SIZE else rng.choice(("g", "min", "")),
        kind=kind,
        combine=rng.choice((Combine.MEAN, Combine.WORST) if kind.graded else list(Combine)),
        better=None if kind is ResponseKind.WORD else better,
        target=5.0 if better is Better.TARGET else None,
        margin=None if kind is ResponseKind.WORD else margin,
        percent=kind.has_percent
        and better is not Better.TARGET
        and margin is not None
        and rng.random() < 0.3,
        resolution=rng.choice((None, 0.125, 0.5)) if numeric else None,
        role=rng.choice((None, None, *Role)) if kind is ResponseKind.QUANTITY and number > 1 else None,
        margin_moved=rng.random() < 0.1,
        noise_sd=rng.choice((None, None, 0.5)) if kind is ResponseKind.QUANTITY else None,
        noise_df=6.0,
        subject=rng.choice((Subject.PIECE, Subject.PIECE, *Subject)),
        words=WORDS if kind is ResponseKind.WORD else (),
        onset=2.0 if kind is ResponseKind.ONSET else None,
        instrument=rng.choice(("", "caliper")),
        accept=rng.choice((None, None, 6.0)) if numeric else None,
        guard=better is not None and margin is not None and rng.random() < 0.2,
    )


def _plan(rng: random.Random, asked: Study):
    kind = rng.choice(list(DesignKind))
    design = Design(
        kind,
        tuple(len(one.levels) for one in asked.factors),
        guard=rng.choice(list(DriftGuard)),
        rule=rng.choice(list(LadderRule)),
        centre_points=rng.choice((0, 0, 1)),
        hard_factor=rng.randrange(len(asked.factors)),
        whole_plots=rng.randint(3, 5),
        control=rng.random() < 0.15,
        copies=rng.choice((1, 1, 1, 2, 3)),
        apart=rng.random() < 0.5,
        block_size=rng.choice((0, 0, 2)),
        looks=rng.choice((1, 1, 2, 3)),
        drift=rng.random() < 0.3,
    )
    return plan(
        repeats=rng.randint(1, 5),
        twins=rng.choice((0, 0, 1, 2)),
        seed=rng.randrange(1000),
        design=design,
        machine_ids=tuple(asked.machines),
        piece_ids=tuple(asked.pieces),
        spools=rng.choice(((), ("lot 1",), ("lot 1", "lot 2"))),
    )


def _printed(rng: random.Random, value: Study) -> Study:
    """Print all runs or the first so many; some are lost, fail, or are not read."""
    number = {arm.id: place for place, arm in enumerate(value.arms)}
    done = rng.choice((1.0, 1.0, 1.0, 0.6, 0.0)) * len(value.runs)
    runs: list[Run] = []
    readings: list[RunReading] = []
    deviations, rechecks = [], []
    owed = checks_by_run(value)
    for place, one in enumerate(sorted(value.runs, key=lambda run: run.position)):
        if place >= done:
            runs.append(one)
            continue
        one, began = _made(rng, one, place)
        runs.append(one)
        if rng.random() < 0.05:
            deviations.append(Deviation(len(deviations) + 1, one.id, "another glue"))
        for text in owed.get(one.id, ()):
            if rng.random() < 0.8:
                waived = rng.choice(("", "", "", "no time"))
                rechecks.append(Recheck(len(rechecks) + 1, one.id, text, began, waived))
        for asked in value.responses:
            if rng.random() > 0.04:
                readings += _taken(rng, value, one, asked, number[one.arm_id] % 3, len(readings))
    made = replace(
        value,
        runs=tuple(runs),
        readings=tuple(readings),
        deviations=tuple(deviations),
        rechecks=tuple(rechecks),
    )
    return _settled(rng, made)


def _made(rng: random.Random, run: Run, place: int) -> tuple[Run, datetime]:
    """Return a run that was printed, spoilt or failed, and when it began."""
    began = NOON + timedelta(hours=3 * place + rng.choice((0, 0, 1)))
    ended = began + timedelta(minutes=rng.choice((40, 50, 60)))
    events = tuple(
        PrintEvent(kind, began + timedelta(minutes=20), rng.choice((None, 4.5)))
        for kind in EventKind
        if rng.random() < 0.04
    )
    plate = replace(
        run.plate, started=began, finished=ended, events=events,
        temperature_c=rng.choice((None, 21.0, 27.0)), humidity_pct=rng.choice((None, 40.0)),
    )  # fmt: skip
    lost = rng.random()
    made = replace(
        run, plate=plate, operator=rng.choice(("", "an")), spool=rng.choice(("lot 1", "lot 1", "lot 2", "")),
        set_aside="came loose" if lost < 0.06 else "", failed="blob" if lost > 0.95 else "",
    )  # fmt: skip
    return made, began


def _settled(rng: random.Random, value: Study) -> Study:
    """Look at the verdict now and then, change the machine meanwhile, and settle."""
    looks = tuple(
        Look(NOON + timedelta(days=day), "an", rng.choice(list(LookAt)), rng.random() < 0.3)
        for day in range(rng.choice((0, 0, 1, 2)))
    )
    change = MachineChange(
        1, 1, NOON + timedelta(hours=rng.choice((-4, 5))), "consumable", "sheet", "smooth", "rough", ""
    )
    threshold = Threshold(1, "an", customs.FAULTS[0], "g", 0.25, 0.125, 0.5, 0.0, 40, "desk", NOON)
    changes = (change,) if rng.random() < 0.3 else ()
    thresholds = (threshold,) if rng.random() < 0.3 else ()
    settled = rng.random() < 0.2
    decision = Decision(rng.choice(list(DecisionKind)), "seen", NOON + timedelta(days=9)) if settled else None
    if decision and rng.random() < 0.5:
        later = NOON + timedelta(days=rng.choice((20, 40)))
        decision = replace(decision, condition="while it is dry", verify_at=later, verify_hours=8.0)
    return replace(value, looks=looks, changes=changes, thresholds=thresholds, decision=decision)


def _taken(
    rng: random.Random, value: Study, run: Run, asked: Response, up: int, before: int
) -> list[RunReading]:
    """Return what is read of one response of one print: once or by zones, sometimes twice."""
    kind = asked.kind
    made = []

    def add(figure: float, **more: object) -> None:
        made.append(RunReading(before + len(made) + 1, run.id, asked.id, figure, **more))  # type: ignore[arg-type]

    piece = value.piece_of(run)
    if kind is ResponseKind.SIZE:
        for size in piece.sizes if piece else ():
            add(size.mm + rng.randint(-2, 3) / 8 + up / 8, zone=size.name, nominal=size.mm)
    elif kind is ResponseKind.GRADE:
        for zone in (piece.zones if piece else ()) or ("",):
            add(float(min(4, rng.randint(0, 2) + up)), zone=zone, by=rng.choice(("", "an")))
    elif kind is ResponseKind.YES_NO:
        held = rng.choice((1, 1, 4))
        add(float(sum(rng.random() < 0.3 + 0.2 * up for _ in range(held))), out_of=held)
    elif kind is ResponseKind.COUNT:
        add(float(rng.choice((0, 0, 1, 2, 5)) * (1 + up)))
    elif kind is ResponseKind.WORD:
        add(0.0, word=rng.choice(WORDS[: up + 2]))
    elif kind is ResponseKind.ONSET:
        begins = rng.randint(0, 4)
        for step, zone in enumerate(STEPS):
            add(float(max(0, min(4, step - begins + up))), zone=zone)
    else:
        lowest = -16 if kind is ResponseKind.DEVIATION else 24
        figure = rng.randint(lowest, lowest + 16) / 8 + up / 2
        bound = rng.choice((Bound.EXACT,) * 12 + tuple(Bound))
        add(figure, bound=bound, high=figure + 0.5 if bound is Bound.BETWEEN else None)
        if rng.random() < 0.15:
            add(figure + 0.125, retake=1, u=0.25)
    return made
