"""What is said of cells: one by one, and where they do not do the same."""

from __future__ import annotations

import math
from typing import Final

from oddtwin.core.decide.cellwise import SAME, Cellwise, JudgedCell, side_of
from oddtwin.core.decide.verdict import Verdict
from oddtwin.core.decide.wording_figures import (
    SIDE,
    cell_decimals,
    measured_words,
    piece_by_piece,
)
from oddtwin.core.effects import Comparison, Place, Same
from oddtwin.core.language import mark, shown, tr, trn
from oddtwin.core.quantities import (
    after_p,
    format_list,
    format_number,
    format_signed,
)
from oddtwin.core.readings import Better


def cell_sentence(one: JudgedCell, comparison: Comparison) -> str:
    """Say what a cell shows.

    Parameters
    ----------
    one : JudgedCell
        The cell with its verdict.
    comparison : Comparison
        That it is of.
    """
    decimals = cell_decimals(one, comparison)
    estimate = measured_words(comparison, format_signed(one.cell.estimate, decimals))
    interval = one.cell.inference.ci95
    inside = ""
    if interval is not None and math.isfinite(interval[0] + interval[1]):
        low, high = (format_signed(end, decimals) for end in interval)
        inside = tr(" (95\u202f% interval {low} to {high})", low=low, high=high)
    return f"{one.cell.name}: {estimate}{inside}: {shown(_CELL[one.verdict.value.partition('-')[0]])}."


_CELL: Final = {
    "odd": mark("it differs, and enough to matter"),
    "leaning": mark("it differs; whether enough to matter is open"),
    "twin": mark("no difference that matters"),
    "undecided": mark("cannot tell yet"),
}


def same_sentence(item: Same) -> str:
    """Say whether the change does the same along a dimension.

    Parameters
    ----------
    item : Same
        As tested.
    """
    parts = tr(
        "all {parts} {dimension}", parts=len(item.parts), dimension=_named(item.dimension, len(item.parts))
    )
    return tr(
        "The change does {part}the same on {parts} (p {p}).",
        part=tr("not do ") if item.p <= SAME else "", parts=parts, p=after_p(item.p),
    )  # fmt: skip


def mixed_words(comparison: Comparison, cellwise: Cellwise) -> str:
    """Say what each part shows; what shows nothing comes first and is not listed at length."""
    sides = {one: side_of(one.cell, comparison.measure) for one in cellwise.parts}
    calm = [one.cell.name for one, side in sides.items() if not side]
    said = []
    if calm:
        many = tr(
            "{calm} of {sides} {dimension}",
            calm=len(calm),
            sides=len(sides),
            dimension=_named(_dimension(cellwise), len(sides)),
        )
        said.append(
            tr("no difference that matters on {many}", many=many if len(calm) > 3 else format_list(calm))
        )
    for side in (1, -1):
        said += [_moved(one, comparison, side) for one, own in sides.items() if own == side]
    return tr("it is not the same everywhere: ") + "; ".join(said)


def _moved(one: JudgedCell, comparison: Comparison, side: int) -> str:
    better = comparison.measure.better
    word = tr("more") if side > 0 else tr("less")
    if better is not None:
        word = tr("better") if (side > 0) == (better is Better.HIGHER) else tr("worse")
    size = measured_words(
        comparison, format_number(round(abs(one.cell.estimate), cell_decimals(one, comparison)))
    )
    along = sum(item * side > 0 for item in one.cell.differences)
    pairs = (
        tr(" in {along} of {differences} pairs", along=along, differences=len(one.cell.differences))
        if one.cell.differences
        else ""
    )
    sure = "" if one.verdict.odd or one.verdict.leaning else tr(", not yet sure")
    return tr(
        "{word} by {size} on {cell}{pairs}{sure}",
        word=word, size=size, cell=one.cell.name, pairs=pairs, sure=sure,
    )  # fmt: skip


def _dimension(cellwise: Cellwise) -> str:
    """What the parts are: zones, pieces or machines, or cells where more than one of them differs."""
    named = [name for name in Place._fields if len({getattr(p.cell.place, name) for p in cellwise.parts}) > 1]
    return named[0] if len(named) == 1 else "cell"


def _named(dimension: str, count: int) -> str:
    """Return what so many parts of a dimension are called."""
    words = {
        "zone": trn("zone", "zones", count),
        "piece": trn("piece", "pieces", count),
        "machine": trn("machine", "machines", count),
    }
    return words.get(dimension, trn("cell", "cells", count))


def doubtful(cellwise: Cellwise) -> str:
    """Say which cells cannot be told yet, where the mean shows nothing."""
    names = format_list([one.cell.name for one in cellwise.doubtful])
    return tr("no difference on average; {names} cannot be told yet", names=names)


def on_each(comparison: Comparison, cellwise: Cellwise) -> str:
    """The smallest and the largest of what the cells show: their mean says nothing of any."""
    cells = sorted(cellwise.cells, key=lambda one: one.cell.estimate)
    low, high = (
        format_signed(one.cell.estimate, cell_decimals(one, comparison)) for one in (cells[0], cells[-1])
    )
    ratio = (
        f" ({piece_by_piece(comparison)[0]})"
        if comparison.logs is None and comparison.pieces > 1 and piece_by_piece(comparison)
        else ""
    )
    return tr("{low} to {measured}{ratio}", low=low, measured=measured_words(comparison, high), ratio=ratio)


def everywhere(cellwise: Cellwise, verdict: Verdict) -> str:
    """Say that the change does the same everywhere, by as much as matters or not."""
    names = format_list([one.cell.name for one in cellwise.cells])
    side = verdict.value.partition("-")[2]
    return tr(
        "it differs on {names}, and enough to matter on each{part}",
        names=names, part=f", {shown(SIDE[side])}" if side else "",
    )  # fmt: skip
