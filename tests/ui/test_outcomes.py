"""Asked and told in the window: failures, guards, percent, limits, prints made bad, and whole studies."""

import unittest

from PySide6.QtWidgets import QMenu

from oddtwin import operations
from oddtwin.core.judgement import study_threats
from oddtwin.core.readings import ResponseKind
from oddtwin.core.standing import missing_readings
from oddtwin.core.study import ArmRole, Role
from tests.ui.test_screens import WithPlan
from tests.ui.window import InWindow


class Asked(WithPlan):
    def choose(self, response: str, caption: str):
        """Open the menu of a response and take what is called so."""
        self.stage(1)
        self.click(f"more-{response}")
        menu = next(
            item
            for item in self.window.findChildren(QMenu)
            if item.objectName() == f"menu-{response}" and item.isVisible()
        )
        action = next(item for item in menu.actions() if item.text() == caption)
        action.trigger()
        menu.close()
        self.settle()

    def named(self, name: str):
        return next(one for one in self.bench.study.responses if one.name == name)

    def test_a_response_that_must_only_not_get_worse(self):
        self.choose("Print time", "Only must not get worse")
        self.assertTrue(self.named("Print time").guard)
        self.choose("Print time", "Only must not get worse")
        self.assertFalse(self.named("Print time").guard)

    def test_a_response_that_only_goes_along(self):
        self.stage(1)
        self.bench.do(
            operations.add_response,
            study_id=self.bench.study.id,
            name="Room",
            unit="°C",
            kind=ResponseKind.DEVIATION,
        )
        self.settle()
        self.choose("Room", "Goes along: read, not judged")
        self.assertIs(self.named("Room").role, Role.COVARIATE)
        self.assertFalse(self.find("margin-Room").isEnabled())
        self.assertFalse(self.find("decides-Room").isEnabled())
        # It is asked for at the machine, and has no threat of a missing margin.
        run = self.bench.study.runs[0] if self.bench.study.runs else None
        if run is not None:
            self.assertIn("Room", missing_readings(self.bench.study)[run.id])
        told = [threat for threat in study_threats(self.bench.study) if "Room" in threat.responses]
        self.assertEqual(told, [])
        self.undo()
        self.assertIsNone(self.named("Room").role)

    def test_what_decides_or_is_no_figure_is_judged(self):
        deciding = next(one for one in self.bench.study.responses if one.primary)
        self.bench.do(operations.edit_response, response_id=deciding.id, name=deciding.name, covariate=True)
        self.assertIn("decides, so it is judged", self.message)
        self.assertIsNot(self.named(deciding.name).role, Role.COVARIATE)

    def test_a_margin_in_percent_is_typed_anew(self):
        self.stage(1)
        self.type_into("margin-Print time", "3")
        self.choose("Print time", "Margin in percent")
        self.assertIsNone(self.named("Print time").margin, "three minutes are no three percent")
        self.type_into("margin-Print time", "5 %")
        self.settle()
        self.assertEqual((self.named("Print time").margin, self.named("Print time").percent), (5.0, True))
        self.undo()
        self.undo()
        self.settle()
        self.assertEqual((self.named("Print time").margin, self.named("Print time").percent), (3.0, False))

    def test_a_control_made_bad_on_purpose(self):
        self.stage(1)
        self.type_into("controlName", "no cooling at all")
        self.settle()
        self.find("controlSide").setCurrentIndex(2)
        self.settle()
        self.assertIs(self.bench.study.control.role, ArmRole.POSITIVE)
        self.find("controlSide").setCurrentIndex(0)
        self.settle()
        self.assertIs(self.bench.study.control.role, ArmRole.CONTROL)

    def test_a_print_that_failed_by_the_change_counts(self):
        self.stage(4)
        self.enter(2)
        self.settle()
        self.find("reason").setEditText("extruder skipped")
        self.click("failedByChange")
        self.settle()
        (failed,) = [run for run in self.bench.study.runs if run.failed]
        self.assertEqual((failed.failed, failed.set_aside), ("extruder skipped", ""))
        self.assertIn("Failed by the change: extruder skipped", self.texts())
        self.click("notFailed")
        self.settle()
        self.assertFalse(any(run.failed for run in self.bench.study.runs))
        self.undo()
        self.settle()
        self.assertTrue(any(run.failed for run in self.bench.study.runs))


class Imported(InWindow):
    """Tables of several arms become studies with their pictures."""

    def bring(self, name: str, rows: list[str]):
        self.new_book()
        self.click("importFile")
        path = self.folder / name
        path.write_text("\n".join(rows), encoding="utf-8")
        self.type_into("importPath", str(path))
        self.settle()
        self.click("importGo")
        self.settle()

    def ladder(self):
        rows = ["arm,value,response,unit,level,pair"]
        for pair in range(4):
            for place, level in enumerate((40, 60, 80, 100)):
                value = (10.0, 10.2, 10.1, 16.0)[place] + 0.2 * ((pair * 3 + place) % 4)
                rows.append(f"a{level},{value},Roughness,µm,{level} mm/s,{pair}")
        return rows

    def test_a_ladder_has_its_curve_and_its_limit(self):
        self.bring("ladder.csv", self.ladder())
        self.stage(1)
        self.type_into("margin-Roughness", "3")
        self.find("better-Roughness").setCurrentIndex(self.find("better-Roughness").findData("lower"))
        self.settle()
        self.stage(6)
        self.assertIn("It rises along the levels", self.texts())
        self.assertIn("As seen, the edge lies between 80 mm/s and 100 mm/s", self.texts())
        self.assertTrue(self.is_shown("picture-Roughness along level"))
        self.stage(2)
        self.type_into("ladderLimit", "20")
        self.settle()
        self.assertEqual(self.bench.study.responses[0].accept, 20.0)
        self.assertIn("everything up to 100 mm/s holds", self.find("ladderAdvice").text())

    def test_several_arms_have_a_scorecard(self):
        rows = ["arm,value,response,unit,pair"]
        for pair in range(4):
            for arm, value in (("plain", 10.0), ("felt", 8.0), ("cork", 6.0)):
                rows.append(f"{arm},{value + 0.1 * ((pair * 2 + len(arm)) % 3)},Noise,dB,{pair}")
        self.bring("arms.csv", rows)
        self.stage(1)
        self.find("better-Noise").setCurrentIndex(self.find("better-Noise").findData("lower"))
        self.settle()
        self.stage(6)
        self.assertTrue(self.is_shown("picture-All arms against the baseline"))
        self.assertIn("Noise: cork is the best", self.texts())

    def test_failures_of_a_table_are_compared(self):
        rows = ["arm,value,response,unit,pair,run,failed"]
        for pair in range(6):
            rows += [f"A,1{pair}.5,Mass,g,{pair},a{pair},", f"B,,Mass,g,{pair},b{pair},broke"]
        self.bring("failed.csv", rows)
        self.assertEqual(sum(bool(run.failed) for run in self.bench.study.runs), 6)
        self.stage(6)
        self.click("fold-Prints that failed")
        self.assertIn("yes in 6 of 6", self.texts())


if __name__ == "__main__":
    unittest.main()
