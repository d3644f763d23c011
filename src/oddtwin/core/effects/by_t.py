"""The methods that judge numbers with Student's t: pairs, two groups, and the noise floor."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.effects.method import Data, Ends, Inference, Measure, Power, Shape, Studies, Truth
from oddtwin.core.effects.noise import NoiseFloor
from oddtwin.core.effects.power import (
    chance_beyond,
    chance_different,
    chance_inside,
    chances_beyond,
    chances_different,
    chances_inside,
    gauss_legendre,
)
from oddtwin.core.effects.student import (
    StudentEstimate,
    noise_error,
    noise_floor_t,
    paired_moments,
    paired_t,
    t_interval,
    welch_moments,
    welch_t,
)
from oddtwin.core.readings import ResponseKind

RANKED = (ResponseKind.GRADE, ResponseKind.YES_NO, ResponseKind.COUNT)
"""Kinds whose few steps no normal distribution describes: they are judged by exact ranks."""


class PairedT:
    """Student's t of the differences inside pairs."""

    def applies(self, shape: Shape) -> bool:
        """Whether there are two pairs or more, of numbers that scatter."""
        return shape.kind not in RANKED and shape.pairs > 1 and shape.scatters

    def infer(self, data: Data) -> Inference:
        """Judge the mean difference of the pairs by their own scatter."""
        return _inference(paired_t(data.differences), data.measure)

    def infer_many(self, studies: Studies, measure: Measure) -> Ends:
        """Judge many studies with the same number of pairs."""
        difference, error = paired_moments(studies.differences)
        return _ends(difference, error, np.full(len(difference), studies.shape.pairs - 1.0))

    def chances(self, shape: Shape, truth: Truth) -> Power:
        """Return exact chances, by the noncentral t with pairs − 1 degrees of freedom."""
        # A difference of two prints has twice the variance of one; what the pairs have in common is gone
        # from it.
        error = truth.sd * shape.spread * math.sqrt(2 / shape.pairs)
        return _power(truth, error, shape.pairs - 1)


class WelchT:
    """Welch's t of two groups that are not paired."""

    def applies(self, shape: Shape) -> bool:
        """Whether both sides have two prints or more, of numbers that scatter."""
        paired = shape.pairs > 0
        return shape.kind not in RANKED and not paired and shape.fewest > 1 and shape.scatters

    def infer(self, data: Data) -> Inference:
        """Judge the difference of the means by the scatter of each side."""
        return _inference(welch_t(data.baseline, data.change), data.measure)

    def infer_many(self, studies: Studies, measure: Measure) -> Ends:
        """Judge many studies with the same numbers of prints."""
        sides = (studies.baseline, studies.change)
        return _ends(
            *welch_moments(
                np.stack([side.mean(axis=1) for side in sides]),
                np.stack([side.var(axis=1, ddof=1) for side in sides]),
                np.array([[side.shape[1]] for side in sides], dtype=np.float64),
            )
        )

    def chances(self, shape: Shape, truth: Truth) -> Power:
        """Return exact chances for sides that scatter alike.

        Notes
        -----
        The two sample variances have a total (chi-square with n₁ + n₂ − 2 degrees of freedom) and a
        share (beta) that are independent. Given the share, Welch's degrees of freedom are fixed and
        his statistic is a multiple of a noncentral t of the total; what is left is one integral
        over the share.
        """
        return _welch_power(shape.n_baseline, shape.n_change, truth)


class NoiseFloorT:
    """A difference judged by the noise floor, for want of repeated pairs."""

    def applies(self, shape: Shape) -> bool:
        """Whether both sides have a print, and there is a noise floor that judges."""
        return shape.fewest > 0 and shape.noise_df > 0

    def infer(self, data: Data) -> Inference:
        """Judge the difference by twins and by what is known of them."""
        noise = data.noise or NoiseFloor(0.0, 1)
        judged = noise_floor_t(data.estimate, len(data.baseline), len(data.change), noise)
        return _inference(judged, data.measure)

    def infer_many(self, studies: Studies, measure: Measure) -> Ends:
        """Judge many studies, each by its own noise floor."""
        error = noise_error(studies.noise_sd, studies.shape.n_baseline, studies.shape.n_change)
        return _ends(studies.estimates, error, studies.noise_df)

    def chances(self, shape: Shape, truth: Truth) -> Power:
        """Return exact chances, by the noncentral t with the floor's degrees of freedom."""
        # The floor is known beforehand, so only its degrees of freedom matter here, not those of the study.
        error = float(noise_error(truth.sd, shape.n_baseline, shape.n_change))
        return _power(truth, error, shape.noise_df)


def _inference(judged: StudentEstimate | None, measure: Measure) -> Inference:
    if judged is None:
        raise ValueError("there is no scatter to judge by")
    return Inference(
        method=judged.method,
        ci95=judged.interval(0.95),
        ci90=judged.interval(0.90),
        p_difference=judged.p_difference(),
        p_equivalence=None if measure.margin is None else judged.p_equivalence(measure.margin),
    )


def _ends(difference: Floats, error: Floats, df: Floats) -> Ends:
    return Ends(*t_interval(difference, error, df, 0.95), *t_interval(difference, error, df, 0.90))


def _power(truth: Truth, error: float, df: float) -> Power:
    size, margin = abs(truth.difference), truth.margin
    differs = chance_different(size, error, df)
    if margin is None:
        return Power(differs, differs, 0.0)
    beyond = chance_beyond(size - margin, error, df)
    return Power(differs, beyond, chance_inside(size, margin, error, df))


@lru_cache(maxsize=4096)
def _welch_power(n_baseline: int, n_change: int, truth: Truth) -> Power:
    from scipy.special import betaincinv, stdtrit

    a, b = n_baseline - 1, n_change - 1
    nodes, weights = gauss_legendre()
    # Equal steps of probability, so that the beta's ends, where it may be infinite, are no trouble.
    # The degrees of freedom by Welch hang on how the scatter happens to fall on the two sides, which is a
    # beta variable when both scatter alike; given that share, the statistic is an ordinary t of a + b
    # degrees of freedom.
    share = betaincinv(a / 2, b / 2, (nodes + 1) / 2)
    parts = np.stack([share / (a * n_baseline), (1 - share) / (b * n_change)])
    df = parts.sum(axis=0) ** 2 / (parts[0] ** 2 / a + parts[1] ** 2 / b)
    scale = np.sqrt(parts.sum(axis=0) * (a + b) / (1 / n_baseline + 1 / n_change))
    error = truth.sd * math.sqrt(1 / n_baseline + 1 / n_change)
    size, margin = abs(truth.difference), truth.margin

    def averaged(chance: Floats) -> float:
        return float(min(1.0, max(0.0, np.sum(weights * chance) / 2)))

    # The edge of Welch's test, in units of the pooled standard error that the noncentral t is written for.
    wide, narrow = (stdtrit(df, level) * scale for level in (0.975, 0.95))
    total = a + b
    differs = averaged(chances_different(size, error, total, wide))
    if margin is None:
        return Power(differs, differs, 0.0)
    beyond = averaged(chances_beyond(size - margin, error, total, wide))
    inside = averaged(chances_inside(size, margin, error, total, narrow))
    return Power(differs, beyond, inside)
