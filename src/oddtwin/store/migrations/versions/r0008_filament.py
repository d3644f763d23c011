"""Volume and mass of sliced files by the filament that they name, and whether they tell their waste."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    op.add_column("arm_file", sa.Column("waste_known", sa.Boolean(), server_default="1", nullable=False))
    for name in ("volume_mm3", "mass_g"):
        op.add_column("arm_file", sa.Column(name, sa.Float(), server_default="0", nullable=False))
