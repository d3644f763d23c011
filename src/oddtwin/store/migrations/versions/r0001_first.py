"""The first schema."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "book",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), server_default="", nullable=False),
        sa.Column("created", sa.String(), server_default="", nullable=False),
        sa.Column("head", sa.Integer(), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_book")),
    )
    op.create_table(
        "log",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("at", sa.String(), server_default="", nullable=False),
        sa.Column("kind", sa.String(), server_default="", nullable=False),
        sa.Column("title", sa.String(), server_default="", nullable=False),
        sa.Column("parent", sa.Integer(), nullable=True),
        sa.Column("changes", sa.JSON(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_log")),
    )
    op.create_index(op.f("ix_log_parent"), "log", ["parent"], unique=False)
    op.create_table(
        "machine",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), server_default="", nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_machine")),
    )
    op.create_table(
        "piece",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), server_default="", nullable=False),
        sa.Column("zones", sa.JSON(), nullable=False),
        sa.Column("minutes", sa.Float(), server_default="0", nullable=False),
        sa.Column("part_g", sa.Float(), server_default="0", nullable=False),
        sa.Column("waste_g", sa.Float(), server_default="0", nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_piece")),
    )
    op.create_table(
        "study",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), server_default="", nullable=False),
        sa.Column("question", sa.String(), server_default="", nullable=False),
        sa.Column("created", sa.String(), server_default="", nullable=False),
        sa.Column("decision", sa.String(), server_default="", nullable=False),
        sa.Column("decision_reason", sa.String(), server_default="", nullable=False),
        sa.Column("decided", sa.String(), server_default="", nullable=False),
        sa.Column("verdict_seen", sa.String(), server_default="", nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_study")),
    )
    op.create_table(
        "arm",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("study_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), server_default="", nullable=False),
        sa.Column("is_baseline", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(["study_id"], ["study.id"], name=op.f("fk_arm_study_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_arm")),
    )
    op.create_index(op.f("ix_arm_study_id"), "arm", ["study_id"], unique=False)
    op.create_table(
        "block",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("study_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), server_default="0", nullable=False),
        sa.Column("label", sa.String(), server_default="", nullable=False),
        sa.Column("machine_id", sa.Integer(), nullable=True),
        sa.Column("piece_id", sa.Integer(), nullable=True),
        sa.ForeignKeyConstraint(["machine_id"], ["machine.id"], name=op.f("fk_block_machine_id")),
        sa.ForeignKeyConstraint(["piece_id"], ["piece.id"], name=op.f("fk_block_piece_id")),
        sa.ForeignKeyConstraint(["study_id"], ["study.id"], name=op.f("fk_block_study_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_block")),
    )
    op.create_index(op.f("ix_block_machine_id"), "block", ["machine_id"], unique=False)
    op.create_index(op.f("ix_block_piece_id"), "block", ["piece_id"], unique=False)
    op.create_index(op.f("ix_block_study_id"), "block", ["study_id"], unique=False)
    op.create_table(
        "factor",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("study_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), server_default="0", nullable=False),
        sa.Column("kind", sa.String(), server_default="", nullable=False),
        sa.Column("name", sa.String(), server_default="", nullable=False),
        sa.Column("baseline_level", sa.String(), server_default="", nullable=False),
        sa.Column("change_level", sa.String(), server_default="", nullable=False),
        sa.ForeignKeyConstraint(["study_id"], ["study.id"], name=op.f("fk_factor_study_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_factor")),
    )
    op.create_index(op.f("ix_factor_study_id"), "factor", ["study_id"], unique=False)
    op.create_table(
        "held",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("study_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), server_default="0", nullable=False),
        sa.Column("text", sa.String(), server_default="", nullable=False),
        sa.ForeignKeyConstraint(["study_id"], ["study.id"], name=op.f("fk_held_study_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_held")),
    )
    op.create_index(op.f("ix_held_study_id"), "held", ["study_id"], unique=False)
    op.create_table(
        "machine_change",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("machine_id", sa.Integer(), nullable=False),
        sa.Column("at", sa.String(), server_default="", nullable=False),
        sa.Column("kind", sa.String(), server_default="", nullable=False),
        sa.Column("what", sa.String(), server_default="", nullable=False),
        sa.Column("before", sa.String(), server_default="", nullable=False),
        sa.Column("after", sa.String(), server_default="", nullable=False),
        sa.Column("note", sa.String(), server_default="", nullable=False),
        sa.Column("study_id", sa.Integer(), nullable=True),
        sa.ForeignKeyConstraint(["machine_id"], ["machine.id"], name=op.f("fk_machine_change_machine_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_machine_change")),
    )
    op.create_index(op.f("ix_machine_change_machine_id"), "machine_change", ["machine_id"], unique=False)
    op.create_index(op.f("ix_machine_change_study_id"), "machine_change", ["study_id"], unique=False)
    op.create_table(
        "plan",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("study_id", sa.Integer(), nullable=False),
        sa.Column("pairs", sa.Integer(), nullable=False),
        sa.Column("twins", sa.Integer(), nullable=False),
        sa.Column("seed", sa.Integer(), nullable=False),
        sa.Column("order_version", sa.Integer(), nullable=False),
        sa.Column("machine_ids", sa.JSON(), nullable=False),
        sa.Column("piece_ids", sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(["study_id"], ["study.id"], name=op.f("fk_plan_study_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_plan")),
    )
    op.create_index(op.f("ix_plan_study_id"), "plan", ["study_id"], unique=False)
    op.create_table(
        "response",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("study_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), server_default="0", nullable=False),
        sa.Column("name", sa.String(), server_default="", nullable=False),
        sa.Column("unit", sa.String(), server_default="", nullable=False),
        sa.Column("type", sa.String(), server_default="", nullable=False),
        sa.Column("combine", sa.String(), server_default="", nullable=False),
        sa.Column("better", sa.String(), server_default="", nullable=False),
        sa.Column("target", sa.Float(), nullable=True),
        sa.Column("margin", sa.Float(), nullable=True),
        sa.Column("resolution", sa.Float(), nullable=True),
        sa.Column("primary", sa.Boolean(), nullable=False),
        sa.Column("role", sa.String(), server_default="", nullable=False),
        sa.Column("margin_moved", sa.Boolean(), server_default="0", nullable=False),
        sa.ForeignKeyConstraint(["study_id"], ["study.id"], name=op.f("fk_response_study_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_response")),
        sa.UniqueConstraint("study_id", "name", name=op.f("uq_response_study_id")),
    )
    op.create_index(op.f("ix_response_study_id"), "response", ["study_id"], unique=False)
    op.create_table(
        "run",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("study_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), server_default="0", nullable=False),
        sa.Column("block_id", sa.Integer(), nullable=False),
        sa.Column("arm_id", sa.Integer(), nullable=False),
        sa.Column("code", sa.String(), server_default="", nullable=False),
        sa.Column("started", sa.String(), server_default="", nullable=False),
        sa.Column("finished", sa.String(), server_default="", nullable=False),
        sa.Column("spool", sa.String(), server_default="", nullable=False),
        sa.Column("note", sa.String(), server_default="", nullable=False),
        sa.Column("set_aside", sa.String(), server_default="", nullable=False),
        sa.Column("reprint_of", sa.Integer(), nullable=True),
        sa.ForeignKeyConstraint(["arm_id"], ["arm.id"], name=op.f("fk_run_arm_id")),
        sa.ForeignKeyConstraint(["block_id"], ["block.id"], name=op.f("fk_run_block_id")),
        sa.ForeignKeyConstraint(["study_id"], ["study.id"], name=op.f("fk_run_study_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_run")),
        sa.UniqueConstraint("study_id", "code", name=op.f("uq_run_study_id")),
    )
    op.create_index(op.f("ix_run_arm_id"), "run", ["arm_id"], unique=False)
    op.create_index(op.f("ix_run_block_id"), "run", ["block_id"], unique=False)
    op.create_index(op.f("ix_run_study_id"), "run", ["study_id"], unique=False)
    op.create_table(
        "deviation",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("text", sa.String(), server_default="", nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_deviation_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_deviation")),
    )
    op.create_index(op.f("ix_deviation_run_id"), "deviation", ["run_id"], unique=False)
    op.create_table(
        "reading",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("response_id", sa.Integer(), nullable=False),
        sa.Column("zone", sa.String(), server_default="", nullable=False),
        sa.Column("value", sa.Float(), nullable=False),
        sa.ForeignKeyConstraint(["response_id"], ["response.id"], name=op.f("fk_reading_response_id")),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_reading_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_reading")),
    )
    op.create_index(op.f("ix_reading_response_id"), "reading", ["response_id"], unique=False)
    op.create_index(op.f("ix_reading_run_id"), "reading", ["run_id"], unique=False)
    op.create_index("ix_reading_run_response", "reading", ["run_id", "response_id"], unique=False)
