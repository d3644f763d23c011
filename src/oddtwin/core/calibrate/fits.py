"""Means, lines and monotone curves of readings, each with what it is unsure by."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats, Interval

DRAWS: Final = 4000
FINE: Final = 257


@dataclass(frozen=True, slots=True)
class Mean:
    """A mean of repeated readings.

    Parameters
    ----------
    value : float
    sd : float or None
        Of one reading; None of a single one.
    u : float or None
        Standard uncertainty of the mean.
    ci95 : tuple of float or None
    n : int
    """

    value: float
    sd: float | None
    u: float | None
    ci95: Interval | None
    n: int


def mean_of(values: Sequence[float] | Floats, step: float = 0.0) -> Mean:
    """Return the mean of readings with its 95 % interval by Student's t.

    Parameters
    ----------
    values : sequence of float
        One at least.
    step : float
        Smallest step of the instrument: equal readings of a coarse one are no certainty, so that the mean is
        never surer than step/√12 (GUM F.2.2.1).
    """
    read = np.asarray(values, np.float64)
    n = len(read)
    if n < 2:
        return Mean(float(read[0]), None, None, None, 1)
    sd = float(read.std(ddof=1))
    u = max(sd / math.sqrt(n), step / math.sqrt(12))
    reach = t_of(n - 1) * u
    value = float(read.mean())
    return Mean(value, sd, u, (value - reach, value + reach), n)


def t_of(df: float, level: float = 0.975) -> float:
    """Return a quantile of Student's t."""
    from scipy.special import stdtrit

    return float(stdtrit(df, level))


@dataclass(frozen=True, slots=True)
class Line:
    """A straight line through readings, by least squares.

    Parameters
    ----------
    intercept, slope : float
    u_intercept, u_slope : float
        Standard errors.
    sd : float
        Of one reading about the line.
    df : int
        Degrees of freedom of ``sd``.
    n : int
    mean, spread : float
        Mean of x, and the sum of squares about it.
    """

    intercept: float
    slope: float
    u_intercept: float
    u_slope: float
    sd: float
    df: int
    n: int
    mean: float
    spread: float

    def at(self, x: float) -> float:
        """Return the height of the line."""
        return self.intercept + self.slope * x

    def reach(self, x: float, level: float = 0.975, *, one: bool = False) -> float:
        """Return how far the line, or ``one`` further reading, may lie from it at x."""
        share = 1 / self.n + (x - self.mean) ** 2 / self.spread + (1.0 if one else 0.0)
        return t_of(self.df, level) * self.sd * math.sqrt(share)


def line_of(x: Floats, y: Floats, least_sd: float = 0.0) -> Line:
    """Fit a straight line (simple linear regression, any textbook; checked with NIST StRD Norris).

    Parameters
    ----------
    x, y : arrays of shape (n,)
        Three readings at least, at two places at least.
    least_sd : float
        Readings scatter by so much at least, such as the step of an instrument over √12.
    """
    n, mean = len(x), float(x.mean())
    spread = float(((x - mean) ** 2).sum())
    slope = float(((x - mean) * (y - y.mean())).sum() / spread)
    intercept = float(y.mean()) - slope * mean
    df = n - 2
    sd = max(math.sqrt(float(((y - slope * x - intercept) ** 2).sum()) / df), least_sd)
    u_slope = sd / math.sqrt(spread)
    return Line(intercept, slope, sd * math.sqrt(1 / n + mean**2 / spread), u_slope, sd, df, n, mean, spread)


@dataclass(frozen=True, slots=True)
class Curve:
    """A monotone curve through the means at each place.

    Parameters
    ----------
    x, y : arrays of shape (places,)
        Places, each once and rising, and the height there.
    raw : array of shape (places,)
        Means of the readings, before they were made monotone.
    counts : array of shape (places,)
    sd : float or None
        Of one reading; None where nothing tells it.
    df : int
        Degrees of freedom of ``sd``.
    """

    x: Floats
    y: Floats
    raw: Floats
    counts: Floats
    sd: float | None
    df: int

    def crossing(self, limit: float) -> float:
        """Return where the curve first reaches a limit; infinite where it never does."""
        return float(crossings(self.x, self.y[:, None], limit)[0])

    def crossings(self, limit: float, rng: np.random.Generator) -> Floats | None:
        """Return where curves of readings that scatter as these do reach a limit; None without a scatter."""
        noise = self.noise(rng)
        if noise is None:
            return None
        return crossings(self.x, rising(self.y + noise, self.counts).T, limit)

    def noise(self, rng: np.random.Generator) -> Floats | None:
        """Return how far the heights may lie off; shape (draws, places). None without a scatter."""
        if self.sd is None:
            return None
        # The scatter itself is unsure: without this few readings have too short an interval, as z is for t.
        sd = self.sd * np.sqrt(self.df / rng.chisquare(self.df, DRAWS))
        found: Floats = rng.normal(0.0, 1.0, (DRAWS, len(self.x))) * sd[:, None] / np.sqrt(self.counts)
        return found


