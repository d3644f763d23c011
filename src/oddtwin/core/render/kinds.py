"""Everything that can be rendered, by its name and with its settings."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import fields
from typing import Any, Final

import numpy as np

from oddtwin.core.language import tr
from oddtwin.core.photo.mat import PAGES
from oddtwin.core.render.faces import (
    Face,
    render_bleed,
    render_corner,
    render_droop,
    render_gaps,
    render_onset,
    render_size,
    render_strings,
)
from oddtwin.core.render.light import Picture
from oddtwin.core.render.sheet import Sheet, render_sheet
from oddtwin.core.render.views import View, render_view
from oddtwin.core.render.walls import Wall, render_wall

Made = tuple[Picture, dict[str, Any]]

WALLS: Final[Mapping[str, dict[str, float]]] = {
    "ringing": {"contrast": 2.0},
    "banding": {"band": 1.0},
    "layers": {"offset_um": 5.0},
    "wall": {},
}
FACES: Final[Mapping[str, tuple[Callable[[Face, np.random.Generator], Made], dict[str, float]]]] = {
    "strings": (render_strings, {"strings": 6}),
    "bleed": (render_bleed, {}),
    "droop": (render_droop, {"width_mm": 24.0}),
    "onset": (render_onset, {"width_mm": 14.0, "droop_mm": 1.0}),
    "radius": (render_corner, {"width_mm": 12.0, "height_mm": 12.0}),
    "size": (render_size, {}),
    "gaps": (render_gaps, {"gaps": 3}),
}
RENDERED: Final = (*WALLS, *FACES, "view", "mat")
MOST_STEPS: Final = 20
LARGEST_PX: Final = 40_000_000


def render(kind: str, seed: int, settings: Mapping[str, str]) -> Made:
    """Render a face whose truth is known.

    Parameters
    ----------
    kind : str
        One of ``RENDERED``.
    seed : int
        Zero or more; the same seed gives the same picture.
    settings : mapping of str to str
        Fields of `Wall` or `Face`, as text.

    Returns
    -------
    (array of shape (height, width, 3), dict)
        The photograph, and what is true of it.

    Raises
    ------
    ValueError
        An unknown name or setting, or a picture that would be too large.
    """
    rng = np.random.default_rng(seed)
    if kind in WALLS:
        wall = Wall(**{**WALLS[kind], **_typed(Wall, settings)})
        _check_size(wall.width_mm, wall.height_mm, wall.px_per_mm)
        return render_wall(wall, rng)
    if kind == "view":
        view = View(**_typed(View, settings))
        _check_size(view.width_px, view.height_px, 1.0)
        return render_view(view, rng)
    if kind == "mat":
        sheet = Sheet(**_typed(Sheet, settings))
        if sheet.page not in PAGES:
            raise ValueError(tr("page: choose one of {PAGES}", PAGES=", ".join(PAGES)))
        _check_size(*PAGES[sheet.page], sheet.px_per_mm)
        return render_sheet(sheet, rng)
    if kind not in FACES:
        raise ValueError(
            tr(
                "“{kind}” cannot be rendered; choose one of {RENDERED}",
                kind=kind, RENDERED=", ".join(RENDERED),
            )
        )  # fmt: skip
    make, usual = FACES[kind]
    face = Face(**{**usual, **_typed(Face, settings)})
    if not 1 <= face.steps <= MOST_STEPS:
        raise ValueError(tr("steps: give 1 to {MOST_STEPS}", MOST_STEPS=MOST_STEPS))
    # An overhang is as many faces wide as it has steps.
    beside = face.steps if kind == "onset" else 1
    _check_size(face.width_mm * beside, face.height_mm, face.px_per_mm)
    return make(face, rng)


def _typed(kind: type, settings: Mapping[str, str]) -> dict[str, Any]:
    known: dict[str, Any] = {field.name: field.default for field in fields(kind)}
    found: dict[str, Any] = {}
    for name, text in settings.items():
        key = name.replace("-", "_")
        if key not in known:
            raise ValueError(
                tr("there is no setting “{name}”; there are {known}", name=name, known=", ".join(known))
            )
        try:
            found[key] = type(known[key])(text)
        except ValueError:
            raise ValueError(tr("{name}: “{text}” is no number", name=name, text=text)) from None
    return found


def _check_size(width_mm: float, height_mm: float, px_per_mm: float) -> None:
    pixels = width_mm * height_mm * px_per_mm**2
    if not (width_mm > 0 and height_mm > 0 and px_per_mm > 0 and pixels <= LARGEST_PX):
        raise ValueError(tr("give a size and a scale above zero, of at most 40 million pixels in all"))
