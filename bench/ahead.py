"""Speed of what is worked out before printing: rehearsal, confounding check, timetable."""

from __future__ import annotations

import random
import time
from datetime import datetime

import numpy as np
from tests.builders import plan, response, study

from oddtwin.core.confounding import Column, ColumnKind, check_confounding
from oddtwin.core.rehearsal import Assumed, Conditions, rehearse_study
from oddtwin.core.runlist import draw_plan
from oddtwin.core.schedule import PlatePrint, Presence, Workload, make_timetable
from oddtwin.core.study import Study

ROUNDS = 5


def planned() -> Study:
    """A study of eight pairs and three responses, drawn and not printed."""
    responses = tuple(response(number, f"Response {number}") for number in (1, 2, 3))
    return draw_plan(study(plan=None, blocks=(), responses=responses), plan(repeats=8))


def rehearsal_seconds(times: int = 1000) -> float:
    """Best CPU seconds for rehearsing a plan of 16 runs and three responses."""
    value = planned()
    assumed = [Assumed(number, 1.0, 0.8) for number in (1, 2, 3)]

    def work() -> None:
        rehearse_study(value, assumed, Conditions(), np.random.default_rng(1), times)

    return best(work)


def one_at_a_time_seconds(times: int = 1000, sample: int = 40) -> float:
    """CPU seconds for the same through scipy.stats, one study after another, from a sample."""
    from scipy import stats

    rng = np.random.default_rng(1)

    def work() -> None:
        for _ in range(sample * 3):
            difference = 1.0 + rng.normal(0, 0.8, 8) - rng.normal(0, 0.8, 8)
            difference = difference[rng.random(8) > 0.1]
            found = stats.ttest_1samp(difference, 0.0)
            found.confidence_interval(0.95)
            found.confidence_interval(0.90)

    work()
    return best(work) * times / sample


def confounding_seconds(runs: int = 200, columns: int = 30) -> tuple[float, int]:
    """Best CPU seconds of the check, and how many columns the model matrix had."""
    rng = random.Random(1)
    listed = [
        Column(f"factor {n}", ColumnKind.FACTOR, tuple(rng.choice("ab") for _ in range(runs)))
        for n in range(4)
    ]
    while sum(item.coded().shape[1] for item in listed) < columns - 4:
        values = tuple(rng.choice("abcd") for _ in range(runs))
        listed.append(Column(f"nuisance {len(listed)}", ColumnKind.NUISANCE, values))
    follows = tuple("xy"[value == "a"] for value in listed[0].values)
    listed.append(Column("machine", ColumnKind.NUISANCE, follows))
    listed.append(Column("order", ColumnKind.TREND, tuple(str(n) for n in range(runs))))
    labels = [str(n) for n in range(runs)]
    seconds = best(lambda: check_confounding(listed, labels))
    return seconds, sum(item.coded().shape[1] for item in listed)


def timetable_figures(seconds: float = 3.0) -> tuple[float, float]:
    """Seconds on the clock for 60 runs on 4 machines, and the gap to the proven bound."""
    rng = random.Random(1)
    plates = tuple(PlatePrint(n, 1 + n % 4, n, rng.randint(60, 180), rng.randrange(3)) for n in range(60))
    switches = {(a, b): 15.0 for a in range(3) for b in range(3) if a != b}
    work = Workload(
        plates,
        datetime(2026, 11, 30),
        Presence.parsed("7:00-8:30, 17:00-22:00", "9:00-22:00"),
        switches,
        dict.fromkeys(range(1, 5), 0),
    )
    start = time.perf_counter()
    made = make_timetable(work, seconds)
    return time.perf_counter() - start, made.gap


def best(work) -> float:  # type: ignore[no-untyped-def]
    """Best CPU seconds of some rounds."""
    times = []
    for _ in range(ROUNDS):
        start = time.process_time()
        work()
        times.append(time.process_time() - start)
    return min(times)
