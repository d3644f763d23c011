"""The calibrations that there are: what is typed, what must be known, what to do, and what to beware of."""

from __future__ import annotations

from typing import Final

from oddtwin.core.calibrate.alike import BELTS, DUST, EYES, HOT, RATINGS, WORSE, climbed, graded
from oddtwin.core.calibrate.belt_waves import waves_by_tension
from oddtwin.core.calibrate.belts import belt_tension
from oddtwin.core.calibrate.check import check_of_instrument
from oddtwin.core.calibrate.filament import USUAL_DENSITY, spool_left
from oddtwin.core.calibrate.flow_ceiling import flow_ceiling
from oddtwin.core.calibrate.gauge import instrument_study
from oddtwin.core.calibrate.job import CalibrationJob, Option
from oddtwin.core.calibrate.layer_time import layer_time_floor
from oddtwin.core.calibrate.noise import equal_noise
from oddtwin.core.calibrate.nozzle_wear import USUAL_LIMIT_MM, nozzle_wear
from oddtwin.core.calibrate.overhead import overhead
from oddtwin.core.calibrate.pull import pull_and_break
from oddtwin.core.calibrate.purge_pairs import purge_pairs
from oddtwin.core.calibrate.ringing import ringing_by_hand
from oddtwin.core.calibrate.rows import Column, Kind
from oddtwin.core.calibrate.sizes import sizes
from oddtwin.core.calibrate.steps import extruder_steps
from oddtwin.core.calibrate.suspects import SUSPECTS, find_the_fault
from oddtwin.core.language import mark

_WHICH: Final = {
    "machine": mark("which machine"), "filament": mark("which filament"), "colour": mark("which colour"),
    "part": mark("which part"), "file": mark("which file"), "setting": mark("which setting"),
}  # fmt: skip
_SWAP: Final = {
    "machine": mark("a swap of the machine takes"), "filament": mark("a swap of the filament takes"),
    "colour": mark("a swap of the colour takes"), "part": mark("a swap of the part takes"),
    "file": mark("a swap of the file takes"), "setting": mark("a swap of the setting takes"),
}  # fmt: skip

