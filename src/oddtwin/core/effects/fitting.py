"""The columns of a design, taken apart once for all its comparisons and responses."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.effects.noise import SMALLEST

RANK: Final = 1e-9
"""Share of the largest singular value below which one counts as zero."""


class Row(NamedTuple):
    """Where one print of a design stands.

    Parameters
    ----------
    arm : str
        Its arm.
    block : hashable
        What it shares with the prints of its block: pair, machine and piece.
    line : str
        The machine, along whose prints a drift runs.
    order : float
        Its place in the printed order on that machine.
    along : tuple of float
        What each covariate was.
    """

    arm: str
    block: Hashable
    line: str = ""
    order: float = 0.0
    along: tuple[float, ...] = ()


@dataclass(frozen=True, slots=True)
class Space:
    """What a model can follow of some prints; what it cannot is scatter.

    Parameters
    ----------
    there : array of shape (some,)
        Which prints.
    basis : array of shape (some, rank)
        Orthonormal.
    """

    there: NDArray[np.int64]
    basis: Floats

    @property
    def df(self) -> int:
        """Degrees of freedom of the scatter."""
        return int(self.basis.shape[0] - self.basis.shape[1])

    def squares(self, values: Floats) -> Floats:
        """Return the sum of squares of the scatter of many studies, of shape (studies,)."""
        part = values[:, self.there]
        # About the mean first: large readings would leave no digits for what is small about them.
        part = part - part.mean(axis=1, keepdims=True)
        found: Floats = ((part - (part @ self.basis) @ self.basis.T) ** 2).sum(axis=1)
        return found


class Decomposed(NamedTuple):
    """A design's columns, an orthonormal basis of them, and their pseudo-inverse."""

    matrix: Floats
    basis: Floats
    inverse: Floats


@lru_cache(maxsize=64)
def decomposed(
    coding: tuple[tuple[str, tuple[float, ...]], ...], rows: tuple[Row, ...], drift: bool
) -> Decomposed:
    """Take the columns of some prints apart; comparisons and responses of one design share it.

    Parameters
    ----------
    coding : tuple of (str, tuple of float)
        Columns of each arm.
    rows : tuple of Row
        Where the prints stand.
    drift : bool
        Whether a straight line along the order of each machine is among the columns.
    """
    by_arm = dict(coding)
    columns = [
        np.array([by_arm[row.arm] for row in rows], dtype=np.float64),
        _one_hot([row.block for row in rows]),
    ]
    if drift:
        order = np.array([row.order for row in rows], dtype=np.float64)
        # About the middle, so that large numbers of prints cost no digits.
        columns.append(_one_hot([row.line for row in rows]) * (order - order.mean())[:, None])
    if rows and rows[0].along:
        along = np.array([row.along for row in rows], dtype=np.float64)
        # In their own spreads about their means, so that degrees and hours weigh alike in the rank.
        spread = along.std(axis=0)
        columns.append((along - along.mean(axis=0)) / np.where(spread > 0, spread, 1.0))
    matrix = np.concatenate(columns, axis=1)
    # By singular values: arms, blocks and slopes are seldom of full rank together.
    left, sizes, right = np.linalg.svd(matrix, full_matrices=False)
    rank = int((sizes > RANK * sizes.max(initial=SMALLEST)).sum())
    left, sizes, right = left[:, :rank], sizes[:rank], right[:rank]
    return Decomposed(matrix, left, (right.T / sizes) @ left.T)


def _one_hot(labels: Sequence[Hashable]) -> Floats:
    number = {label: place for place, label in enumerate(dict.fromkeys(labels))}
    found = np.zeros((len(labels), len(number)))
    found[np.arange(len(labels)), [number[label] for label in labels]] = 1.0
    return found
