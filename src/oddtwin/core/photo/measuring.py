"""One figure of a photograph: what was asked, what came out, or why it cannot be told."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import Any, Final

import numpy as np

from oddtwin.core.arrays import Floats, Interval
from oddtwin.core.photo.bleed import find_bleed
from oddtwin.core.photo.crop import Crop, Picture, RefusedError, Region, crop, linear
from oddtwin.core.photo.edges import corner_radius, droop_of, size_of
from oddtwin.core.photo.gaps import find_gaps
from oddtwin.core.photo.offsets import USUAL_ELEVATION, layer_offset
from oddtwin.core.photo.strings import find_strings
from oddtwin.core.photo.waves import Motion, NoWave, Wave, find_bands, find_ringing
from oddtwin.core.quantities import format_number, with_unit

VERSION: Final = 1
"""Of the methods: figures of another version are not compared with these."""
LEAD_MM: Final = 3.0
"""Millimetres before a region in which the edge of its wall is looked for."""
BESIDE: Final = (3, 12)
"""Pixels beside a gap that show what colour the print has: from and to."""


class What(StrEnum):
    """What can be measured."""

    RINGING = "ringing"
    BANDING = "banding"
    LAYERS = "layers"
    STRINGS = "strings"
    BLEED = "bleed"
    DROOP = "droop"
    RADIUS = "radius"
    SIZE = "size"
    GAPS = "gaps"


UNITS: Final[Mapping[What, str]] = {
    What.RINGING: "%", What.BANDING: "%", What.LAYERS: "µm", What.STRINGS: "", What.BLEED: "ΔE",
    What.DROOP: "mm", What.RADIUS: "mm", What.SIZE: "mm", What.GAPS: "%",
}  # fmt: skip


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
    """

    region: Region
    px_per_mm: float | None = None
    motion: Motion = field(default_factory=Motion)
    corner: str = "left"
    layer_mm: float | None = None
    elevation_deg: float = USUAL_ELEVATION


@dataclass(frozen=True, slots=True)
class Measured:
    """A figure, or why there is none.

    Parameters
    ----------
    what : What
    value, u : float or None
        In ``unit``, with its standard uncertainty within this one picture.
    ci95 : tuple of float or None
    detail : mapping
        Further figures, by name.
    sentence : str
    refused : str
        Why it cannot be told; empty where it can.
    """

    what: What
    value: float | None
    u: float | None
    ci95: Interval | None
    detail: Mapping[str, Any] = field(default_factory=dict)
    sentence: str = ""
    refused: str = ""

    @property
    def unit(self) -> str:
        """Unit of the value."""
        return UNITS[self.what]


def measure(picture: Picture, what: What, asked: Asked) -> Measured:
    """Measure one thing in a photograph.

    Parameters
    ----------
    picture : array of shape (height, width, 3)
        sRGB.
    what : What
        What to measure.
    asked : Asked
        Where, and what is known.

    Returns
    -------
    Measured
        Refused with its reason where this photograph cannot tell.
    """
    try:
        part = crop(picture, asked.region, asked.px_per_mm)
        return MEASURES[what](part, picture, asked)
    except RefusedError as error:
        return untold(what, str(error))


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
        what, None, None, None, {}, f"{what.value.capitalize()} cannot be told: {why}.", why.rstrip(".")
    )


def _of_wave(what: What, found: Wave | NoWave, told: str) -> Measured:
    if isinstance(found, NoWave):
        smallest = 100 * found.smallest
        seen = f"{told} of {with_unit(format_number(smallest, 2), '%')} or more would have been seen"
        detail = {"p": found.p, "smallest_seen": smallest, "reason": found.reason}
        return Measured(what, 0.0, smallest / 4, None, detail, f"No {what.value}: {found.reason}; {seen}.")
    low, high = (100 * end for end in found.contrast_ci95)
    value = 100 * found.contrast
    named = "wavelength_mm" if what is What.RINGING else "period_mm"
    more: dict[str, Any] = {
        named: found.wavelength_mm,
        f"{named}_u": found.wavelength_u,
        "p": found.p,
    }
    if what is What.RINGING:
        more |= {"damping_mm": found.damping_mm, "frequency_hz": found.frequency_hz}
    long = with_unit(format_number(found.wavelength_mm, 2), "mm")
    said = f"{told} of {with_unit(format_number(value, 2), '%')}, {long} long"
    if found.frequency_hz:
        said += f", {with_unit(format_number(found.frequency_hz, 1), 'Hz')}"
    return Measured(what, value, 100 * found.u, (low, high), more, f"{said}.")


