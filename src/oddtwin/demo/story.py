"""The demo's machine with two years behind it: what was fitted, set and calibrated, and what that came to."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from typing import Final, NamedTuple

import numpy as np

from oddtwin import operations
from oddtwin.core.customs import DISTURBS
from oddtwin.core.quantities import with_offset
from oddtwin.store import LabBook

SEED: Final = 20241102


class Fitted(NamedTuple):
    """One line of the story: how many days ago, kind, what, from, to, and what else is told."""

    days_ago: int
    kind: str
    what: str
    before: str
    after: str
    more: Mapping[str, str | float] = {}


STORY: Final = (
    Fitted(735, "place", "stands on", "", "workbench"),
    Fitted(690, "part", "plate springs", "soft", "stiff", {"minutes": 25.0, "cost": 6.0}),
    Fitted(610, "adjustment", "frame squareness", "0.4 mm off", "0.1 mm off", {"minutes": 70.0}),
    Fitted(540, "part", "nozzle", "0.4 mm brass", "0.4 mm hardened",
           {"minutes": 15.0, "cost": 14.0, "way_back": "old one in the drawer, bag 3"}),
    Fitted(400, "part", "carriage weight", "plain", "lightened",
           {"minutes": 95.0, "mass_g": -38.0, "axis": "x", "way_back": "old plate in the drawer, bag 5"}),
    Fitted(260, "place", "stands on", "workbench", "stone slab on foam", {"minutes": 40.0, "cost": 31.0}),
    Fitted(90, "part", "nozzle", "0.4 mm hardened", "0.4 mm brass",
           {"minutes": 15.0, "cost": 5.0, "note": "worn: strand 0.05 mm thicker"}),
)  # fmt: skip


def tell_story(book: LabBook, machine_id: int) -> None:
    """Log what was done to a machine in two years, and three calibrations with their history."""
    rng = np.random.default_rng(SEED)
    for item in STORY:
        operations.log_machine_change(
            book,
            machine_id=machine_id,
            kind=item.kind,
            what=item.what,
            before=item.before,
            after=item.after,
            at=_ago(item.days_ago),
            # Nobody printed on for two years with what was fitted unchecked.
            checked=[text for checks in DISTURBS.values() for text in checks],
            **item.more,  # type: ignore[arg-type]
        )
    old = 402.0
    for days, short in ((680, 1.9), (530, 0.6), (240, 0.8), (85, 0.3)):
        fed = [f"{100 - short + off:.1f}" for off in rng.normal(0, 0.2, 5)]
        _calibrate(
            book, machine_id, "steps", ("commanded,measured", [f"100,{one}" for one in fed]), days, old=old
        )
        old = round(old * 100 / (100 - short), 1)
    for days, hertz in ((605, 71.0), (395, 79.0), (80, 76.5)):
        notes = [
            f"{axis},{hertz + up + off:.1f}"
            for axis, up in (("left", 0.0), ("right", 1.4))
            for off in rng.normal(0, 0.4, 4)
        ]
        _calibrate(book, machine_id, "belts", ("axis,frequency_hz", notes), days, span=168.0, density=8.4)
    for days, warm_up in ((500, 9.0), (200, 7.5), (60, 7.2)):
        times = rng.uniform(35, 420, 7)
        prints = [
            f"{time:.0f},{warm_up + 0.94 * time + off:.0f}"
            for time, off in zip(times, rng.normal(0, 2, 7), strict=True)
        ]
        _calibrate(book, machine_id, "overhead", ("predicted_min,measured_min", prints), days)

    _flow(book, machine_id, rng)


def _flow(book: LabBook, machine_id: int, rng: np.random.Generator) -> None:
    """An evening in the middle: strands of two temperatures weighed, the hotter one not to its end."""
    rows = []
    for setup, ceiling, flows in (
        ("210 °C", 15.0, (6, 9, 12, 15, 18)),
        ("225 °C", 19.0, (6, 9, 12, 15, 18, 21)),
    ):
        for flow in flows:
            short = 5 * (flow / ceiling) ** 3 + float(rng.normal(0, 0.25))
            rows.append(f"{setup},{flow},2.40,{2.4 * (1 - short / 100):.2f},")
    readings = "\n".join(("setup,flow,expected_g,weighed_g,skip", *rows))
    operations.type_calibration(
        book,
        job="flow-ceiling",
        machine_id=machine_id,
        readings=readings,
        options={"width": 0.45, "height": 0.2},
    )


def _calibrate(
    book: LabBook, machine_id: int, job: str, table: tuple[str, Sequence[str]], days: int, **options: float
) -> None:
    header, rows = table
    operations.type_calibration(
        book, job=job, machine_id=machine_id, readings="\n".join((header, *rows)), options=options
    )
    # What is nothing to set is kept without a line in the log.
    operations.finish_calibration(book, job=job, machine_id=machine_id, log=job == "steps", made=_ago(days))


def _ago(days: int) -> datetime:
    return with_offset(datetime(2026, 3, 1, 19, 30) - timedelta(days=days))
