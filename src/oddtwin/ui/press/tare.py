"""What prints are weighed in: chosen once beside the readings, and taken off every mass."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from PySide6.QtWidgets import QComboBox, QWidget

from oddtwin.core.language import tr
from oddtwin.core.quantities import convert, format_number, with_unit
from oddtwin.core.readings import Typed
from oddtwin.core.study import Response
from oddtwin.store import load_containers
from oddtwin.ui.widgets import choose, column_label, row
from oddtwin.ui.workbench import Workbench


class TooLightError(Exception):
    """A reading is less than what its container weighs alone; one sentence."""


class TareChoice(QWidget):
    """The containers of the workshop, or none; hidden where none is known."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._tares: dict[str, float] = {}
        self._box = QComboBox()
        self._box.setObjectName("tare")
        self._box.setAccessibleName(tr("What it is weighed in"))
        line = row(column_label(tr("Weighed in")), self._box)
        line.setContentsMargins(0, 0, 0, 0)
        self.setLayout(line)

    def refresh(self, responses: Sequence[Response]) -> None:
        """Show the containers that there are; the one in hand stays."""
        with self._workbench.book.reading() as connection:
            known = load_containers(connection)
        self._tares = {one.name: one.tare_g for one in known}
        listed = [(f"{one.name}, {_grams(one.tare_g)}", one.name) for one in known]
        choose(self._box, [(tr("nothing"), None), *listed], self._box.currentData())
        # A container that was forgotten is chosen no more: the box falls back to nothing.
        self.setVisible(bool(known) and any(_grams_in(one.unit) for one in responses))

    def off(self, response: Response, values: Sequence[Typed]) -> list[Typed]:
        """Return readings without what their container weighs; others as they are.

        Raises
        ------
        TooLightError
            One is less than the container alone.
        """
        # Also what goes by another name, such as supports: all that is a mass lies in the container.
        times = _grams_in(response.unit)
        name = self._box.currentData()
        if name is None or not times:
            return list(values)
        tare_g = self._tares[name]
        tare = tare_g / times
        if any(one.value < tare for one in values):
            raise TooLightError(
                tr(
                    "The {name} alone weighs {grams}; choose “nothing” where this was weighed without.",
                    name=name,
                    grams=_grams(tare_g),
                )
            )
        return [
            replace(
                one,
                # No more digits than were read: a difference of floats has them by itself.
                value=round(one.value - tare, 6),
                high=None if one.high is None else round(one.high - tare, 6),
            )
            for one in values
        ]


def _grams_in(unit: str) -> float:
    """Return the grams of one of a unit; 0 where it is no mass."""
    try:
        return convert(1.0, unit, "g")
    except ValueError:
        return 0.0


def _grams(grams: float) -> str:
    return with_unit(format_number(grams), "g")
