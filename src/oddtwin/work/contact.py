"""A contact sheet: all prints in one view, as one page without a network."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

from oddtwin.core.photo import Picture
from oddtwin.work.photos import encoded


class Cell(NamedTuple):
    """One photograph of a contact sheet, and what stands below it."""

    label: str
    picture: Picture


def contact_page(title: str, cells: Sequence[Cell]) -> str:
    """Return a contact sheet as HTML, with its pictures inside and nothing of the camera beside them.

    Parameters
    ----------
    title : str
        Above the pictures.
    cells : sequence of Cell
        In the order in which they are shown.
    """
    from jinja2 import Environment, FileSystemLoader, StrictUndefined

    environment = Environment(
        loader=FileSystemLoader(Path(__file__).parent), undefined=StrictUndefined, autoescape=True
    )
    told = [{"label": cell.label, "picture": encoded(cell.picture)} for cell in cells]
    return environment.get_template("contact.html").render(title=title, cells=told)
