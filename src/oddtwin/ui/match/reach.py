"""What each file reaches: speed, acceleration, flow, layer times, overhang and bridge."""

from __future__ import annotations

from typing import TYPE_CHECKING

from oddtwin.core.job import Job
from oddtwin.core.language import tr
from oddtwin.core.quantities import capitalized, format_number, format_reading
from oddtwin.ui.match.shelf import Shelf
from oddtwin.ui.widgets import (
    Card,
    QuantityField,
    column_label,
    fill_table,
    heading,
    label,
    plain_table,
    row,
    short,
)
from oddtwin.ui.workbench import Workbench

if TYPE_CHECKING:
    from oddtwin.core.toolpath.match import MatchFile
    from oddtwin.core.toolpath.sliced import Reach, Shape, Sliced


class ReachCard(Card):
    """One column for each file; a flow may be typed to see how much is printed above it."""

    def __init__(self, workbench: Workbench, shelf: Shelf) -> None:
        super().__init__()
        self._workbench = workbench
        self._shelf = shelf
        self._files: list[MatchFile] = []
        self._flow = QuantityField("reachFlow", "", tr("none"), 110)
        self._flow.quantity_committed.connect(lambda _: self._figure())
        self._table = plain_table("reachTable", (tr("Figure"),))
        self.add(
            heading(tr("What the piece reaches")),
            label(
                tr("Of the moves that lay filament. Overhang and bridge are estimated from the layers."),
                "quiet",
            ),
            row(column_label(tr("Count what is above a flow of, mm³/s")), self._flow, None),
            self._table,
        )

    def show_files(self, files: list[MatchFile]) -> None:
        """Show files that are read."""
        self._files = files
        self._figure()

    def _figure(self) -> None:
        files = self._files
        try:
            flow = self._flow.value(0.0)
        except ValueError as error:
            self._flow.show_error(f"{capitalized(str(error))}.")
            return

        def work(job: Job) -> list[tuple[Sliced, Reach, Shape]]:
            from oddtwin.core.toolpath.sliced import reach, shape_of

            return [
                (file.sliced, reach(file.sliced, flow or None), shape_of(file.sliced, job)) for file in files
            ]

        def done(found: list[tuple[Sliced, Reach, Shape]]) -> None:
            if files is self._files:
                self._show(files, found, flow)

        if files:
            self._workbench.figure(self, work, done)

    def _show(self, files: list[MatchFile], found: list[tuple[Sliced, Reach, Shape]], flow: float) -> None:
        self._table.setColumnCount(len(files) + 1)
        self._table.setHorizontalHeaderLabels([tr("Figure"), *(short(file.name, 24) for file in files)])
        columns = [_figures(*item, flow) for item in found]
        rows = [(name, *(column[name] for column in columns)) for name in columns[0]] if columns else []
        fill_table(self._table, rows, fit_height=True)


def _figures(sliced: Sliced, reached: Reach, shape: Shape, flow: float) -> dict[str, str]:
    seconds = sliced.layer_s
    found = {
        tr("Time at the speed asked for"): f"{100 * reached.time_at_speed:.0f} %",
        tr("Length at the speed asked for"): f"{100 * reached.length_at_speed:.0f} %",
        tr("Time at the acceleration limit"): f"{100 * reached.time_accelerating:.0f} %",
        tr("Length that never gets to its speed"): f"{100 * reached.length_never_at_speed:.0f} %",
        tr("Greatest flow"): tr(
            "{max_flow_mm3_s} mm³/s", max_flow_mm3_s=format_number(sliced.max_flow_mm3_s, 1)
        ),
        tr("Shortest layer"): f"{format_number(float(seconds.min()), 1)} s",
        tr("Steepest overhang"): (
            tr(
                "{overhang_deg:.0f}° from the vertical, at {overhang_z} mm",
                overhang_deg=shape.overhang_deg,
                overhang_z=format_number(shape.overhang_z, 1),
            )
            if shape.overhang_deg >= 1
            else tr("none")
        ),
        tr("Longest bridge"): tr(
            "{bridge_mm} mm, at {bridge_z} mm",
            bridge_mm=format_number(shape.bridge_mm, 1),
            bridge_z=format_number(shape.bridge_z, 1),
        )
        if shape.bridge_mm
        else tr("none"),
        tr("Retractions, wipes"): f"{sliced.retractions}, {sliced.wipes}",
    }
    if flow and reached.time_above_flow is not None:
        found[tr("Time above {flow} mm³/s", flow=format_reading(flow))] = (
            f"{100 * reached.time_above_flow:.0f} %"
        )
    return found
