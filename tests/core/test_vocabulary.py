"""Comments in the common spellings (common practice, no source)."""

import unittest

from oddtwin.core.toolpath.gcode import FEATURES, Feature, read_gcode
from oddtwin.core.toolpath.gcode.features import FEATURE_OF, SPELLINGS, tight
from oddtwin.core.toolpath.gcode.vocabulary import read_comment
from oddtwin.core.toolpath.sliced import analyse

SEEN = {
    Feature.OUTER_WALL: (
        "TYPE:WALL-OUTER",
        "TYPE:External perimeter",
        " FEATURE: Outer wall",
        " feature outer perimeter",
    ),
    Feature.INNER_WALL: ("TYPE:WALL-INNER", "TYPE:Perimeter", " FEATURE: Inner wall", " inner perimeter"),
    Feature.OVERHANG_WALL: ("TYPE:Overhang perimeter", " FEATURE: Overhang wall"),
    Feature.BRIDGE: ("TYPE:Bridge infill", " FEATURE: Bridge", "TYPE:Internal bridge infill"),
    Feature.INFILL: ("TYPE:FILL", "TYPE:Internal infill", " FEATURE: Sparse infill", " infill"),
    Feature.SOLID_INFILL: (
        "TYPE:SKIN",
        "TYPE:Solid infill",
        " FEATURE: Internal solid infill",
        " feature solid layer",
    ),
    Feature.TOP_SURFACE: ("TYPE:Top solid infill", " FEATURE: Top surface"),
    Feature.BOTTOM_SURFACE: (" FEATURE: Bottom surface", "TYPE:bottom solid infill"),
    Feature.IRONING: ("TYPE:Ironing",),
    Feature.GAP_FILL: ("TYPE:Gap fill", " FEATURE: Gap infill", "TYPE:Thin wall"),
    Feature.SUPPORT: ("TYPE:SUPPORT", "TYPE:Support material", " FEATURE: Support transition"),
    Feature.SUPPORT_INTERFACE: ("TYPE:SUPPORT-INTERFACE", "TYPE:Support material interface"),
    Feature.SKIRT: ("TYPE:SKIRT", "TYPE:Skirt/Brim"),
    Feature.BRIM: (" FEATURE: Brim",),
    Feature.TOWER: ("TYPE:PRIME-TOWER", "TYPE:Wipe tower", " FEATURE: Prime tower"),
    Feature.PURGE: (" FEATURE: Flush", " feature ooze shield"),
    Feature.OTHER: ("TYPE:Custom", " FEATURE: Undefined"),
}


class Features(unittest.TestCase):
    def test_every_spelling_is_understood(self):
        for feature, comments in SEEN.items():
            for comment in comments:
                self.assertIs(read_comment(comment).feature, feature, comment)

    def test_the_table_names_each_spelling_once_and_in_its_plain_form(self):
        spellings = [spelling for group in SPELLINGS.values() for spelling in group]
        self.assertEqual(len(spellings), len(set(spellings)))
        self.assertEqual(spellings, [tight(spelling) for spelling in spellings])
        self.assertEqual(set(FEATURE_OF.values()) | {Feature.UNNAMED}, set(FEATURES))

    def test_an_unknown_feature_is_other_and_noted(self):
        path = read_gcode([b"M83\n;TYPE:Lattice\nG1 X9 E1\n;TYPE:Lattice\nG1 X1 E1\n"])
        self.assertEqual(FEATURES[path.states[path.state[0]].feature], Feature.OTHER)
        self.assertIn("“lattice” (17\u202fmm)", analyse(path).notes[0])


class Layers(unittest.TestCase):
    def test_marks_of_a_layer(self):
        for comment in (
            "LAYER:0",
            "LAYER_CHANGE",
            " CHANGE_LAYER",
            " layer 3, Z = 0.8",
            " layer #4",
            "BEGIN_LAYER",
            " layer num/total_layer_count: 1/50",
            "Layer 7",
        ):
            self.assertTrue(read_comment(comment).layer, comment)

    def test_what_only_looks_like_one(self):
        for comment in (
            "BEFORE_LAYER_CHANGE",
            "AFTER_LAYER_CHANGE",
            "Z:0.4",
            "HEIGHT:0.2",
            "WIDTH:0.45",
            "TIME_ELAPSED:12",
        ):
            self.assertIsNone(read_comment(comment), comment)
        self.assertEqual(read_comment("LAYER_COUNT:50").remark, ("LAYER_COUNT", "50"))
        self.assertEqual(read_comment(" layer_height = 0.2").setting, ("layer_height", "0.2"))
        self.assertEqual(read_comment("Layer height: 0.2").remark, ("Layer height", "0.2"))

    def test_marks_before_and_after_do_not_double_the_layers(self):
        one = ";BEFORE_LAYER_CHANGE\n;{z}\nG1 Z{z}\n;LAYER_CHANGE\n;AFTER_LAYER_CHANGE\nG1 X9 E1\nG1 X0 E1\n"
        text = "M83\n" + "".join(one.format(z=round(0.2 * k, 2)) for k in range(1, 6))
        self.assertEqual(read_gcode([text.encode()]).layers, 5)


class Others(unittest.TestCase):
    def test_objects_begin_and_end(self):
        text = (
            "M83\n; printing object clip id:0 copy 0\nG1 X1 E1\n"
            "; stop printing object clip id:0 copy 0\nG1 X2 E1\n"
            ";MESH:lid.stl\nG1 X3 E1\n;MESH:NONMESH\nG1 X4 E1\n"
        )
        path = read_gcode([text.encode()])
        names = [
            path.objects[place] if (place := path.states[state].object) >= 0 else "" for state in path.state
        ]
        self.assertEqual(names, ["clip id:0 copy 0", "", "lid.stl", ""])

    def test_settings_with_an_equals_sign_count_before_remarks(self):
        text = "; LINE_WIDTH: 0.42\nM83\nG1 X9 E1\n; LINE_WIDTH: 0.5\n; line_width = 0.45\n;Flavour: plain\n"
        self.assertEqual(
            dict(read_gcode([text.encode()]).settings), {"Flavour": "plain", "line_width": "0.45"}
        )

    def test_comments_without_a_meaning(self):
        for comment in ("", " ", "!", "end of start code", "M104 S200", "x" * 5000, "1 = 2"):
            self.assertIsNone(read_comment(comment), comment)

    def test_a_file_that_names_more_layers_than_it_has_is_noted(self):
        path = read_gcode([b"; total layer number: 50\nM83\nG1 Z.2\nG1 X9 E1\nG1 Z.4\nG1 X1 E1\n"])
        self.assertIn("says that it has 50 layers, but holds 2", path.doubts[0])
        whole = read_gcode([b"; total layer number: 2\nM83\nG1 Z.2\nG1 X9 E1\nG1 Z.4\nG1 X1 E1\n"])
        self.assertEqual(whole.doubts, ())
