"""Whether one set of columns lies in the space of others, and how nearly."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats

_SAME: Final = 1e-9


def hidden(own: Floats, others: Sequence[Floats]) -> bool:
    """Return whether any contrast of a factor lies in the space of other columns.

    Parameters
    ----------
    own : array of shape (prints, levels − 1)
        Coded columns of the factor.
    others : sequence of array
        Coded columns of the others, with as many rows.
    """
    basis, _ = orthonormal(np.hstack(others))
    left = own - basis @ (basis.T @ own)
    sizes = np.linalg.svd(left, compute_uv=False)
    return len(sizes) < own.shape[1] or bool(sizes[-1] <= 1e-7 * max(1.0, float(np.linalg.norm(own))))


def orthonormal(columns: Floats) -> tuple[Floats, int]:
    """Return an orthonormal basis of the space of columns (prints, any), and its rank."""
    vectors, values, _ = np.linalg.svd(columns, full_matrices=False)
    rank = int(np.sum(values > _SAME * max(1.0, float(values[0]) if len(values) else 1.0) * len(columns)))
    return vectors[:, :rank], rank


def inflation(own: Floats, others: Floats, prints: int) -> float | None:
    """Return the generalised variance inflation to the power 1/df; None where it is not defined.

    Parameters
    ----------
    own, others : array of shape (prints, any)
        Coded columns.
    prints : int
        How many prints are behind them; rows may have been reduced.
    """
    basis, rank = orthonormal(others)
    # One further dimension goes to the mean.
    if rank + own.shape[1] >= prints - 1:
        return None
    left = own - basis @ (basis.T @ own)
    before, after = np.linalg.svd(own, compute_uv=False), np.linalg.svd(left, compute_uv=False)
    if after[-1] <= _SAME:
        return None
    # det(R11)·det(R22)/det(R) is the ratio of the squared volumes before and after.
    return float(np.exp(2 * np.sum(np.log(before) - np.log(after)) / own.shape[1]))
