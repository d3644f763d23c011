"""Rendered photographs of the demo's prints, a blind session over them, and what one judge sees."""

from __future__ import annotations

import tempfile
from collections.abc import Mapping
from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import Final

import numpy as np

from oddtwin import operations
from oddtwin.core.judge import SessionDesign
from oddtwin.core.photo import Picture
from oddtwin.core.render import PieceFace, render_piece
from oddtwin.core.study import MeasuredRegion, Run, RunState, Study
from oddtwin.demo.workshop import new_id
from oddtwin.operations import NewSession
from oddtwin.store import LabBook, load_study
from oddtwin.work.shots import keep_shots

CHALK, SLATE = (0.50, 0.49, 0.46), (0.15, 0.19, 0.29)
EXPOSURE_S: Final = 1 / 40


def photograph_prints(
    book: LabBook,
    study_id: int,
    view_id: int,
    faces: Mapping[bool, PieceFace],
    rng: np.random.Generator,
    leave: int = 0,
) -> None:
    """Photograph the prints of a study in one view.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    study_id, view_id : int
        Of which study, and which view of its piece.
    faces : mapping of bool to PieceFace
        How the baseline (False) and the change (True) look.
    rng : numpy.random.Generator
        Of each print's own.
    leave : int
        Prints at the end that are left for whoever tries the demo.
    """
    study = _study(book, study_id)
    runs = [run for run in study.runs if run.state is RunState.PRINTED]
    with tempfile.TemporaryDirectory() as folder:
        for number, run in enumerate(runs[: len(runs) - leave]):
            face = faces[run.arm_id != study.baseline.id]
            lying = replace(
                face,
                # Regions are drawn on the first, which therefore lies straight.
                turn_deg=float(rng.normal(0, 0.7)) if number else 0.0,
                shift_x_px=float(rng.normal(0, 6)),
                shift_y_px=float(rng.normal(0, 5)),
            )
            path = Path(folder) / f"shot-{run.code}.jpg"
            _write(path, render_piece(lying, rng)[0], run)
            arrived = keep_shots(book, study, [path], to=(run.id, view_id))
            operations.add_photographs(book, filed=arrived.filed)


def _write(path: Path, picture: Picture, run: Run) -> None:
    from PIL import Image

    image = Image.fromarray(picture)
    exif = image.getexif()
    inner = exif.get_ifd(0x8769)
    if run.finished is not None:
        inner[0x9003] = f"{run.finished.astimezone() + timedelta(minutes=20):%Y:%m:%d %H:%M:%S}"
    inner[0x829A] = EXPOSURE_S
    image.save(path, format="JPEG", quality=92, exif=exif)


def add_view(book: LabBook, piece_id: int, face: str, lamp: str, zone: str) -> int:
    """Add a view of a piece; returns its id."""
    return new_id(operations.add_view(book, piece_id=piece_id, face=face, lamp=lamp, zone=zone), "view")


def measure_ringing(book: LabBook, study_id: int, view_id: int) -> None:
    """Draw a region of ringing on the first photograph of a view."""
    study = _study(book, study_id)
    first = next(item for item in study.photographs if item.view_id == view_id)
    region = MeasuredRegion(
        name="Ringing on the face",
        what="ringing",
        left=round(0.158 * first.width),
        top=round(0.20 * first.height),
        width=round(0.19 * first.width),
        height=round(0.60 * first.height),
        reference=first.sha256,
        px_per_mm=PieceFace().px_per_mm,
        layer_mm=0.28,
    )
    operations.set_regions(book, view_id=view_id, name="face", regions=[region])


def judge_blind(book: LabBook, study_id: int, view_id: int, rng: np.random.Generator) -> None:
    """Judge the photographs of a view blind: two judges like the scattered seam a little better."""
    study = _study(book, study_id)
    runs = tuple(item.run_id for item in study.photographs if item.view_id == view_id)
    session = NewSession(
        design=SessionDesign.BETTER,
        run_ids=runs,
        judges=("Noor", "Piet"),
        view_id=view_id,
        seed=5120,
        break_after=20,
        mixed_by="Ada",
    )
    session_id = new_id(operations.begin_session(book, study_id=study_id, session=session), "session")
    drawn = next(one for one in _study(book, study_id).sessions if one.id == session_id)
    arm = {one.letter: one.arm for one in drawn.letters}
    for trial in drawn.trials:
        left, right = (arm[letter] for letter in trial.letters)
        if left == right:
            answer = "none" if rng.random() < 0.8 else str(rng.choice(["left", "right"]))
        else:
            liked = "left" if left != study.baseline.name else "right"
            other = "right" if liked == "left" else "left"
            answer = str(rng.choice([liked, other, "none"], p=[0.68, 0.17, 0.15]))
        operations.answer_trial(
            book, session_id=session_id, judge=trial.judge, number=trial.number, text=answer
        )
    operations.close_session(book, session_id=session_id)
    operations.open_key(book, session_id=session_id, who="Ada")


def furnish_looking(book: LabBook) -> None:
    """Say how photographs are taken, what the workshop calls its faults, and what one judge sees."""
    operations.edit_rig(
        book,
        check_x_mm=150.2,
        check_y_mm=200.3,
        camera_mm=520.0,
        exposure_s=EXPOSURE_S,
        lamps="one lamp, left or right, 30° above the face; room dark",
    )
    for name, code, light in (
        ("Seam visible", "SV", "low, from the right"),
        ("Ringing", "RG", "low, from the left"),
    ):
        operations.add_fault(book, name=name, code=code, light=light)
    operations.keep_threshold(
        book,
        judge="Noor",
        fault="Ringing",
        unit="%",
        value=1.4,
        low=1.1,
        high=1.8,
        lapse=0.015,
        trials=60,
        screen="24 inch at 60 cm",
    )


def _study(book: LabBook, study_id: int) -> Study:
    with book.reading() as connection:
        return load_study(connection, study_id)
