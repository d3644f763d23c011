"""Numbers of which some are only known to lie above, below or between limits."""

from __future__ import annotations

import math
from typing import Final, NamedTuple

import numpy as np

from oddtwin.core.arrays import Floats, Interval
from oddtwin.core.effects.by_median import median_rank
from oddtwin.core.effects.method import Inference
from oddtwin.core.language import tr

FARTHEST: Final = 1e4
"""Scatters of a print beyond which an end of an interval is open."""
TIMES_STUDENT: Final = 5.0
"""Times as far as Student's interval could reach; beyond, only the bell's shape says where an end lies."""


class Fit(NamedTuple):
    """The likeliest normal distribution about a linear model.

    Parameters
    ----------
    coefficients : array of shape (columns,)
        In the unit of the values.
    sd : float
        About the model, in the same unit.
    log_likelihood : float
    """

    coefficients: Floats
    sd: float
    log_likelihood: float


def censored_fit(columns: Floats, low: Floats, high: Floats, begin: Floats | None = None) -> Fit:
    """Fit a linear model to values that are known, or lie between two ends.

    Parameters
    ----------
    columns : array of shape (values, columns)
        Of the model, of noughts and ones; may have no columns.
    low, high : arrays of shape (values,)
        Ends of where each value lies, equal where it is known; infinite where open.
    begin : array of shape (columns + 1,), optional
        Coefficients and standard deviation of a fit that is close by.

    Returns
    -------
    Fit
        By maximum likelihood (the tobit model and its kin).
    """
    from scipy.optimize import minimize

    width = columns.shape[1]
    if begin is None:
        middle = _middle(low, high)
        start = np.linalg.lstsq(columns, middle, rcond=None)[0] if width else np.empty(0)
        spread = float(np.std(middle - columns @ start)) if width else float(np.std(middle))
        begin = np.append(start, max(spread, 1e-9 * (1 + float(np.abs(middle).max()))))
    # In units of its own scatter, so that grams and newtons converge alike.
    unit = float(begin[-1])

    def loss(parameters: Floats) -> float:
        sd = math.exp(min(50.0, max(-50.0, float(parameters[-1])))) * unit
        # Far off it is infinite, and a search cannot take the difference of two infinite figures.
        return min(-_log_likelihood(parameters[:-1] * unit, sd, columns, low, high), 1e30)

    found = minimize(loss, np.append(begin[:-1] / unit, 0.0), method="BFGS", options={"gtol": 1e-7})
    return Fit(found.x[:-1] * unit, math.exp(float(found.x[-1])) * unit, -float(found.fun))


def profile_interval(columns: Floats, low: Floats, high: Floats, which: int, level: float) -> Interval:
    """Return the interval of one coefficient by the profile of the likelihood.

    Parameters
    ----------
    columns, low, high
        As in `censored_fit`.
    which : int
        Column of the coefficient.
    level : float
        Such as 0.95.

    Returns
    -------
    tuple of float
        An end is infinite where the limits leave it open. Where all values are known it is Student's
        interval: the ratio of likelihoods is held to n·log(1 + t²/df), not to chi-square, which few
        prints do not follow.
    """
    from scipy.optimize import brentq
    from scipy.special import stdtrit

    count, width = columns.shape
    df = max(count - width, 1)
    whole = censored_fit(columns, low, high)
    # Chi-square, which many prints follow, would hold three pairs 85 % of the time.
    allowed: float = count / 2 * math.log1p(float(stdtrit(df, 0.5 + level / 2)) ** 2 / df)
    rest, own = np.delete(columns, which, axis=1), columns[:, which]

    begin = np.append(np.delete(whole.coefficients, which), whole.sd)

    def short(value: float) -> float:
        fitted = censored_fit(rest, low - own * value, high - own * value, begin)
        lost: float = whole.log_likelihood - fitted.log_likelihood - allowed
        # Where the likelihood cannot be followed any more nothing is excluded.
        return lost if math.isfinite(lost) else -allowed

    middle = float(whole.coefficients[which])
    ends = []
    for side in (-1.0, 1.0):
        step = whole.sd
        while short(middle + side * step) < 0 and step < FARTHEST * whole.sd:
            step *= 2
        if step >= FARTHEST * whole.sd:
            ends.append(side * math.inf)
        else:
            ends.append(float(brentq(short, middle, middle + side * step, xtol=1e-6 * whole.sd)))
    return min(ends), max(ends)


