"""Simulating the planned study many times through the analysis that will judge it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.decide import Finding, Verdict, adjusted_for_all, finding_of, from_code, in_percent
from oddtwin.core.effects import (
    IN_STEPS,
    LOOKED_AT_ONCE,
    Comparison,
    Modelled,
    compare,
    compare_prints,
    in_steps,
    log_of_percent,
)
from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.judgement import (
    Contrast,
    asked_together,
    contrasts,
    measure_of,
    model_of,
    planned_level,
    planned_rows,
    whole_plots,
)
from oddtwin.core.language import tr
from oddtwin.core.readings import Better, Reading, Rule, arranged, prints_of
from oddtwin.core.rehearsal.assumed import Assumed, Conditions
from oddtwin.core.rehearsal.many import Arrangement, Judged, judge_many
from oddtwin.core.rehearsal.whole_design import judge_modelled
from oddtwin.core.study import Response, Study

CHUNK: Final = 250
"""Studies simulated between two looks at progress and cancel."""

EXAMPLES: Final = (0.1, 0.5, 0.9)
"""Shares of the estimates below the three examples."""


@dataclass(frozen=True, slots=True)
class Rehearsed:
    """How one comparison of one response would come out.

    Parameters
    ----------
    response : str
        Its name.
    about : str
        Which comparison, where there are several; empty for the only one.
    shares : dict of Verdict to float
        How often each verdict came out, the most frequent first.
    examples : tuple of Finding
        Three of the simulated studies: a low, a middle and a high estimate.
    """

    response: str
    about: str
    shares: dict[Verdict, float]
    examples: tuple[Finding, ...]


@dataclass(frozen=True, slots=True)
class Rehearsal:
    """How a planned study would come out.

    Parameters
    ----------
    times : int
        Studies simulated.
    rehearsed : tuple of Rehearsed
        Each response and comparison.
    """

    times: int
    rehearsed: tuple[Rehearsed, ...]


def rehearse_study(
    study: Study,
    assumed: Sequence[Assumed],
    conditions: Conditions,
    rng: np.random.Generator,
    times: int = 1000,
    job: Job = UNWATCHED,
) -> Rehearsal:
    """Simulate a planned study many times, and judge each one as it will be judged.

    Parameters
    ----------
    study : Study
        With its runs drawn.
    assumed : sequence of Assumed
        What is taken for true of each response to rehearse.
    conditions : Conditions
        Lost prints and drift.
    rng : numpy.random.Generator
        Where the draws come from.
    times : int
        How many studies, one or more.
    job : Job
        Told the share that is done; stops the work between chunks.

    Returns
    -------
    Rehearsal

    Raises
    ------
    CancelledError
        The job was cancelled.
    ValueError
        No runs are drawn, or nothing is to be rehearsed.

    Notes
    -----
    A print is the baseline's mean, plus the effect where its arm stands on the side of
    the change, plus the drift up to its place in the order, plus normal scatter; grades
    are rounded to 0 to 4. Prints are lost at random. Where a design makes several
    comparisons, each is rehearsed with its own effect alone.
    """
    if not study.runs:
        raise ValueError(tr("draw the order first; a rehearsal needs its runs"))
    if not assumed or times < 1:
        raise ValueError(tr("say what to rehearse"))
    responses = study.index.responses
    plots = whole_plots(study)
    work = [(one, contrast) for one in assumed for contrast in contrasts(study)]
    found = []
    for done, (one, contrast) in enumerate(work):
        whole = responses[one.response_id].kind not in IN_STEPS and model_of(study, contrast)
        simulate = _OfDesign if whole else _Simulation
        simulation = simulate(study, responses[one.response_id], one, contrast, conditions, plots)
        parts = []
        for start in range(0, times, CHUNK):
            job.check()
            parts.append(simulation.judged(min(CHUNK, times - start), rng))
            job.tell((done + min(start + CHUNK, times) / times) / len(work))
        alone = len(contrasts(study)) == 1
        found.append(simulation.rehearsed(parts, rng, "" if alone else contrast.about))
    return Rehearsal(times, tuple(found))


class _Simulation:
    """One response in one comparison."""

    def __init__(
        self,
        study: Study,
        response: Response,
        assumed: Assumed,
        contrast: Contrast,
        conditions: Conditions,
        plots: dict[str, str],
    ) -> None:
        self._response = response
        self._assumed = assumed
        self._contrast = contrast
        self._conditions = conditions
        self._steps = response.kind in IN_STEPS
        self._arrangement = self._arranged(study, plots)
        arms = {arm.id: arm.name for arm in study.arms}
        measure = measure_of(contrast, response)
        # What is measured against a target is simulated as the distance from it.
        better = Better.LOWER if measure.better is Better.TARGET else measure.better
        # Twins of its own come first, as in the verdict; effects have no noise floor of their own.
        known = None if self._arrangement.twins or contrast.corners else assumed.noise
        level = planned_level(study, response, contrasts(study).index(contrast))
        self._among = asked_together(study, response)
        self._looks = study.plan.design.looks if study.plan else 1
        self._measure = replace(measure, better=better, target=None, onset=None, noise=known, level=level)
        whole = log_of_percent(assumed.effect) if response.percent else assumed.effect
        effect = [contrast.sides.get(arms[run.arm_id], False) * whole for run in study.runs]
        # Drift goes along the printed order and not the pairs, which is what pairs are there to take out.
        order = np.linspace(0.0, 1.0, len(study.runs))
        self._centre = np.array(effect) + order * conditions.drift_sd * assumed.sd
        self._codes = [run.code for run in study.runs]
        self._kept: list[Floats] = []

    def judged(self, times: int, rng: np.random.Generator) -> Judged:
        """Simulate and judge some studies."""
        runs = self._centre + rng.normal(0.0, self._assumed.sd, (times, len(self._centre)))
        runs = in_steps(runs, self._response.kind, self._assumed.sd)
        # After the rounding, so that a lost print takes no random numbers from the others, and more losses
        # are the same studies with more holes.
        runs[rng.random(runs.shape) < self._conditions.lost] = np.nan
        values = self._arrangement.values(runs)
        self._kept.append(values)
        return self._judged(values)

    def rehearsed(self, parts: Sequence[Judged], rng: np.random.Generator, about: str) -> Rehearsed:
        """Count the verdicts, and show three of the studies."""
        codes = np.concatenate([part.codes for part in parts])
        estimates = np.concatenate([part.estimates for part in parts])
        values = np.concatenate(self._kept)
        counts = Counter(from_code(int(code), self._measure.better) for code in codes)
        shares = {verdict: count / len(codes) for verdict, count in counts.most_common()}
        known = np.flatnonzero(np.isfinite(estimates))
        order = known[np.argsort(estimates[known], kind="stable")]
        picked = [order[int(share * (len(order) - 1))] for share in EXAMPLES] if len(order) else []
        examples = tuple(self.finding(values[row], rng) for row in picked)
        if self._response.percent:
            examples = tuple(in_percent(example, self._response.margin) for example in examples)
        return Rehearsed(self._response.name, about, shares, examples)

    def finding(self, values: Floats, rng: np.random.Generator) -> Finding:
        """Judge one simulated study as a real one, among all that is asked.

        Parameters
        ----------
        values : array of shape (prints,)
            NaN where a print was lost.
        rng : numpy.random.Generator
            Where permutations come from.
        """
        made = self._compared(values, rng)
        if self._measure.level >= LOOKED_AT_ONCE:
            return finding_of(made)
        one = adjusted_for_all([made.inference])[0].at_looks(self._looks, self._measure.level)
        return finding_of(made, family=replace(one, of=self._among))

    def readings(self, values: Floats) -> list[Reading]:
        """Write one simulated study out as the readings that a real one would have."""
        template = Reading("", None, self._response.name, self._response.unit, kind=self._response.kind)
        # Nobody knows how large the baseline will be: below zero no percent of it is told.
        shift = 0.0 if self._steps else -1e3 * (self._assumed.sd + abs(self._assumed.effect))
        return [
            replace(
                template,
                arm=self._contrast.change if item.is_change else self._contrast.baseline,
                value=float(value) + shift if np.isfinite(value) else None,
                pair=item.block,
                run=str(number),
                machine=item.machine,
                piece=item.piece,
                setting=item.setting,
            )
            for number, (item, value) in enumerate(zip(self._arrangement.prints, values, strict=True))
        ]

    def _arranged(self, study: Study, plots: dict[str, str]) -> Arrangement:
        return Arrangement(self._contrast.prints(study, plots))

    def _judged(self, values: Floats) -> Judged:
        return judge_many(values, self._arrangement, self._measure, self._response.kind)

    def _compared(self, values: Floats, rng: np.random.Generator) -> Comparison:
        return compare(self.readings(values), self._measure, rng)


class _OfDesign(_Simulation):
    """One response in one comparison that is judged with the prints of all arms."""

    def _arranged(self, study: Study, plots: dict[str, str]) -> Arrangement:
        model = model_of(study, self._contrast)
        if model is None:
            raise ValueError(tr("this comparison is of two arms alone"))
        prints, rows = planned_rows(study, self._contrast, model)
        both = model.sides[0] | model.sides[1]
        self._model, self._rows = model, rows
        self._sides = [place for place, row in enumerate(rows) if row.arm in both]
        return Arrangement(prints)

    def _judged(self, values: Floats) -> Judged:
        pairs = Arrangement([self._arrangement.prints[place] for place in self._sides])
        return judge_modelled(values, self._model, self._rows, pairs, self._measure, self._response.kind)

    def _compared(self, values: Floats, rng: np.random.Generator) -> Comparison:
        written = self.readings(values)
        of_sides = prints_of([written[place] for place in self._sides], Rule(self._response.kind))
        left = [place for place, value in enumerate(values) if np.isfinite(value)]
        solved = self._model.solve([self._rows[place] for place in left])
        whole = None
        if solved is not None:
            whole = Modelled(solved, np.array([written[place].value for place in left], dtype=np.float64))
        sides = arranged(of_sides, self._contrast.baseline, self._contrast.change)
        return compare_prints(written[0], sides, self._measure, rng, whole)
