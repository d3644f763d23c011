"""The tables of a lab book.

Moments are ISO 8601 text with their offset from UTC, so that the log can keep rows as they are
and the same tables serve any database. ``position`` keeps the order that the user sees. Ids
are never given again, also not after the newest row was removed: the log speaks of rows by id.
"""

from __future__ import annotations

from typing import Final

from sqlalchemy import JSON, Boolean, Column, Float, Index, Integer, String, UniqueConstraint
from sqlalchemy import text as sql

from oddtwin.store.declaring import Table, amount, follows, key, metadata, of, outlives, position, text
from oddtwin.store.schema_looked import ANSWER, FAULT, MARK, PHOTOGRAPH, RIG, SESSION, THRESHOLD, VIEW

__all__ = ["ANSWER", "FAULT", "MARK", "PHOTOGRAPH", "RIG", "SESSION", "THRESHOLD", "VIEW", "metadata"]

BOOK = Table("book", key(), text("name"), text("created"), Column("head", Integer))

LOG = Table(
    "log",
    key(),
    text("at"),
    text("kind"),
    text("title"),
    Column("parent", Integer, index=True),
    Column("changes", JSON, nullable=False),
)

MACHINE = Table(
    "machine",
    key(),
    text("name"),
    amount("overhead_min"),
    amount("cost_per_h"),
    amount("power_w"),
    Column("motion", JSON, nullable=False, server_default="{}"),
)

MACHINE_CHANGE = Table(
    "machine_change",
    key(),
    of("machine"),
    text("at"),
    text("kind"),
    text("what"),
    text("before"),
    text("after"),
    text("note"),
    outlives("study_id", "study"),
    amount("minutes"),
    amount("cost"),
    amount("mass_g"),
    # That the mass moves with.
    text("axis"),
    text("way_back"),
    # What did not fit, and what was bent or bought.
    text("fitting"),
    # Of a numbered trial of a profile: open, kept, thrown away; or that it is frozen.
    text("round"),
    # Of what it disturbs, what was checked again already.
    Column("checked", JSON, nullable=False, server_default="[]"),
)

# Readings as typed from the first on; ``at`` is empty until it is finished, and the figures with it.
CALIBRATION = Table(
    "calibration",
    key(),
    outlives("machine_id", "machine"),
    text("job"),
    text("readings"),
    Column("options", JSON, nullable=False, server_default="{}"),
    text("begun"),
    text("at"),
    Column("value", Float),
    text("unit"),
    Column("low", Float),
    Column("high", Float),
    text("sentence"),
    text("by"),
    # What was checked, where it is an instrument.
    text("instrument"),
)

SPOOL = Table(
    "spool",
    key(),
    text("name"),
    amount("price_per_kg"),
    Column("left_g", Float),
    text("material"),
    Column("diameter_mm", Float),
    Column("density_g_cm3", Float),
    # When what is left was weighed, and when it was dried; empty where nobody said.
    text("weighed"),
    text("dried"),
    Column("abrasive", Boolean, nullable=False, server_default="0"),
)

# What prints are weighed in.
CONTAINER = Table("container", key(), text("name"), amount("tare_g"))

RATES = Table(
    "rates",
    key(),
    text("currency"),
    amount("energy_per_kwh"),
    amount("labour_per_h"),
    amount("hands_min"),
    amount("check_min"),
    text("weekdays"),
    text("weekend"),
    Column("overnight", Boolean, nullable=False, server_default="0"),
)

PIECE = Table(
    "piece",
    key(),
    text("name"),
    Column("zones", JSON, nullable=False),
    amount("minutes"),
    amount("part_g"),
    amount("waste_g"),
    Column("faults", JSON, nullable=False, server_default="[]"),
    Column("sizes", JSON, nullable=False, server_default="[]"),
)

ESTIMATE = Table(
    "estimate",
    key(),
    of("piece"),
    of("machine"),
    amount("minutes"),
    amount("part_g"),
    amount("waste_g"),
)