def curve_of(x: Floats, y: Floats, step: float = 0.0) -> Curve:
    """Fit a curve that does not fall: isotonic least squares, by pooling adjacent violators.

    Parameters
    ----------
    x, y : arrays of shape (n,)
        Readings at three places at least.
    step : float
        Smallest step of y.
    """
    places, where = np.unique(x, return_inverse=True)
    counts = np.bincount(where).astype(np.float64)
    means = np.bincount(where, y) / counts
    sd, df = scatter_of(places, means, counts, y - means[where])
    if sd is not None:
        sd = max(sd, step / math.sqrt(12))
    return Curve(places, rising(means, counts), means, counts, sd, df)


def rising(values: Floats, weights: Floats) -> Floats:
    """Return the values nearest to some that do not fall: isotonic regression, of many curves at once.

    By the max-min formula: the greatest, over all places up to here, of the least mean from there to any
    place from here on (Robertson, Wright and Dykstra 1988, from memory; checked with `scipy.optimize`, which
    takes one curve at a time).

    Parameters
    ----------
    values : array of shape (..., places)
        One curve or many, in the unit of the readings.
    weights : array of shape (places,)
        Above zero.
    """
    found = np.full(values.shape, -math.inf)
    for first in range(values.shape[-1]):
        total = np.cumsum((values * weights)[..., first:], axis=-1) / np.cumsum(weights[first:])
        least = np.minimum.accumulate(total[..., ::-1], axis=-1)[..., ::-1]
        np.maximum(found[..., first:], least, out=found[..., first:])
    return found


def scatter_of(places: Floats, means: Floats, counts: Floats, about: Floats) -> tuple[float | None, int]:
    """Return the standard deviation of one reading and its degrees of freedom.

    Repeats at one place tell it best. Where there are fewer than three degrees of freedom of them, each mean
    is held against the line through its neighbours (Gasser, Sroka and Jennen-Steinmetz 1986): a curve that
    bends makes that larger, never smaller.

    Parameters
    ----------
    places, means, counts : arrays of shape (places,)
        Places in order, means of the readings there, and how many they are.
    about : array of shape (n,)
        Readings less the mean of their place.
    """
    df = len(about) - len(places)
    squares = float((about**2).sum())
    if df >= 3:
        return math.sqrt(squares / df), df
    if len(places) >= 3:
        x, y = places, means
        left = (x[2:] - x[1:-1]) / (x[2:] - x[:-2])
        off = y[1:-1] - left * y[:-2] - (1 - left) * y[2:]
        size = 1 / counts[1:-1] + left**2 / counts[:-2] + (1 - left) ** 2 / counts[2:]
        squares += float((off**2 / size).sum())
        df += len(off)
    return (math.sqrt(squares / df), df) if df else (None, 0)


def crossings(x: Floats, y: Floats, limit: float) -> Floats:
    """Return where curves between places first reach a limit; infinite where they never do.

    Between the places runs a monotone cubic (Fritsch and Carlson 1980): straight pieces below a curve that
    bends upwards reach a limit too early, by as much as the readings scatter.

    Parameters
    ----------
    x : array of shape (places,)
        Rising.
    y : array of shape (places, curves)
        Heights that do not fall.
    limit : float
        A curve that begins above it gives the first place.

    Returns
    -------
    array of shape (curves,)
    """
    from scipy.interpolate import PchipInterpolator

    grid = np.unique(np.concatenate([x, np.linspace(x[0], x[-1], FINE)]))
    heights = PchipInterpolator(x, y)(grid)
    above = heights >= limit
    first = above.argmax(axis=0)
    found = np.full(y.shape[1], math.inf)
    reached = above.any(axis=0)
    found[reached & (first == 0)] = x[0]
    inner = np.flatnonzero(reached & (first > 0))
    at = first[inner]
    low, high = heights[at - 1, inner], heights[at, inner]
    found[inner] = grid[at - 1] + (limit - low) / (high - low) * (grid[at] - grid[at - 1])
    return found


def ends_of(drawn: Floats) -> Interval:
    """Return the 95 % interval of draws; an end may be infinite."""
    ordered = np.sort(drawn)
    last = len(ordered) - 1
    return float(ordered[math.floor(0.025 * last)]), float(ordered[math.ceil(0.975 * last)])
