"""How minutes and grams of a print grow with the size of its piece and the number on its plate."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final, NamedTuple

import numpy as np

from oddtwin.core.language import tr
from oddtwin.core.toolpath.gcode import FEATURES, WASTE, Feature, StopKind
from oddtwin.core.toolpath.sliced.figures import Sliced

_BODY: Final = frozenset({Feature.INFILL, Feature.SUPPORT})
_SHARED: Final = frozenset({Feature.TOWER, Feature.PURGE, Feature.SKIRT})
"""A tower grows with the layers, a skirt with the way around the pieces."""


class Growth(NamedTuple):
    """An amount by what it grows with.

    Parameters
    ----------
    plate : float
        Once a plate, whatever is on it: heating, homing, what a machine waits.
    height : float
        Once a plate for each layer: changes of colour, tower, skirt. Grows with the size.
    face : float
        Of each piece, with the size squared: walls, tops and bottoms, and the way between them. A wall that
        is twice as long is laid in twice as many layers, with lines as wide as before.
    body : float
        Of each piece, with the size cubed: infill and support.
    """

    plate: float = 0.0
    height: float = 0.0
    face: float = 0.0
    body: float = 0.0

    def at(self, size: float, pieces: int = 1) -> float:
        """Return what one piece takes.

        Parameters
        ----------
        size : float
            Over the size that was sliced; 1 is that size.
        pieces : int
            How many are on the plate.
        """
        return (self.plate + self.height * size) / pieces + self.face * size**2 + self.body * size**3


class SlicedSize(NamedTuple):
    """What a sliced file tells of one size: extent in mm, and how minutes and grams of one piece grow.

    ``split`` tells whether the file names what it lays, so that shells and infill are known apart.
    """

    extent_mm: float
    minutes: Growth
    grams: Growth
    split: bool


def sliced_size(sliced: Sliced, pieces: int = 1) -> SlicedSize:
    """Return what a sliced file tells of its size.

    Parameters
    ----------
    sliced : Sliced
        Planned for the machine.
    pieces : int
        How many like pieces are on its plate.

    Raises
    ------
    ValueError
        There is no piece, or the file lays nothing.
    """
    if pieces < 1:
        raise ValueError(tr("a plate holds at least one piece"))
    features = sliced.by_feature()
    waits = sliced.waits()
    changes_s = waits.pop(StopKind.TOOL.value, 0.0)
    scale = sliced.limits.scale / 60
    fixed_min = scale * sum(waits.values()) + sliced.limits.offset_s / 60

    def grown(name: str, plate: float, height: float, times: float) -> Growth:
        whole, shared, body = (
            times * sum(getattr(tally, name) for feature, tally in features.items() if feature in some)
            for some in (set(features), _SHARED, _BODY)
        )
        return Growth(plate, shared + height, (whole - shared - body) / pieces, body / pieces)

    return SlicedSize(
        extent_mm(sliced),
        grown("time_s", fixed_min, scale * changes_s, scale),
        grown("mass_g", 0.0, 0.0, 1.0),
        bool(set(features) - {Feature.UNNAMED, Feature.OTHER}),
    )


def extent_mm(sliced: Sliced) -> float:
    """Return how large a piece is: the cube root of width × depth × height of what is laid and stays, in mm.

    Parameters
    ----------
    sliced : Sliced
        The file; with several pieces on the plate it tells their layout, so that only files of like plates
        are compared by it.

    Raises
    ------
    ValueError
        It lays nothing.
    """
    path = sliced.path
    stays = path.lays(features=set(FEATURES) - WASTE)
    if not stays.any():
        raise ValueError(tr("the file lays nothing that stays"))
    across = [float(np.ptp(axis[stays])) for axis in (path.x, path.y)]
    return float(np.cbrt(np.prod([*across, float(path.z[stays].max())])))


def fitted_growth(sizes: Sequence[float], amounts: Sequence[float], known: Growth) -> Growth:
    """Return the growth that files of several sizes tell together, by least squares without negative parts.

    What all pieces of a plate share is known beforehand: two sizes cannot tell four parts.

    Parameters
    ----------
    sizes : sequence of float
        Over the size that was printed.
    amounts : sequence of float
        What a plate of one piece takes at each.
    known : Growth
        What a plate takes whatever the size, and for each layer.

    Raises
    ------
    ValueError
        Fewer than two sizes.
    """
    from scipy.optimize import nnls

    if len({round(size, 3) for size in sizes}) < 2:
        raise ValueError(tr("growth is told by two sizes at least"))
    at, read = np.asarray(sizes), np.asarray(amounts)
    shared = known.plate + known.height * at
    face, body = nnls(np.column_stack([at**2, at**3]), read - shared)[0]
    return Growth(known.plate, known.height, float(face), float(body))
