"""The map of cells on the Verdict screen, by mouse and key."""

import unittest

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from oddtwin import operations
from oddtwin.core.readings import ResponseKind
from tests.cases import study_in
from tests.ui.window import InWindow

RUINED = "underside"


def one_zone_ruined(do):
    """Two machines, seven pairs on each, one zone of three ruined by the change on one of them."""
    do(operations.add_factor, study_id=1, kind="part", name="hot end", levels=("old", "new"))
    for name in ("Heron", "Tarn"):
        do(operations.add_machine, name=name)
    do(operations.add_piece, name="Ring", zones=["front", "back", RUINED], minutes=60.0)
    do(operations.add_response, study_id=1, name="Blobs", unit="", kind=ResponseKind.GRADE)
    response = next(one for one in do(study_in, study_id=1).responses if one.name == "Blobs")
    do(operations.edit_response, response_id=response.id, name="Blobs", margin=1.0)
    do(operations.draw_runs, study_id=1, repeats=7, twins=0, seed=3, machine_ids=[1, 2], piece_ids=[1])
    study = do(study_in, study_id=1)
    for run in study.runs:
        do(operations.start_run, run_id=run.id, code=run.code)
        do(operations.finish_run, run_id=run.id, code=run.code)
        for spot in study.spots_of(response, run):
            bad = run.arm_id == study.change.id and spot.zone == RUINED
            bad = bad and study.index.places[run.id].machine == "Tarn"
            do(
                operations.enter_readings,
                run_id=run.id,
                response_id=response.id,
                spot=spot,
                values=[4.0 if bad else 0.0],
                title="Blobs",
            )


class Cells(InWindow):
    def setUp(self):
        super().setUp()
        self.new_study("Trial", one_zone_ruined)
        self.stage(6)
        self.settle()

    def shown(self):
        label = self.find("cell-Blobs") if self.is_shown("cell-Blobs") else None
        return label.text().replace("\u202f", " ") if label else ""

    def test_the_sentence_names_where(self):
        said = self.sentence("Blobs")
        self.assertIn("it is not the same everywhere", said)
        self.assertTrue("Tarn" in said or RUINED in said, said)

    def test_a_click_shows_the_figures_and_prints_of_a_cell_and_another_all(self):
        cells = self.find("map-Blobs")
        self.assertIn(RUINED, cells.accessibleDescription())
        self.assertEqual(self.shown(), "")
        # The last column of the second row: the ruined zone on the second machine.
        wide = min(150.0, (cells.width() - 128) / 3)
        spot = QPoint(round(128 + 2.5 * wide), 22 + 58 + 29)
        QTest.mouseClick(cells, Qt.MouseButton.LeftButton, pos=spot)
        self.application.processEvents()
        self.assertIn(f"Tarn, {RUINED}: +4 grade steps", self.shown())
        every = {run.code for run in self.bench.study.runs}
        self.assertEqual(sum(f"{run} " in self.shown() for run in every), 14)
        QTest.mouseClick(cells, Qt.MouseButton.LeftButton, pos=spot)
        self.application.processEvents()
        self.assertEqual(self.shown(), "")

    def test_arrow_keys_go_from_cell_to_cell_and_escape_to_all(self):
        self.find("map-Blobs").setFocus()
        self.keys(Qt.Key.Key_Right)
        self.assertIn("Heron", self.shown())
        self.assertIn("front", self.shown())
        self.keys(Qt.Key.Key_Right)
        self.assertIn("back", self.shown())
        self.keys(Qt.Key.Key_Down)
        self.assertIn("Tarn", self.shown())
        self.assertIn("Tarn", self.find("map-Blobs").accessibleDescription())
        self.keys(Qt.Key.Key_Escape)
        self.assertEqual(self.shown(), "")


if __name__ == "__main__":
    unittest.main()