STUDY = Table(
    "study",
    key(),
    text("name"),
    text("question"),
    text("created"),
    text("decision"),
    text("decision_reason"),
    text("decided"),
    # Prices of that day; where the decision holds; when the baseline is to be printed again.
    Column("prices", JSON, nullable=False, server_default="{}"),
    text("condition"),
    text("verify_at"),
    amount("verify_hours"),
    # The effects that it found, as it was settled.
    Column("found", JSON, nullable=False, server_default="[]"),
    # What it goes on from.
    outlives("parent_id", "study"),
    # Apart by a comma and a blank.
    text("tags"),
)

# Who looked at what gives the arms or the verdict away, when, and whether the program had advised it.
LOOK = Table(
    "look",
    key(),
    of("study"),
    text("at"),
    text("who"),
    text("what"),
    Column("advised", Boolean, nullable=False, server_default="0"),
)

ARM = Table(
    "arm",
    key(),
    of("study"),
    text("name"),
    Column("is_baseline", Boolean, nullable=False),
    text("role"),
    # A control stands on the baseline's levels, or on the change's: the new part and the old mass.
    Column("of_change", Boolean, nullable=False, server_default="0"),
)

FACTOR = Table(
    "factor",
    key(),
    of("study"),
    position(),
    text("kind"),
    text("name"),
    text("disturbs"),
    # Otherwise it follows from kind and name, also after these are changed.
    Column("disturbs_by_hand", Boolean, nullable=False, server_default="0"),
)

LEVEL = Table(
    "level",
    key(),
    of("factor"),
    position(),
    text("value"),
    text("how"),
    text("way_back"),
    amount("minutes"),
    amount("cost"),
    amount("mass_g"),
)

ARM_LEVEL = Table("arm_level", key(), of("arm"), of("level"))

RESPONSE = Table(
    "response",
    key(),
    of("study"),
    position(),
    text("name"),
    text("unit"),
    text("kind"),
    text("combine"),
    text("better"),
    Column("target", Float),
    Column("margin", Float),
    Column("resolution", Float),
    Column("primary", Boolean, nullable=False),
    text("role"),
    Column("margin_moved", Boolean, nullable=False, server_default="0"),
    Column("noise_sd", Float),
    Column("noise_df", Float),
    # What a reading is of: the piece, its plate, or the machine.
    Column("subject", String, nullable=False, server_default="piece"),
    Column("words", JSON, nullable=False, server_default="[]"),
    Column("onset", Float),
    # What a print may come to and still hold, and whether it only must not get worse.
    Column("accept", Float),
    Column("guard", Boolean, nullable=False, server_default="0"),
    # Whether margin and noise are in percent of the baseline.
    Column("percent", Boolean, nullable=False, server_default="0"),
    text("instrument"),
    UniqueConstraint("study_id", "name"),
    # Finds the twins of other studies by the name of what was measured.
    Index("ix_response_name", "name"),
)

# Pieces that a response is for; all where there is none.
RESPONSE_PIECE = Table("response_piece", key(), of("response"), of("piece"))

HELD = Table("held", key(), of("study"), position(), text("text"))

PLAN = Table(
    "plan",
    key(),
    of("study"),
    Column("repeats", Integer, nullable=False),
    Column("twins", Integer, nullable=False),
    Column("seed", Integer, nullable=False),
    Column("order_version", Integer, nullable=False),
    Column("design", JSON, nullable=False, server_default="{}"),
    Column("spools", JSON, nullable=False, server_default="[]"),
    text("frozen"),
)

PLAN_MACHINE = Table("plan_machine", key(), of("plan"), of("machine"), position())

PLAN_PIECE = Table("plan_piece", key(), of("plan"), of("piece"), position())

BLOCK = Table(
    "block",
    key(),
    of("study"),
    position(),
    text("label"),
    of("machine", nullable=True),
    of("piece", nullable=True),
)

