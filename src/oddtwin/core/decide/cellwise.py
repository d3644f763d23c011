"""Cells before pools: what no mean over machines, pieces and zones may hide."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from oddtwin.core.decide.verdict import Verdict, adjusted_for_all, judge, within_family, worse_side
from oddtwin.core.effects import Across, Cell, Cells, Comparison, Inference, Measure, Same

SAME: Final = 0.05
"""Below this chance the cells are said not to be alike."""


@dataclass(frozen=True, slots=True)
class JudgedCell:
    """A cell with its verdict, judged as one of all cells."""

    cell: Cell
    verdict: Verdict


@dataclass(frozen=True, slots=True)
class Cellwise:
    """What the cells of a comparison say beside its mean.

    Parameters
    ----------
    cells : tuple of JudgedCell
        By machine, piece and zone.
    same : tuple of Same
        Whether the change does the same along each dimension.
    parts : tuple of JudgedCell
        What disagrees, where the verdict is mixed: along the dimension in which it does.
    doubtful : tuple of JudgedCell
        What a twin of the mean cannot speak for.
    machines : Across or None
        What the machines say of the next one.
    """

    cells: tuple[JudgedCell, ...]
    same: tuple[Same, ...]
    parts: tuple[JudgedCell, ...] = ()
    doubtful: tuple[JudgedCell, ...] = ()
    machines: Across | None = None


def look_into_cells(verdict: Verdict, comparison: Comparison, cells: Cells) -> tuple[Verdict, Cellwise]:
    """Judge the cells, and what the mean over them may still say.

    Parameters
    ----------
    verdict : Verdict
        Of the mean.
    comparison : Comparison
        Its figures.
    cells : Cells
        The same comparison cell by cell.

    Returns
    -------
    tuple of Verdict and Cellwise
        ``mixed`` where the test of sameness rejects at 5 % and the parts are not all on one side of the
        margin, where a cell is odd against the mean, or where one is odd and the mean a twin. A twin
        becomes undecided where a cell's estimate, drawn to the mean of all, reaches the margin. What
        every cell shows by itself is said of all of them, however unlike they are.
    """
    judged = _judged(cells.cells, comparison)
    parts = _disagreeing(cells, comparison)
    if parts:
        # Tested once that they are not alike, each is judged by itself (Fisher's protected comparisons).
        judged = _each_alone(cells.cells, comparison)
    elif _against(verdict, comparison, judged):
        parts = judged
    if not parts and not verdict.odd and len({one.verdict for one in judged}) == 1 and judged[0].verdict.odd:
        # Minutes saved on small and large pieces scatter about their mean, and are saved on every one.
        verdict = judged[0].verdict
    doubtful: tuple[JudgedCell, ...] = ()
    margin = comparison.measure.margin
    if parts:
        verdict = Verdict.MIXED
    elif verdict is Verdict.TWIN and margin is not None:
        doubtful = tuple(one for one in judged if abs(one.cell.shrunk) >= margin * (1 - 1e-9))
        verdict = Verdict.UNDECIDED if doubtful else verdict
    elif verdict is Verdict.NOT_WORSE and margin is not None:
        sign = worse_side(comparison.measure.better, guard=True)
        doubtful = tuple(one for one in judged if sign * one.cell.shrunk >= margin * (1 - 1e-9))
        verdict = Verdict.UNDECIDED if doubtful else verdict
    return verdict, Cellwise(judged, cells.same, parts, doubtful, cells.machines)


def side_of(cell: Cell, measure: Measure) -> int:
    """Return on which side of the margin a cell's estimate lies: 1 above, −1 below, 0 inside.

    Parameters
    ----------
    cell : Cell
        In the response's unit.
    measure : Measure
        With its margin; without one, whatever the 90 % interval excludes zero for counts.
    """
    if measure.margin is not None:
        return (cell.estimate >= measure.margin * (1 - 1e-9)) - (
            cell.estimate <= -measure.margin * (1 - 1e-9)
        )
    low, high = cell.inference.ci90 or (0.0, 0.0)
    return (low > 0) - (high < 0)


def _judged(cells: Sequence[Cell], comparison: Comparison) -> tuple[JudgedCell, ...]:
    return tuple(
        JudgedCell(cell, within_family(_alone(cell.inference, comparison.measure), one))
        for cell, one in zip(cells, adjusted_for_all([cell.inference for cell in cells]), strict=True)
    )


def _alone(inference: Inference, measure: Measure) -> Verdict:
    return judge(inference.ci95, inference.ci90, measure.margin, measure.better)


def _disagreeing(cells: Cells, comparison: Comparison) -> tuple[JudgedCell, ...]:
    """The parts along the dimension that is not alike, where they are not all on one side of the margin."""
    unlike = [
        item
        for item in cells.same
        if item.p <= SAME and len({side_of(part, comparison.measure) for part in item.parts}) > 1
    ]
    if not unlike:
        return ()
    # Machines differ and zones differ: only cell by cell can it be said where.
    return _each_alone(unlike[0].parts if len(unlike) == 1 else cells.cells, comparison)


def _each_alone(cells: Sequence[Cell], comparison: Comparison) -> tuple[JudgedCell, ...]:
    return tuple(JudgedCell(cell, _alone(cell.inference, comparison.measure)) for cell in cells)


def _against(verdict: Verdict, comparison: Comparison, judged: Sequence[JudgedCell]) -> bool:
    """Whether a cell is odd where the mean is a twin, or on the other side of zero than the mean."""
    odd = [one.cell.estimate for one in judged if one.verdict.odd]
    if verdict is Verdict.TWIN:
        return bool(odd)
    # A ruined machine is no part of a better mean, whatever the test of sameness has the strength to see.
    mean = comparison.estimate or 0.0
    return (verdict.odd or verdict.leaning) and any(one * mean < 0 for one in odd)
