"""Measuring what was drawn once on a view in all of its photographs."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.language import mark, tr
from oddtwin.core.photo import (
    LAMP_MOVED,
    USUAL_LIMIT_MM,
    VERSION,
    Asked,
    Curves,
    MatSeen,
    Measured,
    Motion,
    Picture,
    Region,
    StepRegion,
    What,
    align,
    mat_scale,
    measure,
    untold,
    wave_curves,
)
from oddtwin.core.study import ArmFile, MeasuredRegion, Photograph, Rig, Run, Study
from oddtwin.core.toolpath.gcode import GcodeError
from oddtwin.core.toolpath.sliced import outer_wall_motion
from oddtwin.store import LabBook, StoreError
from oddtwin.work.photos import PhotoError
from oddtwin.work.shots import kept_pixels
from oddtwin.work.sliced_files import kept_toolpath

_LAMP_MOVED: Final = mark(
    "the lamp stood elsewhere than in the photograph that the region was drawn on, and how strong a "
    "relief looks follows from that; put the lamp back and take it again"
)

RELIEF: Final = (What.RINGING, What.BANDING, What.LAYERS)
"""Read from light and shade: comparable under one lamp and of one filament only."""
AROUND_PX: Final = 48
"""Pixels around a region that go along: strings are told from the print beside them."""


@dataclass(frozen=True, slots=True)
class MeasuredShot:
    """What one photograph came to.

    Parameters
    ----------
    run, photograph : Run and Photograph
        Which.
    measured : Measured
        The figure, or why there is none.
    evidence : str
        Photograph, region and method, as a reading keeps them.
    patch, curves : Patch and Curves or None
        What it was measured in, and what was fitted; None where it was refused, or there are no curves.
    """

    run: Run
    photograph: Photograph
    measured: Measured
    evidence: str
    patch: Patch | None = None
    curves: Curves | None = None


@dataclass(frozen=True, slots=True)
class Patch:
    """The part of a photograph that a region lies in, brought onto the photograph that it was drawn on.

    Parameters
    ----------
    picture : array of shape (height, width, 3)
        With some of what lies around the region.
    region : Region
        In it, px.
    steps : tuple of StepRegion
        Of an overhang, in it as well.
    """

    picture: Picture
    region: Region
    steps: tuple[StepRegion, ...] = ()


def measure_view(
    book: LabBook,
    study: Study,
    region: MeasuredRegion,
    shots: Sequence[tuple[Run, Photograph]],
    job: Job = UNWATCHED,
) -> list[MeasuredShot]:
    """Measure a region in photographs of one view, one after another.

    Parameters
    ----------
    book : LabBook
        That keeps them.
    study : Study
        For the rig, and for the sliced files that tell speed and acceleration.
    region : MeasuredRegion
        What, and where on its reference.
    shots : sequence of (Run, Photograph)
        Which.
    job : Job
        Told the share that is done; stops the work between photographs.

    Raises
    ------
    CancelledError
        The job was cancelled; nothing was kept of it.
    PhotoError
        The photograph that the region was drawn on cannot be read.
    """
    # Read once, and held while all others are laid onto it one by one: memory stays that of two pictures.
    reference = kept_pixels(book, region.reference)
    scale = region.px_per_mm or mat_of(reference, study.rig).px_per_mm
    motion = _motions(book, study, region)
    spool = _spool_of(study, region.reference)
    found = []
    for number, (run, photograph) in enumerate(shots):
        job.check()
        job.tell(number / len(shots))
        asked = Asked(
            Region(0, 0, 0, 0), scale, motion(run), region.corner, region.layer_mm, region.elevation_deg,
            limit_mm=region.limit_mm or USUAL_LIMIT_MM,
        )  # fmt: skip
        other = study.index.runs[run.id].spool
        if region.what in RELIEF and spool and other and other != spool:
            why = tr(
                "this print is of another filament ({other}) than the first ({spool}), and shines otherwise",
                other=other, spool=spool,
            )  # fmt: skip
            measured, patch, curves = untold(What(region.what), why), None, None
        else:
            measured, patch, curves = _measured(book, reference, region, photograph, asked, job)
        evidence = f"photo:{photograph.sha256} {_where(region)} method:{region.what}/{VERSION}"
        found.append(MeasuredShot(run, photograph, measured, evidence, patch, curves))
    return found


def _where(region: MeasuredRegion) -> str:
    """Return where a figure was read, as its reading keeps it."""
    told = f"region:{region.left},{region.top},{region.width},{region.height}"
    if region.steps:
        steps = (
            f"{step.angle_deg:g}@{step.left},{step.top},{step.width},{step.height}" for step in region.steps
        )
        told += f" steps:{';'.join(steps)} limit:{region.limit_mm or USUAL_LIMIT_MM:g}"
    return told


def _spool_of(study: Study, sha256: str) -> str:
    """Filament of the print on a photograph; empty where nobody said."""
    shot = next((item for item in study.photographs if item.sha256 == sha256), None)
    return study.index.runs[shot.run_id].spool if shot else ""


def mat_of(picture: Picture, rig: Rig) -> MatSeen:
    """Read the scale of a photograph from the mat in it, as the workshop's rig has it."""
    return mat_scale(picture, rig.page, (rig.check_x_mm, rig.check_y_mm), 0.0, rig.camera_mm)


