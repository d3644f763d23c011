"""Breaks: where a line of a top is laid beside one that was laid long before, and shows.

The order of lines leaves marks that no setting tells: two halves of a top that meet, or an
ironing pass that comes back. Each place along the lines of a layer asks how long before it the line beside
it was laid, on either side.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.language import tr, trn
from oddtwin.core.quantities import format_number, format_reading, with_unit
from oddtwin.core.toolpath.gcode import FEATURES, Feature
from oddtwin.core.toolpath.match.lines import segments
from oddtwin.core.toolpath.sliced import Sliced, directions_of, places_along

Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]

TOPS: Final = frozenset({Feature.TOP_SURFACE, Feature.IRONING})
STEP_MM: Final = 1.0
MOST_PLACES: Final = 20_000
MOST_LAYERS: Final = 12
BESIDE_MM: Final = 0.8
"""The line beside lies so near at most."""
APART_MM: Final = 0.1
"""Nearer, to the side, lies the line itself and what continues it."""
ALONG: Final = 0.9
"""Cosine of the angle between two lines that lie side by side."""
LONG_S: Final = 5.0
"""A line that was laid so long before has cooled: the seam shows (common practice, no source)."""
LEAST_MM: Final = 2.0
"""Shorter seams are the ends of lines at a corner."""


@dataclass(frozen=True, slots=True)
class Breaks:
    """The breaks of one layer.

    Parameters
    ----------
    layer : int
        From 0.
    z : float
        Its height, mm.
    lines : int
        Lines that begin a break.
    length_mm : float
        Of all breaks.
    longest_s : float
        Longest delay.
    places : numpy.ndarray, shape (places, 2)
        Marks along the breaks, mm.
    """

    layer: int
    z: float
    lines: int
    length_mm: float
    longest_s: float
    places: Floats


def breaks_of(sliced: Sliced, job: Job = UNWATCHED) -> list[Breaks]:
    """Return the breaks in the tops of a file, layer by layer; layers without one are left out.

    Parameters
    ----------
    sliced : Sliced
        The file, planned.
    job : Job
        Stops the work between layers.

    Raises
    ------
    CancelledError
        The job was cancelled.
    """
    found = []
    for layer in top_layers(sliced):
        job.check()
        breaks = _in_layer(sliced, layer)
        if breaks is not None:
            found.append(breaks)
    return found


def breaks_in(sliced: Sliced, layer: int) -> Floats:
    """Return marks along the breaks of one layer, shape (places, 2), mm.

    Parameters
    ----------
    sliced : Sliced
        The file, planned.
    layer : int
        From 0, one of `top_layers`: only tops have breaks that show.
    """
    found = _in_layer(sliced, layer)
    return np.zeros((0, 2)) if found is None else found.places


def breaks_words(name: str, breaks: Sequence[Breaks]) -> str:
    """Return what breaks a file has, as a sentence; of none, that too."""
    if not breaks:
        return tr(
            "{name}: on no top is a line laid beside one that is over {LONG_S} s old.",
            name=name,
            LONG_S=format_reading(LONG_S),
        )
    worst = max(breaks, key=lambda one: one.length_mm)
    longest = max(one.longest_s for one in breaks)
    where = tr("at {z} height", z=with_unit(format_number(worst.z, 2), "mm"))
    more = tr(" and {breaks} more", breaks=len(breaks) - 1) if len(breaks) > 1 else ""
    lines = sum(one.lines for one in breaks)
    return tr(
        "{name}: {lines} {part} of the top {where}{more} {part2} beside a line that was laid over "
        "{LONG_S} s before (up to {longest}): a seam may show there, so grade that face.",
        name=name,
        lines=lines,
        part=trn("line", "lines", lines),
        where=where,
        more=more,
        part2=trn("lies", "lie", lines),
        LONG_S=format_reading(LONG_S),
        longest=with_unit(format_number(longest, 0), "s"),
    )


def top_layers(sliced: Sliced) -> list[int]:
    """Return the layers whose tops are looked at: those with most of a top, or the last without names.

    Parameters
    ----------
    sliced : Sliced
        The file; all of its moves are looked at.
    """
    path = sliced.path
    wanted = [FEATURES[state.feature] in TOPS for state in path.states]
    if not any(wanted):
        named = any(FEATURES[state.feature] is not Feature.UNNAMED for state in path.states)
        return [] if named or path.layers < 2 else [path.layers - 1]
    own = np.array(wanted).take(path.state) & path.lays()
    length = np.add.reduceat(np.where(own, path.length, 0.0), path.layer_start)
    order = np.argsort(-length, kind="stable")[:MOST_LAYERS]
    return sorted(int(layer) for layer in order if length[layer] > 0)


def _in_layer(sliced: Sliced, layer: int) -> Breaks | None:
    path = sliced.path
    span = path.span(layer)
    seconds = sliced.plan.time[span]
    begin, end, feature = segments(path, layer)
    moment = (np.cumsum(seconds) - seconds / 2)[path.lays(span)]
    top = np.isin(feature, [FEATURES.index(one) for one in (*TOPS, Feature.UNNAMED)])
    begin, end, feature, moment = begin[top], end[top], feature[top], moment[top]
    if len(begin) < 2:
        return None
    place, line, step = places_along(begin, end, STEP_MM, MOST_PLACES, offset=0.5)
    ahead = directions_of(begin, end)
    late, early, side = _side_by_side(place, ahead[line], moment[line], feature[line], step)
    if not len(late):
        return None
    delay = moment[line[late]] - moment[line[early]]
    # Of all lines on one side of a place the youngest is its neighbour: farther ones lie behind it.
    key = 2 * late + side
    order = np.lexsort((delay, key))
    nearest = order[np.concatenate(([True], np.diff(key[order]) > 0))]
    broken = nearest[delay[nearest] > LONG_S]
    marks = np.unique(late[broken])
    if len(marks) * step < LEAST_MM:
        return None
    return Breaks(
        layer,
        float(path.layer_z[layer]),
        len(np.unique(line[marks])),
        float(len(marks) * step),
        float(delay[broken].max()),
        place[marks],
    )


def _side_by_side(
    place: Floats, direction: Floats, moment: Floats, feature: Ints, step: float
) -> tuple[Ints, Ints, Bools]:
    """Return pairs of places on lines side by side: the later, the earlier, and on which side it is."""
    from scipy.spatial import cKDTree

    # A pair is two places side by side; both sides of a line are among them.
    pairs = cKDTree(place).query_pairs(BESIDE_MM + step / 2, output_type="ndarray").reshape(-1, 2)
    late = np.where(moment[pairs[:, 0]] > moment[pairs[:, 1]], pairs[:, 0], pairs[:, 1])
    early = pairs.sum(axis=1) - late
    between, ahead = place[late] - place[early], direction[late]
    aside = between[:, 0] * ahead[:, 1] - between[:, 1] * ahead[:, 0]
    along = np.abs((between * ahead).sum(axis=1))
    beside = (
        (np.abs((ahead * direction[early]).sum(axis=1)) > ALONG)
        & (feature[late] == feature[early])
        & (np.abs(aside) > APART_MM)
        & (np.abs(aside) <= BESIDE_MM)
        & (along <= step)
    )
    return late[beside], early[beside], aside[beside] > 0
