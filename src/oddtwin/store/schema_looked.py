"""The tables of what is looked at: views, photographs, marks, blind sessions, eyes, faults, the rig."""

from __future__ import annotations

from sqlalchemy import JSON, Boolean, Column, Float, Integer, String

from oddtwin.store.declaring import Table, amount, key, of, outlives, position, text

# What is photographed of a piece: a face under a lamp, and what is measured of it.
VIEW = Table(
    "view",
    key(),
    of("piece"),
    position(),
    text("face"),
    text("lamp"),
    text("zone"),
    Column("regions", JSON, nullable=False, server_default="[]"),
    # Three corners of the face in the model, and on which photograph they lie.
    Column("ties", JSON, nullable=False, server_default="[]"),
    text("tied_on"),
)

# A photograph of a print; its content lies under its hash in the folder of photographs.
PHOTOGRAPH = Table(
    "photograph",
    key(),
    of("run"),
    outlives("view_id", "view"),
    text("sha256"),
    text("name"),
    Column("retake", Integer, nullable=False, server_default="0"),
    text("taken"),
    Column("exposure_s", Float),
    Column("width", Integer, nullable=False, server_default="0"),
    Column("height", Integer, nullable=False, server_default="0"),
    Column("hdr", Boolean, nullable=False, server_default="0"),
)

MARK = Table(
    "mark",
    key(),
    of("run"),
    of("photograph"),
    amount("x"),
    amount("y"),
    text("fault"),
    Column("grade", Integer, nullable=False, server_default="0"),
    text("zone"),
    text("note"),
    text("by"),
    text("at"),
)

# A sitting of blind judging, with its trials and the key that it was committed to.
SESSION = Table(
    "session",
    key(),
    of("study"),
    text("design"),
    outlives("view_id", "view"),
    outlives("response_id", "response"),
    text("zone"),
    Column("judges", JSON, nullable=False, server_default="[]"),
    Column("seed", Integer, nullable=False, server_default="0"),
    text("question"),
    Column("break_after", Integer, nullable=False, server_default="0"),
    Column("trials", JSON, nullable=False, server_default="[]"),
    Column("letters", JSON, nullable=False, server_default="[]"),
    text("nonce"),
    text("commitment"),
    text("locked"),
    text("mixed_by"),
    text("created"),
    text("closed"),
    text("opened"),
    text("opened_by"),
)

ANSWER = Table(
    "answer",
    key(),
    of("session"),
    text("judge"),
    Column("number", Integer, nullable=False),
    text("answer"),
    text("at"),
)

# The smallest fault that a judge sees at their screen, by fault.
THRESHOLD = Table(
    "threshold",
    key(),
    text("judge"),
    text("fault"),
    text("unit"),
    amount("value"),
    Column("low", Float),
    Column("high", Float),
    amount("lapse"),
    Column("trials", Integer, nullable=False, server_default="0"),
    text("screen"),
    text("at"),
)

# What the workshop calls its faults, by which code, and which light shows them.
FAULT = Table("fault", key(), position(), text("name"), text("code"), text("light"))

# How photographs are taken: over which sheet, from how far, how long, with the lamp where.
RIG = Table(
    "rig",
    key(),
    Column("page", String, nullable=False, server_default="a4"),
    Column("check_x_mm", Float),
    Column("check_y_mm", Float),
    Column("camera_mm", Float),
    Column("exposure_s", Float),
    text("lamps"),
)