def _measured(
    book: LabBook, reference: Picture, region: MeasuredRegion, photograph: Photograph, asked: Asked, job: Job
) -> tuple[Measured, Patch | None, Curves | None]:
    what = What(region.what)
    try:
        patch = patch_of(book, reference, region, photograph, job)
    except PhotoError as error:
        return untold(what, str(error)), None, None
    job.check()
    here = replace(asked, region=patch.region, steps=patch.steps)
    measured = measure(patch.picture, what, here)
    return measured, patch, wave_curves(patch.picture, here, measured)


def patch_of(
    book: LabBook,
    reference: Picture,
    region: MeasuredRegion,
    photograph: Photograph,
    job: Job = UNWATCHED,
) -> Patch:
    """Cut the part of a photograph out that a region lies in, laid onto the reference.

    Parameters
    ----------
    book : LabBook
        That keeps the photograph.
    reference : array of shape (height, width, 3)
        The photograph that the region was drawn on.
    region : MeasuredRegion
        Where.
    photograph : Photograph
        Which.
    job : Job
        Stops the work once it is read.

    Raises
    ------
    PhotoError
        It cannot be read, or cannot be laid onto the reference.
    """
    import cv2

    left, top = max(0, region.left - AROUND_PX), max(0, region.top - AROUND_PX)
    right = min(reference.shape[1], region.left + region.width + AROUND_PX)
    bottom = min(reference.shape[0], region.top + region.height + AROUND_PX)
    inside = Region(region.left - left, region.top - top, region.width, region.height)
    steps = tuple(
        StepRegion(step.angle_deg, Region(step.left - left, step.top - top, step.width, step.height))
        for step in region.steps
    )
    if photograph.sha256 == region.reference:
        return Patch(reference[top:bottom, left:right], inside, steps)
    picture = kept_pixels(book, photograph.sha256)
    job.check()
    laid = align(reference, picture)
    if region.what in RELIEF and abs(laid.lamp_tilt) > LAMP_MOVED:
        raise PhotoError(tr(_LAMP_MOVED))
    if not laid.accepted:
        raise PhotoError(
            tr(
                "it cannot be laid onto the photograph that the region was drawn on ({sentence})",
                sentence=laid.sentence,
            )
        )
    matrix = np.asarray(laid.matrix, np.float64).copy()
    # Cut out in the same step as it is laid on: interpolated once, and only where it is needed.
    matrix[:, 2] -= (left, top)
    size = (right - left, bottom - top)
    found = cv2.warpAffine(picture, matrix, size, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    return Patch(np.asarray(found, dtype=np.uint8), inside, steps)


def _motions(book: LabBook, study: Study, region: MeasuredRegion) -> Callable[[Run], Motion]:
    """Return how the walls of each run were printed: as the region says, or as its sliced file does."""
    known: dict[str, Motion] = {}

    def motion(run: Run) -> Motion:
        if region.speed_mm_s is not None or region.what != What.RINGING:
            return Motion(region.speed_mm_s, region.accel_mm_s2)
        # The run may come without its arm, where that is not to be told; what is measured tells it to nobody.
        file = study.file_for(study.index.runs[run.id])
        if file is None:
            return Motion()
        if file.sha256 not in known:
            known[file.sha256] = file_motion(book, file)
        return known[file.sha256]

    return motion


def file_motion(book: LabBook, file: ArmFile) -> Motion:
    """Return the speed and acceleration of the outer walls of a kept sliced file; unknown where it is gone.

    Parameters
    ----------
    book : LabBook
        That keeps the file.
    file : ArmFile
        Which.
    """
    try:
        speed, accel = outer_wall_motion(kept_toolpath(book, file.sha256))
    except (StoreError, GcodeError):
        return Motion()
    return Motion(speed, accel if speed else None)
