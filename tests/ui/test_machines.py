"""The machine's story in the window: changes logged as of a date, put back, and make-ups side by side."""

from datetime import timedelta

from oddtwin import operations
from oddtwin.core.quantities import now
from oddtwin.core.study import DecisionKind, make_up, unlike
from oddtwin.core.tradeoff import prices_of
from oddtwin.store import StoreError, load_known, load_machine_changes, load_study
from oddtwin.store.schema import RUN
from tests.ui.test_screens import WithPrints
from tests.ui.window import InWindow


class Story(InWindow):
    def setUp(self):
        super().setUp()
        self.assertTrue(self.bench.create_book(self.folder / "shed", "Shed"))
        for name in ("Marlow", "Tarn"):
            self.bench.do(operations.add_machine, name=name)
        self.click("tabMachines")
        self.settle()

    @property
    def changes(self):
        with self.bench.book.reading() as connection:
            return load_machine_changes(connection)

    def log(self, what, before, after, when=""):
        for name, text in (("logWhat", what), ("logBefore", before), ("logAfter", after), ("logWhen", when)):
            if text:
                self.type_into(name, text)
        self.click("logChange")
        self.settle()

    def test_a_change_is_logged_as_of_the_day_it_was_made(self):
        self.log("hot end", "brass", "hardened", "2025-03-14")
        self.log("idler", "loose", "tight")
        made = make_up(self.changes, 1)
        self.assertEqual({one.what: one.value for one in made}, {"hot end": "hardened", "idler": "tight"})
        before = self.changes[-1].at - timedelta(days=1)
        self.assertEqual(make_up(self.changes, 1, before), ())
        self.assertEqual(f"{self.changes[-1].at:%Y-%m-%d}", "2025-03-14")

    def test_what_is_no_date_or_in_the_future_is_refused_and_nothing_is_lost(self):
        self.log("hot end", "brass", "hardened", "someday")
        self.assertEqual(self.changes, [])
        self.assertIn("is no date", self.texts())
        self.assertEqual(self.find("logWhat").text(), "hot end")
        with self.assertRaisesRegex(StoreError, "in the future"):
            operations.log_machine_change(
                self.bench.book,
                machine_id=1,
                kind="part",
                what="x",
                before="",
                after="",
                at=now() + timedelta(1),
            )
        # Today without a time is today, and not its end.
        self.log("idler", "loose", "tight", f"{now():%Y-%m-%d}")
        self.assertEqual(len(self.changes), 1)

    def test_a_change_is_put_back_by_one_command_and_that_is_logged(self):
        self.log("hot end", "brass", "hardened", "2025-03-14")
        self.click("putBack")
        self.assertIn("Choose a line", self.texts())
        self.find("changes").setCurrentCell(0, 0)
        self.click("putBack")
        self.settle()
        newest = self.changes[0]
        self.assertEqual((newest.before, newest.after), ("hardened", "brass"))
        self.assertIn("put back as of 2025-03-14", newest.note)
        self.assertEqual(make_up(self.changes, 1)[0].value, "brass")
        # What was changed since must go back first.
        self.find("changes").setCurrentCell(1, 0)
        self.click("putBack")
        self.assertIn("changed again since", self.texts())
        self.assertEqual(len(self.changes), 2)

    def test_what_nobody_wrote_down_cannot_be_put_back(self):
        self.log("place", "", "shelf")
        self.find("changes").setCurrentCell(0, 0)
        self.click("putBack")
        self.assertIn("Nobody wrote what place was before", self.texts())

    def test_two_machines_and_two_dates_stand_side_by_side(self):
        self.log("hot end", "brass", "hardened", "2025-03-14")
        table = self.find("makeUpTable")
        self.assertEqual(
            [table.item(0, column).text() for column in range(1, 4)], ["hot end", "hardened", "not logged"]
        )
        second = self.find("makeUpSecond")
        second.setCurrentIndex(0)
        self.settle()
        self.assertIn("Choose another machine", self.find("makeUpTold").text())
        self.type_into("makeUpTo", "2025-01-01")
        self.settle()
        self.assertEqual(table.item(0, 2).text(), "hardened")
        self.type_into("makeUpTo", "nonsense")
        self.settle()
        self.assertIn("is no date", self.texts())

    def test_names_are_compared_without_case_and_alike_is_not_listed(self):
        self.log("Hot end", "brass", "steel")
        made = make_up(self.changes, 1)
        self.assertEqual(unlike(made, made), ())
        self.assertEqual(unlike(made, ())[0].second, "")

    def test_what_a_change_owes_is_ticked_as_it_is_logged_or_later(self):
        self.find("logKind").setCurrentText("part")
        self.type_into("logWhat", "bed glass", enter=False)
        self.assertTrue(self.is_shown("checked-level and mesh"))
        self.assertIn("may end the warranty", self.texts())
        self.click("checked-level and mesh")
        self.type_into("logFitting", "one screw was too short; bought M3 x 12", enter=False)
        self.click("logChange")
        self.settle()
        (change,) = self.changes
        self.assertEqual(change.checked, ("level and mesh",))
        self.assertEqual(change.fitting, "one screw was too short; bought M3 x 12")
        self.assertFalse(self.is_shown("checked-level and mesh"), "nothing is typed, and no line chosen")
        self.find("changes").setCurrentCell(0, 0)
        self.settle()
        self.assertTrue(self.find("checked-level and mesh").isChecked())
        self.click("checked-spring tension the same as before")
        self.settle()
        self.assertEqual(len(self.changes[0].checked), 2)
        self.bench.undo()
        self.settle()
        self.assertEqual(self.changes[0].checked, ("level and mesh",))

    def test_a_profile_is_tuned_in_rounds_and_frozen(self):
        self.find("tuningProfile").setEditText("Fast PETG")
        self.type_into("roundWhat", "retraction 0.8 to 0.6 mm")
        self.settle()
        self.assertEqual(self.focused, "roundWhy")
        self.click("keepRound")
        self.assertIn("Please say why", self.texts())
        self.type_into("roundWhy", "strings less", enter=False)
        self.click("keepRound")
        self.settle()
        self.type_into("roundWhat", "fan 40 to 60 %")
        self.settle()
        self.type_into("roundWhy", "corners lift", enter=False)
        self.click("dropRound")
        self.settle()
        table = self.find("rounds")
        rows = [[table.item(line, column).text() for column in range(1, 5)] for line in range(2)]
        self.assertEqual(rows[0], ["1", "retraction 0.8 to 0.6 mm", "kept", "strings less"])
        self.assertEqual(rows[1], ["2", "fan 40 to 60 %", "thrown away", "corners lift"])
        self.click("freezeProfile")
        self.settle()
        self.assertIn("Frozen since", self.find("tuningTold").text())
        self.assertFalse(self.is_shown("tryRound"))
        self.click("thawProfile")
        self.settle()
        self.assertTrue(self.is_shown("tryRound"))
        self.assertIn("round 1: retraction", self.find("madeOf-1").text())

    def test_what_wears_out_and_firmware_are_logged_and_owe_their_checks(self):
        kinds = self.find("logKind")
        listed = [kinds.itemText(place) for place in range(kinds.count())]
        self.assertIn("consumable", listed)
        self.assertNotIn("machine", listed, "a machine is no change of itself")
        self.type_into("logWhat", "new version", enter=False)
        kinds.setCurrentText("firmware")
        self.assertTrue(self.is_shown("checked-settings kept through the update"))
        kinds.setCurrentText("consumable")
        self.type_into("logWhat", "nozzle", enter=False)
        self.type_into("logMass", "-38", enter=False)
        self.type_into("logAxis", "x", enter=False)
        self.settle()
        self.assertTrue(self.is_shown("checked-Z offset"))
        self.assertTrue(self.is_shown("checked-acceleration limits"))
        self.click("logChange")
        self.settle()
        (change,) = self.changes
        self.assertEqual((change.kind, change.mass_g, change.axis), ("consumable", -38.0, "x"))
        table = self.find("changes")
        cells = [table.item(0, column).text() for column in range(table.columnCount())]
        self.assertTrue(any("g x" in cell for cell in cells), cells)
        self.assertIn("8 of 8", cells)


