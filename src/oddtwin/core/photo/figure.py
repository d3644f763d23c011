"""What can be measured in a photograph, what must be known for it, and what came out."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any, Final, NamedTuple

from oddtwin.core.arrays import Interval
from oddtwin.core.language import mark, tr
from oddtwin.core.photo.crop import Region
from oddtwin.core.photo.offsets import USUAL_ELEVATION
from oddtwin.core.photo.onset import USUAL_LIMIT_MM
from oddtwin.core.photo.trace import Trace
from oddtwin.core.photo.waves import Motion
from oddtwin.core.quantities import capitalized
from oddtwin.core.readings import Bound

VERSION: Final = 1
"""Of the methods: figures of another version are not compared with these."""


class What(StrEnum):
    """What can be measured."""

    RINGING = mark("ringing")
    BANDING = mark("banding")
    LAYERS = mark("layers")
    STRINGS = mark("strings")
    BLEED = mark("bleed")
    DROOP = mark("droop")
    ONSET = mark("onset")
    RADIUS = mark("radius")
    SIZE = mark("size")
    GAPS = mark("gaps")


UNITS: Final[Mapping[What, str]] = {
    What.RINGING: "%", What.BANDING: "%", What.LAYERS: "µm", What.STRINGS: "", What.BLEED: "ΔE",
    What.DROOP: "mm", What.ONSET: "°", What.RADIUS: "mm", What.SIZE: "mm", What.GAPS: "%",
}  # fmt: skip


class StepRegion(NamedTuple):
    """One step of an overhang: its angle from upright, and where its lower edge is in the picture."""

    angle_deg: float
    region: Region


@dataclass(frozen=True, slots=True)
class Asked:
    """What is known of a photograph, and where to look.

    Parameters
    ----------
    region : Region
    px_per_mm : float or None
    motion : Motion
        How the wall was printed.
    corner : str
        ``left`` or ``right``: where the ringing begins.
    layer_mm : float or None
    elevation_deg : float
        Of the lamp above the normal of the face.
    steps : tuple of StepRegion
        Of an overhang whose onset is asked for.
    limit_mm : float
        Droop from which on a step counts as hanging.
    """

    region: Region
    px_per_mm: float | None = None
    motion: Motion = field(default_factory=Motion)
    corner: str = "left"
    layer_mm: float | None = None
    elevation_deg: float = USUAL_ELEVATION
    steps: tuple[StepRegion, ...] = ()
    limit_mm: float = USUAL_LIMIT_MM


@dataclass(frozen=True, slots=True)
class Measured:
    """A figure, or why there is none.

    Parameters
    ----------
    what : What
    value, u : float or None
        In ``unit``, with its standard uncertainty within this one picture; where ``bound`` is not exact, what
        it lies above or below.
    ci95 : tuple of float or None
    detail : mapping
        Further figures, by name.
    sentence : str
    refused : str
        Why it cannot be told; empty where it can.
    bound : Bound
    trace : Trace
        Where it was found in the region.
    """

    what: What
    value: float | None
    u: float | None
    ci95: Interval | None
    detail: Mapping[str, Any] = field(default_factory=dict)
    sentence: str = ""
    refused: str = ""
    bound: Bound = Bound.EXACT
    trace: Trace = field(default_factory=Trace, compare=False)

    @property
    def unit(self) -> str:
        """Unit of the value."""
        return UNITS[self.what]


def untold(what: What, why: str) -> Measured:
    """Return that a figure cannot be told.

    Parameters
    ----------
    what : What
        Which.
    why : str
        The reason, for the end of a sentence.
    """
    return Measured(
        what,
        None,
        None,
        None,
        {},
        tr("{what} cannot be told: {why}.", what=capitalized(what), why=why),
        why.rstrip("."),
    )


def as_json(measured: Measured) -> dict[str, Any]:
    """Return a figure as plain values; what is no number is null."""
    return {
        "what": measured.what.value,
        # A number that is only an end of where it lies would be read as the figure.
        "value": measured.value if measured.bound is Bound.EXACT else None,
        "unit": measured.unit,
        "u": measured.u,
        "ci95": None if measured.ci95 is None else list(measured.ci95),
        "detail": {
            key: None if isinstance(value, float) and not math.isfinite(value) else value
            for key, value in {**measured.detail, "method": VERSION}.items()
        },
        "refused": measured.refused or None,
        "sentence": measured.sentence,
    }
