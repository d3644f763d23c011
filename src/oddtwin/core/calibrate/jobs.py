"""The calibrations that there are: what is typed, what must be known, what to do, and what to beware of."""

from __future__ import annotations

from functools import partial
from typing import Final

from oddtwin.core.calibrate.belt_waves import waves_by_tension
from oddtwin.core.calibrate.belts import belt_tension
from oddtwin.core.calibrate.check import check_of_instrument
from oddtwin.core.calibrate.filament import USUAL_DENSITY, spool_left
from oddtwin.core.calibrate.flow_ceiling import flow_ceiling
from oddtwin.core.calibrate.gauge import instrument_study
from oddtwin.core.calibrate.job import CalibrationJob, Option
from oddtwin.core.calibrate.ladders import MARGIN, least_level
from oddtwin.core.calibrate.layer_time import layer_time_floor
from oddtwin.core.calibrate.limits import highest_that_holds
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

HOT: Final = "Hot end and plate burn; keep hands away while it moves, and follow the maker’s instructions."
EYES: Final = "Wear eye protection: pieces fly when they break."
BELTS: Final = "Stay within the maker’s limit: an over-tightened belt breaks bearings, and may snap."
RATINGS: Final = (
    "Stay within the maker’s ratings of motor, driver and heater; mains wiring is for a qualified person."
)
DUST: Final = "Abrasive fillings make dust: ventilate, and wear a mask where you cut or sand."


def _ladder(
    name: str, title: str, do: str, unit: str, what: str, cautions: tuple[str, ...]
) -> CalibrationJob:
    return CalibrationJob(
        name,
        title,
        do,
        (Column("level", unit, says="as set"), Column("grade", kind=Kind.GRADE, says="0 none to 4 ruined")),
        (
            Option(
                "margin", "grade steps", "how much worse still counts as good", MARGIN, least=0.0, most=4.0
            ),
        ),
        cautions,
        partial(least_level, unit=unit, what=what),
        what,
    )


def _limit(name: str, title: str, do: str, unit: str, what: str, cautions: tuple[str, ...]) -> CalibrationJob:
    return CalibrationJob(
        name,
        title,
        do,
        (Column("level", unit, says="as set"), Column("held", kind=Kind.YES, says="whether it held")),
        (
            Option("most", unit, "the maker’s rating"),
            Option("falling", "", "1 where low levels fail", 0.0, least=0.0, most=1.0),
        ),
        cautions,
        partial(highest_that_holds, unit=unit, what=what),
        what,
    )


