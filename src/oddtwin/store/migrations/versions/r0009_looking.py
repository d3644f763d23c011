"""Views, photographs, marks, blind sessions, thresholds of eyes, faults of the workshop, and its rig."""

from collections.abc import Mapping
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"


def _text(name: str, default: str = "") -> sa.Column[str]:
    return sa.Column(name, sa.String(), server_default=default, nullable=False)


def _count(name: str) -> sa.Column[int]:
    return sa.Column(name, sa.Integer(), server_default="0", nullable=False)


def _amount(name: str) -> sa.Column[float]:
    return sa.Column(name, sa.Float(), server_default="0", nullable=False)


def _maybe(name: str) -> sa.Column[float]:
    return sa.Column(name, sa.Float())


def _list(name: str) -> sa.Column[Any]:
    return sa.Column(name, sa.JSON(), server_default="[]", nullable=False)


def _new_table(name: str, parents: Mapping[str, bool], *columns: sa.Column[Any]) -> None:
    """Make a table below others; it outlives those that are marked so."""
    op.create_table(
        name,
        sa.Column("id", sa.Integer(), nullable=False),
        *(sa.Column(f"{parent}_id", sa.Integer(), nullable=outlives) for parent, outlives in parents.items()),
        *columns,
        *(
            sa.ForeignKeyConstraint(
                [f"{parent}_id"],
                [f"{parent}.id"],
                name=op.f(f"fk_{name}_{parent}_id"),
                ondelete="SET NULL" if outlives else None,
            )
            for parent, outlives in parents.items()
        ),
        sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{name}")),
        sqlite_autoincrement=True,
    )
    for parent in parents:
        op.create_index(op.f(f"ix_{name}_{parent}_id"), name, [f"{parent}_id"])


def upgrade() -> None:
    op.add_column("reading", _maybe("u"))
    op.add_column("reading", _text("evidence"))
    _new_table(
        "view",
        {"piece": False},
        _count("position"),
        *map(_text, ("face", "lamp", "zone")),
        _list("regions"),
        _list("ties"),
        _text("tied_on"),
    )
    _new_table(
        "photograph",
        {"run": False, "view": True},
        *map(_text, ("sha256", "name")),
        _count("retake"),
        _text("taken"),
        _maybe("exposure_s"),
        *map(_count, ("width", "height")),
        sa.Column("hdr", sa.Boolean(), server_default="0", nullable=False),
    )
    _new_table(
        "mark",
        {"run": False, "photograph": False},
        *map(_amount, ("x", "y")),
        _text("fault"),
        _count("grade"),
        *map(_text, ("zone", "note", "by", "at")),
    )
    _new_table(
        "session",
        {"study": False, "view": True, "response": True},
        *map(_text, ("design", "zone")),
        _list("judges"),
        _count("seed"),
        _text("question"),
        _count("break_after"),
        *map(_list, ("trials", "letters")),
        *map(
            _text, ("nonce", "commitment", "locked", "mixed_by", "created", "closed", "opened", "opened_by")
        ),
    )
    _new_table(
        "answer",
        {"session": False},
        _text("judge"),
        sa.Column("number", sa.Integer(), nullable=False),
        *map(_text, ("answer", "at")),
    )
    _new_table(
        "threshold",
        {},
        *map(_text, ("judge", "fault", "unit")),
        _amount("value"),
        *map(_maybe, ("low", "high")),
        _amount("lapse"),
        _count("trials"),
        *map(_text, ("screen", "at")),
    )
    _new_table("fault", {}, _count("position"), *map(_text, ("name", "code", "light")))
    _new_table(
        "rig",
        {},
        _text("page", "a4"),
        *map(_maybe, ("check_x_mm", "check_y_mm", "camera_mm", "exposure_s")),
        _text("lamps"),
    )
