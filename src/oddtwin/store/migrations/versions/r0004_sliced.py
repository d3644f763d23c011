"""Sliced files of arms, twin checks, limits of machines, and filament of spools."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def _text(name: str) -> sa.Column[str]:
    return sa.Column(name, sa.String(), server_default="", nullable=False)


def _json(name: str) -> sa.Column[str]:
    return sa.Column(name, sa.JSON(), server_default="{}", nullable=False)


def _count(name: str) -> sa.Column[int]:
    return sa.Column(name, sa.Integer(), server_default="0", nullable=False)


def _amount(name: str) -> sa.Column[float]:
    return sa.Column(name, sa.Float(), server_default="0", nullable=False)


def _new_table(name: str, owner: str, *columns: sa.Column[str] | sa.Column[int] | sa.Column[float]) -> None:
    op.create_table(
        name,
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column(f"{owner}_id", sa.Integer(), nullable=False),
        sa.Column("piece_id", sa.Integer(), nullable=True),
        *columns,
        sa.ForeignKeyConstraint([f"{owner}_id"], [f"{owner}.id"], name=op.f(f"fk_{name}_{owner}_id")),
        sa.ForeignKeyConstraint(["piece_id"], ["piece.id"], name=op.f(f"fk_{name}_piece_id")),
        sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{name}")),
    )
    for parent in (owner, "piece"):
        op.create_index(op.f(f"ix_{name}_{parent}_id"), name, [f"{parent}_id"])


def upgrade() -> None:
    op.add_column("machine", _json("motion"))
    op.add_column("spool", sa.Column("diameter_mm", sa.Float()))
    op.add_column("spool", sa.Column("density_g_cm3", sa.Float()))
    op.add_column("run", _text("sha256"))
    figures = (
        _count("size"),
        _count("layers"),
        _amount("filament_mm"),
        _amount("waste_mm"),
        _json("seconds"),
    )
    _new_table("arm_file", "arm", _text("sha256"), _text("name"), *figures)
    _new_table("twin_check", "study", _text("at"), _json("result"))
