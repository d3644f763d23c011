"""Measuring a photograph: each thing that can be asked of it, and its sentence."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, replace
from typing import Any, Final

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.language import tr, trn
from oddtwin.core.photo.bleed import find_bleed
from oddtwin.core.photo.crop import Crop, Picture, RefusedError, Region, crop, linear
from oddtwin.core.photo.edges import corner_radius, droop_of, size_of
from oddtwin.core.photo.figure import Asked, Measured, What, untold
from oddtwin.core.photo.gaps import find_gaps
from oddtwin.core.photo.offsets import layer_offset
from oddtwin.core.photo.onset import Onset, StepDroop, onset_of
from oddtwin.core.photo.strings import find_strings
from oddtwin.core.photo.trace import Trace
from oddtwin.core.photo.waves import NoWave, Wave, find_bands, find_ringing
from oddtwin.core.quantities import format_number, format_reading, with_unit
from oddtwin.core.readings import Bound

LEAD_MM: Final = 3.0
"""Millimetres before a region in which the edge of its wall is looked for."""
BESIDE: Final = (3, 12)
"""Pixels beside a gap that show what colour the print has: from and to."""


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
        if what is What.ONSET:
            return _onset(picture, asked)
        part = crop(picture, asked.region, asked.px_per_mm)
        return MEASURES[what](part, picture, asked)
    except RefusedError as error:
        return untold(what, str(error))


def _of_wave(what: What, found: Wave | NoWave, told: str) -> Measured:
    if isinstance(found, NoWave):
        smallest = 100 * found.smallest
        seen = tr(
            "{told} of {smallest} or more would have been seen",
            told=told,
            smallest=with_unit(format_number(smallest, 2), "%"),
        )
        detail = {"p": found.p, "smallest_seen": smallest, "reason": found.reason}
        return Measured(
            what,
            0.0,
            smallest / 4,
            None,
            detail,
            tr("No {what}: {reason}; {seen}.", what=what, reason=found.reason, seen=seen),
        )
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
    said = tr(
        "{told} of {value}, {long} long", told=told, value=with_unit(format_number(value, 2), "%"), long=long
    )
    if found.frequency_hz:
        said += f", {with_unit(format_number(found.frequency_hz, 1), 'Hz')}"
    return Measured(what, value, 100 * found.u, (low, high), more, f"{said}.")


def _ringing(part: Crop, picture: Picture, asked: Asked) -> Measured:
    part, lead = with_lead(part, picture, asked)
    found = find_ringing(part, asked.motion, asked.layer_mm, asked.corner, lead=lead)
    made = _of_wave(What.RINGING, found, tr("Ringing 2 mm from the corner"))
    # v/λ would be wrong by a factor of two and more where the machine was still speeding up.
    if isinstance(found, Wave) and found.frequency_hz is None:
        why = tr("give speed and acceleration: while the machine speeds up, its way says nothing of its time")
        return replace(
            made, sentence=tr("{sentence} No frequency is told; {why}.", sentence=made.sentence, why=why)
        )
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
    return _of_wave(What.BANDING, find_bands(part, asked.layer_mm), tr("Bands"))


def _layers(part: Crop, picture: Picture, asked: Asked) -> Measured:
    del picture
    if asked.layer_mm is None:
        raise RefusedError(tr("the height of a layer is not known; give it"))
    found = layer_offset(part, asked.layer_mm, asked.elevation_deg)
    detail = {"layers": found.layers, "elevation_deg": asked.elevation_deg}
    said = tr("Layers are out of line by {um}", um=with_unit(format_number(found.um, 1), "µm"))
    lamp = tr(
        "under a lamp {elevation_deg} above the face",
        elevation_deg=with_unit(format_number(asked.elevation_deg, 0), "°"),
    )
    sentence = tr("{said} (standard deviation, {lamp}).", said=said, lamp=lamp)
    return Measured(What.LAYERS, found.um, found.u, found.ci95, detail, sentence, trace=found.trace)


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
        found = replace(found, trace=found.trace.turned())
    else:
        found = find_strings(part, level)
    detail = {"length_mm": found.length_mm, "area_mm2": found.area_mm2, "smallest_mm": found.smallest_mm}
    if not found.count:
        if found.smallest_mm is None:
            raise RefusedError(
                tr(
                    "no string was found, and nobody knows whether one could be seen: leave some "
                    "of the print in the picture on both sides of the region"
                )
            )
        thinnest = with_unit(format_number(found.smallest_mm, 2), "mm")
        return Measured(
            What.STRINGS,
            0.0,
            0.0,
            None,
            detail,
            tr("No strings; one of {thinnest} or more would have been seen.", thinnest=thinnest),
        )
    crossing = trn("string crosses", "strings cross", found.count)
    area = with_unit(format_number(found.area_mm2, 2), "mm²")
    return Measured(
        What.STRINGS,
        found.count,
        found.u,
        None,
        detail,
        tr(
            "{count} {crossing} the gap, {area} in all.",
            count=format_reading(found.count),
            crossing=crossing,
            area=area,
        ),
        trace=found.trace,
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
    said = tr(
        "Colour bled over the edge to the {side}: ΔE {delta_e}, {depth} deep",
        side=found.side,
        delta_e=format_number(found.delta_e, 1),
        depth=depth,
    )
    reach = 2 * found.u
    return Measured(
        What.BLEED,
        found.delta_e,
        found.u,
        (max(0.0, found.delta_e - reach), found.delta_e + reach),
        detail,
        tr("{said}, as this camera sees colour.", said=said)
        if found.depth_mm
        else tr("No colour bled over the edge that this picture shows."),
        trace=found.trace,
    )


def _droop(part: Crop, picture: Picture, asked: Asked) -> Measured:
    del picture, asked
    found = droop_of(part)
    said = tr("The edge hangs {mm} below its line", mm=with_unit(format_number(found.mm, 2), "mm"))
    where = tr("{said}, {at_mm} mm from the left", said=said, at_mm=format_number(found.at_mm, 1))
    as_rough = tr("; a sound edge as rough as its ends would show as much") if found.rough else ""
    detail = {"at_mm": found.at_mm}
    return _plain(What.DROOP, found.mm, found.u, detail, f"{where}{as_rough}.", found.trace)


def _onset(picture: Picture, asked: Asked) -> Measured:
    steps, lines = [], []
    for angle, region in asked.steps:
        try:
            droop = droop_of(crop(picture, region, asked.px_per_mm))
        except RefusedError as error:
            steps.append(StepDroop(angle, None, None, refused=str(error)))
            continue
        steps.append(StepDroop(angle, droop.mm, droop.u, droop.rough))
        off = np.array([region.x - asked.region.x, region.y - asked.region.y])
        lines += [line + off for line in droop.trace.lines]
    found = onset_of(steps, asked.limit_mm)
    detail = {
        "limit_mm": asked.limit_mm,
        "between": [angle if math.isfinite(angle) else None for angle in found.between],
        "steps": [asdict(step) for step in steps],
    }
    sentence = _onset_sentence(found, steps, asked.limit_mm)
    trace = Trace(tuple(lines))
    return Measured(
        What.ONSET, found.deg, found.u, found.ci95, detail, sentence, bound=found.bound, trace=trace
    )


def _onset_sentence(found: Onset, steps: Sequence[StepDroop], limit_mm: float) -> str:
    hangs = tr("hangs {limit_mm} or more", limit_mm=with_unit(format_number(limit_mm, 2), "mm"))
    low, high = found.between
    if found.bound is Bound.ABOVE:
        said = tr("No step up to {low}° {hangs}", low=format_reading(low), hangs=hangs)
    elif found.bound is Bound.BELOW:
        said = tr(
            "The step of {high}° {hangs} already, and no flatter angle is told",
            high=format_reading(high),
            hangs=hangs,
        )
    else:
        said = tr(
            "The overhang {hangs} from {deg}° on, between its steps of {low}° and {high}°",
            hangs=hangs,
            deg=format_number(found.deg, 1),
            low=format_reading(low),
            high=format_reading(high),
        )
    by_step = [
        f"{format_reading(step.angle_deg)}° {format_number(step.mm, 2)}"
        for step in steps
        if step.mm is not None
    ]
    more = [
        tr("the step of {angle}° hangs less than that again", angle=format_reading(angle))
        for angle in found.again
    ]
    more += [
        tr(
            "the step of {angle_deg}° cannot be told: {refused}",
            angle_deg=format_reading(step.angle_deg),
            refused=step.refused,
        )
        for step in steps
        if step.refused
    ]
    return "; ".join((said, *more)) + tr(". Droop by step, mm: {by_step}.", by_step=", ".join(by_step))


def _radius(part: Crop, picture: Picture, asked: Asked) -> Measured:
    del picture, asked
    found = corner_radius(part)
    size = with_unit(format_number(found.mm, 2), "mm")
    if found.sharper:
        detail, said = {"sharper_than_mm": found.mm}, tr("The corner is sharper than {size}.", size=size)
        return Measured(What.RADIUS, found.mm, None, None, detail, said, bound=Bound.BELOW, trace=found.trace)
    return _plain(
        What.RADIUS, found.mm, found.u, {}, tr("The corner has a radius of {size}.", size=size), found.trace
    )


def _size(part: Crop, picture: Picture, asked: Asked) -> Measured:
    del picture, asked
    found = size_of(part)
    said = tr("{mm} between the edges", mm=with_unit(format_number(found.mm, 3), "mm"))
    way = "y" if found.level else "x"
    return _plain(
        What.SIZE,
        found.mm,
        found.u,
        {"along": way},
        tr("{said}; a calliper is surer, but for twins on one rig.", said=said),
        found.trace,
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
    noun = trn("slit", "slits", found.count)
    said = tr(
        "{count} {noun} between the lines, {area_mm2}",
        count=found.count,
        noun=noun,
        area_mm2=with_unit(format_number(found.area_mm2, 2), "mm²"),
    )
    return Measured(
        What.GAPS,
        100 * found.share,
        None,
        None,
        detail,
        tr("{said}: {share} % of the face.", said=said, share=format_number(100 * found.share, 2)),
        trace=found.trace,
    )


def _plain(
    what: What, value: float, u: float, detail: Mapping[str, Any], sentence: str, trace: Trace
) -> Measured:
    reach = 1.96 * u
    return Measured(what, value, u, (value - reach, value + reach), detail, sentence, trace=trace)


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
