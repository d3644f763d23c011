"""All prints of a design in one linear model: arms or factors, blocks, and a drift along the order.

Three arms and more tell more of the scatter than two of them do, and a baseline that is printed again
tells how far the machine has drifted meanwhile.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.effects.by_t import IN_STEPS
from oddtwin.core.effects.fitting import Row, Space, decomposed
from oddtwin.core.effects.gather import step_of
from oddtwin.core.effects.method import Data, Fitted, Measure, Shape, Studies
from oddtwin.core.effects.noise import SMALLEST, NoiseFloor, pool
from oddtwin.core.effects.small_effects import pseudo_df, pseudo_error
from oddtwin.core.readings import ResponseKind

FEWEST_LEFT: Final = 3
"""Degrees of freedom that must be left for a slope to be taken out."""


@dataclass(frozen=True, slots=True)
class LinearModel:
    """What is fitted to the prints of a design, and what is asked of the fit.

    Parameters
    ----------
    coding : mapping of str to tuple of float
        Columns of each arm: one of its own for arms, the levels for factors.
    weights : tuple of float
        The comparison, as weights of those columns.
    sides : tuple of frozenset of str
        Arms on the side of the baseline and of the change.
    drift : bool
        Whether a straight drift along the order of each machine is fitted too.
    covariates : tuple of str
        Names of what stands in each row's ``along``; a slope of each is fitted where three degrees of
        freedom are left.
    alone : bool
        Whether the prints of both sides show a scatter of their own, which is asked whether it
        is larger than that of all others.
    effects : mapping of str to tuple of float, optional
        Sign of each arm in every effect: what tells the scatter where each arm was printed once.
    """

    coding: Mapping[str, tuple[float, ...]]
    weights: tuple[float, ...]
    sides: tuple[frozenset[str], frozenset[str]]
    drift: bool = False
    alone: bool = True
    covariates: tuple[str, ...] = ()
    effects: Mapping[str, tuple[float, ...]] | None = None

    def solve(self, rows: Sequence[Row]) -> Solved | None:
        """Solve the model for some prints, before any value of them.

        Parameters
        ----------
        rows : sequence of Row
            Those that count.

        Returns
        -------
        Solved or None
            None where the comparison cannot be estimated from them. What cannot be told from the arms is
            left out: covariates first, then the drift.
        """
        drift = self.drift and len({row.order for row in rows}) > 1
        if self.covariates:
            found = self._solved(rows, drift=drift, along=True)
            # A slope that is known by fewer says more of its own noise than of what it takes out.
            if found is not None and found.df >= FEWEST_LEFT:
                return found
        if drift:
            found = self._solved(rows, drift=True, along=False)
            if found is not None:
                return found
        return self._solved(rows, drift=False, along=False)

    def _solved(self, rows: Sequence[Row], drift: bool, along: bool) -> Solved | None:
        counts = [sum(row.arm in side for row in rows) for side in self.sides]
        if not all(counts):
            return None
        coding = tuple(self.coding.items())
        used = tuple(row if along else row._replace(along=()) for row in rows)
        whole = decomposed(coding, used, drift)
        asked = np.zeros(whole.inverse.shape[0])
        asked[: len(self.weights)] = self.weights
        weights = asked @ whole.inverse
        # Estimable if some combination of the prints has just what is asked for its expectation.
        if not np.allclose(weights @ whole.matrix, asked, atol=1e-7):
            return None
        # What the model leaves free is scatter; that within the two sides is a part of it, and the rest
        # stands at right angles to it, so that the two are independent.
        own = None
        if self.alone:
            both = self.sides[0] | self.sides[1]
            there = [place for place, row in enumerate(used) if row.arm in both]
            inside = decomposed(coding, tuple(used[place] for place in there), drift)
            own = Space(np.array(there), inside.basis)
        blocks = len({row.block for row in rows})
        every = Space(np.arange(len(rows)), whole.basis)
        taken = (*(("drift",) if drift else ()), *(self.covariates if along else ()))
        contrasts = self._contrasts(rows, every)
        return Solved(weights, every, own, (counts[0], counts[1]), blocks, taken, contrasts)

    def _contrasts(self, rows: Sequence[Row], every: Space) -> Floats | None:
        """Return the weight of each print in every effect, where each arm was printed once and no more."""
        once = sorted(row.arm for row in rows) == sorted(self.effects or ())
        if self.effects is None or not once or every.df:
            return None
        signs = np.array([self.effects[row.arm] for row in rows]).T
        return signs * (2 / len(rows))


@dataclass(frozen=True, slots=True)
class Solved:
    """A model solved for the prints of a design, whatever their values are.

    Parameters
    ----------
    weights : array of shape (prints,)
        Of each print in the estimate.
    whole : Space
        Of all prints.
    own : Space or None
        Of the two sides alone.
    counts : tuple of int
        Prints of the baseline and of the change.
    blocks : int
        How many blocks the prints stand in.
    taken : tuple of str
        What was taken out besides blocks.
    contrasts : array of shape (effects, prints) or None
        Of every effect, where they are all that tells the scatter.
    """

    weights: Floats
    whole: Space
    own: Space | None
    counts: tuple[int, int]
    blocks: int
    taken: tuple[str, ...] = ()
    contrasts: Floats | None = None

    @property
    def effects(self) -> int:
        """How many effects tell the scatter; 0 where it shows by itself."""
        return 0 if self.contrasts is None else len(self.contrasts)

    @property
    def df(self) -> int:
        """Degrees of freedom of all scatter."""
        return self.whole.df

    @property
    def own_df(self) -> int:
        """Degrees of freedom of the two sides' own scatter."""
        return self.own.df if self.own is not None else 0

    @property
    def rest_df(self) -> int:
        """Degrees of freedom of the scatter of all that is not the two sides'."""
        return self.df - self.own_df

    def shape(self, kind: ResponseKind, known_df: float = 0.0) -> Shape:
        """Return the shape that chances are worked out from.

        Parameters
        ----------
        kind : ResponseKind
            Of the response; one that is judged by t.
        known_df : float
            Degrees of freedom of a noise floor from elsewhere; 0 without.
        """
        plain = math.sqrt(sum(1 / count for count in self.counts))
        spread = float(np.linalg.norm(self.weights)) / plain
        # As many prints again, and as many blocks, for every print of the smaller side.
        rounds = min(self.counts)
        gain = (len(self.weights) - self.blocks) / rounds
        own = min((sum(self.counts) - self.blocks) / rounds if self.own is not None else 0.0, gain)
        fitted = Fitted(self.own_df, max(own, 0.0), max(gain - own, 0.0), self.taken)
        if self.effects and not known_df:
            shape = Shape(
                kind, 0, *self.counts, pseudo_df(self.effects), spread=round(spread, 9), fitted=fitted
            )
            return replace(shape, effects=self.effects)
        return Shape(kind, 0, *self.counts, self.rest_df + known_df, spread=round(spread, 9), fitted=fitted)

    def estimates(self, values: Floats) -> Floats:
        """Return the comparison in many studies, of shape (studies,), from (studies, prints)."""
        found: Floats = values @ self.weights
        return found

    def by_effects(self, values: Floats) -> Floats:
        """Return the standard deviation of a print as all effects tell it, of shape (studies,)."""
        if self.contrasts is None:
            return np.zeros(len(values))
        # An effect is the difference of two halves: its error is that of a print times 2/√n.
        return pseudo_error(values @ self.contrasts.T) * math.sqrt(values.shape[1]) / 2

    def variances(self, values: Floats) -> tuple[Floats, Floats]:
        """Return the variance of a print by the sides' own scatter, and by the rest, each of (studies,)."""
        own = np.zeros(len(values)) if self.own is None else self.own.squares(values)
        rest = np.maximum(self.whole.squares(values) - own, 0.0)
        return own / max(self.own_df, 1), rest / max(self.rest_df, 1)