def _log_likelihood(coefficients: Floats, sd: float, columns: Floats, low: Floats, high: Floats) -> float:
    from scipy.special import log_ndtr

    centre = columns @ coefficients if columns.shape[1] else np.zeros(len(low))
    known = low == high
    z = (low[known] - centre[known]) / sd
    total = float(-0.5 * np.sum(z**2) - known.sum() * (math.log(sd) + 0.5 * math.log(2 * math.pi)))
    a, b = (low[~known] - centre[~known]) / sd, (high[~known] - centre[~known]) / sd
    # On the side where the tail is small: the difference of two numbers near one has no digits left.
    flip = np.where(np.isfinite(a), a, -1.0) + np.where(np.isfinite(b), b, 1.0) > 0
    a, b = np.where(flip, -b, a), np.where(flip, -a, b)
    upper, lower = log_ndtr(b), log_ndtr(a)
    with np.errstate(invalid="ignore", divide="ignore"):
        return total + float(np.sum(upper + np.log1p(-np.exp(lower - upper))))


def _middle(low: Floats, high: Floats) -> Floats:
    """The middle of where each value lies, or the one end that is known."""
    both = np.isfinite(low) & np.isfinite(high)
    middle = (np.where(both, low, 0.0) + np.where(both, high, 0.0)) / 2
    found: Floats = np.where(both, middle, np.where(np.isfinite(low), low, high))
    return found


def infer_censored(
    low: tuple[Floats, Floats], high: tuple[Floats, Floats], paired: bool
) -> tuple[float, Inference] | None:
    """Judge the difference of two sides of which some values are only known by limits.

    Parameters
    ----------
    low, high : two arrays of shape (prints,) each
        Ends of where the values of the baseline and of the change lie; in pairs of one length.
    paired : bool
        Whether the first of one side goes with the first of the other.

    Returns
    -------
    tuple of float and Inference, or None
        None where too little is known. In pairs of which one difference would do for all, or of which each
        is open to one side, the sign test judges the ends of where they lie, which supposes nothing.
    """
    if paired:
        # The largest difference goes with the largest change and the smallest baseline.
        ends = low[1] - high[0], high[1] - low[0]
        columns = np.ones((len(low[0]), 1))
    else:
        ends = np.concatenate(low), np.concatenate(high)
        columns = np.column_stack([np.repeat([0.0, 1.0], [len(low[0]), len(low[1])]), np.ones(len(ends[0]))])
    # Both of a pair beyond their limits say nothing of what they differ by.
    told = np.isfinite(ends[0]) | np.isfinite(ends[1])
    fitted = (columns[told], ends[0][told], ends[1][told])
    groups = [told] if paired else [told & (columns[:, 0] == side) for side in (0.0, 1.0)]
    # Where one value would do for all of a side, nothing says that they scatter at all.
    apart = any(some.any() and ends[0][some].max() > ends[1][some].min() for some in groups)
    if apart and told.sum() > columns.shape[1]:
        found = _by_likelihood(*fitted)
        if found is not None:
            return found
    if not paired:
        return None
    rank95, rank90 = (median_rank(len(ends[0]), level) for level in (0.95, 0.90))
    if not rank95 or not told.any():
        return None
    least, most = np.sort(ends[0]), np.sort(ends[1])
    ci95, ci90 = ((float(least[rank - 1]), float(most[-rank])) for rank in (rank95, rank90))
    if not np.isfinite(ci95).any():
        return None
    middle = float(np.median(_middle(*ends)[told]))
    return middle, Inference(tr("sign test of the limits"), ci95, ci90)


def _by_likelihood(columns: Floats, low: Floats, high: Floats) -> tuple[float, Inference] | None:
    """Judge a coefficient by the likelihood; None where that bounds it on neither side."""
    from scipy.special import stdtrit

    if not (np.isfinite(low) & np.isfinite(high)).any():
        # Of values that are all open the likeliest scatter has no end, and takes the middle with it.
        return None
    told = np.concatenate([low, high])
    told = told[np.isfinite(told)]
    df = max(len(low) - columns.shape[1], 1)
    # Student's half interval is at most its quantile times the range.
    far = TIMES_STUDENT * float(stdtrit(df, 0.975)) * float(np.ptp(told))
    within = float(told.min()) - far, float(told.max()) + far
    ci95, ci90 = (
        _open_beyond(within, profile_interval(columns, low, high, 0, level)) for level in (0.95, 0.90)
    )
    if not np.isfinite(ci95).any():
        return None
    # Followed by search, each a little off: the narrower one never looks out of the wider.
    ci90 = max(ci90[0], ci95[0]), min(ci90[1], ci95[1])
    method = tr("likelihood with limits")
    if np.isfinite(ci95).all():
        fit = censored_fit(columns, low, high)
        return float(fit.coefficients[0]), Inference(method, ci95, ci90, sd=fit.sd)
    # To that side it has no top that these prints would show: values stand at their limits.
    at_limits = float(np.linalg.lstsq(columns, _middle(low, high), rcond=None)[0][0])
    return min(max(at_limits, ci90[0]), ci90[1]), Inference(method, ci95, ci90)


def _open_beyond(within: Interval, ends: Interval) -> Interval:
    """Leave an end open that lies too far beyond all that was read."""
    low, high = ends
    return low if low >= within[0] else -math.inf, high if high <= within[1] else math.inf
