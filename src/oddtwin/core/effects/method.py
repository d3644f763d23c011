"""What every method of comparing two sides answers, for one study, for many, and for a plan.

The same object judges the prints that were made, the studies of a rehearsal, and the chances of a
plan, so that nothing is promised by one rule and judged by another.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Final, NamedTuple, Protocol

from oddtwin.core.arrays import Floats, Interval
from oddtwin.core.effects.noise import SMALLEST, NoiseFloor
from oddtwin.core.language import tr
from oddtwin.core.readings import Better, ResponseKind

LOOKED_AT_ONCE: Final = 0.05
"""Two-sided level of a study that is looked at once, at its end."""


@dataclass(frozen=True, slots=True)
class Measure:
    """What is asked of one response.

    Parameters
    ----------
    baseline, change : str
        Names of the two arms.
    margin : float, optional
        Smallest difference that matters, in the response's unit, above zero.
    better : Better, optional
        Which direction is better.
    target : float, optional
        With ``Better.TARGET``, the value to hit, in the response's unit; the
        response becomes its distance from it.
    noise : NoiseFloor, optional
        Known from earlier twins of the same response, machine and piece; pooled with
        the twins found among the prints.
    onset : float, optional
        Of an onset, the grade from which on the fault has begun.
    step : float, optional
        Smallest step of the instrument, in the response's unit.
    of_effects : bool
        Whether two effects are compared, and not two arms: that has no better or worse, and is held
        to no margin.
    guard : bool
        Whether it is only asked not to get worse.
    level : float
        Two-sided, of each look: 0.05 where one looks once, at the end.
    """

    baseline: str
    change: str
    margin: float | None = None
    better: Better | None = None
    target: float | None = None
    noise: NoiseFloor | None = None
    onset: float | None = None
    step: float | None = None
    of_effects: bool = False
    guard: bool = False
    level: float = LOOKED_AT_ONCE

    def __post_init__(self) -> None:
        """Refuse a margin or target that means nothing."""
        if self.margin is not None and not (math.isfinite(self.margin) and self.margin > SMALLEST):
            raise ValueError(tr("the margin must be a number above zero"))
        if (self.target is not None) != (self.better is Better.TARGET):
            raise ValueError(tr("a target value goes with the direction “target”"))


@dataclass(frozen=True, slots=True)
class Inference:
    """What a method makes of a difference; None where it can say nothing.

    Parameters
    ----------
    method : str
        Its name, as shown to the user.
    ci95, ci90 : tuple of float, optional
        Confidence intervals, in the response's unit.
    p_difference : float, optional
        Two-sided, of no difference at all; at most 0.05 where the 95 % interval excludes zero.
    p_equivalence : float, optional
        Of a difference as large as the margin or larger; at most 0.05 where the 90 % interval lies
        inside it.
    p_beyond : float, optional
        Of a difference no larger than the margin; at most 0.025 where the 95 % interval lies beyond.
    sd : float, optional
        Standard deviation of one print that it judged by, in the response's unit.
    df : float, optional
        Its degrees of freedom, where t judged.
    ratio : float, optional
        Change over baseline.
    ratio_ci95 : tuple of float, optional
        Its 95 % interval.
    """

    method: str
    ci95: Interval | None = None
    ci90: Interval | None = None
    p_difference: float | None = None
    p_equivalence: float | None = None
    p_beyond: float | None = None
    sd: float | None = None
    df: float | None = None
    ratio: float | None = None
    ratio_ci95: Interval | None = None


class Fitted(NamedTuple):
    """What a model of a whole design tells of its scatter.

    Parameters
    ----------
    own_df : int
        Degrees of freedom of the scatter within the two sides that are compared.
    own_gain, rest_gain : float
        Degrees of freedom that a further print of each arm adds, within the sides and in the rest.
    taken : tuple of str
        What was taken out besides blocks: a drift along the printed order, covariates.
    """

    own_df: int
    own_gain: float
    rest_gain: float
    taken: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Shape:
    """How many prints a comparison has, before any figure of them; it alone chooses the method.

    Parameters
    ----------
    kind : ResponseKind
        Of the response.
    pairs : int
        Complete pairs; 0 where prints are not paired, or no pair is complete.
    n_baseline, n_change : int
        Prints that enter.
    noise_df : float
        Degrees of freedom of a noise floor that judges beside the prints' own scatter; 0 without.
    strata : int
        Machines and pieces that the prints of two groups stand on; those in pairs are of one.
    spread : float
        Standard error of the difference in that of as many pairs, or prints, of one print each:
        below one where the sides of a pair are means of several prints.
    fitted : Fitted, optional
        Where a model of the whole design judges; ``noise_df`` then holds the scatter of its other arms.
    level : float
        Two-sided, of each of the planned looks and of all that is asked together; 0.05 for one alone.
    effects : int
        Of a design that is printed once: how many effects tell the scatter, which ``noise_df`` then holds;
        0 elsewhere.
    """

    kind: ResponseKind = ResponseKind.QUANTITY
    pairs: int = 0
    n_baseline: int = 0
    n_change: int = 0
    noise_df: float = 0.0
    strata: int = 1
    spread: float = 1.0
    fitted: Fitted | None = None
    level: float = LOOKED_AT_ONCE
    effects: int = 0

    def __post_init__(self) -> None:
        """Refuse degrees of freedom that mean nothing."""
        if not (math.isfinite(self.noise_df) and self.noise_df >= 0):
            raise ValueError(tr("the degrees of freedom must be above zero"))

    @property
    def fewest(self) -> int:
        """Prints of the smaller side."""
        return min(self.n_baseline, self.n_change)

    @property
    def own_df(self) -> int:
        """Degrees of freedom of the prints' own scatter."""
        if self.fitted is not None:
            return self.fitted.own_df
        return self.pairs - 1 if self.pairs else max(self.n_baseline + self.n_change - 1 - self.strata, 0)

    @property
    def factor(self) -> float:
        """Standard error of the difference in standard deviations of one print."""
        if self.pairs:
            return self.spread * math.sqrt(2 / self.pairs)
        return self.spread * math.sqrt(1 / self.n_baseline + 1 / self.n_change)

    @property
    def sides_known(self) -> bool:
        """Whether each of two groups has a scatter of its own."""
        return self.fitted is None and not self.pairs and self.strata == 1 and self.fewest > 1

    @property
    def counted(self) -> Shape:
        """The shape with no more in it than chances hang on, so that equal ones are worked out once."""
        return replace(self, n_baseline=self.pairs, n_change=self.pairs) if self.pairs else self

    def sized(self, count: int) -> Shape:
        """Return the shape with so many pairs, or prints on each side where none is paired."""
        # Twins inside pairs are kept in proportion: a plan of twice the pairs has twice the further prints
        # too.
        whole = max(self.pairs, 1) if self.pairs else max(self.fewest, 1)
        base, change = (
            max(1, round(n / whole * count)) if self.pairs else count
            for n in (self.n_baseline, self.n_change)
        )
        if self.fitted is not None:
            return self._of_design(count - whole)
        return replace(self, pairs=count if self.pairs else 0, n_baseline=base, n_change=change)

    def grown(self, extra: int) -> Shape:
        """Return the shape with further pairs, or further prints on both sides where none is paired."""
        if self.fitted is not None:
            return self._of_design(extra)
        return replace(
            self,
            pairs=self.pairs + extra if self.pairs else 0,
            n_baseline=self.n_baseline + extra,
            n_change=self.n_change + extra,
        )

    def _of_design(self, extra: int) -> Shape:
        """Return the shape with every arm of the design printed some times more, or less."""
        fitted, whole = self.fitted, max(self.fewest, 1)
        if fitted is None:
            return self
        grown = (whole + extra) / whole
        return replace(
            self,
            n_baseline=max(1, round(self.n_baseline * grown)),
            n_change=max(1, round(self.n_change * grown)),
            noise_df=max(0.0, self.noise_df + fitted.rest_gain * extra),
            fitted=fitted._replace(own_df=max(0, round(fitted.own_df + fitted.own_gain * extra))),
        )