JOBS: Final[tuple[CalibrationJob, ...]] = (
    CalibrationJob(
        "steps",
        "Extruder steps",
        "Heat to printing temperature, mark the filament, command a length slowly, and measure what went "
        "in. Feed five times or more: one reading cannot tell calibration from slip.",
        (
            Column("commanded", "mm", above_zero=True, says="length that was commanded"),
            Column("measured", "mm", above_zero=True, says="length that went in"),
        ),
        (
            Option(
                "old", "steps/mm", "the steps per mm that are set now", needed=True, most=1e6, lasts=False
            ),
            Option("full_steps", "", "full steps of a turn"),
            Option("microsteps", "", "microsteps of a full step"),
            Option("ratio", "", "gear ratio, motor turns for one turn of the drive"),
            Option("diameter", "mm", "effective diameter of the drive gear"),
        ),
        (HOT,),
        extruder_steps,
        "extruder steps",
    ),
    CalibrationJob(
        "flow-ceiling",
        "Flow ceiling",
        "Extrude the same length at rising flows, weigh each strand, and note where the extruder skips. "
        "Repeat flows near the ceiling.",
        (
            Column("setup", kind=Kind.TEXT, needed=False, says="hot end, nozzle or temperature"),
            Column("flow", "mm³/s", above_zero=True, says="commanded"),
            Column("expected_g", "g", above_zero=True, says="what the length weighs"),
            Column("weighed_g", "g", above_zero=True, says="what came out"),
            Column("skip", kind=Kind.YES, needed=False, says="whether it skipped"),
        ),
        (
            Option("limit", "%", "the shortfall that counts", 5.0, most=100.0),
            Option("width", "mm", "width of a line"),
            Option("height", "mm", "height of a layer"),
        ),
        (HOT,),
        flow_ceiling,
        "flow ceiling",
    ),
    CalibrationJob(
        "nozzle-wear",
        "Nozzle wear",
        "Extrude a strand into the air, let it cool, and measure it in three places; again after so many "
        "grams of abrasive filament. It swells, so that only its own first reading is a measure of it.",
        (
            Column("grams", "g", says="abrasive filament printed so far"),
            Column("strand_mm", "mm", above_zero=True, says="diameter of the strand"),
        ),
        (Option("limit", "mm", "the growth that counts as none", USUAL_LIMIT_MM, most=1.0),),
        (HOT, DUST),
        nozzle_wear,
        "nozzle wear",
    ),
    CalibrationJob(
        "sizes",
        "Sizes",
        "Measure outsides and holes of several lengths on each axis, and both diagonals of a square for "
        "its skew.",
        (
            Column("nominal", "mm", above_zero=True, says="as it should be"),
            Column("measured", "mm", above_zero=True, says="as it is"),
            Column("axis", kind=Kind.TEXT, needed=False, says="x, y or z; of diagonals a name for each"),
            Column("kind", kind=Kind.TEXT, needed=False, says="outside, hole or diagonal"),
        ),
        (),
        (),
        sizes,
        "sizes",
    ),
    CalibrationJob(
        "belts",
        "Belt tension",
        "Pluck the free span in its middle and read the note; three times or more on each belt.",
        (
            Column("axis", kind=Kind.TEXT, needed=False, says="which belt"),
            Column("frequency_hz", "Hz", above_zero=True, says="note of the plucked span"),
        ),
        (
            Option("span", "mm", "length of the free span", needed=True, most=1e5),
            Option("density", "g/m", "mass of a metre of belt", needed=True, most=1e5),
            Option("most", "N", "the maker’s limit"),
        ),
        (BELTS, EYES),
        belt_tension,
        "belt tension",
    ),
    CalibrationJob(
        "belt-waves",
        "Belt tension and waves",
        "Set the belts to three or more levels within the maker’s limit, pluck them, print flat faces at "
        "each, and grade their waves, twice or more.",
        (
            Column("level", kind=Kind.TEXT, says="such as slack, as found, tight"),
            Column("frequency_hz", "Hz", needed=False, above_zero=True, says="note of the plucked span"),
            Column("wave", kind=Kind.GRADE, needed=False, says="waves on a flat face, 0 none to 4 ruined"),
        ),
        (
            Option("span", "mm", "length of the free span", needed=True, most=1e5),
            Option("density", "g/m", "mass of a metre of belt", needed=True, most=1e5),
            Option("most", "N", "the maker’s limit"),
            Option(
                "margin", "grade steps", "how much worse still counts as good", MARGIN, least=0.0, most=4.0
            ),
        ),
        (BELTS, EYES),
        waves_by_tension,
        "belt tension",
    ),
    CalibrationJob(
        "ringing",
        "Ringing by hand",
        "Measure the distance between two echoes beside a sharp corner, away from it; say how fast the "
        "wall was printed.",
        (
            Column("distance_mm", "mm", needed=False, above_zero=True, says="from one echo to the next"),
            Column("frequency_hz", "Hz", needed=False, above_zero=True, says="where it was read as such"),
            Column("from_mm", "mm", needed=False, says="how far behind the corner the first echo lies"),
            Column("echo", needed=False, above_zero=True, says="1 for the first behind the corner"),
            Column("strength", needed=False, above_zero=True, says="of the echo, in any unit"),
            Column("axis", kind=Kind.TEXT, needed=False, says="which axis turned"),
            Column("place", kind=Kind.TEXT, needed=False, says="where on the plate"),
        ),
        (
            Option("speed", "mm/s", "the speed of the wall", most=1e5),
            Option("accel", "mm/s²", "the acceleration of the wall", most=1e7),
        ),
        (),
        ringing_by_hand,
        "ringing",
    ),
    _ladder(
        "retraction",
        "Retraction",
        "Print a comb at rising retractions, and grade the stringing of each level, twice or more.",
        "mm",
        "retraction",
        (HOT,),
    ),
    _ladder(
        "temperature",
        "Temperature ladder",
        "Print a piece at rising temperatures within the maker’s range, and grade each level, twice or more.",
        "°C",
        "nozzle temperature",
        (HOT, "Stay within the filament maker’s range; ventilate."),
    ),
    CalibrationJob(
        "layer-time",
        "Layer-time floor",
        "Print an overhang ladder at several layer times and fan settings, and read from which angle on it "
        "droops.",
        (
            Column("layer_time_s", "s", above_zero=True, says="time of a layer"),
            Column("fan", "%", needed=False, says="fan"),
            Column("onset_deg", "°", says="angle from upright from which on it droops"),
        ),
        (Option("angle", "°", "the angle that shall hold", needed=True, most=90.0),),
        (HOT,),
        layer_time_floor,
        "least layer time",
    ),
    CalibrationJob(
        "noise",
        "Noise and airflow",
        "Read noise and airflow of both set-ups at several settings, from the same place, with nothing "
        "else running.",
        (
            Column("setup", kind=Kind.TEXT, says="which"),
            Column("setting", kind=Kind.TEXT, needed=False, says="as set"),
            Column("noise_db", "dB", says="sound level"),
            Column("airflow", "", says="in any one unit"),
        ),
        (),
        (RATINGS,),
        equal_noise,
    ),
    CalibrationJob(
        "overhead",
        "Heat-up and homing",
        "Log what prints were predicted to take and took, short and long ones, from start to end.",
        (
            Column("predicted_min", "min", above_zero=True, says="by the slicer"),
            Column("measured_min", "min", above_zero=True, says="by the clock"),
        ),
        (Option("for", "min", "the predicted time of the print in question", most=1e5),),
        (),
        overhead,
    ),
    CalibrationJob(
        "purge-pairs",
        "Purge volumes",
        "Change from one colour to another with several volumes, and read the trace that is left: a grade, "
        "or ΔE.",
        (
            Column("from", kind=Kind.TEXT, says="colour before"),
            Column("to", kind=Kind.TEXT, says="colour after"),
            Column("volume", "mm³", above_zero=True, says="purged"),
            Column("trace", "", says="grade 0 to 4, or ΔE"),
        ),
        (
            Option("limit", "", "the trace that is still good", 1.0, least=0.0),
            Option("minimum", "mm³", "what the machine purges at least", 0.0, least=0.0),
        ),
        (HOT,),
        purge_pairs,
        "purge volumes",
    ),
    _limit(
        "fan-power",
        "Least fan power",
        "Lower the fan step by step until it does not start by itself any more; three tries at the limit.",
        "%",
        "fan power",
        (RATINGS,),
    ),
    _limit(
        "motor-skip",
        "Motor skip limit",
        "Raise speed or acceleration step by step until the motor skips; three tries at the limit.",
        "mm/s²",
        "the motor",
        (RATINGS, HOT),
    ),
    CalibrationJob(
        "filament",
        "Filament on a spool",
        "Weigh the spool, and the same spool when empty; measure the diameter in ten places a few metres "
        "apart.",
        (
            Column("spool_g", "g", needed=False, above_zero=True, says="spool and filament"),
            Column("core_g", "g", needed=False, above_zero=True, says="the empty spool"),
            Column("diameter_mm", "mm", needed=False, above_zero=True, says="of the filament"),
            Column("strand_g", "g", needed=False, above_zero=True, says="a cut length, weighed"),
            Column("strand_mm", "mm", needed=False, above_zero=True, says="how long it is"),
        ),
        (
            Option("density", "g/cm³", "the density of the filament", USUAL_DENSITY, most=25.0),
            Option("nominal", "mm", "the nominal diameter", 1.75, most=10.0),
        ),
        (),
        spool_left,
    ),
    CalibrationJob(
        "pull",
        "Pull and break",
        "Pull pieces of both arms in pairs and read the force (“>40” where the gauge ended); or hook two "
        "into one another and note which broke.",
        (
            Column("pair", kind=Kind.TEXT, needed=False, says="pieces pulled one after the other"),
            Column("arm", kind=Kind.TEXT, needed=False, says="which setting"),
            Column("force", "N", Kind.BOUNDED, needed=False, above_zero=True, says="at which it broke"),
            Column("broke", kind=Kind.TEXT, needed=False, says="arm of the piece that gave way"),
        ),
        (),
        (EYES,),
        pull_and_break,
    ),
    CalibrationJob(
        "fault",
        "Finding the fault",
        "Write down each print that you have, good or bad, with what it was made with; leave out what was "
        "never noted. Swap what is proposed, print, and write that down too.",
        (
            *(Column(name, kind=Kind.TEXT, needed=False, says=f"which {name}") for name in SUSPECTS),
            Column("came_out", kind=Kind.TEXT, says="good or bad"),
            Column("print_min", "min", needed=False, above_zero=True, says="what the print took"),
        ),
        tuple(
            Option(f"swap_{name}", "min", f"a swap of the {name} takes", minutes, least=0.0, most=1e4)
            for name, minutes in SUSPECTS.items()
        ),
        (HOT,),
        find_the_fault,
    ),
    CalibrationJob(
        "check",
        "Check of an instrument",
        "Read a check weight or a gauge block five times or more, putting it down anew each time; best "
        "near the low and the high end of what you measure with it.",
        (
            Column("standard", "", above_zero=True, says="what it is, by its mark or certificate"),
            Column("reading", "", says="what the instrument shows"),
        ),
        (
            Option("step", "", "the smallest step that it shows", least=0.0),
            Option("u", "", "standard uncertainty of the standard, from its certificate", least=0.0),
            Option("limit", "", "the error that may stand"),
        ),
        (),
        check_of_instrument,
        of_instrument=True,
    ),
    CalibrationJob(
        "instrument",
        "Instrument study",
        "Let two or three people read five to ten pieces two or three times each, without seeing what they "
        "read before.",
        (
            Column("piece", kind=Kind.TEXT, says="which piece"),
            Column("person", kind=Kind.TEXT, needed=False, says="who read it"),
            Column("reading", "", says="what was read"),
        ),
        (Option("margin", "", "the smallest difference that matters"),),
        (),
        instrument_study,
        of_instrument=True,
    ),
)
