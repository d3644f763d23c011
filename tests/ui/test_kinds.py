"""Every kind of response from the field that adds it to the keys that answer it at the machine."""

import unittest

from PySide6.QtCore import Qt

from oddtwin import operations
from oddtwin.core.readings import ResponseKind, Spot
from tests.ui.test_screens import WithPlan


class Kinds(WithPlan):
    def add(self, name: str, kind: ResponseKind, unit: str = ""):
        """Under Ask, as a user does."""
        self.stage(1)
        box = self.find("newResponseKind")
        box.setCurrentIndex(box.findData(kind))
        if unit:
            self.type_into("newResponseUnit", unit, enter=False)
        self.type_into("newResponseName", name, enter=False)
        self.click("addResponse")
        self.settle()

    def at_the_machine(self):
        self.stage(4)
        self.enter(2)
        self.settle()

    def read(self, name: str) -> list:
        study = self.bench.study
        response = next(item for item in study.responses if item.name == name)
        return [item for item in study.readings if item.response_id == response.id]

    def focus(self, name: str):
        self.find(name).setFocus()

    def test_yes_or_no_is_one_key(self):
        self.add("Clip holds", ResponseKind.YES_NO)
        self.add("Lid sits", ResponseKind.YES_NO)
        self.at_the_machine()
        self.focus("reading-Clip holds")
        self.press("y")
        self.assertEqual(self.focused, "reading-Lid sits")
        self.press("n")
        self.assertEqual([item.value for item in self.read("Clip holds")], [1.0])
        self.assertEqual([item.value for item in self.read("Lid sits")], [0.0])
        self.assertEqual(self.find("reading-Lid sits").text(), "no")

    def test_how_many_of_how_many(self):
        self.add("Clip holds", ResponseKind.YES_NO)
        self.at_the_machine()
        self.type_into("reading-Clip holds", "5 of 7")
        self.assertEqual([(item.value, item.out_of) for item in self.read("Clip holds")], [(5.0, 7)])
        self.type_into("reading-Clip holds", "8 of 7")
        self.assertEqual(len(self.read("Clip holds")), 1, "what cannot be is not taken")
        self.assertEqual(self.focused, "reading-Clip holds")

    def test_a_count_is_whole(self):
        self.add("Blobs", ResponseKind.COUNT)
        self.at_the_machine()
        self.type_into("reading-Blobs", "2.5")
        self.assertEqual(self.read("Blobs"), [])
        self.find("reading-Blobs").selectAll()
        self.type_into("reading-Blobs", "3")
        self.assertEqual([item.value for item in self.read("Blobs")], [3.0])

    def test_a_word_is_chosen_by_its_number(self):
        self.add("How it came off", ResponseKind.WORD, "by hand, pried, torn")
        self.stage(1)
        self.assertFalse(self.find("margin-How it came off").isEnabled(), "words have no margin")
        self.at_the_machine()
        self.focus("reading-How it came off")
        self.press("2")
        self.assertEqual([item.word for item in self.read("How it came off")], ["pried"])

    def test_more_than_the_scale_holds(self):
        self.add("Pull", ResponseKind.QUANTITY, "N")
        self.at_the_machine()
        for typed, shown in ((">40", ">40"), ("40..60", "40..60")):
            self.type_into("reading-Pull", typed)
            self.assertEqual(self.find("reading-Pull").text(), shown)
            self.assertEqual(len(self.read("Pull")), 1)

    def test_a_size_has_a_field_for_each_nominal(self):
        self.bench.do(
            operations.edit_piece,
            piece_id=1,
            name="Ring",
            sizes=[{"name": "bore", "mm": 8.0}, {"name": "rim", "mm": 20.0}],
        )
        self.add("Sizes", ResponseKind.SIZE, "mm")
        self.at_the_machine()
        self.assertIn("bore (8)", self.texts())
        self.type_into("reading-Sizes-bore", "8.1")
        self.type_into("reading-Sizes-rim", "19.9")
        self.assertEqual(
            {item.spot: item.value for item in self.read("Sizes")},
            {Spot("bore", nominal=8.0): 8.1, Spot("rim", nominal=20.0): 19.9},
        )

    def test_waste_is_one_heap_or_its_kinds(self):
        self.at_the_machine()
        self.type_into("reading-Waste", "3")
        self.settle()
        named = {item.spot.name for item in self.read("Waste")}
        self.assertEqual(named, {""})
        kind = next(
            item
            for item in self.window.findChildren(type(self.find("reading-Waste")))
            if item.isVisible() and item.objectName().startswith("reading-Waste-")
        )
        self.assertFalse(kind.isEnabled(), "it would count twice")


class Plates(WithPlan):
    def test_minutes_of_a_plate_are_typed_once(self):
        # The fields were there for prints that have a plate for themselves.
        self.stage(4)
        self.assertNotIn("of the whole plate", self.texts())
        self.stage(2)
        self.find("copies").setValue(2)
        self.click("draw")
        self.settle()
        runs = self.bench.study.runs
        plates = {run.plate.id for run in runs}
        self.assertEqual(len(plates) * 2, len(runs))
        self.stage(4)
        self.enter(2)
        self.settle()
        self.assertIn("of the whole plate", self.texts())
        self.type_into("reading-Print time", "118")
        readings = self.bench.study.readings
        self.assertEqual([item.value for item in readings], [118.0])
        first = next(run for run in runs if run.id == readings[0].run_id)
        started = [run for run in self.bench.study.runs if run.plate.id == first.plate.id]
        self.assertTrue(all(run.finished for run in started), "one start and one finish for a plate")
        listed = self.find("runList")
        other = next(run for run in started if run.id != first.id)
        listed.setCurrentRow([run.id for run in self.bench.study.runs].index(other.id))
        self.settle()
        self.assertEqual(self.find("runCode").text(), other.code)
        self.assertEqual(self.find("reading-Print time").text(), "118")
        self.undo()
        self.settle()
        self.assertEqual(self.bench.study.readings, ())
        self.keys(Qt.Key.Key_Escape)


if __name__ == "__main__":
    unittest.main()
