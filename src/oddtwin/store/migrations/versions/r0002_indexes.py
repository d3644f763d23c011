"""Indexes for the list of studies and for borrowed noise."""

from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.create_index("ix_run_standing", "run", ["study_id", "finished", "set_aside"])
    op.create_index("ix_response_name", "response", ["name"])
