"""Columns of the model matrix: one for each factor and each recorded nuisance."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from itertools import pairwise

import numpy as np

from oddtwin.core.arrays import Floats


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

    @property
    def repeats(self) -> bool:
        """Whether enough values stand more than once for a nuisance to be more than scatter."""
        return self.kind is not ColumnKind.NUISANCE or len(self.levels) < max(len(self.values) - 1, 3)

    def of(self, rows: Sequence[int]) -> Column:
        """Return the column of some prints only."""
        return replace(self, values=tuple(self.values[row] for row in rows))

    def numbers(self, factor: Column, level: str) -> tuple[float, float]:
        """Return, of a trend, the lowest and highest number of the prints with a level of a factor."""
        found = [
            float(number) for number, value in zip(self.values, factor.values, strict=True) if value == level
        ]
        return min(found), max(found)

    def separated_by(self, trend: Column) -> bool:
        """Return whether a trend parts the levels: all prints of one before all of the next."""
        spans = sorted(trend.numbers(self, level) for level in self.levels)
        return all(one[1] < two[0] for one, two in pairwise(spans))

    def telling(self, other: Column) -> tuple[str, list[str]] | None:
        """Return a level that shares no value of another column with the others, and its values."""
        for level in reversed(self.levels):
            here = {o for f, o in zip(self.values, other.values, strict=True) if f == level and o}
            elsewhere = {o for f, o in zip(self.values, other.values, strict=True) if f != level and o}
            if here and not here & elsewhere:
                return level, sorted(here)
        return None

    def stands_alone_in(self, other: Column) -> bool:
        """Return whether some level has several prints, and all of them one value of another column."""
        for level in self.levels:
            here = [o for f, o in zip(self.values, other.values, strict=True) if f == level and o]
            if len(here) > 1 and len(set(here)) == 1:
                return True
        return False

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
        # Prints without a record stand at the mean: they neither hide a factor nor part it from anything.
        coded[rows] -= coded[rows].mean(axis=0) if rows else 0
        # The first level follows from the others and the mean; kept, every column would seem to hide every
        # other.
        return coded[:, 1:]


def varying(columns: Sequence[Column]) -> list[Column]:
    """Return the columns that can say anything: two values at least, and not one for every print."""
    return [
        column
        for column in columns
        if len(column.levels) > 1
        and (column.kind is not ColumnKind.NUISANCE or len(column.levels) < sum(map(bool, column.values)))
    ]
