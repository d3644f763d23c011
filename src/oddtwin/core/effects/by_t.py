"""The method that judges numbers: Student's t, with the prints' own scatter and the noise floor together."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import lru_cache
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.effects.method import Data, Ends, Inference, Measure, Power, Shape, Studies, Truth
from oddtwin.core.effects.noise import SMALLEST
from oddtwin.core.effects.power import chance_beyond, chance_different, chance_inside, gauss_legendre
from oddtwin.core.effects.small_effects import chances_by_effects
from oddtwin.core.effects.student import NO_SCATTER, StudentEstimate, t_interval
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_list
from oddtwin.core.readings import ResponseKind

IN_STEPS: Final = (ResponseKind.GRADE, ResponseKind.YES_NO, ResponseKind.COUNT)
"""Kinds whose few steps no normal distribution describes."""


def judged_as(kind: ResponseKind, of_effects: bool) -> ResponseKind:
    """Return the kind that values are judged as.

    Parameters
    ----------
    kind : ResponseKind
        Of the response.
    of_effects : bool
        Whether the values are effects themselves, as in an interaction: a difference of shares or of counts
        has a sign, and is neither a share nor a count.
    """
    tallied = (ResponseKind.YES_NO, ResponseKind.COUNT)
    return ResponseKind.QUANTITY if of_effects and kind in tallied else kind


FEW: Final = 5
"""Prints of an arm below which its own scatter is too little known to stand alone."""

OBJECTS: Final = 0.1
"""Chance at which scatter is called larger than the noise floor: one tail of F at 20 %."""

UNLIKE: Final = 0.01
"""Chance at which the sides are said to scatter unlike: one tail of F at 2 %. At 20 % two prints
against ten would be called different in 7 of 100 studies where nothing was changed."""


SHARES: Final = 40
"""Nodes of the integral over how the scatter falls; more change no chance by 0.002."""


class _Standard(NamedTuple):
    """Scatter that judges, each of shape (studies,): of one print, and what becomes of it."""

    error: Floats
    df: Floats
    own_alone: NDArray[np.bool_]
    by_welch: NDArray[np.bool_]
    still: NDArray[np.bool_]


class StudentT:
    """Student's t of a difference of means, in pairs or between two groups.

    Notes
    -----
    Pairs give pairs − 1 degrees of freedom, two groups n₁ + n₂ − 2 with a common variance;
    groups of five or more and of equal size, or that plainly scatter unlike, are judged by
    Welch. The scatter of twins is pooled in by degrees of freedom. Where the prints' own
    scatter is larger than that by F at 20 %, it is kept, with the degrees of freedom of both:
    without them, two pairs that agree would lose what one pair had shown.
    """

    def applies(self, shape: Shape) -> bool:
        """Whether both sides have a number, and there is scatter to judge by."""
        return shape.kind not in IN_STEPS and shape.fewest > 0 and shape.own_df + shape.noise_df > 0

    def infer(self, data: Data) -> Inference:
        """Judge the difference of one comparison."""
        many = Studies(
            data.shape,
            np.array([data.estimate]),
            data.differences[None, :],
            data.baseline[None, :],
            data.change[None, :],
            np.array([data.noise.sd if data.noise and data.noise.judges else 0.0]),
            None if data.residual is None else np.array([data.residual]),
        )
        found = _standard(many, data.measure.step or 0.0, data.step)
        judged = StudentEstimate(
            data.estimate, float(found.error[0]), float(found.df[0]), _name(data.shape, found)
        )
        return inference_of(judged, data.measure.margin, judged.standard_error / data.shape.factor)

    def infer_many(self, studies: Studies, measure: Measure) -> Ends:
        """Judge many studies of one shape."""
        found = _standard(studies, measure.step or 0.0, measure.step or 0.0)
        return Ends(
            *t_interval(studies.estimates, found.error, found.df, 1 - measure.level),
            *t_interval(studies.estimates, found.error, found.df, 1 - 2 * measure.level),
        )

    def chances(self, shape: Shape, truth: Truth) -> Power:
        """Return exact chances for prints that scatter alike.

        Notes
        -----
        The sums of squares behind the scatter have a total (chi-square) and shares (beta) that are
        independent. Given the shares, the test is a noncentral t of the total with an edge of its
        own; what is left is an integral over the shares.
        """
        return _power_of_effects(shape, truth) if shape.effects else _power(shape.counted, truth)


def inference_of(judged: StudentEstimate, margin: float | None, sd: float) -> Inference:
    """Return what Student's t says of an estimate.

    Parameters
    ----------
    judged : StudentEstimate
        The difference and its error.
    margin : float or None
        Smallest difference that matters, in the response's unit.
    sd : float
        Standard deviation of one print that it was judged by, in the same unit.
    """
    return Inference(
        method=judged.method,
        ci95=judged.interval(0.95),
        ci90=judged.interval(0.90),
        p_difference=judged.p_difference(),
        p_equivalence=None if margin is None else judged.p_equivalence(margin),
        p_beyond=None if margin is None else judged.p_beyond(margin),
        sd=sd if math.isfinite(sd) else None,
        df=judged.df,
    )


def _standard(studies: Studies, step: float, shown: float) -> _Standard:
    """Return the standard error of each study's difference, with its degrees of freedom.

    ``step`` is the instrument's, ``shown`` the last place that readings were written with. Steps hide
    the scatter below them: the variance of a print is at least step²/12 (a rectangular distribution, as
    in GUM; from memory). Where nothing scatters at all, every reading is rounded alike, and the rounding
    does not average out.
    """
    shape = studies.shape
    own, sides = _own(studies)
    noise, noise_df = studies.noise_sd**2, shape.noise_df
    df = shape.own_df + noise_df
    pooled = (shape.own_df * own + noise_df * noise) / df
    alone = _larger(own, noise, shape.own_df, noise_df, _objecting(shape))
    # Larger scatter is kept with all degrees of freedom: with its own few a second pair would lose what one
    # pair and the twins had shown.
    variance = np.where(alone, own, pooled)
    floor = step**2 / 12
    error = np.sqrt(np.maximum(variance, floor)) * shape.factor
    size = np.abs(np.concatenate([studies.baseline, studies.change], axis=1)).max(axis=1, initial=0.0)
    # What twins are known to scatter is no matter of these readings.
    still = (np.sqrt(own) <= np.maximum(NO_SCATTER * size, SMALLEST)) & (noise_df == 0)
    # Where not even a step is known, equal readings say nothing of how far the next may lie.
    rounding = max(step, shown) / math.sqrt(6) or math.inf
    error = np.where(still, np.maximum(error, rounding), error)
    degrees = np.full(len(own), float(df))
    welch = np.zeros(len(own), dtype=np.bool_)
    if sides is not None:
        counts = np.array([[shape.n_baseline], [shape.n_change]])
        welch = _by_welch(sides, shape) & (variance > floor)
        total = (sides / counts).sum(axis=0)
        parts = ((sides / counts) ** 2 / (counts - 1)).sum(axis=0)
        error = np.where(welch, np.sqrt(total), error)
        degrees = np.where(welch, total**2 / np.maximum(parts, SMALLEST), degrees)
    return _Standard(error, degrees, alone, welch, still)


def _own(studies: Studies) -> tuple[Floats, Floats | None]:
    """Return the variance of one print by the prints' own scatter, and that of each side where it counts."""
    shape = studies.shape
    if not shape.own_df:
        return np.zeros(len(studies.estimates)), None
    if studies.residual is not None:
        return studies.residual, None
    if shape.pairs:
        return studies.differences.var(axis=1, ddof=1) / (2 * shape.spread**2), None
    both = (studies.baseline, studies.change)
    squares = sum(((side - side.mean(axis=1, keepdims=True)) ** 2).sum(axis=1) for side in both)
    sides = np.stack([side.var(axis=1, ddof=1) for side in both]) if shape.sides_known else None
    return squares / shape.own_df, sides


