"""Figures as they were when they were approved: what a report said once, a later program says again.

Each engine is held against published figures elsewhere; here nothing that follows from the same prints,
files, photographs and answers moves unnoticed. Where a figure is to change, the changes say so, and
``APPROVE=1 python -m unittest tests.core.test_figures_stay`` writes what comes out now.
"""

import dataclasses
import json
import random
import unittest
import zlib
from functools import partial

import numpy as np

from oddtwin.core.calibrate import JOBS, calibration, drawn_points, read_rows, result_json
from oddtwin.core.customs import CARDS
from oddtwin.core.design import Design, DesignKind, DriftGuard, LadderRule
from oddtwin.core.effects import Measure, NoiseFloor, Shape, chances_of
from oddtwin.core.judge import JudgeDesign, judge_session, read_key, read_votes
from oddtwin.core.judgement import analyse, since_before, table_json
from oddtwin.core.known import random_effects
from oddtwin.core.outlook import Aim, budget_of, power_of_plan
from oddtwin.core.photo import (
    PAGES,
    Asked,
    Region,
    StepRegion,
    What,
    as_json,
    ciede2000,
    lab_of,
    measure,
)
from oddtwin.core.photo.waves import Motion
from oddtwin.core.readings import Better, ResponseKind
from oddtwin.core.rehearsal import Assumed, Conditions, rehearse_study
from oddtwin.core.render import (
    FAULTS,
    RENDERED,
    Face,
    PieceFace,
    Wall,
    control_text,
    render,
    rendered_control,
)
from oddtwin.core.study import Machine, Piece
from oddtwin.core.toolpath.gcode import read_gcode
from oddtwin.core.toolpath.match import TRAITS, MatchFile, match_files, parse_declared
from oddtwin.core.toolpath.match import as_json as match_json
from oddtwin.core.toolpath.motion import Limits
from oddtwin.core.toolpath.purge import PurgeLimits, purge_ledger
from oddtwin.core.toolpath.sliced import analyse as analyse_file
from oddtwin.core.toolpath.sliced import layer_figures, reach, summary
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid
from oddtwin.core.tradeoff import (
    at_size,
    ladder_path,
    path_words,
    print_costs,
    sentences,
    weigh,
    weighed_json,
)
from tests.builders import drawn, groups, judged, pairs, response
from tests.core.stays import Stays, tried
from tests.core.test_overall import printed
from tests.core.test_tradeoff import PRICES
from tests.core.test_tradeoff import printed as prints_of


def quantities():
    """Responses of every kind that a number or a word is read for."""
    held = {"kind": ResponseKind.YES_NO, "margin": 0.2, "better": Better.HIGHER, "primary": False}
    return (
        response(1, "Minutes", unit="min", margin=2.0, better=Better.LOWER),
        response(2, "Width", unit="mm", margin=0.5, better=Better.TARGET, target=10.2, primary=False),
        response(3, "Sag", unit="g", margin=20.0, percent=True, primary=False),
        response(4, "Strings", unit="", kind=ResponseKind.GRADE, margin=0.5, primary=False),
        response(5, "Blobs", unit="", kind=ResponseKind.COUNT, margin=1.0, primary=False),
        response(6, "Held", unit="", **held),
    )


def effect(one, arm):
    """What an arm reads; the second is better, the third worse, and further ones between."""
    step = (0.0, -3.0, 2.0, -1.0, 0.5, 4.0, -2.0, 1.0)[arm % 8]
    return {1: 30 + step, 2: 10 + step / 8, 3: 10 * 1.1**step, 4: 2 + (step > 0) - (step < -2)}.get(one, 0.0)


def read(value, seed=7):
    """Print every run of a study; counts and yes or no by their own chances."""
    value = printed(value, effect, scatter=0.4, seed=seed)
    rng = np.random.default_rng(seed)
    number = {arm.id: place for place, arm in enumerate(value.arms)}
    of_run = {run.id: number[run.arm_id] for run in value.runs}
    own = {
        4: lambda arm: float(rng.integers(0, 3) + (arm == 1)),
        5: lambda arm: float(rng.poisson(3 + 2 * (arm == 1))),
        6: lambda arm: float(rng.random() < 0.5 + 0.4 * (arm == 1)),
    }
    known = {one.id for one in value.responses}
    readings = [
        dataclasses.replace(one, value=own[one.response_id](of_run[one.run_id]))
        if one.response_id in own and one.response_id in known
        else one
        for one in value.readings
    ]
    return dataclasses.replace(value, readings=tuple(readings))


