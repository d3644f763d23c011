"""The tables of a lab book.

Moments are ISO 8601 text with their offset from UTC, so that the log can keep rows as they are
and the same tables serve any database. ``position`` keeps the order that the user sees. Ids
are never given again, also not after the newest row was removed: the log speaks of rows by id.
"""

from __future__ import annotations

from typing import Any, Final

from sqlalchemy import (
    JSON,
    Boolean,
    Column,
    Float,
    ForeignKey,
    Index,
    Integer,
    MetaData,
    String,
    UniqueConstraint,
)
from sqlalchemy import Table as _Table

metadata = MetaData(
    naming_convention={
        "ix": "ix_%(table_name)s_%(column_0_name)s",
        "uq": "uq_%(table_name)s_%(column_0_name)s",
        "fk": "fk_%(table_name)s_%(column_0_name)s",
        "pk": "pk_%(table_name)s",
    }
)


def Table(name: str, *parts: Any) -> _Table:
    """Declare a table whose ids are never given again."""
    return _Table(name, metadata, *parts, sqlite_autoincrement=True)


def _key() -> Column[int]:
    return Column("id", Integer, primary_key=True)


def _text(name: str, default: str | None = "") -> Column[str]:
    return Column(name, String, nullable=default is None, server_default=default)


def _of(table: str, nullable: bool = False) -> Column[int]:
    return Column(f"{table}_id", Integer, ForeignKey(f"{table}.id"), nullable=nullable, index=True)


def _outlives(name: str, table: str) -> Column[int]:
    """A link to a row that may be removed without this one, which then points nowhere."""
    return Column(name, Integer, ForeignKey(f"{table}.id", ondelete="SET NULL"), index=True)


def _follows(table: str) -> Column[int]:
    """A link to a row without which this one is nothing."""
    link = ForeignKey(f"{table}.id", ondelete="CASCADE")
    return Column(f"{table}_id", Integer, link, index=True)


def _amount(name: str) -> Column[float]:
    return Column(name, Float, nullable=False, server_default="0")


def _position() -> Column[int]:
    return Column("position", Integer, nullable=False, server_default="0")


BOOK = Table("book", _key(), _text("name"), _text("created"), Column("head", Integer))

LOG = Table(
    "log",
    _key(),
    _text("at"),
    _text("kind"),
    _text("title"),
    Column("parent", Integer, index=True),
    Column("changes", JSON, nullable=False),
)

MACHINE = Table(
    "machine",
    _key(),
    _text("name"),
    _amount("overhead_min"),
    _amount("cost_per_h"),
    _amount("power_w"),
    Column("motion", JSON, nullable=False, server_default="{}"),
)

MACHINE_CHANGE = Table(
    "machine_change",
    _key(),
    _of("machine"),
    _text("at"),
    _text("kind"),
    _text("what"),
    _text("before"),
    _text("after"),
    _text("note"),
    _outlives("study_id", "study"),
    _amount("minutes"),
    _amount("cost"),
    _amount("mass_g"),
    _text("way_back"),
)

SPOOL = Table(
    "spool",
    _key(),
    _text("name"),
    _amount("price_per_kg"),
    Column("left_g", Float),
    _text("material"),
    Column("diameter_mm", Float),
    Column("density_g_cm3", Float),
)

RATES = Table(
    "rates",
    _key(),
    _text("currency"),
    _amount("energy_per_kwh"),
    _amount("labour_per_h"),
    _amount("hands_min"),
    _amount("check_min"),
    _text("weekdays"),
    _text("weekend"),
    Column("overnight", Boolean, nullable=False, server_default="0"),
)

PIECE = Table(
    "piece",
    _key(),
    _text("name"),
    Column("zones", JSON, nullable=False),
    _amount("minutes"),
    _amount("part_g"),
    _amount("waste_g"),
    Column("faults", JSON, nullable=False, server_default="[]"),
    Column("sizes", JSON, nullable=False, server_default="[]"),
)

# What is photographed of a piece: a face under a lamp, and what is measured of it.
VIEW = Table(
    "view",
    _key(),
    _of("piece"),
    _position(),
    _text("face"),
    _text("lamp"),
    _text("zone"),
    Column("regions", JSON, nullable=False, server_default="[]"),
)

ESTIMATE = Table(
    "estimate",
    _key(),
    _of("piece"),
    _of("machine"),
    _amount("minutes"),
    _amount("part_g"),
    _amount("waste_g"),
)

STUDY = Table(
    "study",
    _key(),
    _text("name"),
    _text("question"),
    _text("created"),
    _text("decision"),
    _text("decision_reason"),
    _text("decided"),
)

