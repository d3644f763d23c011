"""Calibrations, with their readings as typed and what they came to; what happened while a plate printed."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"


def _text(name: str) -> sa.Column[str]:
    return sa.Column(name, sa.String(), server_default="", nullable=False)


def upgrade() -> None:
    op.create_table(
        "calibration",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("machine_id", sa.Integer()),
        _text("job"),
        _text("readings"),
        sa.Column("options", sa.JSON(), server_default="{}", nullable=False),
        _text("begun"),
        _text("at"),
        sa.Column("value", sa.Float()),
        _text("unit"),
        sa.Column("low", sa.Float()),
        sa.Column("high", sa.Float()),
        _text("sentence"),
        _text("by"),
        sa.ForeignKeyConstraint(
            ["machine_id"], ["machine.id"], name=op.f("fk_calibration_machine_id"), ondelete="SET NULL"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_calibration")),
        sqlite_autoincrement=True,
    )
    op.create_index(op.f("ix_calibration_machine_id"), "calibration", ["machine_id"])
    op.add_column("plate", sa.Column("events", sa.JSON(), server_default="[]", nullable=False))
