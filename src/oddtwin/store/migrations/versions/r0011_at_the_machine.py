"""The room and the bed of a plate, containers, what spools are and were, fitting notes, rounds of tuning."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"


def _text(name: str) -> sa.Column[str]:
    return sa.Column(name, sa.String(), server_default="", nullable=False)


def _whether(name: str) -> sa.Column[bool]:
    return sa.Column(name, sa.Boolean(), server_default="0", nullable=False)


def upgrade() -> None:
    op.add_column("plate", sa.Column("temperature_c", sa.Float()))
    op.add_column("plate", sa.Column("humidity_pct", sa.Float()))
    op.add_column("plate", _whether("bed_cleaned"))
    op.add_column("spool", _text("weighed"))
    op.add_column("spool", _text("dried"))
    op.add_column("spool", _whether("abrasive"))
    op.add_column("machine_change", _text("axis"))
    op.add_column("machine_change", _text("fitting"))
    op.add_column("machine_change", _text("round"))
    op.add_column("machine_change", sa.Column("checked", sa.JSON(), server_default="[]", nullable=False))
    op.add_column("calibration", _text("instrument"))
    op.create_table(
        "container",
        sa.Column("id", sa.Integer(), nullable=False),
        _text("name"),
        sa.Column("tare_g", sa.Float(), server_default="0", nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_container")),
        sqlite_autoincrement=True,
    )