def _ringing(part: Crop, picture: Picture, asked: Asked) -> Measured:
    part, lead = with_lead(part, picture, asked)
    found = find_ringing(part, asked.motion, asked.layer_mm, asked.corner, lead=lead)
    made = _of_wave(What.RINGING, found, "Ringing 2 mm from the corner")
    # v/λ would be wrong by a factor of two and more where the machine was still speeding up.
    if isinstance(found, Wave) and found.frequency_hz is None:
        why = "give speed and acceleration: while the machine speeds up, its way says nothing of its time"
        return replace(made, sentence=f"{made.sentence} No frequency is told; {why}.")
    return made


def with_lead(part: Crop, picture: Picture, asked: Asked) -> tuple[Crop, int]:
    """Return a wall with what lies before its corner, and how many columns that is.

    Parameters
    ----------
    part : Crop
        The region.
    picture : array of shape (height, width, 3)
        The whole photograph, sRGB.
    asked : Asked
        Where the region lies, and on which side the corner.
    """
    x, y, width, height = asked.region
    # As far as the picture goes: a wall may end at its border.
    room = x if asked.corner == "left" else picture.shape[1] - x - width
    lead = min(room, round(LEAD_MM * part.scale()))
    wider = Region(x - lead if asked.corner == "left" else x, y, width + lead, height)
    return crop(picture, wider, asked.px_per_mm), lead


def _banding(part: Crop, picture: Picture, asked: Asked) -> Measured:
    del picture
    return _of_wave(What.BANDING, find_bands(part, asked.layer_mm), "Bands")


def _layers(part: Crop, picture: Picture, asked: Asked) -> Measured:
    del picture
    if asked.layer_mm is None:
        raise RefusedError("the height of a layer is not known; give it")
    found = layer_offset(part, asked.layer_mm, asked.elevation_deg)
    detail = {"layers": found.layers, "elevation_deg": asked.elevation_deg}
    said = f"Layers are out of line by {with_unit(format_number(found.um, 1), 'µm')}"
    lamp = f"under a lamp {with_unit(format_number(asked.elevation_deg, 0), '°')} above the face"
    return Measured(
        What.LAYERS, found.um, found.u, found.ci95, detail, f"{said} (standard deviation, {lamp})."
    )


def _strings(part: Crop, picture: Picture, asked: Asked) -> Measured:
    x, y, width, height = asked.region
    turned = Region(y, x, height, width)
    level = _colour_beside(picture, asked.region)
    upright = _colour_beside(picture.transpose(1, 0, 2), turned)
    gap = np.median(part.light.reshape(-1, 3), axis=0)
    off = [0.0 if one is None else float(np.abs(one - gap).sum()) for one in (level, upright)]
    # The print stands where what lies beside the gap is least like the gap: strings run from there to there.
    if off[1] > off[0]:
        found = find_strings(replace(part, light=part.light.transpose(1, 0, 2)), upright)
    else:
        found = find_strings(part, level)
    detail = {"length_mm": found.length_mm, "area_mm2": found.area_mm2, "smallest_mm": found.smallest_mm}
    if not found.count:
        if found.smallest_mm is None:
            raise RefusedError(
                "no string was found, and nobody knows whether one could be seen: leave some of the print in "
                "the picture on both sides of the region"
            )
        thinnest = with_unit(format_number(found.smallest_mm, 2), "mm")
        return Measured(
            What.STRINGS,
            0.0,
            0.0,
            None,
            detail,
            f"No strings; one of {thinnest} or more would have been seen.",
        )
    noun = "string" if found.count == 1 else "strings"
    area = with_unit(format_number(found.area_mm2, 2), "mm²")
    return Measured(
        What.STRINGS,
        found.count,
        found.u,
        None,
        detail,
        f"{found.count:g} {noun} cross the gap, {area} in all.",
    )


