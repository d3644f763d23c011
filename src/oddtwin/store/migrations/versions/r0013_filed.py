"""Tags of studies, verification after hours of printing, an index of the prints that say something."""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"


def upgrade() -> None:
    op.add_column("study", sa.Column("tags", sa.String(), server_default="", nullable=False))
    op.add_column("study", sa.Column("verify_hours", sa.Float(), server_default="0", nullable=False))
    op.create_index("ix_run_code", "run", ["code", "study_id"])
    op.create_index(
        "ix_run_said",
        "run",
        ["study_id"],
        sqlite_where=sa.text("note <> '' OR set_aside <> '' OR failed <> ''"),
    )
