"""Columns of the model matrix: one for each factor and each recorded nuisance."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


class ColumnKind(StrEnum):
    """What a column stands for."""

    FACTOR = "factor"
    NUISANCE = "nuisance"
    TREND = "trend"


@dataclass(frozen=True, slots=True)
class Column:
    """One thing that is known of every print.

    Parameters
    ----------
    name : str
        As the user calls it, such as "machine".
    kind : ColumnKind
        A factor is what the study asks about; a nuisance is whatever else differs by
        name; a trend is a number that grows, such as the order of printing.
    values : tuple of str
        Of each print; for a trend its number as text. An empty value is not recorded.
    """

    name: str
    kind: ColumnKind
    values: tuple[str, ...]

    @property
    def levels(self) -> list[str]:
        """Recorded values, each once, in the order of first appearance."""
        return list(dict.fromkeys(value for value in self.values if value))

    def coded(self) -> Floats:
        """Return the columns of the model matrix, of shape (prints, levels − 1), centred.

        A print without a record gets zeros, the middle of everything.
        """
        if self.kind is ColumnKind.TREND:
            numbers = np.array([float(value) if value else np.nan for value in self.values])
            centred: Floats = np.nan_to_num(numbers - np.nanmean(numbers))
            return centred[:, None]
        place = {level: index for index, level in enumerate(self.levels)}
        coded: Floats = np.zeros((len(self.values), len(place)))
        known = [(row, place[value]) for row, value in enumerate(self.values) if value]
        rows, found = [row for row, _ in known], [index for _, index in known]
        coded[rows, found] = 1
        coded[rows] -= coded[rows].mean(axis=0) if rows else 0
        return coded[:, 1:]


def varying(columns: Sequence[Column]) -> list[Column]:
    """Return the columns that can say anything: at least two values, and not one for every print."""
    prints = len(columns[0].values) if columns else 0
    return [
        column
        for column in columns
        if len(column.levels) > 1
        and (column.kind is not ColumnKind.NUISANCE or len(column.levels) < max(prints - 1, 3))
    ]
