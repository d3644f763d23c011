"""The noise floor: how much twins differ when nothing was changed."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from oddtwin.core.language import tr
from oddtwin.core.quantities import format_digits
from oddtwin.core.readings import Reading, Rule, prints_of

SMALLEST: Final = 1e-50
"""Scatter and margins below this are zero in all but name; their squares would vanish."""


@dataclass(frozen=True, slots=True)
class NoiseFloor:
    """Standard deviation between twins.

    Parameters
    ----------
    sd : float
        Pooled standard deviation of one print, in the response's unit.
    df : float
        Degrees of freedom behind it.
    """

    sd: float
    df: float

    def __post_init__(self) -> None:
        """Refuse figures that cannot be a standard deviation."""
        if not (math.isfinite(self.sd) and self.sd >= 0):
            raise ValueError(tr("the noise floor must be zero or more"))
        if not (math.isfinite(self.df) and self.df > 0):
            raise ValueError(tr("the noise floor needs degrees of freedom above zero"))

    @property
    def judges(self) -> bool:
        """Whether it can judge a difference; a floor of zero only shows the instrument's steps."""
        return self.sd > SMALLEST

    @property
    def limit(self) -> float:
        """Repeatability limit r = 1.96·√2·s (ISO 5725-6): twins differ by more once in twenty."""
        return 1.96 * math.sqrt(2) * self.sd

    @property
    def exceeded(self) -> float:
        """What two twins differ by more than once in twenty, so few twins being known: t(0.975, df)·√2·s."""
        from scipy.special import stdtrit

        return float(stdtrit(self.df, 0.975)) * math.sqrt(2) * self.sd

    def interval(self, confidence: float) -> tuple[float, float]:
        """Return the chi-square confidence interval of the standard deviation.

        Parameters
        ----------
        confidence : float
            For example 0.95.

        Returns
        -------
        tuple of float
            Lower and upper limit, in the response's unit.
        """
        from scipy.special import chdtri

        tail = (1 - confidence) / 2
        low = self.sd * math.sqrt(self.df / float(chdtri(self.df, tail)))
        high = self.sd * math.sqrt(self.df / float(chdtri(self.df, 1 - tail)))
        return low, high


def noise_from_twins(groups: Iterable[Sequence[float]]) -> NoiseFloor | None:
    """Pool the scatter within groups of twins.

    Parameters
    ----------
    groups : iterable of sequences of float
        Values of prints that differ in nothing, in the response's unit; groups of
        one print tell nothing and are passed over.

    Returns
    -------
    NoiseFloor or None
        None without a group of two or more. Pooled within-group standard
        deviation (ISO 5725-2, repeatability standard deviation; from memory).
    """
    squares, df = 0.0, 0
    for group in groups:
        if len(group) > 1:
            values = np.asarray(group, dtype=np.float64)
            # Each group about its own mean: what differs between pieces and days is no noise between twins.
            squares += float(np.sum((values - values.mean()) ** 2))
            df += len(group) - 1
    return NoiseFloor(math.sqrt(squares / df), df) if df else None


def noise_of_table(readings: Sequence[Reading]) -> dict[str, NoiseFloor]:
    """Find what twins differ by in a table of earlier prints, by response.

    Parameters
    ----------
    readings : sequence of Reading
        Of any arms; prints of one arm, pair, machine and piece are twins.

    Raises
    ------
    ValueError
        The twins of a response do not scatter alike (Bartlett's test at 5 %), so that they are no one
        noise floor.
    """
    found = {}
    for response in dict.fromkeys(item.response for item in readings):
        own = [item for item in readings if item.response == response]
        first = own[0]
        groups: dict[tuple[str, ...], list[float]] = {}
        for item in prints_of(own, Rule(first.kind, first.combine)):
            if item.counts and item.value is not None and item.reach is None:
                key = (item.arm, item.pair, item.machine, item.piece)
                groups.setdefault(key, []).append(item.value)
        twins = [group for group in groups.values() if len(group) > 1]
        floor = noise_from_twins(twins)
        if floor is None:
            continue
        chance = _alike(twins)
        if chance < 0.05:
            raise ValueError(
                tr(
                    "the twins of {response} do not scatter alike (p {chance}), so they make no "
                    "one noise floor; give those of the same machine and piece",
                    response=response or tr("the response"),
                    chance=format_digits(chance, 2),
                )
            )
        found[response] = floor
    return found


def _alike(groups: Sequence[Sequence[float]]) -> float:
    """Chance of variances as unlike as these, where they are alike; one where nothing speaks against it."""
    from scipy.stats import bartlett

    moving = [group for group in groups if len(set(group)) > 1]
    return float(bartlett(*moving).pvalue) if len(moving) > 1 else 1.0


def pool(first: NoiseFloor | None, second: NoiseFloor | None) -> NoiseFloor | None:
    """Bring two independent noise floors of one response to one.

    Parameters
    ----------
    first, second : NoiseFloor or None
        Both in the response's unit; None where one is not known.

    Returns
    -------
    NoiseFloor or None
        The variances weighted by their degrees of freedom, as in any pooled variance.
    """
    if first is None or second is None:
        return first or second
    # Weighted by degrees of freedom, as variances are; the mean of two standard deviations would be too
    # small.
    df = first.df + second.df
    return NoiseFloor(math.sqrt((first.df * first.sd**2 + second.df * second.sd**2) / df), df)
