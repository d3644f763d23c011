"""Ids that are never given again, links as foreign keys and rows, moments with their offset, looks."""

import json
from datetime import datetime
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"

TABLES = (
    *("book", "log", "machine", "machine_change", "spool", "rates", "piece", "estimate", "study", "arm"),
    *("factor", "level", "arm_level", "response", "held", "plan", "block", "run", "reading", "deviation"),
    *("recheck", "slot", "arm_file", "twin_check"),
)

MOMENTS = (
    ("book", "created"),
    ("log", "at"),
    ("machine_change", "at"),
    ("study", "created"),
    ("study", "decided"),
    ("study", "verdict_seen"),
    ("plan", "frozen"),
    ("run", "started"),
    ("run", "finished"),
    ("recheck", "at"),
    ("slot", "start"),
    ("slot", "end"),
    ("twin_check", "at"),
)


def _text(name: str) -> sa.Column[str]:
    return sa.Column(name, sa.String(), server_default="", nullable=False)


def _flag(name: str) -> sa.Column[bool]:
    return sa.Column(name, sa.Boolean(), server_default="0", nullable=False)


def _new_table(name: str, parents: tuple[str, ...], *columns: sa.Column[Any]) -> None:
    op.create_table(
        name,
        sa.Column("id", sa.Integer(), nullable=False),
        *(sa.Column(f"{parent}_id", sa.Integer(), nullable=False) for parent in parents),
        *columns,
        *(
            sa.ForeignKeyConstraint([f"{parent}_id"], [f"{parent}.id"], name=op.f(f"fk_{name}_{parent}_id"))
            for parent in parents
        ),
        sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{name}")),
        sqlite_autoincrement=True,
    )
    for parent in parents:
        op.create_index(op.f(f"ix_{name}_{parent}_id"), name, [f"{parent}_id"])


def upgrade() -> None:
    _new_table("look", ("study",), _text("at"), _text("who"), _text("what"), _flag("advised"))
    for noun in ("machine", "piece"):
        place = sa.Column("position", sa.Integer(), server_default="0", nullable=False)
        _new_table(f"plan_{noun}", ("plan", noun), place)
    seconds = sa.Column("seconds", sa.Float(), server_default="0", nullable=False)
    _new_table("prediction", ("arm_file", "machine"), seconds)
    _links_to_rows()
    _drop_dead_links()
    for table in TABLES:
        _rebuild(table)
    for table, column in MOMENTS:
        _give_offsets(table, column)
    # What was looked at before is known by its moment only.
    op.execute(
        "INSERT INTO look (study_id, at, what) SELECT id, verdict_seen, 'verdict' FROM study "
        "WHERE verdict_seen <> ''"
    )
    op.execute("ALTER TABLE study DROP COLUMN verdict_seen")
    op.execute("UPDATE factor SET disturbs_by_hand = 1 WHERE disturbs <> ''")
    _never_again()
    # Edits made before this speak of columns that are gone, so undo reaches back to here only.
    op.execute("UPDATE book SET head = NULL")
    op.execute("UPDATE log SET parent = -1")


def _links_to_rows() -> None:
    """Ids inside JSON become rows; those of what is gone are dropped."""
    for noun in ("machine", "piece"):
        op.execute(
            f"INSERT INTO plan_{noun} (plan_id, {noun}_id, position) SELECT plan.id, value, key "
            f"FROM plan, json_each(plan.{noun}_ids) WHERE value IN (SELECT id FROM {noun})"
        )
    op.execute(
        "INSERT INTO prediction (arm_file_id, machine_id, seconds) SELECT arm_file.id, CAST(key AS INTEGER), "
        "value FROM arm_file, json_each(arm_file.seconds) "
        "WHERE CAST(key AS INTEGER) IN (SELECT id FROM machine)"
    )


def _drop_dead_links() -> None:
    op.execute("UPDATE machine_change SET study_id = NULL WHERE study_id NOT IN (SELECT id FROM study)")
    op.execute("UPDATE run SET reprint_of = NULL WHERE reprint_of NOT IN (SELECT id FROM run)")


def _rebuild(table: str) -> None:
    """SQLite can make a key AUTOINCREMENT, or a column a link, only in a table made anew."""
    with op.batch_alter_table(table, recreate="always", table_kwargs={"sqlite_autoincrement": True}) as batch:
        if table == "machine_change":
            batch.create_foreign_key(
                op.f("fk_machine_change_study_id"), "study", ["study_id"], ["id"], ondelete="SET NULL"
            )
        elif table == "run":
            batch.create_foreign_key(
                op.f("fk_run_reprint_of"), "run", ["reprint_of"], ["id"], ondelete="SET NULL"
            )
            batch.create_index(op.f("ix_run_reprint_of"), ["reprint_of"])
        elif table == "plan":
            batch.drop_column("machine_ids")
            batch.drop_column("piece_ids")
        elif table == "arm_file":
            batch.drop_column("seconds")
        elif table == "spool":
            batch.add_column(_text("material"))
        elif table == "factor":
            batch.add_column(_flag("disturbs_by_hand"))
        elif table == "arm":
            batch.add_column(_flag("of_change"))


def _give_offsets(table: str, column: str) -> None:
    """Moments were local time of the computer that wrote them: this one, as far as anyone can know."""
    connection = op.get_bind()
    rows = connection.execute(sa.text(f'SELECT id, "{column}" FROM "{table}" WHERE "{column}" <> \'\'')).all()
    moved = []
    for key, text in rows:
        try:
            moved.append(
                {"key": key, "text": datetime.fromisoformat(text).astimezone().isoformat(timespec="seconds")}
            )
        except (ValueError, OverflowError, OSError):
            # What is no moment is left as it stands, for the border that loads it to tell.
            continue
    if moved:
        connection.execute(sa.text(f'UPDATE "{table}" SET "{column}" = :text WHERE id = :key'), moved)


def _never_again() -> None:
    """Raise the counters above every id that the log speaks of, also of rows that are gone."""
    connection = op.get_bind()
    highest: dict[str, int] = {}
    for (changes,) in connection.execute(sa.text("SELECT changes FROM log")):
        for change in json.loads(changes):
            name = change["table"]
            highest[name] = max(highest.get(name, 0), int(change["id"]))
    for name in (*TABLES, "look", "plan_machine", "plan_piece", "prediction"):
        top = connection.execute(sa.text(f'SELECT coalesce(max(id), 0) FROM "{name}"')).scalar_one()
        connection.execute(sa.text("DELETE FROM sqlite_sequence WHERE name = :name"), {"name": name})
        connection.execute(
            sa.text("INSERT INTO sqlite_sequence (name, seq) VALUES (:name, :seq)"),
            {"name": name, "seq": max(top, highest.get(name, 0))},
        )
