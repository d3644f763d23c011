"""Large lab books and studies for the benchmark."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

import numpy as np
from sqlalchemy import insert

from oddtwin.core.readings import Better, Combine, ResponseKind
from oddtwin.core.study import Arm, Machine, Piece, Plan, Plate, Response, Run, RunReading, Study, StudyBlock
from oddtwin.store import LabBook
from oddtwin.store.schema import ARM, BLOCK, MACHINE, PIECE, PLATE, READING, RESPONSE, RUN, STUDY

NOW = datetime(2026, 3, 9, 12)


def wide_study(responses: int, pairs: int) -> Study:
    """A study with a fifth of its responses graded, every pair printed and measured."""
    rng = np.random.default_rng(1)
    asked = tuple(
        Response(
            id=number,
            name=f"Response {number}",
            unit="" if number % 5 == 0 else "g",
            kind=ResponseKind.GRADE if number % 5 == 0 else ResponseKind.QUANTITY,
            combine=Combine.MEAN,
            better=Better.LOWER,
            target=None,
            margin=0.5,
            resolution=None,
            primary=number == 1,
            role=None,
            margin_moved=False,
        )
        for number in range(1, responses + 1)
    )
    runs = tuple(
        Run(number, f"R{number}", number, 1 + number % 2, 1 + number // 2, Plate(0, NOW, NOW))
        for number in range(2 * pairs)
    )
    readings = []
    for run in runs:
        for response in asked:
            if response.kind is ResponseKind.GRADE:
                for zone in ("lid", "base", "hinge"):
                    readings.append(RunReading(0, run.id, response.id, float(rng.integers(0, 4)), zone=zone))
            else:
                readings.append(RunReading(0, run.id, response.id, float(rng.normal(20, 1))))
    return Study(
        id=1,
        name="Wide",
        question="?",
        created=NOW,
        arms=(Arm(1, "Old", True), Arm(2, "New", False)),
        responses=asked,
        plan=Plan(pairs, 0, 1, 1, (1,), (1,)),
        blocks=tuple(StudyBlock(number, str(number), 1, 1) for number in range(1, pairs + 1)),
        runs=runs,
        readings=tuple(readings),
        machines={1: Machine(1, "Marlow")},
        pieces={1: Piece(1, "Lamp ring", ("lid", "base", "hinge"), 60, 20, 1)},
    )


def big_book(folder: Path, studies: int, runs: int) -> Path:
    """A lab book with many finished studies, written row by row past the log."""
    book = LabBook.create(folder, "Big")
    rng = np.random.default_rng(2)
    with book._engine().begin() as connection:  # noqa: SLF001 - the benchmark fills tables in bulk
        connection.execute(insert(MACHINE).values(id=1, name="Marlow"))
        connection.execute(insert(PIECE).values(id=1, name="Lamp ring", zones=[]))
        for study in range(1, studies + 1):
            base = (study - 1) * runs
            connection.execute(
                insert(STUDY).values(id=study, name=f"Study {study}", question="?", created=NOW.isoformat())
            )
            for arm in (1, 2):
                connection.execute(
                    insert(ARM).values(
                        id=2 * study + arm, study_id=study, name=f"Arm {arm}", is_baseline=arm == 1
                    )
                )
            connection.execute(
                insert(RESPONSE).values(
                    id=study,
                    study_id=study,
                    name="Mass",
                    unit="g",
                    kind="quantity",
                    combine="mean",
                    primary=True,
                )
            )
            connection.execute(
                insert(BLOCK),
                [
                    {"id": base + n + 1, "study_id": study, "label": str(n), "machine_id": 1, "piece_id": 1}
                    for n in range(runs // 2)
                ],
            )
            stamps = {"started": NOW.isoformat(), "finished": NOW.isoformat()}
            connection.execute(
                insert(PLATE),
                [{"id": base + n + 1, "study_id": study, **stamps} for n in range(runs)],
            )
            connection.execute(
                insert(RUN),
                [
                    {
                        "id": base + n + 1,
                        "study_id": study,
                        "position": n,
                        "block_id": base + n // 2 + 1,
                        "arm_id": 2 * study + 1 + n % 2,
                        "code": f"R{n}",
                        "plate_id": base + n + 1,
                    }
                    for n in range(runs)
                ],
            )
            connection.execute(
                insert(READING),
                [
                    {
                        "run_id": base + n + 1,
                        "response_id": study,
                        "zone": "",
                        "value": float(rng.normal(20, 1)),
                    }
                    for n in range(runs)
                ],
            )
    book.close()
    return folder
