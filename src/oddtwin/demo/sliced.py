"""The demo's sliced files, made by the project's own path generator."""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Final

from oddtwin import operations, work
from oddtwin.core import predicted
from oddtwin.core.predicted import sliced_arms
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid
from oddtwin.store import LabBook, load_study

LAMP_RING: Final = Solid(width=110, height=25, round=True)
SPECTACLE_CASE: Final = Solid(width=150, depth=62, height=28)
DRAWER_DIVIDER: Final = Solid(width=148, depth=14, height=46)
KEY_TAG: Final = Solid(width=26, depth=14, height=12, colours=2, band_layers=6)

RING_RECIPE: Final = Recipe(
    layer_height=0.25,
    line_width=0.66,
    walls=4,
    outer_wall_speed=30,
    inner_wall_speed=40,
    infill_speed=50,
    nozzle_temperature=240,
    bed_temperature=75,
    fan=40,
)
CASE_RECIPE: Final = Recipe(
    layer_height=0.25, line_width=0.5, outer_wall_speed=23, inner_wall_speed=29, infill_speed=47
)
DIVIDER_RECIPE: Final = Recipe(infill_spacing=5.2, outer_wall_speed=40, inner_wall_speed=58, infill_speed=140)
TAG_RECIPE: Final = Recipe(outer_wall_speed=40, inner_wall_speed=60, min_speed=25, min_layer_time=6)


def give_files(book: LabBook, study_id: int, piece_id: int, solid: Solid, recipes: Sequence[Recipe]) -> None:
    """Slice a piece for every arm of a study, choose its files, and check them.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    study_id, piece_id : int
        A study whose order is drawn, and its piece.
    solid : Solid
        The piece's shape.
    recipes : sequence of Recipe
        One for each arm, the baseline's first.
    """
    with book.reading() as connection:
        study = load_study(connection, study_id)
    arms = sliced_arms(study)
    machines = predicted.plan_machines(study)
    with tempfile.TemporaryDirectory() as folder:
        made: dict[str, work.ChosenFile] = {}
        for arm, recipe in zip(arms, recipes, strict=True):
            text = slice_solid(solid, recipe).text
            piece = study.pieces[piece_id].name.lower().replace(" ", "-")
            path = Path(folder) / f"{piece}-{'-'.join(arm.name.lower().split())}.gcode"
            path.write_text(text, encoding="utf-8")
            if text not in made:
                made[text] = work.keep_file(book, path, machines)
            operations.choose_file(
                book, arm_id=arm.id, piece_id=piece_id, chosen=replace(made[text], name=path.name)
            )
    _check(book, study_id, piece_id)


def _check(book: LabBook, study_id: int, piece_id: int) -> None:
    with book.reading() as connection:
        study = load_study(connection, study_id)
    found = work.check_files(book, study, piece_id)
    if found is not None:
        operations.keep_check(book, study_id=study_id, piece_id=piece_id, result=found.result)