class Renaming(WithPrints):
    """Another name for what prints were made with; what was settled is still of the same thing."""

    def setUp(self):
        super().setUp()
        do = self.bench.do
        do(operations.add_spool, name="Chalk")
        do(operations.edit_spool, spool_id=1, name="Chalk", price_per_kg=20.0)
        do(operations.edit_machine, machine_id=1, name="Marlow", cost_per_h=0.9)
        do(operations.settle, study_id=1, kind=DecisionKind.KEEP, reason="no gain")
        self.click("home")

    def test_a_machine_is_renamed_everywhere_that_it_is_called_by_its_name(self):
        self.click("tabMachines")
        self.type_into("machineName-1", "Marlow the second")
        self.settle()
        study = self.whole(1)
        self.assertEqual(study.machines[1].name, "Marlow the second")
        self.assertEqual(dict(prices_of(study).machine_per_h), {"Marlow the second": 0.9})
        with self.bench.book.reading() as connection:
            machines = {one.effect.machine for one in load_known(connection)}
        self.assertEqual(machines, {"Marlow the second"})
        self.undo()
        self.assertEqual(self.whole(1).machines[1].name, "Marlow")

    def test_a_spool_keeps_its_prints_its_plans_and_its_price_of_the_day(self):
        run = self.whole(1).runs[0]
        self.bench.book.edit("spool", lambda edit: edit.update(RUN, run.id, spool="Chalk"))
        self.click("tabWorkshop")
        self.type_into("spoolName-1", "Chalk, lot 4")
        self.settle()
        study = self.whole(1)
        self.assertEqual(study.runs[0].spool, "Chalk, lot 4")
        self.assertEqual(dict(prices_of(study).per_kg), {"Chalk, lot 4": 20.0})

    def test_a_piece_is_renamed_and_a_name_that_is_taken_or_empty_is_refused(self):
        self.bench.do(operations.add_piece, name="Tray")
        self.click("tabPieces")
        self.settle()
        self.type_into("pieceName-1", "Tray")
        self.assertIn("There is a piece called “Tray” already.", self.texts())
        self.type_into("pieceName-1", "  ")
        self.assertIn("Please type a name for the piece first.", self.texts())
        self.type_into("pieceName-1", "Hook")
        self.assertEqual(self.whole(1).pieces[1].name, "Hook")

    def whole(self, study_id):
        with self.bench.book.reading() as connection:
            return load_study(connection, study_id)
