"""Whether the paths of two files are the same: layers, outlines, features."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.language import mark, shown, tr
from oddtwin.core.quantities import format_list, format_number, format_reading
from oddtwin.core.toolpath.gcode import FEATURES, Feature, Toolpath
from oddtwin.core.toolpath.match.lines import (
    distance_apart,
    places_apart,
    reordered_features,
    rows_of,
    same_rows,
    segments,
)
from oddtwin.core.toolpath.sliced import Sliced

TOLERANCE_MM: Final = 0.05
SAME_Z_MM: Final = 0.02
MOST_LAYERS: Final = 200
"""Layers whose lines are compared."""
MOST_MEASURED: Final = 40
"""Layers in which it is measured how far apart the lines lie."""
LENGTH_SHARE: Final = 0.002


@dataclass(frozen=True, slots=True)
class FeatureChange:
    """Length of one feature in both files, mm; same, longer, shorter, added, missing or moved."""

    feature: Feature
    baseline_mm: float
    change_mm: float
    state: str


@dataclass(frozen=True, slots=True)
class PathCheck:
    """How the paths of two files compare.

    Parameters
    ----------
    identical : bool
        Whether every move ends at the same place.
    layers : (int, int)
        How many there are in each file.
    same_heights : bool
        Whether all layers lie at the same heights.
    outline_mm : float or None
        Greatest distance of an outline from that of the other file; None where no layer is at the
        same height.
    outlines_same : bool
        Whether it is within ``tolerance_mm``.
    outline_z : float or None
        The height where it is greatest, mm.
    features : tuple of FeatureChange
        Those that occur in either file.
    parted : tuple of int
        Layers of the baseline's file in which the paths part.
    looked_at : int
        How many layers were compared point by point.
    tolerance_mm : float
    reordered : tuple of int
        Layers of the baseline's file whose lines are the same, but laid in another order.
    reordered_features : tuple of Feature
        In which features.
    """

    identical: bool
    layers: tuple[int, int]
    same_heights: bool
    outline_mm: float | None
    outlines_same: bool
    outline_z: float | None
    features: tuple[FeatureChange, ...]
    parted: tuple[int, ...]
    looked_at: int
    tolerance_mm: float = TOLERANCE_MM
    reordered: tuple[int, ...] = ()
    reordered_features: tuple[Feature, ...] = ()

    @property
    def sentence(self) -> str:
        """Say how the paths compare."""
        if self.identical:
            return tr("The paths are the same, move by move.")
        ours, theirs = self.layers
        if ours != theirs:
            first = tr("The files have {ours} and {theirs} layers", ours=ours, theirs=theirs)
        else:
            where = tr("at the same heights") if self.same_heights else tr("but at other heights")
            first = tr("Both files have {ours} layers {where}", ours=ours, where=where)
        if self.outline_mm is None:
            return tr("{first}; no layer lies at the same height in both.", first=first)
        if self.outlines_same:
            second = tr(
                "the outlines are the same within {tolerance_mm} mm",
                tolerance_mm=format_reading(self.tolerance_mm),
            )
        else:
            second = tr(
                "the outlines part by up to {outline_mm} mm, at {outline_z} mm height",
                outline_mm=format_number(self.outline_mm, 2),
                outline_z=format_number(self.outline_z or 0.0, 2),
            )
        moved = [
            f"{shown(item.feature)} {shown(item.state)}" for item in self.features if item.state != "same"
        ]
        third = f"; {', '.join(moved)}" if moved else ""
        return f"{first}; {second}{third}{self._order}."

    @property
    def _order(self) -> str:
        """Say which layers have the same lines in another order."""
        if not self.reordered:
            return ""
        names = format_list(list(self.reordered_features))
        count = len(self.reordered)
        of = (
            tr(" of {looked_at} looked at", looked_at=self.looked_at)
            if self.looked_at < self.layers[0]
            else ""
        )
        span = tr("layer {reordered}", reordered=self.reordered[0] + 1)
        if count > 1:
            span = tr(
                "{count} layers{of}, {reordered} to {reordered2}",
                count=count,
                of=of,
                reordered=self.reordered[0] + 1,
                reordered2=self.reordered[-1] + 1,
            )
        return tr("; the same lines are laid in another order in {span} ({names})", span=span, names=names)


def check_paths(
    baseline: Sliced,
    change: Sliced,
    tolerance_mm: float = TOLERANCE_MM,
    job: Job = UNWATCHED,
) -> PathCheck:
    """Compare the paths of two files.

    Parameters
    ----------
    baseline, change : Sliced
        The files.
    tolerance_mm : float
        Within it an outline is the same.
    job : Job
        Told the share that is done; stops the work between layers.

    Raises
    ------
    CancelledError
        The job was cancelled.
    """
    ours, theirs = baseline.path, change.path
    identical = _same_moves(ours, theirs)
    pairs = layer_pairs(ours, theirs)
    # Spread evenly and with both ends: a shifted origin shows everywhere, a changed top only at the end.
    chosen = [] if identical else _spread(pairs, MOST_LAYERS)
    orders = []
    for count, pair in enumerate(chosen, 1):
        job.check()
        job.tell(0.5 * count / len(chosen))
        orders.append(_order_of(ours, theirs, *pair))
    apart = [pair for pair, order in zip(chosen, orders, strict=True) if order is None]
    layers = {}
    for count, pair in enumerate(measured := _spread(apart, MOST_MEASURED), 1):
        job.check()
        job.tell(0.5 + 0.5 * count / len(measured))
        layers[pair[0]] = _check_layer(ours, theirs, *pair, tolerance_mm)
    alike = 0.0 if identical or len(apart) < len(chosen) else None
    worst = max((layer.apart_mm for layer in layers.values()), default=alike)
    where = next((mine for mine, layer in layers.items() if layer.apart_mm == worst), None)
    others = {feature for order in orders if order for feature in order}
    return PathCheck(
        identical,
        (ours.layers, theirs.layers),
        len(pairs) == ours.layers == theirs.layers,
        worst,
        worst is not None and worst <= tolerance_mm,
        None if where is None else float(ours.layer_z[where]),
        _features(baseline, change, {feature for layer in layers.values() for feature in layer.moved}),
        tuple(mine for mine, layer in layers.items() if layer.moved),
        len(chosen),
        tolerance_mm,
        tuple(mine for (mine, _), order in zip(chosen, orders, strict=True) if order),
        tuple(feature for feature in FEATURES if feature in others),
    )


def layer_pairs(ours: Toolpath, theirs: Toolpath) -> list[tuple[int, int]]:
    """Return the layers of two files that lie at the same height, as pairs of numbers from 0."""
    if not theirs.layers:
        return []
    order = np.argsort(theirs.layer_z, kind="stable")
    sorted_z = theirs.layer_z[order]
    near = np.clip(np.searchsorted(sorted_z, ours.layer_z - SAME_Z_MM), 0, len(order) - 1)
    close = np.abs(sorted_z[near] - ours.layer_z) <= SAME_Z_MM
    return [(int(k), int(order[near[k]])) for k in np.flatnonzero(close)]


def next_difference(ours: Toolpath, theirs: Toolpath, after: int, job: Job = UNWATCHED) -> int | None:
    """Return the next layer of a file whose lines, or their order, are others in the other file.

    Parameters
    ----------
    ours, theirs : Toolpath
        The files.
    after : int
        The layer from which to look upwards, and from the bottom again; it is looked at last.
    job : Job
        Told the share that is done; stops the work between layers.

    Returns
    -------
    int or None
        Of ``ours``, from 0; a layer that the other file does not have differs too.

    Raises
    ------
    CancelledError
        The job was cancelled.
    """
    pairs = dict(layer_pairs(ours, theirs))
    for step in range(1, ours.layers + 1):
        job.check()
        job.tell(step / ours.layers)
        mine = (after + step) % ours.layers
        if mine not in pairs:
            return mine
        one, two = segments(ours, mine), segments(theirs, pairs[mine])
        if not np.array_equal(rows_of(one), rows_of(two)):
            return mine
    return None


def parted_points(
    ours: Toolpath, theirs: Toolpath, mine: int, other: int, tolerance_mm: float = TOLERANCE_MM
) -> Floats:
    """Return the places where the printed paths of two layers part, shape (places, 2), mm."""
    one, two = segments(ours, mine), segments(theirs, other)
    if same_rows(rows_of(one), rows_of(two)):
        return np.zeros((0, 2))
    return np.concatenate([places_apart(one, two, tolerance_mm), places_apart(two, one, tolerance_mm)])


def _same_moves(ours: Toolpath, theirs: Toolpath) -> bool:
    return ours.moves == theirs.moves and all(
        np.allclose(getattr(ours, axis), getattr(theirs, axis), rtol=0, atol=1e-6) for axis in "xyz"
    )


def _spread(pairs: list[tuple[int, int]], most: int) -> list[tuple[int, int]]:
    """Return some pairs of layers, spread evenly and with both ends."""
    if len(pairs) <= most:
        return pairs
    return [pairs[k] for k in sorted({int(k) for k in np.linspace(0, len(pairs) - 1, most)})]


def _order_of(ours: Toolpath, theirs: Toolpath, mine: int, other: int) -> frozenset[Feature] | None:
    """Return the features of a layer whose lines are laid in another order; None where lines are others."""
    one, two = rows_of(segments(ours, mine)), rows_of(segments(theirs, other))
    return reordered_features(one, two) if same_rows(one, two) else None


@dataclass(frozen=True, slots=True)
class _LayerCheck:
    """How far the outlines of a layer part, mm, and the features that moved."""

    apart_mm: float
    moved: frozenset[Feature]


def _check_layer(ours: Toolpath, theirs: Toolpath, mine: int, other: int, tolerance_mm: float) -> _LayerCheck:
    one, two = segments(ours, mine), segments(theirs, other)
    worst, moved = 0.0, set()
    outline = FEATURES.index(Feature.OUTER_WALL)
    named = (one[2] == outline).any() and (two[2] == outline).any()
    # Feature by feature: a wall moved by a line's width would find infill of the other file where it lay
    # before.
    for number in np.union1d(one[2], two[2]).tolist():
        ours_lines = [part[one[2] == number] for part in one[:2]]
        theirs_lines = [part[two[2] == number] for part in two[:2]]
        apart = max(distance_apart(ours_lines, theirs_lines), distance_apart(theirs_lines, ours_lines))
        if apart > tolerance_mm:
            moved.add(FEATURES[number])
        if number == outline or not named:
            worst = max(worst, apart)
    return _LayerCheck(worst, frozenset(moved))


def _features(baseline: Sliced, change: Sliced, moved: set[Feature]) -> tuple[FeatureChange, ...]:
    ours, theirs = baseline.by_feature(), change.by_feature()
    found = []
    for feature in FEATURES:
        mine = ours[feature].path_mm if feature in ours else 0.0
        other = theirs[feature].path_mm if feature in theirs else 0.0
        if not mine and not other:
            continue
        if not mine or not other:
            state = mark("added") if other else mark("missing")
        elif abs(other - mine) > LENGTH_SHARE * mine:
            state = mark("longer") if other > mine else mark("shorter")
        else:
            state = mark("moved") if feature in moved else mark("same")
        found.append(FeatureChange(feature, mine, other, state))
    return tuple(found)