DESIGNS = {
    "pairs": (Design(), 1, ("0.2", "0.3"), {"repeats": 5, "twins": 2}),
    "abba": (Design(guard=DriftGuard.ABBA), 1, ("0.2", "0.3"), {"repeats": 3}),
    "two-looks": (Design(looks=2), 1, ("0.2", "0.3"), {"repeats": 4}),
    "drift": (Design(drift=True), 1, ("0.2", "0.3"), {"repeats": 4, "twins": 1}),
    "several": (Design(DesignKind.SEVERAL, (4,)), 1, ("a", "b", "c", "d"), {"repeats": 4}),
    "twos": (Design(DesignKind.SEVERAL, (4,), block_size=2), 1, ("a", "b", "c", "d"), {"repeats": 1}),
    "ladder": (Design(DesignKind.LADDER, (4,)), 1, ("40", "60", "80", "100"), {"repeats": 2}),
    "ends": (Design(DesignKind.LADDER, (3,), rule=LadderRule.EXTREMES), 1, ("4", "6", "8"), {"repeats": 1}),
    "chain": (Design(DesignKind.CHAIN, (2, 2)), 2, ("low", "high"), {"repeats": 4}),
    "factorial": (Design(DesignKind.FACTORIAL, (2, 2)), 2, ("low", "high"), {"repeats": 3}),
    "fraction": (Design(DesignKind.FRACTION, (2,) * 5, fraction_p=2), 5, ("low", "high"), {"repeats": 2}),
    "crossover": (Design(DesignKind.CROSSOVER, (2, 2)), 2, ("low", "high"), {"repeats": 2}),
    "split-plot": (Design(DesignKind.SPLIT_PLOT, (2, 2), whole_plots=4), 2, ("low", "high"), {"repeats": 1}),
}  # fmt: skip


def planned(name, places=1):
    """A study with its order drawn; pairs and factorials ask every kind of response."""
    design, factors, levels, more = DESIGNS[name]
    machines = {
        number: Machine(number, word, cost_per_h=0.5, power_w=90.0)
        for number, word in enumerate(("Marlow", "Heron")[:places], 1)
    }
    pieces = {number: Piece(number, word, ("rim", "rib"), 60.0, 20.0, 2.0) for number, word in
              enumerate(("Ring", "Hook")[:places], 1)}  # fmt: skip
    return drawn(
        design,
        levels,
        factors,
        responses=quantities() if name in ("pairs", "factorial") else quantities()[:4:2],
        machines=machines,
        pieces=pieces,
        machine_ids=tuple(machines),
        piece_ids=tuple(pieces),
        **more,
    )


def findings(name, found):
    for one in found:
        yield f"{name} {one.comparison.response}", one.sentence, (one, one.more_pairs)


class Verdicts(Stays):
    def test_orders_that_were_drawn(self):
        told = []
        for name in DESIGNS:
            for places in (1, 2):
                value = planned(name, places)
                arms = [arm.id for arm in value.arms]
                order = " ".join(str(arms.index(run.arm_id)) for run in value.runs)
                told.append((f"{name} {places}", order, (value.runs, value.blocks)))
        self.stays("orders", told)

    def test_every_design_and_every_kind_of_response(self):
        told = []
        for name in DESIGNS:
            for places in (1, 2) if name in ("pairs", "chain") else (1,):
                found = analyse(read(planned(name, places)), lambda _: NoiseFloor(0.5, 6))
                told += findings(f"{name} {places}", found.findings)
                told.append((f"{name} {places}", "", found.overall))
                told.append((f"{name} {places}", "", table_json(planned(name, places), found)))
                told += [(f"{name} {places}", one.sentence, one) for one in found.threats]
        self.stays("verdicts", told)

    def test_prints_of_every_kind_with_and_without_pairs(self):
        rng, told = np.random.default_rng(21), []
        drawn_of = {
            ResponseKind.QUANTITY: lambda up: rng.normal(0.4 + 0.1 * up, 0.05),
            ResponseKind.DEVIATION: lambda up: rng.normal(2 * up, 1.5),
            ResponseKind.GRADE: lambda up: float(min(4, rng.integers(0, 3) + up)),
            ResponseKind.COUNT: lambda up: float(rng.poisson(2 + 4 * up)),
            ResponseKind.YES_NO: lambda up: float(rng.random() < 0.3 + 0.5 * up),
        }
        for kind, draw in drawn_of.items():
            for count in (2, 3, 6, 11):
                old, new = [draw(0) for _ in range(count)], [draw(1) for _ in range(count)]
                for name, make in (("pairs", pairs), ("groups", groups)):
                    for noise in (None, NoiseFloor(0.4, 5)):
                        asked = Measure("A", "B", margin=0.2, better=Better.LOWER, noise=noise)
                        found = judged(make(old, new, kind=kind), asked)
                        told.append((f"{kind} {name} {count}", found.sentence, (found, found.more_pairs)))
        self.stays("prints", told)

    def test_the_same_arms_later(self):
        before, after = read(planned("pairs")), read(planned("pairs"), seed=8)
        self.stays("since", findings("since", since_before(before, after).findings))


