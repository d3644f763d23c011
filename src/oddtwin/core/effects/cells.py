"""One comparison cell by cell: what each machine, piece and zone shows, and whether all show the same."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final, NamedTuple, TypeVar

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.effects.by_t import IN_STEPS, inference_of
from oddtwin.core.effects.choosing import method_for
from oddtwin.core.effects.family import holm
from oddtwin.core.effects.gather import gathered
from oddtwin.core.effects.method import Data, Inference, Measure
from oddtwin.core.effects.noise import SMALLEST, NoiseFloor
from oddtwin.core.effects.sample import Across, across
from oddtwin.core.effects.student import StudentEstimate
from oddtwin.core.language import tr
from oddtwin.core.readings import Prints, PrintValue, ResponseKind, arranged

K = TypeVar("K")

DRAWS: Final = 999
"""Rearrangements behind a test of sameness that nothing is known to be distributed by."""

FEWEST_MACHINES: Final = 3
"""Machines from which on they are a sample that says something of the next."""


class Place(NamedTuple):
    """Where on the bench and on the piece: what is empty is not told apart."""

    machine: str = ""
    piece: str = ""
    zone: str = ""

    @property
    def name(self) -> str:
        """What a person calls it."""
        return ", ".join(part for part in self if part)


@dataclass(frozen=True, slots=True)
class Cell:
    """What one machine, piece and zone shows.

    Parameters
    ----------
    place : Place
        Which.
    name : str
        What a person calls it beside the other cells.
    prints : Prints
        Behind it.
    n_baseline, n_change : int
        Prints that enter.
    differences : tuple of float
        Of its pairs, in the response's unit; empty where prints are not paired.
    estimate : float
        Change minus baseline, in the response's unit.
    shrunk : float
        The same, drawn to the mean of all cells by as much as they scatter no more than chance.
    inference : Inference
        Of this cell alone.
    """

    place: Place
    name: str
    prints: Prints
    n_baseline: int
    n_change: int
    differences: tuple[float, ...]
    estimate: float
    shrunk: float
    inference: Inference


@dataclass(frozen=True, slots=True)
class Same:
    """Whether a change does the same everywhere along one dimension.

    Parameters
    ----------
    dimension : str
        "machine", "piece" or "zone".
    p : float
        Of all being alike, adjusted for the dimensions that were tested (Holm).
    parts : tuple of Cell
        What each of them shows over the others.
    """

    dimension: str
    p: float
    parts: tuple[Cell, ...]


@dataclass(frozen=True, slots=True)
class Cells:
    """A comparison cell by cell.

    Parameters
    ----------
    cells : tuple of Cell
        By machine, piece and zone, two or more.
    same : tuple of Same
        By dimension; those with two parts or more.
    machines : Across or None
        What three machines or more say of the next one.
    """

    cells: tuple[Cell, ...]
    same: tuple[Same, ...]
    machines: Across | None = None


def cells_of(
    kind: ResponseKind,
    prints: Sequence[PrintValue],
    zones: Mapping[str, Sequence[PrintValue]],
    measure: Measure,
    noise: NoiseFloor | None,
    rng: np.random.Generator,
) -> Cells | None:
    """Compare the arms in every cell.

    Parameters
    ----------
    kind : ResponseKind
        Of the response.
    prints : sequence of PrintValue
        Of both arms, each by its one value.
    zones : mapping of str to sequence of PrintValue
        The same prints in each zone alone; empty where the response has none.
    measure : Measure
        What was asked.
    noise : NoiseFloor or None
        Of one print, from twins.
    rng : numpy.random.Generator
        For rearrangements.

    Returns
    -------
    Cells or None
        None where there are not two cells in which both arms were printed.
    """
    places = [(Place(item.machine, item.piece, zone), item) for zone, some in zones.items() for item in some]
    whole = [(Place(item.machine, item.piece), item) for item in prints]
    # A cell without what is known only by limits would be another cell than was printed.
    known = all(item.reach is None for item in prints)
    if not known or len({place for place, _ in places or whole}) < 2:
        return None
    zone_order = {zone: number for number, zone in enumerate(zones)}
    found = _judged(kind, places or whole, Place._fields, measure, noise)
    found.sort(key=lambda cell: (cell.place[:2], zone_order.get(cell.place.zone, 0)))
    if len(found) < 2:
        return None
    # Only one piece was printed: nobody says its name with every zone.
    varied = [name for name in Place._fields if len({getattr(cell.place, name) for cell in found}) > 1]
    found = [
        replace(cell, name=Place(**{name: getattr(cell.place, name) for name in varied}).name)
        for cell in found
    ]
    same = []
    for dimension in varied:
        # Over the zones a print has its one value, as the response makes it of them.
        rows = places if dimension == "zone" else whole
        parts = _judged(kind, rows, (dimension,), measure, noise)
        if len(parts) > 1:
            same.append(Same(dimension, _sameness(kind, dimension, parts, rng), tuple(parts)))
    adjusted = holm([item.p for item in same])
    tested = tuple(replace(item, p=p or 0.0) for item, p in zip(same, adjusted, strict=True))
    return Cells(tuple(_shrunk(kind, found)), tested, _machines(kind, tested))


def _judged(
    kind: ResponseKind,
    rows: Sequence[tuple[Place, PrintValue]],
    dimensions: Sequence[str],
    measure: Measure,
    noise: NoiseFloor | None,
) -> list[Cell]:
    """Compare the arms in each place, told apart along some dimensions only."""
    parts: dict[Place, list[PrintValue]] = defaultdict(list)
    for place, item in rows:
        parts[Place(**{name: getattr(place, name) for name in dimensions})].append(item)
    prints = {place: arranged(some, measure.baseline, measure.change) for place, some in parts.items()}
    data = {
        place: made
        for place, some in prints.items()
        if (made := gathered(kind, some, measure, None)) is not None
    }
    # A cell of two pairs knows nothing of its scatter by itself; that of all cells is known well.
    together = None if kind in IN_STEPS else _scatter(data.values(), noise)
    return [
        Cell(
            place,
            place.name,
            prints[place],
            made.shape.n_baseline,
            made.shape.n_change,
            tuple(float(item) for item in made.differences),
            made.estimate,
            made.estimate,
            _inference(made, together),
        )
        for place, made in data.items()
    ]


def _scatter(data: Iterable[Data], noise: NoiseFloor | None) -> NoiseFloor | None:
    """Pool the scatter inside all cells: one model with a mean for each, and one error."""
    squares, df = (noise.sd**2 * noise.df, noise.df) if noise is not None and noise.judges else (0.0, 0.0)
    for made in data:
        own = made.shape.own_df
        if not own:
            continue
        if made.shape.pairs:
            squares += own * float(np.var(made.differences, ddof=1)) / (2 * made.shape.spread**2)
        else:
            squares += sum(float(np.sum((side - side.mean()) ** 2)) for side in (made.baseline, made.change))
        df += own
    return NoiseFloor(math.sqrt(squares / df), df) if df and squares > SMALLEST else None


def _inference(made: Data, together: NoiseFloor | None) -> Inference:
    if together is None:
        return method_for(made.shape).infer(made)
    error = together.sd * made.shape.factor
    judged = StudentEstimate(made.estimate, error, together.df, tr("t with the scatter of all cells"))
    return inference_of(judged, made.measure.margin, together.sd)


def _errors(cells: Sequence[Cell]) -> Floats:
    """Return the standard errors of cells, as their intervals say them; infinite without one."""
    from scipy.special import stdtrit

    found = []
    for cell in cells:
        low, high = cell.inference.ci95 or (-math.inf, math.inf)
        found.append((high - low) / 2 / float(stdtrit(cell.inference.df or 1e9, 0.975)))
    return np.array(found)


def _shrunk(kind: ResponseKind, cells: Sequence[Cell]) -> list[Cell]:
    """Draw numbers to their mean, by how little they scatter beyond their errors."""
    errors = _errors(cells)
    found = None if kind in IN_STEPS else across([cell.estimate for cell in cells], errors.tolist())
    if found is None:
        return list(cells)
    # A dozen small cells scatter about their mean by chance alone; judged as they are, one of them would
    # always reach the margin, and no study of many cells could ever be a twin.
    weights = np.where(np.isfinite(errors), found.between / (found.between + errors**2), 0.0)
    return [
        replace(cell, shrunk=found.mean + float(weight) * (cell.estimate - found.mean))
        for cell, weight in zip(cells, weights, strict=True)
    ]


def _sameness(kind: ResponseKind, dimension: str, parts: Sequence[Cell], rng: np.random.Generator) -> float:
    if dimension == "zone" and not any(cell.prints.pairs for cell in parts):
        return _apart(_by_print(parts, False), _by_print(parts, True), rng)
    if dimension == "zone":
        rows = _by_pair(kind, parts)
        return _within(rows, rng) if len(rows) > 1 else 1.0
    if kind is ResponseKind.GRADE and all(cell.differences for cell in parts):
        return _between([cell.differences for cell in parts], rng)
    return _heterogeneity(parts)


def _by_pair(kind: ResponseKind, parts: Sequence[Cell]) -> Floats:
    """Differences of the pairs by zone, of shape (pairs, zones); pairs that miss a zone are left out."""
    of_zones = []
    for cell in parts:
        found: dict[tuple[str, str, str, int], float] = {}
        for block in cell.prints.pairs:
            first = block.baseline[0]
            values = block.matched if kind is ResponseKind.GRADE else [block.difference]
            found |= {
                (block.label, first.machine, first.piece, place): one for place, one in enumerate(values)
            }
        of_zones.append(found)
    return _in_every(of_zones)


def _by_print(parts: Sequence[Cell], is_change: bool) -> Floats:
    """Values of the prints of a side by zone, of shape (prints, zones); prints that miss one are left out."""
    of_zones = [
        {
            (item.machine, item.piece, item.run or str(place)): item.value
            for place, item in enumerate(cell.prints.change if is_change else cell.prints.baseline)
            if item.value is not None
        }
        for cell in parts
    ]
    return _in_every(of_zones)


def _in_every(of_zones: Sequence[Mapping[K, float]]) -> Floats:
    """Values that every zone has, of shape (rows, zones)."""
    whole = [key for key in of_zones[0] if all(key in found for found in of_zones)]
    return np.array([[found[key] for found in of_zones] for key in whole], dtype=np.float64)


def _apart(base: Floats, change: Floats, rng: np.random.Generator) -> float:
    """Whether zones differ, of prints that are not paired: each print's own mean says nothing of that.

    Without it, a print's zones look alike on both sides where the change does the same in all of them, so
    that the sides may be dealt out anew.
    """
    if min(len(base), len(change)) < 2:
        return 1.0
    rows = np.concatenate([base, change])
    rows = rows - rows.mean(axis=1, keepdims=True)
    sides = np.repeat([-1 / len(base), 1 / len(change)], [len(base), len(change)])

    def spread(weights: Floats) -> Floats:
        return np.asarray((weights @ rows).var(axis=-1))

    drawn = rng.permuted(np.broadcast_to(sides, (DRAWS, len(sides))), axis=-1)
    return _share_as_far(spread(drawn), float(spread(sides)))


def _within(rows: Floats, rng: np.random.Generator) -> float:
    """Whether zones differ: where nothing tells them apart, those of a pair may be dealt out anew."""

    def spread(of: Floats) -> Floats:
        return np.asarray(of.mean(axis=-2).var(axis=-1))

    # Inside pairs only: days and machines that differ must not look like zones that do.
    drawn = rng.permuted(np.broadcast_to(rows, (DRAWS, *rows.shape)), axis=-1)
    return _share_as_far(spread(drawn), float(spread(rows)))


def _between(groups: Sequence[Sequence[float]], rng: np.random.Generator) -> float:
    """Whether machines or pieces differ: where nothing tells them apart, pairs may be dealt out anew."""
    sizes = [len(group) for group in groups]
    values = np.concatenate([np.asarray(group, dtype=np.float64) for group in groups])
    if min(sizes) < 1 or len(values) <= len(sizes):
        return 1.0
    starts = np.cumsum([0, *sizes[:-1]])

    def spread(of: Floats) -> Floats:
        sums = np.add.reduceat(of, starts, axis=-1)
        return np.asarray((sums**2 / np.array(sizes)).sum(axis=-1))

    drawn = rng.permuted(np.broadcast_to(values, (DRAWS, len(values))), axis=-1)
    return _share_as_far(spread(drawn), float(spread(values)))


def _share_as_far(drawn: Floats, seen: float) -> float:
    return float((1 + np.sum(drawn >= seen * (1 - 1e-9) - 1e-12)) / (DRAWS + 1))


def _heterogeneity(parts: Sequence[Cell]) -> float:
    """Whether parts differ by more than their errors: F of the weighted scatter of their estimates."""
    from scipy.special import fdtrc

    errors = _errors(parts)
    known = np.isfinite(errors) & (errors > SMALLEST)
    if known.sum() < 2:
        return 1.0
    weights = 1 / errors[known] ** 2
    estimates = np.array([cell.estimate for cell in parts])[known]
    mean = np.sum(weights * estimates) / weights.sum()
    free = len(estimates) - 1
    return float(fdtrc(free, parts[0].inference.df or 1e9, np.sum(weights * (estimates - mean) ** 2) / free))


def _machines(kind: ResponseKind, same: Sequence[Same]) -> Across | None:
    parts = next((item.parts for item in same if item.dimension == "machine"), ())
    if kind in IN_STEPS or len(parts) < FEWEST_MACHINES:
        return None
    return across([cell.estimate for cell in parts], _errors(parts).tolist())