# One print job: one start, finish and file for all that lies on it.
PLATE = Table(
    "plate",
    key(),
    of("study"),
    text("started"),
    text("finished"),
    text("sha256"),
    # What happened while it printed, with time and height.
    Column("events", JSON, nullable=False, server_default="[]"),
    # Of the room as it was started.
    Column("temperature_c", Float),
    Column("humidity_pct", Float),
    Column("bed_cleaned", Boolean, nullable=False, server_default="0"),
)

RUN = Table(
    "run",
    key(),
    of("study"),
    position(),
    of("block"),
    of("arm"),
    of("plate"),
    text("code"),
    text("spool"),
    text("note"),
    text("set_aside"),
    # Why it failed, where the change is to blame: an outcome, and not a lost print.
    text("failed"),
    outlives("reprint_of", "run"),
    Column("place", Integer, nullable=False, server_default="0"),
    Column("turn_deg", Integer, nullable=False, server_default="0"),
    text("operator"),
    # Where the machine itself is what differs, the runs of one block stand on several.
    of("machine", nullable=True),
    UniqueConstraint("study_id", "code"),
    # Counts the runs of every study without reading them.
    Index("ix_run_standing", "study_id", "plate_id", "set_aside"),
    # Looking through ten years: codes without their rows, and of the rows those that say something.
    Index("ix_run_code", "code", "study_id"),
    Index("ix_run_said", "study_id", sqlite_where=sql("note <> '' OR set_aside <> '' OR failed <> ''")),
)

READING = Table(
    "reading",
    key(),
    of("run"),
    of("response"),
    Column("value", Float, nullable=False),
    text("zone"),
    text("waste"),
    Column("nominal", Float),
    # Empty for an exact value; otherwise which end of where it lies the value is.
    text("bound"),
    Column("high", Float),
    Column("out_of", Integer, nullable=False, server_default="1"),
    text("word"),
    Column("retake", Integer, nullable=False, server_default="0"),
    text("by"),
    text("instrument"),
    text("at"),
    Column("source", String, nullable=False, server_default="typed"),
    # Standard uncertainty, and photograph, region and method, where a reading was measured from one.
    Column("u", Float),
    text("evidence"),
    Index("ix_reading_run_response", "run_id", "response_id"),
)

DEVIATION = Table("deviation", key(), of("run"), text("text"))

RECHECK = Table("recheck", key(), of("run"), text("text"), text("at"), text("waived"))

SLOT = Table(
    "slot",
    key(),
    of("plate"),
    text("start"),
    text("end"),
    Column("pinned", Boolean, nullable=False, server_default="0"),
)

ARM_FILE = Table(
    "arm_file",
    key(),
    of("arm"),
    of("piece", nullable=True),
    text("sha256"),
    text("name"),
    Column("size", Integer, nullable=False, server_default="0"),
    Column("layers", Integer, nullable=False, server_default="0"),
    amount("filament_mm"),
    amount("waste_mm"),
    Column("waste_known", Boolean, nullable=False, server_default="1"),
    amount("volume_mm3"),
    amount("mass_g"),
)

# Seconds of moves and waits of a file on a machine.
PREDICTION = Table("prediction", key(), of("arm_file"), of("machine"), amount("seconds"))

TWIN_CHECK = Table(
    "twin_check",
    key(),
    of("study"),
    of("piece", nullable=True),
    text("at"),
    Column("result", JSON, nullable=False, server_default="{}"),
)

# What twins of one response differed on one machine and piece. It follows from the readings, goes
# with them, and is therefore neither edited nor logged.
NOISE = Table(
    "noise",
    key(),
    follows("study"),
    follows("response"),
    follows("machine"),
    follows("piece"),
    amount("squares"),
    amount("df"),
)

TABLES: Final = {table.name: table for table in metadata.sorted_tables if table is not NOISE}