KEY = {
    letter: {"arm": "new" if place % 2 else "old", "print": letter} for place, letter in enumerate("ABCDEF")
}
PAIRED = ("AB", "CD", "EF")


def answers(design, seed=4, judges=("ann", "ben", "cas"), sharp=0.75):
    """A table of judges who see so much; three who see rather much."""
    rng = np.random.default_rng(seed)
    sees = partial(rng.choice, [True, False], p=[sharp, 1 - sharp])
    if design == "pair":
        yield "judge,trial,left,right,odd,answer,twin,repeat"
        for judge in judges:
            for n, (one, two) in enumerate(PAIRED * 4):
                yield f"{judge},{n},{one},{two},,{two if sees() else one},,r{n % 2 if n < 4 else n}"
        yield from ("ann,t,A,A,,none,yes,", "ben,t,C,C,,left,yes,", "ann,u,B,A,,B,control,")
    elif design in ("triangle", "duo-trio"):
        yield "judge,trial,odd,answer"
        for judge in judges:
            for n in range(9):
                odd = ("left", "right")[n % 2]
                yield f"{judge},{n},{odd},{odd if sees() else 'left'}"
    elif design == "same":
        yield "judge,trial,left,right,answer"
        for judge in judges:
            for n, (one, two) in enumerate(("AB", "CD", "EF", "AC", "BD", "CE") * 2):
                yield f"{judge},{n},{one},{two},{'different' if (n % 6 < 3) == sees() else 'same'}"
    elif design == "sort":
        yield "judge,trial,left,answer"
        for judge in judges:
            for letter in "ABCDEF":
                yield f"{judge},1,{letter},{'new' if (letter in 'BDF') == sees() else 'old'}"
    elif design == "rank":
        yield "judge,trial,left,answer"
        for judge in judges:
            for rank, letter in enumerate("ABC" if sees() else "BAC", 1):
                yield f"{judge},1,{letter},{rank}"
    elif design == "compare":
        yield "judge,trial,left,right,answer"
        for judge in judges:
            for n, (one, two) in enumerate(PAIRED * 2):
                yield f"{judge},{n},{one},{two},{rng.integers(-1, 3)}"
    else:
        yield "judge,trial,left,answer"
        for judge in judges:
            for n, letter in enumerate("ABCDEF"):
                yield f"{judge},{n},{letter},{min(4, n % 2 + rng.integers(0, 3))}"


class Judging(Stays):
    def test_every_design_of_a_session(self):
        told, key = [], read_key(json.dumps(KEY))[0].letters
        for design in JudgeDesign:
            votes, apart = read_votes("\n".join(answers(design.value)), design)
            for letters in (key, None):
                if letters is not None or design.value in ("triangle", "same"):
                    found = judge_session(votes, design, letters).figures
                    words = found["sentence"] + " " + " ".join(found.get("sentences", ()))
                    told.append((design.value, words, (found, apart)))
        self.stays("sessions", told)

    def test_judges_who_see_all_and_who_see_nothing(self):
        told, key = [], read_key(json.dumps(KEY))[0].letters
        for design in JudgeDesign:
            for seed, sharp in enumerate((1.0, 0.9, 0.6, 0.5, 0.0)):
                judges = ("ann", "ben", "cas", "dee", "eva")[: 1 + seed % 5]
                votes, apart = read_votes("\n".join(answers(design.value, seed, judges, sharp)), design)
                found = tried(judge_session, votes, design, key)
                told.append((f"{design.value} {sharp}", "", (found, apart)))
        self.stays("judges", told)