def _by_welch(sides: Floats, shape: Shape) -> NDArray[np.bool_]:
    """Whether each study is judged by Welch: a large one of equal sides, or one whose sides scatter unlike.

    Welch's own degrees of freedom are too many where a side of two stands against many: at 2
    against 6 to 2 against 10 it finds a false difference in 7 to 11 of 100 studies.
    """
    if shape.n_baseline == shape.n_change >= FEW:
        return np.ones(sides.shape[1], dtype=np.bool_)
    a, b = shape.n_baseline - 1, shape.n_change - 1
    return _larger(sides[0], sides[1], a, b, UNLIKE) | _larger(sides[1], sides[0], b, a, UNLIKE)


def _objecting(shape: Shape) -> float:
    # Arms of one design are taken to scatter alike, as any analysis of variance does, until they plainly do
    # not; what other prints scattered is believed less readily.
    return OBJECTS if shape.fitted is None else UNLIKE


def _larger(
    variance: Floats, other: Floats, df: float, other_df: float, chance: float = OBJECTS
) -> NDArray[np.bool_]:
    """Whether a variance is larger than another by F; never where one of them is not known."""
    from scipy.special import fdtri

    edge = float(fdtri(df, other_df, 1 - chance)) if df and other_df else math.inf
    # With next to no degrees of freedom the edge is beyond all numbers.
    if not edge < 1e100:
        return np.zeros(len(variance), dtype=np.bool_)
    larger: NDArray[np.bool_] = variance > edge * other
    return larger