def _colour_beside(picture: Picture, region: Region) -> Floats | None:
    """Light of the print left and right of a gap; None where the picture ends there."""
    # A little away from the gap: its very edge is half print and half cloth.
    near, far = BESIDE
    rows = slice(region.y, region.y + region.height)
    sides = []
    if region.x >= far:
        sides.append(picture[rows, region.x - far : region.x - near])
    if region.x + region.width + far <= picture.shape[1]:
        sides.append(picture[rows, region.x + region.width + near : region.x + region.width + far])
    if not sides:
        return None
    found: Floats = np.median(linear(np.concatenate(sides, axis=1)).reshape(-1, 3), axis=0)
    return found


def _bleed(part: Crop, picture: Picture, asked: Asked) -> Measured:
    del picture, asked
    found = find_bleed(part)
    detail = {
        "depth_mm": found.depth_mm,
        "area_mm2": found.area_mm2,
        "side": found.side,
        "edge_delta_e": found.edge,
    }
    depth = with_unit(format_number(found.depth_mm, 2), "mm")
    said = (
        f"Colour bled over the edge to the {found.side}: ΔE {format_number(found.delta_e, 1)}, {depth} deep"
    )
    reach = 2 * found.u
    return Measured(
        What.BLEED,
        found.delta_e,
        found.u,
        (max(0.0, found.delta_e - reach), found.delta_e + reach),
        detail,
        f"{said}, as this camera sees colour."
        if found.depth_mm
        else "No colour bled over the edge that this picture shows.",
    )


def _droop(part: Crop, picture: Picture, asked: Asked) -> Measured:
    del picture, asked
    found = droop_of(part)
    said = f"The edge hangs {with_unit(format_number(found.mm, 2), 'mm')} below its line"
    where = f"{said}, {format_number(found.at_mm, 1)} mm from the left"
    as_rough = "; a sound edge as rough as its ends would show as much" if found.rough else ""
    return _plain(What.DROOP, found.mm, found.u, {"at_mm": found.at_mm}, f"{where}{as_rough}.")


def _radius(part: Crop, picture: Picture, asked: Asked) -> Measured:
    del picture, asked
    found = corner_radius(part)
    size = with_unit(format_number(found.mm, 2), "mm")
    if found.sharper:
        return Measured(
            What.RADIUS,
            None,
            None,
            None,
            {"sharper_than_mm": found.mm},
            f"The corner is sharper than {size}.",
        )
    return _plain(What.RADIUS, found.mm, found.u, {}, f"The corner has a radius of {size}.")


def _size(part: Crop, picture: Picture, asked: Asked) -> Measured:
    del picture, asked
    found = size_of(part)
    said = f"{with_unit(format_number(found.mm, 3), 'mm')} between the edges"
    way = "y" if found.level else "x"
    return _plain(
        What.SIZE,
        found.mm,
        found.u,
        {"along": way},
        f"{said}; a calliper is surer, but for twins on one rig.",
    )


def _gaps(part: Crop, picture: Picture, asked: Asked) -> Measured:
    del picture, asked
    found = find_gaps(part)
    detail = {
        "area_mm2": found.area_mm2,
        "length_mm": found.length_mm,
        "count": found.count,
        "ridges_mm2": found.ridges_mm2,
        "along": found.along,
    }
    noun = "slit" if found.count == 1 else "slits"
    said = f"{found.count} {noun} between the lines, {with_unit(format_number(found.area_mm2, 2), 'mm²')}"
    return Measured(
        What.GAPS,
        100 * found.share,
        None,
        None,
        detail,
        f"{said}: {format_number(100 * found.share, 2)} % of the face.",
    )


def _plain(what: What, value: float, u: float, detail: Mapping[str, Any], sentence: str) -> Measured:
    reach = 1.96 * u
    return Measured(what, value, u, (value - reach, value + reach), detail, sentence)


MEASURES: Final[Mapping[What, Callable[[Crop, Picture, Asked], Measured]]] = {
    What.RINGING: _ringing,
    What.BANDING: _banding,
    What.LAYERS: _layers,
    What.STRINGS: _strings,
    What.BLEED: _bleed,
    What.DROOP: _droop,
    What.RADIUS: _radius,
    What.SIZE: _size,
    What.GAPS: _gaps,
}


def as_json(measured: Measured) -> dict[str, Any]:
    """Return a figure as plain values; what is no number is null."""
    return {
        "what": measured.what.value,
        "value": measured.value,
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