TABLES = {
    "steps": "commanded,measured;100,97.0;100,97.1;100,96.8|old=405.2",
    "steps with gears": "commanded,measured;100,95.2;100,95.4;100,95.1;50,47.7|old=405.2|full_steps=200"
    "|microsteps=16|ratio=3|diameter=7.5",
    "sizes of a square": "nominal,measured,axis,kind;141.42,141.61,a,diagonal;141.42,141.15,b,diagonal"
    ";141.42,141.58,a,diagonal;141.42,141.11,b,diagonal",
    "sizes of all": "nominal,measured,axis,kind;141.42,141.61,a,diagonal;141.42,141.15,b,diagonal"
    ";20,19.94,x,outside;40,39.91,x,outside;60,59.88,x,outside",
    "ringing by echoes": "distance_mm,from_mm,echo,strength,axis;1.95,0.5,1,3.0,x;1.9,2.5,2,2.1,x"
    ";2.05,4.5,3,1.4,x;2.4,0.5,1,3.1,y;2.35,,2,2.6,y|speed=60|accel=900",
    "pull hooked": "pair,broke;1,old;2,new;3,old;4,new;5,old;6,old;7,new;8,new",
    "flow-ceiling": "setup,flow,expected_g,weighed_g,skip;cool,6,2.4,2.39,;cool,9,2.4,2.37,;cool,12,2.4,2.33,"
    ";cool,15,2.4,2.25,;cool,18,2.4,2.1,;hot,6,2.4,2.4,;hot,12,2.4,2.36,;hot,18,2.4,2.29,;hot,21,2.4,2.2,y"
    "|width=0.45|height=0.2",
    "nozzle-wear": "grams,strand_mm;0,0.40;100,0.402;250,0.409;400,0.411;600,0.418;800,0.425|limit=0.02",
    "nozzle-wear in size": "grams,strand_mm;0,0.40;100,0.401;250,0.40;400,0.402"
    ";600,0.401;800,0.401|limit=0.025",
    "sizes": "nominal,measured,axis,kind;10,9.93,x,outside;20,19.94,x,outside;40,39.98,x,outside"
    ";10,10.05,y,hole;20,20.02,y,hole;40,40.10,y,outside",
    "belts": "axis,frequency_hz;left,78.2;left,79.0;left,77.9;right,81.5;right,80.8"
    "|span=168|density=8.4|most=90",
    "belt-waves": "level,frequency_hz,wave;70,70.2,clear;75,74.8,trace;80,80.1,none;85,84.7,none;90,90.3,"
    "trace|span=168|density=8.4",
    "ringing": "frequency_hz,echo,strength,axis;41,1,3.0;43,2,2.2;42,3,1.5|speed=100|accel=3000",
    "retraction": "level,grade;0.4,clear;0.6,trace;0.8,none;1.0,none;0.6,clear;0.8,trace",
    "temperature": "level,grade;200,clear;210,trace;220,none;230,trace;210,none;220,trace",
    "layer-time": "layer_time_s,fan,onset_deg;4,50,41;6,50,46;8,50,50;12,50,57;16,50,60|angle=52",
    "noise": "setup,setting,noise_db,airflow;old,40,41,1.2;old,60,47,1.9;old,80,52,2.6;new,40,39,1.1;new,60,"
    "44,1.9;new,80,50,2.8",
    "overhead": "predicted_min,measured_min;60,66.5;120,124;300,295;420,401;35,41;200,205|for=240",
    "purge-pairs": "from,to,volume,trace;red,white,40,4.2;red,white,80,1.9;red,white,120,0.8;white,red,20,"
    "1.6;white,red,40,0.6;white,red,60,0.2|minimum=20",
    "fan-power": "level,held;20,y;30,y;40,n;30,y;35,y;40,n|most=100",
    "motor-skip": "level,held;600,y;800,y;1000,n;900,y;1000,y;1100,n|most=1500",
    "filament": "spool_g,core_g,diameter_mm,strand_g,strand_mm;1243,236,1.74,,;,,1.76,2.98,1000;"
    ",,1.75,2.97,1000",
    "pull": "pair,arm,force,broke;1,old,22.5,;1,new,26.1,;2,old,21.0,;2,new,>25,;3,old,24.0,;3,new,27.5,",
    "fault": "machine,filament,file,came_out,print_min;Marlow,lot 1,a,bad,30;Heron,lot 1,a,good,30;"
    "Marlow,lot 2,a,bad,30;Marlow,lot 1,b,bad,30",
    "check": "standard,reading;5,5.02;5,5.01;5,5.02"
    ";10,10.03;10,10.02;10,10.04;20,20.06;20,20.05;20,20.06|step=0.01|u=0.005|limit=0.1",
    "instrument": "piece,person,reading;1,ann,5.1;1,ann,5.2;1,ben,5.3;1,ben,5.2;2,ann,6.1;2,ann,6.0;2,ben,6.3"
    ";2,ben,6.2;3,ann,4.0;3,ann,4.2;3,ben,4.3;3,ben,4.1|margin=1",
}  # fmt: skip


def tables():
    """Every table: its name, its calibration, its rows, and the options that are given with it."""
    jobs = {job.name: job for job in JOBS}
    for name, whole in TABLES.items():
        table, *given = whole.split("|")
        options = {option: float(value) for option, value in (one.split("=") for one in given)}
        yield name, jobs[name.split()[0]], table, options


def moved(rng, cell, far):
    """Return a figure with as many decimals that lies up to a share of it away."""
    digits = len(cell.partition(".")[2])
    figure = float(cell.strip(">")) * (1 + rng.uniform(-far, far))
    return ">" * cell.startswith(">") + f"{figure:.{digits}f}"


