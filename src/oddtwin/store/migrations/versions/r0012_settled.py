"""Decisions with their prices, where they hold and when they are verified; studies that go on from others."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"


def _text(name: str) -> sa.Column[str]:
    return sa.Column(name, sa.String(), server_default="", nullable=False)


def upgrade() -> None:
    op.add_column("study", sa.Column("prices", sa.JSON(), server_default="{}", nullable=False))
    op.add_column("study", _text("condition"))
    op.add_column("study", _text("verify_at"))
    op.add_column("study", sa.Column("found", sa.JSON(), server_default="[]", nullable=False))
    # SQLite adds a column with its link in place; to copy the table would touch what points at it.
    op.execute(
        "ALTER TABLE study ADD COLUMN parent_id INTEGER "
        "CONSTRAINT fk_study_parent_id REFERENCES study (id) ON DELETE SET NULL"
    )
    op.create_index(op.f("ix_study_parent_id"), "study", ["parent_id"])
