"""What was judged by logarithms, told in percent."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from oddtwin.core.decide.cellwise import Cellwise, JudgedCell
from oddtwin.core.decide.finding import Finding
from oddtwin.core.effects import Across, Cell, Inference, percent_interval, percent_of_log
from oddtwin.core.readings import Prints


def in_percent(finding: Finding, margin: float | None, prints: Prints | None = None) -> Finding:
    """Return a finding of logarithms with its figures in percent; the verdict stays as it was judged.

    Parameters
    ----------
    finding : Finding
        Judged by 100 times the logarithms.
    margin : float or None
        As it was typed, in percent.
    prints : Prints, optional
        The same prints with their values in the response's unit.
    """
    comparison = finding.comparison
    shown = replace(
        comparison,
        unit="%",
        measure=replace(comparison.measure, margin=margin),
        prints=prints or comparison.prints,
        estimate=None if comparison.estimate is None else percent_of_log(comparison.estimate),
        percent=None,
        inference=_inference(comparison.inference, comparison.estimate),
        differences=tuple(map(percent_of_log, comparison.differences)),
        logs=comparison,
    )
    family = finding.family
    if family is not None:
        family = replace(family, ci95=percent_interval(family.ci95))
    cellwise = None if finding.cellwise is None else _cellwise(finding.cellwise)
    return replace(finding, comparison=shown, family=family, cellwise=cellwise)


def _inference(found: Inference, estimate: float | None) -> Inference:
    ends = percent_interval(found.ci95)
    ratio = None if estimate is None else 1 + percent_of_log(estimate) / 100
    return replace(
        found,
        ci95=ends,
        ci90=percent_interval(found.ci90),
        ratio=ratio,
        ratio_ci95=None if ends is None else (1 + ends[0] / 100, 1 + ends[1] / 100),
    )


def _cellwise(found: Cellwise) -> Cellwise:
    machines = found.machines
    return replace(
        found,
        cells=_cells(found.cells),
        parts=_cells(found.parts),
        doubtful=_cells(found.doubtful),
        machines=None if machines is None else _across(machines),
    )


def _across(found: Across) -> Across:
    mean, following = percent_interval(found.ci95), percent_interval(found.next95)
    return replace(
        found,
        mean=percent_of_log(found.mean),
        ci95=mean or found.ci95,
        next95=following or found.next95,
    )


def _cells(cells: Sequence[JudgedCell]) -> tuple[JudgedCell, ...]:
    return tuple(replace(one, cell=_cell(one.cell)) for one in cells)


def _cell(cell: Cell) -> Cell:
    return replace(
        cell,
        estimate=percent_of_log(cell.estimate),
        shrunk=percent_of_log(cell.shrunk),
        differences=tuple(map(percent_of_log, cell.differences)),
        inference=_inference(cell.inference, cell.estimate),
    )