def read_otherwise(rng, table):
    """Return the rows of a table with other figures, some left out, some read twice."""
    head, *rows = table.split(";")
    scatter = rng.choice((0.0, 0.004, 0.03, 0.2))
    made = [head]
    for row in rows:
        cells = []
        for cell in row.split(","):
            if "." in cell and rng.random() < 0.7:
                cell = moved(rng, cell, scatter)
            cells.append(cell)
        made += [",".join(cells)] * rng.choice((1, 1, 1, 1, 1, 0, 2))
    return "\n".join(made)


def read_wildly(rng, table, whole):
    """Return rows in another order and with figures far from those; unless whole, some are lost or mixed."""
    head, *rows = (row.split(",") for row in table.split(";"))
    far = rng.choice((0.0, 0.02, 0.5, 1.0))
    several = rows * rng.choice((1, 1, 2))
    taken = rng.sample(several, len(several)) if whole else rng.choices(rows, k=rng.randint(1, len(rows) + 6))
    made = []
    for row in taken:
        cells = []
        for place, cell in enumerate(row):
            if not whole and rng.random() < 0.1:
                cell = rng.choice(rows)[place]
            if rng.random() < 0.5 and "." in cell:
                cell = moved(rng, cell, far)
            cells.append(cell if whole or rng.random() > 0.01 else "")
        made.append(",".join(cells))
    return "\n".join([",".join(head), *made])


class Calibrations(Stays):
    def test_every_calibration_has_a_table_here(self):
        self.assertEqual({job.name for job in JOBS}, {name.split()[0] for name in TABLES})

    def test_every_calibration(self):
        told = []
        for name, job, table, options in tables():
            try:
                found = calibration(job, table.replace(";", "\n"), options)
            except ValueError as error:
                self.fail(f"{name}: {error}")
            told.append((name, found.sentence, (result_json(found), found)))
        self.stays("calibrations", told)

    def test_every_calibration_of_other_readings(self):
        told = []
        for name, job, table, usual in tables():
            for seed in range(10):
                rng = random.Random(f"{name} {seed}")
                options = {
                    option: value * rng.choice((1.0, 1.0, 0.5, 2.0)) for option, value in usual.items()
                }
                found = tried(calibration, job, read_otherwise(rng, table), options)
                said = found if isinstance(found, str) else found.sentence
                told.append((f"{name} {seed}", said, found))
        self.stays("readings", told)

    def test_faults_of_any_cause(self):
        job, told = next(one for one in JOBS if one.name == "fault"), []
        values = {"machine": ("Marlow", "Heron"), "filament": ("lot 1", "lot 2", "lot 3"),
                  "part": ("old", "new"), "file": ("a", "b"), "setting": ("dry", "damp")}  # fmt: skip
        for lot in range(12):
            found = []
            for seed in range(12):
                rng = random.Random(f"{lot} {seed}")
                names = rng.sample(list(values), rng.choice((1, 2, 3, 4)))
                blamed = {name: values[name][0] for name in names[: rng.choice((1, 1, 2))]}
                rows = [",".join([*names, "came_out", "print_min"])]
                for _ in range(rng.choice((2, 4, 8, 16))):
                    made = {name: rng.choice(values[name]) for name in names}
                    bad = blamed.items() <= made.items()
                    # Now and then one is good or bad for no reason, or what it was made with was not noted.
                    bad = bad != (rng.random() < rng.choice((0.0, 0.0, 0.2)))
                    cells = [one if rng.random() > 0.02 else "" for one in made.values()]
                    minutes = rng.choice(("", "30", "95.5"))
                    rows.append(",".join([*cells, rng.choice(("bad", "failed")) if bad else "good", minutes]))
                options = {} if rng.random() < 0.5 else {f"swap_{name}": 12.0 for name in names}
                found.append(tried(calibration, job, "\n".join(rows), options))
            told.append((f"fault {lot}", "", found))
        self.stays("faults", told)

    def test_every_calibration_of_wild_readings(self):
        told = []
        for name, job, table, usual in tables():
            for lot in range(4):
                found = []
                # Pulls that did not break are fitted, and gauges simulated, which takes its time.
                for seed in range(3 if name in ("pull", "instrument") else 12):
                    rng = random.Random(f"{name} {lot} {seed}")
                    options = {
                        option: value * rng.choice((1.0, 1.0, 0.2, 1.5)) for option, value in usual.items()
                    }
                    text = read_wildly(rng, table, lot > 0)
                    rows = tried(read_rows, text, job.columns)
                    drawn = () if isinstance(rows, str) else drawn_points(job, rows)
                    found.append((tried(calibration, job, text, options), drawn))
                told.append((f"{name} {lot}", "", found))
        self.stays("wild", told)


