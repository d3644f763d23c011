"""Building the demo lab book through the same operations that a user has."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Final

import numpy as np

from oddtwin import operations
from oddtwin.core.design import Design, DesignKind
from oddtwin.core.readings import ResponseKind
from oddtwin.core.render import PieceFace
from oddtwin.core.study import EventKind
from oddtwin.demo.chain import adopt_seen, tell_chain
from oddtwin.demo.half_printed import begin_plate, plan_plates
from oddtwin.demo.photographs import (
    CHALK,
    SLATE,
    add_view,
    furnish_looking,
    judge_blind,
    measure_ringing,
    photograph_prints,
)
from oddtwin.demo.prints import Effect, Printing
from oddtwin.demo.sliced import (
    CASE_RECIPE,
    DIVIDER_RECIPE,
    DRAWER_DIVIDER,
    KEY_TAG,
    LAMP_RING,
    RING_RECIPE,
    SPECTACLE_CASE,
    TAG_RECIPE,
    give_files,
)
from oddtwin.demo.story import tell_story
from oddtwin.demo.workshop import Question, ask, furnish
from oddtwin.store import LabBook, load_study

SEED: Final = 20260309


def build_demo(folder: Path, name: str) -> LabBook:
    """Build the demo lab book in a new folder and return it open.

    Parameters
    ----------
    folder : Path
        Empty or not there yet.
    name : str
        Of the lab book.
    """
    book = LabBook.create(folder, name)
    rng = np.random.default_rng(SEED)
    shop = furnish(book)
    tell_story(book, shop["Marlow"])
    _drying(book, shop, rng)
    _seam(book, shop, rng)
    _layers(book, shop, rng)
    ask(book, _WALLS)
    _plates(book, shop)
    _tags(book, shop)
    _widths(book, shop, rng)
    _photographs(book, shop)
    tell_chain(book, shop)
    plan_plates(book, shop)
    begin_plate(book)
    return book


def _photographs(book: LabBook, shop: dict[str, int]) -> None:
    """The seam study photographed and judged blind; the divider's faces wait to be measured."""
    rng = np.random.default_rng(SEED)
    furnish_looking(book)
    studies = {item.name: item.id for item in book.summaries()}
    lid = add_view(book, shop["Spectacle case"], "lid", "lamp right", "lid")
    seam = studies["Seam scattered or in line"]
    plain = PieceFace(colour=CHALK, layer_mm=0.3, width_px=660, height_px=440, px_per_mm=9.0)
    faces = {False: replace(plain, seam=14.0), True: replace(plain, seam=14.0, scattered=True)}
    photograph_prints(book, seam, lid, faces, rng)
    judge_blind(book, seam, lid, rng)
    divider = studies["Thicker layers for the drawer divider"]
    face = add_view(book, shop["Drawer divider"], "face", "lamp left", "face")
    slate = PieceFace(colour=SLATE, speed_mm_s=40.0, accel_mm_s2=1000.0)
    faces = {False: replace(slate, ringing=3.2), True: replace(slate, ringing=1.6)}
    photograph_prints(book, divider, face, faces, rng, leave=1)
    measure_ringing(book, divider, face)


def _widths(book: LabBook, shop: dict[str, int], rng: np.random.Generator) -> None:
    """Printed, to be settled: a ladder with an edge, and a level that fails."""
    study = ask(
        book,
        Question(
            name="How wide may the lines of the key tag be",
            question="Up to which line width do the letters of the key tag stay sharp, and how many minutes "
            "does it save?",
            factor=("slicer setting", "line width", *(f"{width:.2f} mm" for width in _WIDTHS)),
            numbers=(("Letter height lost", "mm", "lower", 0.08, 0.01),),
            primary="Letter height lost",
            margins={"Print time": 2.0, "Waste": 0.5},
        ),
    )
    operations.draw_runs(
        book,
        study_id=study,
        repeats=3,
        twins=0,
        seed=3307,
        machine_ids=[shop["Tessel"]],
        piece_ids=[shop["Key tag"]],
        design=Design(DesignKind.LADDER, (len(_WIDTHS),)),
    )
    with book.reading() as connection:
        value = load_study(connection, study)
    # Of the widest lines one tag broke at the hole when it was taken off.
    widest = next(
        number for number, run in enumerate(value.runs, 1) if run.arm_id == value.changed_arms[-1].id
    )
    printing = Printing(book, study, rng, spool="PLA slate blue, lot 12", first_day="2026-03-12")
    printing.make(
        {
            "Print time": Effect(19.0, 0.7, change=(-1.6, -2.9, -3.8)),
            "Part mass": Effect(1.6, 0.02),
            "Waste": Effect(1.2, 0.05),
            "Letter height lost": Effect(0.05, 0.012, change=(0.01, 0.03, 0.19)),
        },
        failed={widest: "broke at the hole"},
    )


