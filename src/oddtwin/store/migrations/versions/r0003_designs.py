"""Levels of factors, arms of any design, the workshop's figures, checks and slots."""

from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def _amount(name: str) -> sa.Column[float]:
    return sa.Column(name, sa.Float(), server_default="0", nullable=False)


def _text(name: str) -> sa.Column[str]:
    return sa.Column(name, sa.String(), server_default="", nullable=False)


def _json(name: str, default: str) -> sa.Column[str]:
    return sa.Column(name, sa.JSON(), server_default=default, nullable=False)


def _count(name: str) -> sa.Column[int]:
    return sa.Column(name, sa.Integer(), server_default="0", nullable=False)


def _flag(name: str) -> sa.Column[bool]:
    return sa.Column(name, sa.Boolean(), server_default="0", nullable=False)


def _new_table(name: str, parents: tuple[str, ...], *columns: sa.Column[Any]) -> None:
    links = [sa.Column(f"{parent}_id", sa.Integer(), nullable=False) for parent in parents]
    keys = [
        sa.ForeignKeyConstraint([f"{parent}_id"], [f"{parent}.id"], name=op.f(f"fk_{name}_{parent}_id"))
        for parent in parents
    ]
    key = sa.Column("id", sa.Integer(), nullable=False)
    op.create_table(
        name, key, *links, *columns, *keys, sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{name}"))
    )
    for parent in parents:
        op.create_index(op.f(f"ix_{name}_{parent}_id"), name, [f"{parent}_id"])


def upgrade() -> None:
    more: dict[str, list[sa.Column[Any]]] = {
        "machine": [_amount("overhead_min"), _amount("cost_per_h"), _amount("power_w")],
        "machine_change": [_amount("minutes"), _amount("cost"), _amount("mass_g"), _text("way_back")],
        "piece": [_json("faults", "[]"), _json("sizes", "[]")],
        "arm": [_text("role")],
        "factor": [_text("disturbs")],
        "plan": [_json("design", "{}"), _json("spools", "[]"), _text("frozen")],
        "response": [sa.Column("noise_sd", sa.Float()), sa.Column("noise_df", sa.Float())],
        "run": [_count("place"), _count("turn_deg"), _text("operator")],
    }
    for table, columns in more.items():
        for column in columns:
            op.add_column(table, column)
    op.execute("ALTER TABLE run ADD COLUMN machine_id INTEGER REFERENCES machine (id)")
    op.create_index(op.f("ix_run_machine_id"), "run", ["machine_id"])
    op.execute("ALTER TABLE plan RENAME COLUMN pairs TO repeats")
    _new_table("spool", (), _text("name"), _amount("price_per_kg"), sa.Column("left_g", sa.Float()))
    _new_table(
        "rates",
        (),
        _text("currency"),
        _amount("energy_per_kwh"),
        _amount("labour_per_h"),
        _amount("hands_min"),
        _amount("check_min"),
        _text("weekdays"),
        _text("weekend"),
        _flag("overnight"),
    )
    takes = (_amount("minutes"), _amount("part_g"), _amount("waste_g"))
    _new_table("estimate", ("piece", "machine"), *takes)
    _new_table(
        "level",
        ("factor",),
        _count("position"),
        _text("value"),
        _text("how"),
        _text("way_back"),
        _amount("minutes"),
        _amount("cost"),
        _amount("mass_g"),
    )
    _new_table("arm_level", ("arm", "level"))
    _new_table("recheck", ("run",), _text("text"), _text("at"), _text("waived"))
    _new_table("slot", ("run",), _text("start"), _text("end"), _flag("pinned"))
    _move_levels()
    # Edits made before this speak of columns that are gone, so undo reaches back to here only.
    op.execute("UPDATE book SET head = NULL")
    op.execute("UPDATE log SET parent = -1")


def _move_levels() -> None:
    """Two levels were columns of their factor; they become rows, and the arms name theirs."""
    for position, column, baseline in ((0, "baseline_level", 1), (1, "change_level", 0)):
        op.execute(
            f"INSERT INTO level (factor_id, position, value) SELECT id, {position}, {column} FROM factor"
        )
        op.execute(
            "INSERT INTO arm_level (arm_id, level_id) SELECT arm.id, level.id FROM arm "
            "JOIN factor ON factor.study_id = arm.study_id JOIN level ON level.factor_id = factor.id "
            f"WHERE level.position = {position} AND arm.is_baseline = {baseline}"
        )
        op.execute(f"ALTER TABLE factor DROP COLUMN {column}")
