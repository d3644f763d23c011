"""Drawings, rendered photographs and specimens as approved by eye: nothing in them moves unnoticed."""

import dataclasses
import json
import unittest
from datetime import datetime, timedelta, timezone
from functools import partial

import numpy as np

from oddtwin.core.decide import Verdict
from oddtwin.core.design import Design, DesignKind
from oddtwin.core.effects import Measure, NoiseFloor, Shape, chances_of, limits_of_agreement
from oddtwin.core.judgement import analyse
from oddtwin.core.outlook import labels_of, sheet_rows
from oddtwin.core.picture import (
    GRIDS,
    LIGHT,
    WORDS,
    Branch,
    CardText,
    CellMap,
    Happening,
    Past,
    Placed,
    Point,
    TrayLine,
    WeighedArm,
    agreement_plot,
    annotated_verdict,
    below,
    design_picture,
    difference_ruler,
    forest,
    history_strip,
    label_sheets,
    layer_chart,
    mat_page,
    overview,
    plate_picture,
    power_curve,
    readings_plot,
    ruler_legend,
    run_sheet,
    study_card,
    timeline,
    to_svg,
    tradeoff_picture,
    tray_pages,
    twin_mark,
    verdict_shares,
    word_picture,
)
from oddtwin.core.readings import Better
from oddtwin.core.render import (
    FAULTS,
    RENDERED,
    PieceFace,
    control_text,
    render,
    render_piece,
    rendered_control,
)
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid
from tests.builders import drawn, judged, pairs, response
from tests.core import test_overall, test_plan_pictures
from tests.core.approved import approved, differs
from tests.core.test_cells import by_zone, on_machines, one
from tests.core.test_sliced_pictures import difference

WIDTH = 760.0
ZONE = timezone(timedelta(hours=1))


def ruled(baseline, change, **asked):
    return judged(pairs(baseline, change, unit="g", response="Mass"), Measure("A", "B", **asked))


CLEAR = ruled(
    [10.0, 10.4, 9.8, 10.1], [7.0, 7.1, 7.2, 6.8], margin=1.0, better=Better.LOWER, noise=NoiseFloor(0.2, 3)
)
TWIN = ruled([10.0, 10.4, 9.8, 10.1], [10.1, 10.3, 9.9, 10.0], margin=1.0, better=Better.HIGHER)
OPEN = ruled([5.0, 9.0], [7.0, 3.0])
RUINED = one(by_zone(lambda zone, pair: 4 * (zone == "underside")))
MOVED = one(on_machines({"Heron": 2.0, "Tarn": 2.5, "Curlew": 3.0}), better=None)
APART = one(on_machines({"Heron": 2.0, "Tarn": -2.0, "Curlew": 0.0}))


def day(number, hour=9):
    return datetime(2026, 3, 1, hour, tzinfo=ZONE) + timedelta(days=number)


def rulers():
    for name, finding in (("clear", CLEAR), ("twin", TWIN), ("open", OPEN)):
        yield f"ruler-{name}", difference_ruler(finding, WIDTH)
        yield f"legend-{name}", ruler_legend(finding, 420.0)
    for name, finding in (("ruined", RUINED), ("apart", APART), ("moved", MOVED)):
        yield f"map-{name}", CellMap(finding).drawing(WIDTH, chosen=1)


def marks():
    for verdict in (*Verdict, None):
        yield f"mark-{verdict.value if verdict else 'none'}", twin_mark(verdict, 40)
    for word in WORDS:
        yield f"word-{word.replace(' ', '-')}", word_picture(word)
    yield "example", annotated_verdict(WIDTH)


def plans():
    for kind, levels in (
        (DesignKind.PAIRS, (2,)),
        (DesignKind.LADDER, (8,)),
        (DesignKind.CHAIN, (2, 2, 2)),
        (DesignKind.FACTORIAL, (3, 2)),
        (DesignKind.FRACTION, (2,) * 7),
        (DesignKind.CROSSOVER, (2, 2)),
        (DesignKind.SPLIT_PLOT, (2, 3)),
    ):
        yield f"design-{kind.name.lower()}", design_picture(Design(kind, levels, fraction_p=4))
    yield "curve", power_curve(chances_of(Shape(pairs=1), 0.6, 1.0, range(1, 13)), 5, "pairs", WIDTH)
    yield "curve-of-one", power_curve(chances_of(Shape(pairs=1), 1.2, 1.0, range(1, 5)), 1, "pairs", WIDTH)
    shares = {Verdict.ODD_BETTER: 0.5, Verdict.TWIN: 0.3, Verdict.UNDECIDED: 0.2}
    yield "shares", verdict_shares(shares, WIDTH)
    value, _, chart = test_plan_pictures.DaysOfPrinting().chart(WIDTH)
    yield "days", chart.drawing(chart.placed[1].key)
    for number, grid in enumerate(GRIDS):
        yield f"labels-{number}", label_sheets(labels_of(value)[:2], grid, first=3)[0]
    (rows,) = sheet_rows(value).values()
    yield "run-sheet", run_sheet("Marlow", "Trial", rows, (210.0, 297.0))
    yield (
        "tray",
        tray_pages("Tray", "by code", [TrayLine("K3F", "left"), TrayLine("N7Y", "right")], "sealed")[0],
    )
    yield "mat", mat_page("a4")