# Who looked at what gives the arms or the verdict away, when, and whether the program had advised it.
LOOK = Table(
    "look",
    _key(),
    _of("study"),
    _text("at"),
    _text("who"),
    _text("what"),
    Column("advised", Boolean, nullable=False, server_default="0"),
)

ARM = Table(
    "arm",
    _key(),
    _of("study"),
    _text("name"),
    Column("is_baseline", Boolean, nullable=False),
    _text("role"),
    # A control stands on the baseline's levels, or on the change's: the new part and the old mass.
    Column("of_change", Boolean, nullable=False, server_default="0"),
)

FACTOR = Table(
    "factor",
    _key(),
    _of("study"),
    _position(),
    _text("kind"),
    _text("name"),
    _text("disturbs"),
    # Otherwise it follows from kind and name, also after these are changed.
    Column("disturbs_by_hand", Boolean, nullable=False, server_default="0"),
)

LEVEL = Table(
    "level",
    _key(),
    _of("factor"),
    _position(),
    _text("value"),
    _text("how"),
    _text("way_back"),
    _amount("minutes"),
    _amount("cost"),
    _amount("mass_g"),
)

ARM_LEVEL = Table("arm_level", _key(), _of("arm"), _of("level"))

RESPONSE = Table(
    "response",
    _key(),
    _of("study"),
    _position(),
    _text("name"),
    _text("unit"),
    _text("kind"),
    _text("combine"),
    _text("better"),
    Column("target", Float),
    Column("margin", Float),
    Column("resolution", Float),
    Column("primary", Boolean, nullable=False),
    _text("role"),
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
    _text("instrument"),
    UniqueConstraint("study_id", "name"),
    # Finds the twins of other studies by the name of what was measured.
    Index("ix_response_name", "name"),
)

# Pieces that a response is for; all where there is none.
RESPONSE_PIECE = Table("response_piece", _key(), _of("response"), _of("piece"))

HELD = Table("held", _key(), _of("study"), _position(), _text("text"))

PLAN = Table(
    "plan",
    _key(),
    _of("study"),
    Column("repeats", Integer, nullable=False),
    Column("twins", Integer, nullable=False),
    Column("seed", Integer, nullable=False),
    Column("order_version", Integer, nullable=False),
    Column("design", JSON, nullable=False, server_default="{}"),
    Column("spools", JSON, nullable=False, server_default="[]"),
    _text("frozen"),
)

PLAN_MACHINE = Table("plan_machine", _key(), _of("plan"), _of("machine"), _position())

PLAN_PIECE = Table("plan_piece", _key(), _of("plan"), _of("piece"), _position())

BLOCK = Table(
    "block",
    _key(),
    _of("study"),
    _position(),
    _text("label"),
    _of("machine", nullable=True),
    _of("piece", nullable=True),
)

# One print job: one start, finish and file for all that lies on it.
PLATE = Table(
    "plate",
    _key(),
    _of("study"),
    _text("started"),
    _text("finished"),
    _text("sha256"),
)

RUN = Table(
    "run",
    _key(),
    _of("study"),
    _position(),
    _of("block"),
    _of("arm"),
    _of("plate"),
    _text("code"),
    _text("spool"),
    _text("note"),
    _text("set_aside"),
    # Why it failed, where the change is to blame: an outcome, and not a lost print.
    _text("failed"),
    _outlives("reprint_of", "run"),
    Column("place", Integer, nullable=False, server_default="0"),
    Column("turn_deg", Integer, nullable=False, server_default="0"),
    _text("operator"),
    # Where the machine itself is what differs, the runs of one block stand on several.
    _of("machine", nullable=True),
    UniqueConstraint("study_id", "code"),
    # Counts the runs of every study without reading them.
    Index("ix_run_standing", "study_id", "plate_id", "set_aside"),
)

READING = Table(
    "reading",
    _key(),
    _of("run"),
    _of("response"),
    Column("value", Float, nullable=False),
    _text("zone"),
    _text("waste"),
    Column("nominal", Float),
    # Empty for an exact value; otherwise which end of where it lies the value is.
    _text("bound"),
    Column("high", Float),
    Column("out_of", Integer, nullable=False, server_default="1"),
    _text("word"),
    Column("retake", Integer, nullable=False, server_default="0"),
    _text("by"),
    _text("instrument"),
    _text("at"),
    Column("source", String, nullable=False, server_default="typed"),
    # Standard uncertainty, and photograph, region and method, where a reading was measured from one.
    Column("u", Float),
    _text("evidence"),
    Index("ix_reading_run_response", "run_id", "response_id"),
)

