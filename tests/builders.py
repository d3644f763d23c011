"""Short ways to make readings, prints and studies for tests."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime, timedelta, timezone
from typing import Any

import numpy as np

from oddtwin.core.customs import ChangeKind
from oddtwin.core.decide import Finding, finding_of
from oddtwin.core.design import Design
from oddtwin.core.effects import Comparison, Measure, compare
from oddtwin.core.job import Job
from oddtwin.core.readings import Better, Combine, Reading, ResponseKind
from oddtwin.core.runlist import draw_plan
from oddtwin.core.study import (
    Arm,
    Factor,
    HeldItem,
    Level,
    Machine,
    Piece,
    Plan,
    Plate,
    Response,
    Run,
    RunReading,
    Study,
    StudyBlock,
)

# Box, Hunter & Hunter's boys' shoes as packaged with R (MASS::shoes).
SHOES_A = [13.2, 8.2, 10.9, 14.3, 10.7, 6.6, 9.5, 10.8, 8.8, 13.3]
SHOES_B = [14.0, 8.8, 11.2, 14.2, 11.8, 6.4, 9.8, 11.3, 9.3, 13.6]
# Student's sleep data (R datasets::sleep).
SLEEP_A = [0.7, -1.6, -0.2, -1.2, -0.1, 3.4, 3.7, 0.8, 0.0, 2.0]
SLEEP_B = [1.9, 0.8, 1.1, 0.1, -0.1, 4.4, 5.5, 1.6, 4.6, 3.4]

NOON = datetime(2026, 3, 9, 12, 0, tzinfo=timezone(timedelta(hours=1)))


def stopped() -> Job:
    """A job that is cancelled already."""
    job = Job(lambda share: None)
    job.cancel()
    return job


def pairs(baseline: Sequence[float | None], change: Sequence[float | None], **more: Any) -> list[Reading]:
    """Readings of one print of each arm in each pair."""
    rows = []
    for number, (left, right) in enumerate(zip(baseline, change, strict=True), 1):
        rows.append(Reading("A", left, pair=str(number), run=f"a{number}", **more))
        rows.append(Reading("B", right, pair=str(number), run=f"b{number}", **more))
    return rows


def groups(baseline: Sequence[float], change: Sequence[float], **more: Any) -> list[Reading]:
    """Readings of unpaired prints."""
    return [Reading("A", value, run=f"a{n}", **more) for n, value in enumerate(baseline)] + [
        Reading("B", value, run=f"b{n}", **more) for n, value in enumerate(change)
    ]


def compared(readings: Sequence[Reading], seed: int = 1, **asked: Any) -> Comparison:
    """Compare arm B with baseline A."""
    return compare(readings, Measure("A", "B", **asked), np.random.default_rng(seed))


def judged(readings: Sequence[Reading], measure: Measure, resolution: float | None = None) -> Finding:
    """Compare and judge, as the command line does."""
    return finding_of(compare(readings, measure, np.random.default_rng(1)), resolution)


def response(number: int = 1, name: str = "Mass", **more: Any) -> Response:
    values: dict[str, Any] = {
        "unit": "g",
        "kind": ResponseKind.QUANTITY,
        "combine": Combine.MEAN,
        "better": Better.LOWER,
        "target": None,
        "margin": 1.0,
        "resolution": None,
        "primary": number == 1,
        "role": None,
        "margin_moved": False,
    }
    return Response(id=number, name=name, **(values | more))


def plan(**more: Any) -> Plan:
    """A plan of four pairs on one machine and piece."""
    values: dict[str, Any] = {
        "repeats": 4,
        "twins": 0,
        "seed": 5,
        "order_version": 1,
        "machine_ids": (1,),
        "piece_ids": (1,),
    }
    return Plan(**(values | more))


def study(runs: Sequence[Run] = (), **more: Any) -> Study:
    """A study with two arms, one machine, one piece, and blocks for pairs 1 to 4."""
    values: dict[str, Any] = {
        "id": 1,
        "name": "Trial",
        "question": "Does it matter?",
        "created": NOON,
        "arms": (Arm(1, "Old", True), Arm(2, "New", False)),
        "factors": (Factor(1, ChangeKind.SETTING, "layer height", (Level(1, "0.2 mm"), Level(2, "0.3 mm"))),),
        "responses": (response(),),
        "held": (HeldItem(1, "Same spool"),),
        "plan": plan(),
        "blocks": tuple(StudyBlock(n, str(n), 1, 1) for n in range(1, 5)),
        "runs": tuple(runs),
        "machines": {1: Machine(1, "Marlow")},
        "pieces": {1: Piece(1, "Lamp ring", ("rim", "rib"), 60.0, 20.0, 2.0)},
    }
    return Study(**(values | more))


def run(number: int, arm: int, block: int, **more: Any) -> Run:
    """A finished run, one hour after the one before."""
    started = NOON.replace(hour=8 + number % 12)
    stamps: dict[str, Any] = {"started": started, "finished": started.replace(minute=50)}
    stamps |= {name: more.pop(name) for name in ("started", "finished", "sha256", "slot") if name in more}
    values: dict[str, Any] = {"spool": "lot 1"}
    return Run(number, f"R{number}", number, arm, block, Plate(**stamps), **(values | more))


def drawn(design: Design, levels: Sequence[str] = ("0.2", "0.3"), factors: int = 1, **planned: Any) -> Study:
    """A study of one response with its runs drawn."""
    more = {name: planned.pop(name) for name in ("responses", "machines", "pieces") if name in planned}
    asked = tuple(
        Factor(
            number,
            ChangeKind.SETTING,
            f"setting {number}",
            tuple(Level(10 * number + place, value) for place, value in enumerate(levels)),
        )
        for number in range(1, factors + 1)
    )
    value = study(plan=None, blocks=(), arms=(Arm(1, "Old", True),), factors=asked, **more)
    return draw_plan(value, plan(**({"repeats": 1, "twins": 0} | planned), design=design))


def filled(value: Study, values: Sequence[float | None], response_id: int = 1) -> Study:
    """The same study, each run printed in planned order with a reading; lost where that is None."""
    runs, readings = [], []
    ordered = sorted(value.runs, key=lambda run: run.position)
    for number, (one, read) in enumerate(zip(ordered, values, strict=True)):
        began = NOON + timedelta(hours=number)
        made = Plate(started=began, finished=began + timedelta(minutes=50))
        runs.append(replace(one, plate=made, set_aside="" if read is not None else "spoilt"))
        if read is not None:
            readings.append(RunReading(1000 + number, one.id, response_id, float(read)))
    return replace(value, runs=tuple(runs), readings=(*value.readings, *readings))