def overviews():
    several = drawn(
        Design(DesignKind.SEVERAL, (4,)),
        levels=("plain", "aligned", "random", "hidden"),
        repeats=4,
        responses=(response(1, "Minutes", unit="min", margin=2.0, better=Better.LOWER),),
    )
    ladder = drawn(
        Design(DesignKind.LADDER, (6,)),
        levels=[f"{40 + 20 * place} mm/s" for place in range(6)],
        repeats=4,
        responses=(response(1, "Roughness", unit="µm", margin=4.0, better=Better.LOWER),),
    )
    steps = {
        "several": (several, (60.0, 60.5, 66.0, 49.0)),
        "ladder": (ladder, (10.0, 10.2, 10.1, 11.5, 15.5, 19.0)),
    }
    for name, (value, values) in steps.items():
        analysis = analyse(test_overall.printed(value, lambda _, arm, values=values: values[arm]))
        pictures = [
            *overview(analysis.overall, analysis.findings),
            *below(analysis.overall, analysis.findings),
        ]
        for number, picture in enumerate(pictures):
            yield f"{name}-{number}", picture.drawing(WIDTH)
    analysis = test_overall.Rulers().analysed(4)
    yield "margins", overview(analysis.overall, analysis.findings)[0].drawing(WIDTH)


def others():
    branches = [Branch("First", -3.0, (-4.0, -2.0)), Branch("Second, on the next machine", -1.0, (-3.5, 1.5))]
    yield "forest", forest(branches, Branch("Together", -2.4, (-3.6, -1.2)), (-5.0, 0.2), "min", WIDTH)
    happened = [
        Happening("study", day(0), day(9), "Dry the spool"),
        Happening("change", day(12), day(12), "hot end: old to new"),
        Happening("calibration", day(14), day(14), "flow ceiling"),
        Happening("study", day(20), day(31), "Seam"),
    ]
    yield "timeline", timeline(happened, WIDTH)
    yield "no-timeline", timeline([], WIDTH)
    arms = [
        WeighedArm("Old", 60.0, 2.0, (58.0, 62.0), (1.8, 2.2), True, False),
        WeighedArm("New", 50.0, 2.6, (47.0, 53.0), None, False, False),
        WeighedArm("Other", 66.0, 3.0, None, (2.5, 3.5), False, True),
    ]
    yield "trade-off", tradeoff_picture(arms, ("Minutes", "Scars"), (1, 1), WIDTH, 420.0)
    yield (
        "path",
        tradeoff_picture(arms, ("Minutes", "Gloss"), (1, -1), WIDTH, 420.0, ("Old", "New", "Other"), "New"),
    )
    on_it = [
        Placed("K3F", 1, "front", True, False),
        Placed("N7Y", 2, "left", False, True),
        Placed("R3Y", 3, "back", False, False),
    ]
    yield "plate", plate_picture(on_it, 220.0, 180.0)
    points = [Point(float(x), x * x / 10, group) for group in ("a", "b") for x in range(5)]
    yield "readings", readings_plot(points, ("Flow, mm³/s", "Short, %"), WIDTH)
    yield (
        "history",
        history_strip([Past("March", 12.0, 11.0, 13.0), Past("May", 14.0, None, None)], "mm³/s", WIDTH),
    )
    layers = [
        difference([1.5, -1.0, 0.0, 2.0], [4.0, 4.0, 4.0, 4.0]),
        difference([0.0, 0.0], name="Mass", unit="g"),
    ]
    yield "layers", layer_chart(layers, WIDTH)
    predicted, measured = (60.0, 62.0, 90.0, 91.0, 120.0, 61.0), (63.0, 65.1, 93.2, 94.0, 123.1, 95.0)
    yield (
        "agreement",
        agreement_plot(predicted, measured, limits_of_agreement(predicted, measured), "min", WIDTH),
    )
    text = CardText(
        "Dry the spool",
        "Does it help?",
        "Settled: adopted",
        "Rests on 8 prints",
        "It weakens this: dust",
        "",
        frozenset({"Blobs"}),
        "2026",
    )
    yield "card", study_card(text, [CLEAR, TWIN, RUINED, OPEN])
    yield "card-void", study_card(dataclasses.replace(text, void="This cannot stand."), [CLEAR])
    yield "card-empty", study_card(text, [])