JOBS: Final[tuple[CalibrationJob, ...]] = (
    CalibrationJob(
        "steps",
        mark("Extruder steps"),
        mark(
            "Heat to printing temperature, mark the filament, command a length slowly, and measure what "
            "went in. Feed five times or more: one reading cannot tell calibration from slip."
        ),
        (
            Column("commanded", "mm", above_zero=True, says=mark("length that was commanded")),
            Column("measured", "mm", above_zero=True, says=mark("length that went in")),
        ),
        (
            Option(
                "old",
                "steps/mm",
                mark("the steps per mm that are set now"),
                needed=True,
                most=1e6,
                lasts=False,
            ),
            Option("full_steps", "", mark("full steps of a turn")),
            Option("microsteps", "", mark("microsteps of a full step")),
            Option("ratio", "", mark("gear ratio, motor turns for one turn of the drive")),
            Option("diameter", "mm", mark("effective diameter of the drive gear")),
        ),
        (HOT,),
        extruder_steps,
        mark("extruder steps"),
    ),
    CalibrationJob(
        "flow-ceiling",
        mark("Flow ceiling"),
        mark(
            "Extrude the same length at rising flows, weigh each strand, and note where "
            "the extruder skips. Repeat flows near the ceiling."
        ),
        (
            Column("setup", kind=Kind.TEXT, needed=False, says=mark("hot end, nozzle or temperature")),
            Column("flow", "mm³/s", above_zero=True, says=mark("commanded")),
            Column("expected_g", "g", above_zero=True, says=mark("what the length weighs")),
            Column("weighed_g", "g", above_zero=True, says=mark("what came out")),
            Column("skip", kind=Kind.YES, needed=False, says=mark("whether it skipped")),
        ),
        (
            Option("limit", "%", mark("the shortfall that counts"), 5.0, most=100.0),
            Option("width", "mm", mark("width of a line")),
            Option("height", "mm", mark("height of a layer")),
        ),
        (HOT,),
        flow_ceiling,
        mark("flow ceiling"),
    ),
    CalibrationJob(
        "nozzle-wear",
        mark("Nozzle wear"),
        mark(
            "Extrude a strand into the air, let it cool, and measure it in three places; "
            "again after so many grams of abrasive filament. It swells, so that only its "
            "own first reading is a measure of it."
        ),
        (
            Column("grams", "g", says=mark("abrasive filament printed so far")),
            Column("strand_mm", "mm", above_zero=True, says=mark("diameter of the strand")),
        ),
        (Option("limit", "mm", mark("the growth that counts as none"), USUAL_LIMIT_MM, most=1.0),),
        (HOT, DUST),
        nozzle_wear,
        mark("nozzle wear"),
    ),
    CalibrationJob(
        "sizes",
        mark("Sizes"),
        mark(
            "Measure outsides and holes of several lengths on each axis, and both "
            "diagonals of a square for its skew."
        ),
        (
            Column("nominal", "mm", above_zero=True, says=mark("as it should be")),
            Column("measured", "mm", above_zero=True, says=mark("as it is")),
            Column(
                "axis", kind=Kind.TEXT, needed=False, says=mark("x, y or z; of diagonals a name for each")
            ),
            Column("kind", kind=Kind.TEXT, needed=False, says=mark("outside, hole or diagonal")),
        ),
        (),
        (),
        sizes,
        "sizes",
    ),
    CalibrationJob(
        "belts",
        mark("Belt tension"),
        mark("Pluck the free span in its middle and read the note; three times or more on each belt."),
        (
            Column("axis", kind=Kind.TEXT, needed=False, says=mark("which belt")),
            Column("frequency_hz", "Hz", above_zero=True, says=mark("note of the plucked span")),
        ),
        (
            Option("span", "mm", mark("length of the free span"), needed=True, most=1e5),
            Option("density", "g/m", mark("mass of a metre of belt"), needed=True, most=1e5),
            Option("most", "N", mark("the maker’s limit")),
        ),
        (BELTS, EYES),
        belt_tension,
        mark("belt tension"),
    ),
    CalibrationJob(
        "belt-waves",
        mark("Belt tension and waves"),
        mark(
            "Set the belts to three or more levels within the maker’s limit, pluck them, "
            "print flat faces at each, and grade their waves, twice or more."
        ),
        (
            Column("level", kind=Kind.TEXT, says=mark("such as slack, as found, tight")),
            Column(
                "frequency_hz", "Hz", needed=False, above_zero=True, says=mark("note of the plucked span")
            ),
            Column(
                "wave", kind=Kind.GRADE, needed=False, says=mark("waves on a flat face, 0 none to 4 ruined")
            ),
        ),
        (
            Option("span", "mm", mark("length of the free span"), needed=True, most=1e5),
            Option("density", "g/m", mark("mass of a metre of belt"), needed=True, most=1e5),
            Option("most", "N", mark("the maker’s limit")),
            WORSE,
        ),
        (BELTS, EYES),
        waves_by_tension,
        mark("belt tension"),
    ),
    CalibrationJob(
        "ringing",
        mark("Ringing by hand"),
        mark(
            "Measure the distance between two echoes beside a sharp corner, away from "
            "it; say how fast the wall was printed."
        ),
        (
            Column(
                "distance_mm", "mm", needed=False, above_zero=True, says=mark("from one echo to the next")
            ),
            Column(
                "frequency_hz", "Hz", needed=False, above_zero=True, says=mark("where it was read as such")
            ),
            Column("from_mm", "mm", needed=False, says=mark("how far behind the corner the first echo lies")),
            Column("echo", needed=False, above_zero=True, says=mark("1 for the first behind the corner")),
            Column("strength", needed=False, above_zero=True, says=mark("of the echo, in any unit")),
            Column("axis", kind=Kind.TEXT, needed=False, says=mark("which axis turned")),
            Column("place", kind=Kind.TEXT, needed=False, says=mark("where on the plate")),
        ),
        (
            Option("speed", "mm/s", mark("the speed of the wall"), most=1e5),
            Option("accel", "mm/s²", mark("the acceleration of the wall"), most=1e7),
        ),
        (),
        ringing_by_hand,
        "ringing",
    ),
    graded(
        "retraction",
        mark("Retraction"),
        mark("Print a comb at rising retractions, and grade the stringing of each level, twice or more."),
        "mm",
        "retraction",
        (HOT,),
    ),
    graded(
        "temperature",
        mark("Temperature ladder"),
        mark(
            "Print a piece at rising temperatures within the maker’s range, and grade "
            "each level, twice or more."
        ),
        "°C",
        mark("nozzle temperature"),
        (HOT, mark("Stay within the filament maker’s range; ventilate.")),
    ),
    CalibrationJob(
        "layer-time",
        mark("Layer-time floor"),
        mark(
            "Print an overhang ladder at several layer times and fan settings, and read "
            "from which angle on it droops."
        ),
        (
            Column("layer_time_s", "s", above_zero=True, says=mark("time of a layer")),
            Column("fan", "%", needed=False, says=mark("fan")),
            Column("onset_deg", "°", says=mark("angle from upright from which on it droops")),
        ),
        (Option("angle", "°", mark("the angle that shall hold"), needed=True, most=90.0),),
        (HOT,),
        layer_time_floor,
        mark("least layer time"),
    ),
    CalibrationJob(
        "noise",
        mark("Noise and airflow"),
        mark(
            "Read noise and airflow of both set-ups at several settings, from the same "
            "place, with nothing else running."
        ),
        (
            Column("setup", kind=Kind.TEXT, says=mark("which")),
            Column("setting", kind=Kind.TEXT, needed=False, says=mark("as set")),
            Column("noise_db", "dB", says=mark("sound level")),
            Column("airflow", "", says=mark("in any one unit")),
        ),
        (),
        (RATINGS,),
        equal_noise,
    ),
    CalibrationJob(
        "overhead",
        mark("Heat-up and homing"),
        mark("Log what prints were predicted to take and took, short and long ones, from start to end."),
        (
            Column("predicted_min", "min", above_zero=True, says=mark("by the slicer")),
            Column("measured_min", "min", above_zero=True, says=mark("by the clock")),
        ),
        (Option("for", "min", mark("the predicted time of the print in question"), most=1e5),),
        (),
        overhead,
    ),
    CalibrationJob(
        "purge-pairs",
        mark("Purge volumes"),
        mark(
            "Change from one colour to another with several volumes, and read the trace "
            "that is left: a grade, or ΔE."
        ),
        (
            Column("from", kind=Kind.TEXT, says=mark("colour before")),
            Column("to", kind=Kind.TEXT, says=mark("colour after")),
            Column("volume", "mm³", above_zero=True, says=mark("purged")),
            Column("trace", "", says=mark("grade 0 to 4, or ΔE")),
        ),
        (
            Option("limit", "", mark("the trace that is still good"), 1.0, least=0.0),
            Option("minimum", "mm³", mark("what the machine purges at least"), 0.0, least=0.0),
        ),
        (HOT,),
        purge_pairs,
        mark("purge volumes"),
    ),
    climbed(
        "fan-power",
        mark("Least fan power"),
        mark(
            "Lower the fan step by step until it does not start by itself any more; three tries at the limit."
        ),
        "%",
        mark("fan power"),
        (RATINGS,),
    ),
    climbed(
        "motor-skip",
        mark("Motor skip limit"),
        mark("Raise speed or acceleration step by step until the motor skips; three tries at the limit."),
        "mm/s²",
        mark("the motor"),
        (RATINGS, HOT),
    ),
    CalibrationJob(
        "filament",
        mark("Filament on a spool"),
        mark(
            "Weigh the spool, and the same spool when empty; measure the diameter in ten "
            "places a few metres apart."
        ),
        (
            Column("spool_g", "g", needed=False, above_zero=True, says=mark("spool and filament")),
            Column("core_g", "g", needed=False, above_zero=True, says=mark("the empty spool")),
            Column("diameter_mm", "mm", needed=False, above_zero=True, says=mark("of the filament")),
            Column("strand_g", "g", needed=False, above_zero=True, says=mark("a cut length, weighed")),
            Column("strand_mm", "mm", needed=False, above_zero=True, says=mark("how long it is")),
        ),
        (
            Option("density", "g/cm³", mark("the density of the filament"), USUAL_DENSITY, most=25.0),
            Option("nominal", "mm", mark("the nominal diameter"), 1.75, most=10.0),
        ),
        (),
        spool_left,
    ),
    CalibrationJob(
        "pull",
        mark("Pull and break"),
        mark(
            "Pull pieces of both arms in pairs and read the force (“>40” where the gauge "
            "ended); or hook two into one another and note which broke."
        ),
        (
            Column("pair", kind=Kind.TEXT, needed=False, says=mark("pieces pulled one after the other")),
            Column("arm", kind=Kind.TEXT, needed=False, says=mark("which setting")),
            Column("force", "N", Kind.BOUNDED, needed=False, above_zero=True, says=mark("at which it broke")),
            Column("broke", kind=Kind.TEXT, needed=False, says=mark("arm of the piece that gave way")),
        ),
        (),
        (EYES,),
        pull_and_break,
    ),
    CalibrationJob(
        "fault",
        mark("Finding the fault"),
        mark(
            "Write down each print that you have, good or bad, with what it was made with; leave out "
            "what was never noted. Swap what is proposed, print, and write that down too."
        ),
        (
            *(Column(name, kind=Kind.TEXT, needed=False, says=_WHICH[name]) for name in SUSPECTS),
            Column("came_out", kind=Kind.TEXT, says=mark("good or bad")),
            Column("print_min", "min", needed=False, above_zero=True, says=mark("what the print took")),
        ),
        tuple(
            Option(f"swap_{name}", "min", _SWAP[name], minutes, least=0.0, most=1e4)
            for name, minutes in SUSPECTS.items()
        ),
        (HOT,),
        find_the_fault,
    ),
    CalibrationJob(
        "check",
        mark("Check of an instrument"),
        mark(
            "Read a check weight or a gauge block five times or more, putting it down anew each time; "
            "best near the low and the high end of what you measure with it."
        ),
        (
            Column("standard", "", above_zero=True, says=mark("what it is, by its mark or certificate")),
            Column("reading", "", says=mark("what the instrument shows")),
        ),
        (
            Option("step", "", mark("the smallest step that it shows"), least=0.0),
            Option("u", "", mark("standard uncertainty of the standard, from its certificate"), least=0.0),
            Option("limit", "", mark("the error that may stand")),
        ),
        (),
        check_of_instrument,
        of_instrument=True,
    ),
    CalibrationJob(
        "instrument",
        mark("Instrument study"),
        mark(
            "Let two or three people read five to ten pieces two or three times each, "
            "without seeing what they read before."
        ),
        (
            Column("piece", kind=Kind.TEXT, says=mark("which piece")),
            Column("person", kind=Kind.TEXT, needed=False, says=mark("who read it")),
            Column("reading", "", says=mark("what was read")),
        ),
        (Option("margin", "", mark("the smallest difference that matters")),),
        (),
        instrument_study,
        of_instrument=True,
    ),
)