_WIDTHS: Final = (0.42, 0.50, 0.58, 0.66)


def _tags(book: LabBook, shop: dict[str, int]) -> None:
    """Planned, and the sliced files say why it need not be printed: the change is not in them."""
    study = ask(
        book,
        Question(
            name="Slower small layers on the key tag",
            question="Does a longer minimum layer time keep the edges of the key tag crisp?",
            factor=("slicer setting", "minimum layer time", "6 s", "12 s"),
            grades=(("Soft edges", 0.5),),
            primary="Soft edges",
            margins={"Print time": 2.0, "Waste": 0.5},
        ),
    )
    operations.draw_runs(
        book,
        study_id=study,
        repeats=3,
        twins=1,
        seed=914,
        machine_ids=[shop["Tessel"]],
        piece_ids=[shop["Key tag"]],
        spools=["PLA slate blue, lot 12"],
    )
    give_files(
        book, study, shop["Key tag"], KEY_TAG, (TAG_RECIPE, replace(TAG_RECIPE, min_layer_time=12, fan=80))
    )


def _plates(book: LabBook, shop: dict[str, int]) -> None:
    """Planned, nothing printed yet: a part that takes long to fit, crossed with a setting."""
    study = ask(
        book,
        Question(
            name="Textured plate and first layer",
            question="Does the lamp ring come off the textured plate more easily, and does a thicker "
            "first layer change that?",
            factor=("part", "bed plate", "smooth", "textured"),
            numbers=(("Peel force", "N", "lower", 2.0, 0.1),),
            grades=(("Elephant’s foot", 0.5), ("Lifted corners", 0.5)),
            primary="Peel force",
            margins={"Print time": 5.0, "Waste": 1.0},
        ),
    )
    operations.add_factor(
        book,
        study_id=study,
        kind="slicer setting",
        name="first layer",
        levels=("0.20 mm", "0.28 mm"),
    )
    with book.reading() as connection:
        value = load_study(connection, study)
    plate = value.factors[0]
    for level, back in zip(plate.levels, ("in the drawer", "unclip it again"), strict=True):
        operations.edit_level(
            book,
            level_id=level.id,
            value=level.value,
            how="cool down, wipe both sides, clip it in",
            way_back=back,
            minutes=14.0,
            cost=0.0 if level is plate.levels[0] else 32.0,
        )
    force = next(item for item in value.responses if item.name == "Peel force")
    operations.edit_response(book, response_id=force.id, name=force.name, noise_sd=1.1, noise_df=7.0)
    operations.draw_runs(
        book,
        study_id=study,
        repeats=1,
        twins=0,
        seed=2604,
        machine_ids=[shop["Marlow"], shop["Tessel"]],
        piece_ids=[shop["Lamp ring"]],
        design=Design(DesignKind.SPLIT_PLOT, hard_factor=0, whole_plots=4),
        spools=["PETG smoke grey, lot 7"],
    )


def _drying(book: LabBook, shop: dict[str, int], rng: np.random.Generator) -> None:
    """Finished and adopted: a clear winner."""
    study = ask(
        book,
        Question(
            name="Dry the spool overnight",
            question="Does drying the spool for eight hours leave fewer strings between the ribs, "
            "and less time with the knife?",
            factor=("filament or lot", "drying before printing", "as stored", "8 h at 55 °C"),
            numbers=(("Clean-up time", "min", "lower", 1.0, 0.1),),
            grades=(("Stringing", 0.5),),
            primary="Clean-up time",
            margins={"Print time": 5.0, "Waste": 1.0},
        ),
    )
    operations.draw_runs(
        book,
        study_id=study,
        repeats=4,
        twins=3,
        seed=41,
        machine_ids=[shop["Marlow"], shop["Tessel"]],
        piece_ids=[shop["Lamp ring"]],
    )
    give_files(book, study, shop["Lamp ring"], LAMP_RING, (RING_RECIPE, RING_RECIPE))
    printing = Printing(book, study, rng, spool="PETG smoke grey, lot 7", first_day="2026-02-02")
    printing.make(
        {
            "Print time": Effect(104.0, 0.8),
            "Part mass": Effect(38.2, 0.15),
            "Waste": Effect(1.6, 0.12),
            "Clean-up time": Effect(6.4, 0.55, change=-3.6),
            "Stringing": Effect(2.2, 0.45, change=-1.5),
        }
    )
    adopt_seen(book, study, "Half the knife work on every ring, at no cost in time or plastic.")