class Drawings(unittest.TestCase):
    def test_every_drawing_is_as_it_was_approved(self):
        for family in (rulers, marks, plans, overviews, others):
            for name, drawing in family():
                with self.subTest(name):
                    self.assertEqual(differs(f"{name}.svg", to_svg(drawing, LIGHT)), "")


class Renders(unittest.TestCase):
    def test_every_rendered_photograph_is_as_it_was_approved(self):
        # Means and spreads of a coarse grid, to a grey level: other processors may round a pixel otherwise.
        made = {kind: partial(render, kind, 5, {}) for kind in RENDERED}
        face = PieceFace(width_px=330, height_px=220, px_per_mm=9.0, seam=14.0, ringing=2.0, turn_deg=2.0)
        ribs = dataclasses.replace(face, ribs=4, strings=6, lamp_deg=30.0)
        timed = dataclasses.replace(face, scattered=True, speed_mm_s=60.0, accel_mm_s2=900.0)
        for name, own in (("piece", face), ("piece-ribs", ribs), ("piece-timed", timed)):
            made[name] = partial(render_piece, own, np.random.default_rng(5))
        for fault in FAULTS:
            text = control_text(fault, fault.start, 5)
            made[f"fault-{fault.name.replace(' ', '-')}"] = partial(fault_shown, text)
        for kind, make in made.items():
            with self.subTest(kind):
                picture, truth = make()
                told = json.dumps({**coarse(picture), "truth": truth}, default=rounded)
                wanted = json.loads(approved(f"render-{kind}.json", told))
                for name in ("mean", "spread"):
                    np.testing.assert_allclose(json.loads(told)[name], wanted.pop(name), rtol=0, atol=1)
                self.assertEqual(to_nine_digits(json.loads(told)["truth"]), to_nine_digits(wanted["truth"]))


class Specimens(unittest.TestCase):
    def test_every_specimen_is_sliced_as_it_was_approved(self):
        for name, solid, recipe in (
            ("box", Solid(), Recipe()),
            ("ring", Solid(30.0, 30.0, 4.0, round=True, lean_deg=20.0), Recipe(seam="scattered")),
            ("bridge", Solid(span_mm=12.0, height=4.0), Recipe(min_layer_time=8.0)),
            (
                "colours",
                Solid(20.0, 20.0, 4.0, colours=2, copies=2),
                Recipe(purge_volume=90.0, min_purge=40.0),
            ),
        ):
            with self.subTest(name):
                made = slice_solid(solid, recipe)
                told = {
                    field: {key.value: round(length, 4) for key, length in getattr(made, field).items()}
                    for field in ("path_mm", "filament_mm")
                }
                told |= {"travel_mm": round(made.travel_mm, 4), "layers": made.layers}
                told |= {"retractions": made.retractions, "tool_changes": made.tool_changes}
                lines = made.text.splitlines()
                some = "\n".join([*lines[:40], *lines[40 :: max(1, len(lines) // 60)], *lines[-12:]])
                self.assertEqual(differs(f"specimen-{name}.json", json.dumps(told, indent=1)), "")
                self.assertEqual(differs(f"specimen-{name}.gcode", some), "")


def fault_shown(text):
    return rendered_control(text), {"text": text}


def rounded(value):
    return np.round(np.asarray(value, float), 6).tolist()


def to_nine_digits(told):
    return json.loads(json.dumps(told), parse_float=lambda text: f"{float(text):.9g}")


def coarse(picture):
    grey = np.asarray(picture, float).mean(axis=2)
    rows = [np.array_split(band, 10, axis=1) for band in np.array_split(grey, 8)]
    return {
        "mean": [[round(float(cell.mean())) for cell in row] for row in rows],
        "spread": [[round(float(cell.std())) for cell in row] for row in rows],
    }


if __name__ == "__main__":
    unittest.main()