@dataclass(frozen=True, slots=True)
class Data:
    """The prints of one comparison.

    Parameters
    ----------
    shape : Shape
    measure : Measure
    estimate : float
        Change minus baseline, in the response's unit.
    differences : array of shape (pairs,)
        Of the complete pairs.
    baseline, change : arrays of shape (prints,)
        Values that enter.
    noise : NoiseFloor or None
        Of one print; of other prints than these.
    step : float
        Last place that the readings were written with, in the response's unit; 0 where they show none.
    tries : tuple of arrays of shape (prints,), optional
        Of yes or no: how often each print of the baseline and of the change was tried.
    residual : float, optional
        Variance of a print within the two sides, where a model of the whole design has found it.
    """

    shape: Shape
    measure: Measure
    estimate: float
    differences: Floats
    baseline: Floats
    change: Floats
    noise: NoiseFloor | None = None
    step: float = 0.0
    tries: tuple[Floats, Floats] | None = None
    residual: float | None = None


@dataclass(frozen=True, slots=True)
class Studies:
    """Many studies of one shape.

    Parameters
    ----------
    shape : Shape
    estimates : array of shape (studies,)
    differences : array of shape (studies, pairs)
    baseline, change : arrays of shape (studies, prints)
    noise_sd : array of shape (studies,)
        Of the noise floor; zero where there is none.
    residual : array of shape (studies,), optional
        Variance of a print within the two sides, where a model of the whole design has found it.
    """

    shape: Shape
    estimates: Floats
    differences: Floats
    baseline: Floats
    change: Floats
    noise_sd: Floats
    residual: Floats | None = None


class Ends(NamedTuple):
    """Ends of the intervals of many studies, each of shape (studies,)."""

    low95: Floats
    high95: Floats
    low90: Floats
    high90: Floats


@dataclass(frozen=True, slots=True)
class Truth:
    """What a plan takes for true.

    Parameters
    ----------
    difference : float
        Change minus baseline, in the response's unit.
    sd : float
        Standard deviation of one print, above zero, in the same unit.
    margin : float or None
        Smallest difference that matters, in the same unit.
    """

    difference: float
    sd: float
    margin: float | None = None


class Power(NamedTuple):
    """Chances of what a study of a shape will say.

    Parameters
    ----------
    differs : float
        That the 95 % interval excludes zero.
    beyond : float
        That it lies beyond the margin on the side of the difference; as ``differs`` without one.
    inside : float
        That the 90 % interval lies inside the margin; zero without one.
    """

    differs: float
    beyond: float
    inside: float


class Method(Protocol):
    """A way to compare two sides."""

    def applies(self, shape: Shape) -> bool:
        """Whether it can judge prints of this shape."""

    def infer(self, data: Data) -> Inference:
        """Judge the prints of one comparison."""

    def infer_many(self, studies: Studies, measure: Measure) -> Ends | None:
        """Judge many studies of one shape; None where it can say nothing."""

    def chances(self, shape: Shape, truth: Truth) -> Power | None:
        """Return what a study of a shape will say; None where it can say nothing."""
