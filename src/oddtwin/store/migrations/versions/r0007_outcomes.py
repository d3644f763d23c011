"""Prints that failed because of the change, absolute limits, and responses that must not get worse."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    op.add_column("run", sa.Column("failed", sa.String(), server_default="", nullable=False))
    op.add_column("response", sa.Column("accept", sa.Float()))
    for name in ("guard", "percent"):
        op.add_column("response", sa.Column(name, sa.Boolean(), server_default="0", nullable=False))