@dataclass(frozen=True, slots=True)
class Modelled:
    """The values of all prints of a design, with the model that judges them.

    Parameters
    ----------
    solved : Solved
        For those prints.
    values : array of shape (prints,)
        In the response's unit.
    """

    solved: Solved
    values: Floats

    def data(self, kind: ResponseKind, measure: Measure) -> Data | None:
        """Return the comparison as the method takes it; None where nothing tells the scatter.

        Parameters
        ----------
        kind : ResponseKind
            Of the response; one that is judged by t.
        measure : Measure
            What was asked, with the noise that is known from elsewhere.
        """
        row = self.values[None, :]
        own, rest = (float(one[0]) for one in self.solved.variances(row))
        known = measure.noise if measure.noise is not None and measure.noise.judges else None
        shape = self.solved.shape(kind, known.df if known else 0.0)
        # The scatter of the other arms stands in the place that twins have in pairs.
        noise, nothing = None, _nothing(self.values)
        if self.solved.rest_df and math.sqrt(rest) > nothing:
            noise = pool(NoiseFloor(math.sqrt(rest), self.solved.rest_df), known)
        elif self.solved.rest_df and math.sqrt(own) <= nothing and shape.fitted is not None:
            # Nothing scatters anywhere: the steps of the readings judge.
            fitted = shape.fitted._replace(own_df=self.solved.df)
            shape = replace(shape, fitted=fitted)
        noise = noise or known
        told = float(self.solved.by_effects(row)[0])
        if noise is None and told > nothing:
            noise = NoiseFloor(told, pseudo_df(self.solved.effects))
        shape = replace(shape, noise_df=noise.df if noise else 0.0, level=measure.level)
        if kind in IN_STEPS or shape.own_df + shape.noise_df <= 0:
            return None
        return Data(
            shape,
            measure,
            float(self.solved.estimates(row)[0]),
            np.empty(0),
            self.values,
            np.empty(0),
            noise,
            step_of(self.values),
            residual=own,
        )

    def logarithms(self) -> Modelled:
        """Return the same of the values' logarithms; all of them must be above zero."""
        return replace(self, values=np.log(self.values))


def many_modelled(solved: Solved, values: Floats, kind: ResponseKind, known: NoiseFloor | None) -> Studies:
    """Bring many studies of one design to what the method takes.

    Parameters
    ----------
    solved : Solved
        For the prints.
    values : array of shape (studies, prints)
        In the response's unit.
    kind : ResponseKind
        Of the response; one that is judged by t.
    known : NoiseFloor or None
        From elsewhere.
    """
    own, rest = solved.variances(values)
    known_df = known.df if known is not None and known.judges else 0.0
    known_sd = np.full(len(values), known.sd if known_df and known is not None else 0.0)
    if solved.effects and not known_df:
        known_df, known_sd = pseudo_df(solved.effects), solved.by_effects(values)
    df = solved.rest_df + known_df
    noise = (solved.rest_df * rest + known_df * known_sd**2) / max(df, SMALLEST)
    nothing = np.empty((len(values), 0))
    return Studies(
        solved.shape(kind, known_df),
        solved.estimates(values),
        nothing,
        values,
        nothing,
        np.sqrt(noise) if df else np.zeros(len(values)),
        own,
    )


def _nothing(values: Floats) -> float:
    """Scatter that is no more than the rounding of the arithmetic, in the values' unit."""
    return max(1e-12 * float(np.abs(values).max(initial=0.0)), SMALLEST)