def _seam(book: LabBook, shop: dict[str, int], rng: np.random.Generator) -> None:
    """Finished, to be settled: the twins really are twins."""
    study = ask(
        book,
        Question(
            name="Seam scattered or in line",
            question="Does scattering the seam change how hard the spectacle case is to open?",
            factor=("slicer setting", "seam position", "in line at the back", "scattered"),
            numbers=(("Opening force", "N", "lower", 1.5, 0.1),),
            grades=(("Seam visible", 0.75),),
            primary="Opening force",
            margins={"Print time": 4.0, "Waste": 0.5, "Part mass": 0.5},
        ),
    )
    operations.draw_runs(
        book,
        study_id=study,
        repeats=6,
        twins=2,
        seed=1187,
        machine_ids=[shop["Tessel"]],
        piece_ids=[shop["Spectacle case"]],
    )
    scattered = replace(CASE_RECIPE, seam="scattered")
    give_files(book, study, shop["Spectacle case"], SPECTACLE_CASE, (CASE_RECIPE, scattered))
    printing = Printing(book, study, rng, spool="PLA chalk white, lot 3", first_day="2026-02-16")
    printing.make(
        {
            "Print time": Effect(171.0, 0.9, change=0.4),
            "Part mass": Effect(52.4, 0.12),
            "Waste": Effect(2.3, 0.1),
            "Opening force": Effect(11.8, 0.6),
            "Seam visible": Effect(1.4, 0.3, change=-0.1),
        },
        lost={4: "came loose from the bed"},
    )


def _layers(book: LabBook, shop: dict[str, int], rng: np.random.Generator) -> None:
    """Half printed."""
    study = ask(
        book,
        Question(
            name="Thicker layers for the drawer divider",
            question="How many minutes do 0.28 mm layers save on the drawer divider, and does it "
            "still slide into its slot?",
            factor=("slicer setting", "layer height", "0.20 mm", "0.28 mm"),
            numbers=(("Tongue thickness error", "mm", "target", 0.05, 0.01),),
            grades=(("Ridges on the face", 0.5),),
            others=(
                ("Slides into its slot", ResponseKind.YES_NO, ()),
                ("Sheen", ResponseKind.WORD, ("matt", "satin", "glossy")),
            ),
            primary="Print time",
            margins={"Print time": 10.0, "Waste": 0.5},
        ),
    )
    operations.draw_runs(
        book,
        study_id=study,
        repeats=3,
        twins=2,
        seed=77,
        machine_ids=[shop["Marlow"], shop["Tessel"]],
        piece_ids=[shop["Drawer divider"]],
    )
    thicker = replace(DIVIDER_RECIPE, layer_height=0.28)
    give_files(book, study, shop["Drawer divider"], DRAWER_DIVIDER, (DIVIDER_RECIPE, thicker))
    printing = Printing(book, study, rng, spool="PLA slate blue, lot 12", first_day="2026-03-07")
    printing.make(
        {
            "Print time": Effect(88.0, 1.1, change=-21.0),
            "Part mass": Effect(29.5, 0.2, change=0.3),
            "Waste": Effect(1.1, 0.08),
            "Tongue thickness error": Effect(0.03, 0.02, change=0.02),
            "Ridges on the face": Effect(0.6, 0.3, change=0.5),
        },
        runs=7,
        lost={3: "filament ran out or tangled"},
        departures={2: "Door of the room stood open"},
    )
    printing.note(3, EventKind.PAUSED, minutes=52, z_mm=18.2)
    printing.note(4, EventKind.FIRST_LAYER, minutes=4)
    printing.note(4, EventKind.NOISE, minutes=31, z_mm=11.4)


_WALLS: Final = Question(
    name="Two walls or three",
    question="Do three walls make the spectacle case’s hinge last longer?",
    factor=("slicer setting", "number of walls", "2", "3"),
)