DEVIATION = Table("deviation", _key(), _of("run"), _text("text"))

RECHECK = Table("recheck", _key(), _of("run"), _text("text"), _text("at"), _text("waived"))

SLOT = Table(
    "slot",
    _key(),
    _of("plate"),
    _text("start"),
    _text("end"),
    Column("pinned", Boolean, nullable=False, server_default="0"),
)

ARM_FILE = Table(
    "arm_file",
    _key(),
    _of("arm"),
    _of("piece", nullable=True),
    _text("sha256"),
    _text("name"),
    Column("size", Integer, nullable=False, server_default="0"),
    Column("layers", Integer, nullable=False, server_default="0"),
    _amount("filament_mm"),
    _amount("waste_mm"),
    Column("waste_known", Boolean, nullable=False, server_default="1"),
    _amount("volume_mm3"),
    _amount("mass_g"),
)

# Seconds of moves and waits of a file on a machine.
PREDICTION = Table("prediction", _key(), _of("arm_file"), _of("machine"), _amount("seconds"))

TWIN_CHECK = Table(
    "twin_check",
    _key(),
    _of("study"),
    _of("piece", nullable=True),
    _text("at"),
    Column("result", JSON, nullable=False, server_default="{}"),
)

# A photograph of a print; its content lies under its hash in the folder of photographs.
PHOTOGRAPH = Table(
    "photograph",
    _key(),
    _of("run"),
    _outlives("view_id", "view"),
    _text("sha256"),
    _text("name"),
    Column("retake", Integer, nullable=False, server_default="0"),
    _text("taken"),
    Column("exposure_s", Float),
    Column("width", Integer, nullable=False, server_default="0"),
    Column("height", Integer, nullable=False, server_default="0"),
    Column("hdr", Boolean, nullable=False, server_default="0"),
)

MARK = Table(
    "mark",
    _key(),
    _of("run"),
    _of("photograph"),
    _amount("x"),
    _amount("y"),
    _text("fault"),
    Column("grade", Integer, nullable=False, server_default="0"),
    _text("zone"),
    _text("note"),
    _text("by"),
    _text("at"),
)

# A sitting of blind judging, with its trials and the key that it was committed to.
SESSION = Table(
    "session",
    _key(),
    _of("study"),
    _text("design"),
    _outlives("view_id", "view"),
    _outlives("response_id", "response"),
    _text("zone"),
    Column("judges", JSON, nullable=False, server_default="[]"),
    Column("seed", Integer, nullable=False, server_default="0"),
    _text("question"),
    Column("break_after", Integer, nullable=False, server_default="0"),
    Column("trials", JSON, nullable=False, server_default="[]"),
    Column("letters", JSON, nullable=False, server_default="[]"),
    _text("nonce"),
    _text("commitment"),
    _text("locked"),
    _text("mixed_by"),
    _text("created"),
    _text("closed"),
    _text("opened"),
    _text("opened_by"),
)

ANSWER = Table(
    "answer",
    _key(),
    _of("session"),
    _text("judge"),
    Column("number", Integer, nullable=False),
    _text("answer"),
    _text("at"),
)

# The smallest fault that a judge sees at their screen, by fault.
THRESHOLD = Table(
    "threshold",
    _key(),
    _text("judge"),
    _text("fault"),
    _text("unit"),
    _amount("value"),
    Column("low", Float),
    Column("high", Float),
    _amount("lapse"),
    Column("trials", Integer, nullable=False, server_default="0"),
    _text("screen"),
    _text("at"),
)

# What the workshop calls its faults, by which code, and which light shows them.
FAULT = Table("fault", _key(), _position(), _text("name"), _text("code"), _text("light"))

# How photographs are taken: over which sheet, from how far, how long, with the lamp where.
RIG = Table(
    "rig",
    _key(),
    Column("page", String, nullable=False, server_default="a4"),
    Column("check_x_mm", Float),
    Column("check_y_mm", Float),
    Column("camera_mm", Float),
    Column("exposure_s", Float),
    _text("lamps"),
)

# What twins of one response differed on one machine and piece. It follows from the readings, goes
# with them, and is therefore neither edited nor logged.
NOISE = Table(
    "noise",
    _key(),
    _follows("study"),
    _follows("response"),
    _follows("machine"),
    _follows("piece"),
    _amount("squares"),
    _amount("df"),
)

TABLES: Final = {table.name: table for table in metadata.sorted_tables if table is not NOISE}