SHOWN = {
    What.RINGING: (
        {}, {"contrast": "0.6", "wavelength_mm": "1.4"}, {"contrast": "0"},
        {"speed_mm_s": "60", "accel_mm_s2": "900"}, {"waviness": "0.8", "seam": "6"},
    ),
    What.BANDING: ({}, {"band": "0.4", "band_mm": "3.1"}, {"band": "0", "seam": "5"}),
    What.LAYERS: ({}, {"offset_um": "14"}, {"offset_um": "0", "grain": "0.03"}),
    What.STRINGS: ({}, {"strings": "14", "string_mm": "0.2"}, {"strings": "0"}),
    What.BLEED: ({}, {"delta": "0.1", "depth_mm": "0.5"}, {"delta": "0"}),
    What.DROOP: ({}, {"droop_mm": "1.4"}, {"droop_mm": "0"}),
    What.ONSET: ({}, {"begin_deg": "31", "droop_mm": "2"}, {"droop_mm": "0"}),
    What.RADIUS: ({}, {"radius_mm": "2.5"}),
    What.SIZE: ({}, {"piece_mm": "7.3"}),
    What.GAPS: ({}, {"gaps": "8", "gap_mm": "0.3"}, {"gaps": "0"}),
}  # fmt: skip


class Photographs(Stays):
    def test_every_figure_of_a_photograph(self):
        told = []
        for what, several in SHOWN.items():
            for seed, settings in enumerate(several, 4):
                picture, truth = render(what.value, seed, settings)
                height, width = picture.shape[:2]
                region = Region(*truth["region"]) if "region" in truth else Region(0, 0, width, height)
                steps = tuple(
                    StepRegion(30.0 + 5 * number, Region(number * width // 7, 60, width // 7, height - 60))
                    for number in range(7)
                )
                motion = Motion(60.0, 900.0) if "speed_mm_s" in settings else Motion()
                asked = Asked(region, 20.0, motion, layer_mm=0.2, steps=steps)
                found = measure(picture, what, asked)
                told.append((f"{what} {settings}", found.sentence, (as_json(found), found)))
        self.stays("photographs", told)

    def test_bleeding_to_the_other_side_and_strings_without_cloth_beside_them(self):
        told = []
        for what, turn in ((What.BLEED, True), (What.STRINGS, False), (What.GAPS, True)):
            picture = render(what.value, 6, {})[0]
            picture = np.ascontiguousarray(picture[:, ::-1]) if turn else picture
            whole = Region(0, 0, picture.shape[1], picture.shape[0])
            found = measure(picture, what, Asked(whole, 20.0))
            told.append((f"{what}", found.sentence, (as_json(found), found)))
        self.stays("turned", told)

    def test_every_rendered_picture(self):
        told = []
        for kind in RENDERED:
            grey = np.asarray(render(kind, 5, {})[0], float).mean(axis=2)
            rows = [np.array_split(band, 12, axis=1) for band in np.array_split(grey, 9)]
            cells = [cell for row in rows for cell in row]
            told.append((kind, "", [[float(one.mean()), float(one.std())] for one in cells]))
        for fault in FAULTS:
            grey = np.asarray(rendered_control(control_text(fault, fault.start, 5)), float)
            cells = [one for row in np.array_split(grey, 9) for one in np.array_split(row, 12, axis=1)]
            told.append((fault.name, "", [float(one.mean()) for one in cells]))
        self.stays("rendered", told)

    def test_colours(self):
        colours = np.array([[200, 30, 40], [10, 10, 12], [250, 250, 249], [30, 90, 180], [120, 121, 119]])
        lab = lab_of(colours[None, :, :].astype(np.uint8))
        self.stays("colours", [("lab", "", lab), ("difference", "", ciede2000(lab[:, :-1], lab[:, 1:]))])


SOLIDS = {
    "box": (Solid(height=3), {}, {"layer_height": 0.3}),
    "ring": (
        Solid(30.0, 30.0, 3.0, round=True, lean_deg=20.0),
        {"seam": "scattered"},
        {"seam": "in line at the back"},
    ),
    "lean": (Solid(18.0, 12.0, 2.0, lean_deg=15.0), {"skirt": 2}, {"skirt": 0}),
    "bridge": (Solid(span_mm=12.0, height=3.0), {"min_layer_time": 8.0}, {}),
    "colours": (Solid(20.0, 20.0, 2.0, colours=2), {"purge_volume": 90.0}, {"purge_volume": 60.0}),
}


PROGRAM = """
G1 X10 E1 F3000|G1 X30 Y10 E2|G1 Y50 E1|G1 X5 E.5:.25|G0 X0 Y0 F9000|G1 X60 Y40 E3 F6000|G1 Z0.4 F600
G1 E-1.2 F2400|G1 E1.2|G1 X90|G2 X0 Y0 I5 J0 P2 E3|G3 X10 Z0.6 Y3 I5 K0 E1|G2 X20 Y10 I10 J0 E1
G5 X10 Y0 I0 J5 P0 Q5 E2|G4 S1|G4 P300|G17|G18|G19|G17|G10|G11|G28 X|G90|G91|G90|G92 E0|G92 X3 E1
G92 Y7|G28 Y|G92 Z0.3|G20|G21
M82|M83|M83|G1 X9 Y5 E1|G1 X12 Y8 E1|T0|T1|T0|M600|M601|M0 turn it|M104 S215|M104 T1 S240|M109 S205
M140 S60|M190 S65|M141 S40|M191 S45|M568 P1 S240 R180|SET_HEATER_TEMPERATURE HEATER=extruder TARGET=210
SET_HEATER_TEMPERATURE HEATER=heater_bed TARGET=65|SET_HEATER_TEMPERATURE HEATER=chamber TARGET=50
M106 S127|M106 P3 S51|M107|SET_FAN_SPEED FAN=side SPEED=0.7|M106 S255|M201 X1500 Y900 Z100 E5000
M203 X300 Y250 Z12 E80|M204 S800|M204 P1200 R900 T1500|M205 X8 Y7|M205 J.02|M566 X600 Z30
SET_VELOCITY_LIMIT ACCEL=500 VELOCITY=20|SET_VELOCITY_LIMIT ACCEL=1000 SQUARE_CORNER_VELOCITY=6|M220 S70
M220 B|M220 R|M221 S95|M221 S100|M200 D1.75|M200 D0|M207 S1.5 F2400 R.2|M208 S.3 F600
SET_RETRACTION RETRACT_LENGTH=0.8|SET_RETRACTION RETRACT_LENGTH=0|M900 K0.04|M572 D0 S0.05
SET_PRESSURE_ADVANCE ADVANCE=0.05
SAVE_GCODE_STATE NAME=a|RESTORE_GCODE_STATE NAME=a MOVE=1|M73 P4 R9|M117 layer 3/7: 50%|M486 S0
M486 Aring|M486 S1|M486 S-1|EXCLUDE_OBJECT_DEFINE NAME=ring|EXCLUDE_OBJECT_START NAME=ring
EXCLUDE_OBJECT_END NAME=ring|; printing object hook|; stop printing object hook|;LAYER:1|;LAYER:2
;LAYER:3|;LAYER_CHANGE|;Z:0.8|;HEIGHT:0.2|;TYPE:Outer wall|;TYPE:Inner wall|;TYPE:Support|;TYPE:Bridge
;TYPE:Prime tower|;TYPE:Fancy wall|; segType:HShell|; TYPE:Top skin infill|;WIDTH:0.42|;TIME:3723
;LAYER_COUNT:5|; filament_density: 1.10,1.27|; filament used [g] = 3.21, 0.44|; layer_height = 0.24
; estimated printing time = 1h 2m 3s|; nozzle_diameter: 0.6
"""


class Files(Stays):
    def test_programs_of_any_commands(self):
        rng, told = np.random.default_rng(11), []
        known = [line for row in PROGRAM.strip().splitlines() for line in row.split("|")]
        for number in range(24):
            lines = ["M83", "G1 Z0.2 F600", *rng.choice(known, 160)]
            path = read_gcode(["\n".join([*lines, ""]).encode()])
            sliced = analyse_file(path, Limits())
            told.append((f"program {number}", "", (summary(sliced, flow_mm3_s=4.0), layer_figures(sliced))))
            told.append(
                (f"program {number}", "", (path.moves, path.settings, path.length, path.e, sliced.waits()))
            )
        self.stays("programs", told)

    def test_what_a_sliced_file_says_and_what_parts_it_from_its_twin(self):
        told = []
        for name, (solid, one, other) in SOLIDS.items():
            files = []
            for recipe in (one, other):
                text = slice_solid(solid, Recipe(**recipe)).text
                sliced = analyse_file(read_gcode([text.encode()]), Limits())
                told.append((name, "", summary(sliced, flow_mm3_s=6.0)))
                told.append((name, "", (layer_figures(sliced), reach(sliced), purge_ledger(sliced))))
                files.append(MatchFile(f"{name} {len(files)}", str(len(text)), sliced))
            found = match_files(files, [parse_declared("layer height=0.2:0.3")])
            told.append((name, "", match_json(found)))
            told += [(name, one.sentence, one) for one in found.threats]
        self.stays("files", told)

    def test_what_every_setting_does_to_a_file(self):
        usual = Recipe()
        told, solid = [], Solid(24.0, 18.0, 2.0, span_mm=8.0)
        files = [self.file("usual", solid, usual)]
        for field in dataclasses.fields(Recipe):
            changed = dataclasses.replace(usual, **{field.name: another(getattr(usual, field.name))})
            try:
                other = self.file(field.name, solid, changed)
            except ValueError as refused:
                told.append((field.name, str(refused), None))
            else:
                found = match_files([files[0], other], [])
                words = " ".join(one.sentence for one in found.threats)
                told.append((field.name, words, (match_json(found), summary(other.sliced))))
        self.stays("settings", told)

    def file(self, name, solid, recipe):
        text = slice_solid(solid, recipe).text
        return MatchFile(
            name, str(zlib.crc32(text.encode())), analyse_file(read_gcode([text.encode()]), Limits())
        )


def another(value):
    """Return another value of a setting, of the same kind."""
    if isinstance(value, (bool, str)):
        return f"{value}, other" if isinstance(value, str) else not value
    return value + 1 if isinstance(value, int) else value * 1.2 + 0.1


class Tables(Stays):
    """What is taken where nobody says, and what engines know beforehand."""

    def test_usual_values(self):
        usual = {"wall": Wall(), "face": Face(), "piece": PieceFace(), "recipe": Recipe(), "solid": Solid(),
                 "limits": Limits(), "purge": PurgeLimits(), "asked": Asked(Region(0, 0, 1, 1))}  # fmt: skip
        told = [(name, "", value) for name, value in usual.items()]
        told += [(trait.name, trait.unit, trait) for trait in TRAITS]
        told += [(fault.name, fault.unit, fault) for fault in FAULTS]
        told += [(job.name, job.title, (job.columns, job.options)) for job in JOBS]
        told += [(card.title, card.question, card) for card in CARDS]
        told.append(("pages", "", PAGES))
        self.stays("usual", told)


class Weighing(Stays):
    def test_costs_fronts_and_what_is_known(self):
        rng = np.random.default_rng(6)
        rows = [
            (
                120 - 14 * (n % 2) + rng.normal(0, 2),
                40 + rng.normal(0, 0.3),
                2 + n % 2,
                6 + rng.normal(),
                n % 3,
            )
            for n in range(8)
        ]
        value = prints_of(rows)
        weighed = weigh(value, prices=PRICES)
        told = [("weighed", " ".join(sentences(weighed)), weighed_json(weighed))]
        told.append(("costs", "", print_costs(value, PRICES)))
        told += [(f"at {size} × {pieces}", "", at_size(value, size, pieces))
                 for size in (0.7, 1.0, 2.5) for pieces in (1, 6)]  # fmt: skip
        told.append(("known", "", random_effects([0.9, -0.2, 1.6, 0.4], [0.04, 0.09, 0.05, 0.2])))
        # A ladder whose levels all hold, one that ends, and one that nothing was printed of.
        for name, end in (("holds", 0.0), ("ends", 9.0)):
            ladder = planned("ladder")
            made = printed(ladder, lambda one, arm, end=end: 30.0 + end * (arm > 1), scatter=0.2)
            path = ladder_path(made, made.arms)
            words = path_words(path, "40", dict.fromkeys(path.arms, 30.0), {}, "€", {}) if path else ()
            told.append((f"path {name}", " ".join(words), path))
        told.append(("path none", "", ladder_path(planned("ladder"), ())))
        self.stays("weighed", told)


class Plans(Stays):
    def test_chances_and_budgets(self):
        aim = Aim(quantities()[0], 1.1, 0.8, noise=NoiseFloor(0.8, 6))
        told = []
        for name in DESIGNS:
            value = planned(name)
            budget = budget_of(value)
            told.append((name, f"{budget.money:.4f}", (power_of_plan(value, aim), budget)))
        self.stays("plans", told)

    def test_chances_of_kinds(self):
        told = []
        for kind in ResponseKind:
            for name, sides in (("pairs", {"pairs": 1}), ("unpaired", {"n_baseline": 1, "n_change": 1})):
                found = chances_of(Shape(kind=kind, **sides), 0.8, 1.0, range(1, 8))
                told.append((f"{kind} {name}", "", found))
        self.stays("chances", told)

    def test_rehearsals(self):
        told = []
        for name in ("pairs", "several", "factorial", "split-plot"):
            conditions, rng = Conditions(lost=0.1, drift_sd=0.3), np.random.default_rng(3)
            made = rehearse_study(planned(name), [Assumed(1, -1.5, 0.8)], conditions, rng, times=100)
            told.append((name, "", made))
        self.stays("rehearsals", told)


if __name__ == "__main__":
    unittest.main()