def _name(shape: Shape, found: _Standard) -> str:
    if found.by_welch[0]:
        return tr("Welch t")
    if shape.effects:
        return tr("small effects of the design (Lenth)")
    if shape.fitted is not None:
        taken = (
            tr(", {taken} taken out", taken=format_list(list(shape.fitted.taken)))
            if shape.fitted.taken
            else ""
        )
        own = tr(", own scatter above that of the others") if found.own_alone[0] else ""
        return tr("t of all prints of the design{taken}{own}", taken=taken, own=own)
    if not shape.own_df:
        return tr("noise floor")
    name = tr("paired t") if shape.pairs else tr("equal-variance t")
    if found.still[0]:
        return tr("{name} by the step of the readings; the prints show no scatter", name=name)
    if not shape.noise_df:
        return name
    return (
        tr("{name}, own scatter above the noise floor", name=name)
        if found.own_alone[0]
        else tr("{name} with noise floor", name=name)
    )


@lru_cache(maxsize=4096)
def _power(shape: Shape, truth: Truth) -> Power:
    weights, edges = _edges(shape)
    error, df = truth.sd * shape.factor, shape.own_df + shape.noise_df
    size, margin = abs(truth.difference), truth.margin

    def averaged(chance: Floats) -> float:
        return float(min(1.0, max(0.0, np.sum(weights * chance))))

    wide, narrow = (edges(level) for level in (1 - shape.level / 2, 1 - shape.level))
    differs = averaged(chance_different(size, error, df, wide))
    if margin is None:
        return Power(differs, differs, 0.0)
    return Power(
        differs,
        averaged(chance_beyond(size - margin, error, df, wide)),
        averaged(chance_inside(size, margin, error, df, narrow)),
    )


def _power_of_effects(shape: Shape, truth: Truth) -> Power:
    from scipy.special import stdtrit

    error = truth.sd * shape.factor
    edge, inner = (float(stdtrit(shape.noise_df, 1 - share)) for share in (shape.level / 2, shape.level))
    margin = math.inf if truth.margin is None else truth.margin / error
    size = abs(truth.difference) / error
    return Power(*chances_by_effects(shape.effects, round(size, 6), edge, inner, round(margin, 6)))


def _edges(shape: Shape) -> tuple[Floats, Callable[[float], Floats]]:
    """Return weights over how the scatter may fall, and the test's edge for each.

    Edges are in units of the standard error from all scatter together, which the noncentral t is
    written for.
    """
    from scipy.special import stdtrit

    df = shape.own_df + shape.noise_df
    # Total and shares of the sums of squares are independent, so that each share has a fixed edge of its own.
    weights, own = _shares(shape.own_df, shape.noise_df)
    ratio = own * df / max(shape.own_df, SMALLEST)
    noise = (1 - own) * df / max(shape.noise_df, SMALLEST)
    alone = _larger(ratio, noise, shape.own_df, shape.noise_df, _objecting(shape))
    stretch = np.where(alone, np.sqrt(ratio), 1.0)
    if not shape.sides_known:
        return weights, lambda level: np.asarray(stdtrit(df, level) * stretch)
    a, b = shape.n_baseline - 1, shape.n_change - 1
    side_weights, side = _shares(a, b)
    sides = np.stack([side / a, (1 - side) / b]) * shape.own_df
    parts = sides / np.array([[shape.n_baseline], [shape.n_change]])
    degrees = parts.sum(axis=0) ** 2 / (parts**2 / np.array([[a], [b]])).sum(axis=0)
    welch = _by_welch(sides, shape)
    # The noncentral t is written for the pooled error: a test by another has its edge in proportion.
    own_error = np.sqrt(parts.sum(axis=0)) / shape.factor

    def edges(level: float) -> Floats:
        common = stdtrit(df, level) * stretch[:, None]
        by_welch = stdtrit(degrees, level) * own_error * np.sqrt(ratio)[:, None]
        found: Floats = np.where(welch, by_welch, common).ravel()
        return found

    return (weights[:, None] * side_weights).ravel(), edges


def _shares(df: float, other: float) -> tuple[Floats, Floats]:
    """Return weights and nodes of the share that the first of two sums of squares has in both."""
    from scipy.special import betaincinv

    if not df or not other:
        return np.ones(1), np.array([1.0 if df else 0.0])
    nodes, weights = gauss_legendre(SHARES)
    # Equal steps of probability, so that the beta's ends, where it may be infinite, are no trouble.
    return weights / 2, betaincinv(df / 2, other / 2, (nodes + 1) / 2)
