"""Readings held against those of other prints, their nominal, and what the sliced file lays."""

from dataclasses import replace

from oddtwin import operations
from oddtwin.core.readings import Bound, Typed
from oddtwin.core.study import slip_words
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid
from oddtwin.work.sliced_files import keep_file
from tests.cases import InBook


class Slips(InBook):
    def setUp(self):
        super().setUp()
        self.planned(pairs=1, twins=0)
        study = self.study()
        path = self.folder / "ring.gcode"
        path.write_text(slice_solid(Solid(height=4), Recipe()).text)
        for arm in study.arms:
            chosen = keep_file(self.book, path, [study.machines[1]])
            operations.choose_file(self.book, arm_id=arm.id, piece_id=1, chosen=chosen)
        self.print_all()

    def said(self, value, response="Part mass", study=None, **typed):
        study = study or self.study()
        asked = next(one for one in study.responses if one.name == response)
        return slip_words(study, asked, study.runs[0], [Typed(value, **typed)], None)

    def with_mass(self, grams):
        """The study with a file that says what it lays."""
        study = self.study()
        return replace(
            study, files=tuple(replace(one, mass_g=grams, waste_known=False) for one in study.files)
        )

    def test_a_part_cannot_weigh_much_more_than_its_file_lays(self):
        study = self.with_mass(10.0)
        self.assertIn("more than 5 % over what its sliced file lays (10", self.said(10.6, study=study))
        self.assertEqual(self.said(10.4, study=study), "")

    def test_waste_is_not_of_the_part(self):
        study = self.with_mass(10.0)
        lays = tuple(
            replace(one, filament_mm=1000.0, waste_mm=200.0, waste_known=True) for one in study.files
        )
        self.assertIn("lays (8", self.said(8.5, study=replace(study, files=lays)))

    def test_a_file_that_says_no_mass_is_no_reason_to_ask(self):
        self.assertEqual(self.said(110.0, study=self.with_mass(0.0)), "")

    def test_other_prints_are_the_measure_and_a_bound_is_none(self):
        asked = next(one for one in self.study().responses if one.name == "Part mass")
        operations.enter_readings(
            self.book, run_id=self.study().runs[1].id, response_id=asked.id, values=[20.0], title="x"
        )
        study = self.with_mass(0.0)
        for value, odd in ((21.0, False), (100.0, False), (200.0, True), (2.0, True), (0.0, False)):
            self.assertEqual(bool(self.said(value, study=study)), odd, value)
        self.assertEqual(self.said(200.0, study=study, bound=Bound.ABOVE), "")
