"""What is looked at: the views of a piece, photographs of its prints, marks on them, and blind sessions."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.judge import ASKING, AUDIENCE, Lettered, SealedKey, SessionDesign, SessionTrial

USUAL_ELEVATION_DEG: Final = 30.0
"""Of a lamp above the normal of the face, where nobody said."""


@dataclass(frozen=True, slots=True)
class RegionStep:
    """One step of an overhang: its angle from upright, °, and where its lower edge is, px."""

    angle_deg: float
    left: int
    top: int
    width: int
    height: int


@dataclass(frozen=True, slots=True)
class MeasuredRegion:
    """What is measured of a view, and where; drawn once on one photograph, it is carried to all others.

    Parameters
    ----------
    name : str
        Of the response that its figures are readings of.
    what : str
        As ``core.photo.What`` names it.
    left, top, width, height : int
        In pixels of the photograph that it was drawn on.
    reference : str
        SHA-256 of that photograph.
    px_per_mm : float or None
        Its scale; None where the mat in each picture tells it, or nothing does.
    corner : str
        Where ringing begins: ``left`` or ``right``.
    layer_mm, speed_mm_s, accel_mm_s2 : float or None
        How the face is printed, where that matters.
    elevation_deg : float
        Of the lamp above the normal of the face.
    steps : tuple of RegionStep
        Of an overhang whose onset is measured; the region is what holds all of them.
    limit_mm : float or None
        Droop from which on a step counts as hanging.
    """

    name: str
    what: str
    left: int
    top: int
    width: int
    height: int
    reference: str
    px_per_mm: float | None = None
    corner: str = "left"
    layer_mm: float | None = None
    speed_mm_s: float | None = None
    accel_mm_s2: float | None = None
    elevation_deg: float = USUAL_ELEVATION_DEG
    steps: tuple[RegionStep, ...] = ()
    limit_mm: float | None = None


EARLIER_TOP_MM: Final = 1e6
"""Height of a corner where nobody said: above everything, for it is of a top."""


@dataclass(frozen=True, slots=True)
class Tie:
    """A corner of a face on its photograph and in the model.

    Parameters
    ----------
    x, y : float
        As shares of the photograph's width and height.
    model_x_mm, model_y_mm, model_z_mm : float
        On the plate and above it, as the sliced file has it; earlier ties are of tops, and have no height.
    """

    x: float
    y: float
    model_x_mm: float
    model_y_mm: float
    model_z_mm: float = EARLIER_TOP_MM

    @property
    def model_mm(self) -> tuple[float, float, float]:
        """Its place along x, y and z of the model."""
        return self.model_x_mm, self.model_y_mm, self.model_z_mm


def tied_axes(ties: Sequence[Tie]) -> list[int]:
    """Return the two axes of the model that a tied view shows: 0 for x, 1 for y, 2 for z.

    Parameters
    ----------
    ties : sequence of Tie
        Three, of one face: along its third axis they are alike.
    """
    third = int(np.argmin(np.ptp([one.model_mm for one in ties], axis=0)))
    return [axis for axis in range(3) if axis != third]


def tied_places(ties: Sequence[Tie]) -> Floats:
    """Return where the corners of a tied view lie in the plane of its face, mm; shape (3, 2)."""
    found: Floats = np.array([one.model_mm for one in ties], np.float64)[:, tied_axes(ties)]
    return found


@dataclass(frozen=True, slots=True)
class View:
    """One view of a piece: a face under a lamp, made once with the piece.

    Parameters
    ----------
    id, piece_id : int
        In the lab book.
    position : int
        In the order in which views are photographed.
    face, lamp : str
        Which face, and where the light comes from; the lamp may be empty.
    zone : str
        Zone of the piece that the face shows; empty where a view shows several.
    regions : tuple of MeasuredRegion
        What is measured of it.
    ties : tuple of Tie
        Three corners, where the view is tied to the axes of the model; what they share is its face.
    tied_on : str
        SHA-256 of the photograph that they lie on.
    """

    id: int
    piece_id: int
    position: int
    face: str
    lamp: str = ""
    zone: str = ""
    regions: tuple[MeasuredRegion, ...] = ()
    ties: tuple[Tie, ...] = ()
    tied_on: str = ""

    @property
    def name(self) -> str:
        """What a person calls it."""
        return view_name(self.face, self.lamp)


def view_name(face: str, lamp: str) -> str:
    """Return what a person calls a face under a lamp."""
    return f"{face}, {lamp}" if lamp else face


@dataclass(frozen=True, slots=True)
class Photograph:
    """A photograph of a print; its content is kept in the lab book under its hash, as it came.

    Parameters
    ----------
    id, run_id : int
        In the lab book.
    view_id : int or None
        Which view; None where that view is gone.
    sha256, name : str
        Hash of the content, and what the file was called.
    retake : int
        0 for the first, 1 for the same view of the same print once more, after it was put away.
    taken : datetime or None
        By the camera, as if in the zone of this computer.
    exposure_s : float or None
        In seconds.
    width, height : int
        In pixels, upright.
    hdr : bool
        Whether the camera says that it mixed several exposures.
    """

    id: int
    run_id: int
    view_id: int | None
    sha256: str
    name: str = ""
    retake: int = 0
    taken: datetime | None = None
    exposure_s: float | None = None
    width: int = 0
    height: int = 0
    hdr: bool = False


@dataclass(frozen=True, slots=True)
class Mark:
    """A fault that was flagged at its place on a photograph.

    Parameters
    ----------
    id, run_id, photograph_id : int
        In the lab book.
    x, y : float
        As shares of the photograph's width and height.
    fault : str
        Name of the fault.
    grade : int
        0 to 4.
    zone : str
        Zone of the piece that it lies in.
    note, by : str
        What else there is to say, and who says it.
    at : datetime or None
        When.
    """

    id: int
    run_id: int
    photograph_id: int
    x: float
    y: float
    fault: str
    grade: int
    zone: str = ""
    note: str = ""
    by: str = ""
    at: datetime | None = None


@dataclass(frozen=True, slots=True)
class KeyLetter:
    """What a letter of a session stands for.

    Parameters
    ----------
    letter : str
        As judges see it.
    run_id : int
        Of the print; 0 for a positive control.
    arm, print : str
        Name of its arm, and code of the print.
    rendered : str
        Of a rendered control: kind and settings, as ``core.render`` takes them.
    """

    letter: str
    run_id: int
    arm: str
    print: str
    rendered: str = ""


@dataclass(frozen=True, slots=True)
class BlindSession:
    """A sitting of blind judging.

    Parameters
    ----------
    id : int
        In the lab book.
    design : SessionDesign
        What is asked.
    view_id : int or None
        Whose photographs are shown; None where the prints are in the hand.
    response_id : int or None
        Of grades: which response they are readings of.
    zone : str
        Of grades: which zone.
    judges : tuple of str
        Who judges.
    seed : int
        Of order and sides.
    question : str
        As it is put to the judges.
    break_after : int
        Trials after which a break is proposed; 0 for none.
    trials : tuple of SessionTrial
        Of all judges.
    letters : tuple of KeyLetter
        The key; none while it is locked with a second person's passphrase.
    nonce, commitment : str
        Random part of the key, and SHA-256 of the whole that was shown before the first answer.
    locked : str
        The key, encrypted; empty where it lies open in the lab book.
    mixed_by : str
        Who knows the key: who made the session or mixed the tray.
    created : datetime
        When.
    closed, opened : datetime or None
        When judging was closed, and when the key was opened.
    opened_by : str
        By whom.
    """

    id: int
    design: SessionDesign
    view_id: int | None
    response_id: int | None
    zone: str
    judges: tuple[str, ...]
    seed: int
    question: str
    break_after: int
    trials: tuple[SessionTrial, ...]
    letters: tuple[KeyLetter, ...]
    nonce: str
    commitment: str
    locked: str
    mixed_by: str
    created: datetime
    closed: datetime | None = None
    opened: datetime | None = None
    opened_by: str = ""

    @property
    def in_hand(self) -> bool:
        """Whether the prints themselves are judged, and not their photographs."""
        return self.view_id is None

    @property
    def by_ballot(self) -> bool:
        """Whether an audience judges by a ballot, and nobody who was named beforehand."""
        return any(one.judge == AUDIENCE for one in self.trials)

    @property
    def blind(self) -> bool:
        """Whether the judges do not know which is which."""
        return self.design is not SessionDesign.OPEN

    @property
    def asked(self) -> str:
        """The question as it is put."""
        return self.question or ASKING[self.design].question


@dataclass(frozen=True, slots=True)
class SessionAnswer:
    """What a judge answered to one trial of a session, and when."""

    id: int
    session_id: int
    judge: str
    number: int
    answer: str
    at: datetime


def sealed_key(letters: Sequence[KeyLetter], nonce: str) -> SealedKey:
    """Return letters and nonce of a session as the key that was committed to."""
    return SealedKey({one.letter: Lettered(one.arm, one.print) for one in letters}, nonce)
