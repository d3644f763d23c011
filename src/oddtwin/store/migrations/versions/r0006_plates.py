"""Plates, what a reading says of itself, kinds of response, and the noise of twins as rows."""

from itertools import groupby
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"


def _text(name: str, default: str = "") -> sa.Column[str]:
    return sa.Column(name, sa.String(), server_default=default, nullable=False)


def _count(name: str, default: str) -> sa.Column[int]:
    return sa.Column(name, sa.Integer(), server_default=default, nullable=False)


def _new_table(name: str, parents: tuple[str, ...], *columns: sa.Column[Any], follows: bool = False) -> None:
    """Make a table; one that follows from its parents goes with them."""
    op.create_table(
        name,
        sa.Column("id", sa.Integer(), nullable=False),
        *(sa.Column(f"{parent}_id", sa.Integer(), nullable=follows) for parent in parents),
        *columns,
        *(
            sa.ForeignKeyConstraint(
                [f"{parent}_id"],
                [f"{parent}.id"],
                name=op.f(f"fk_{name}_{parent}_id"),
                ondelete="CASCADE" if follows else None,
            )
            for parent in parents
        ),
        sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{name}")),
        sqlite_autoincrement=True,
    )
    for parent in parents:
        op.create_index(op.f(f"ix_{name}_{parent}_id"), name, [f"{parent}_id"])


def upgrade() -> None:
    _new_table("plate", ("study",), _text("started"), _text("finished"), _text("sha256"))
    _new_table("response_piece", ("response", "piece"))
    figures = [sa.Column(name, sa.Float(), server_default="0", nullable=False) for name in ("squares", "df")]
    _new_table("noise", ("study", "response", "machine", "piece"), *figures, follows=True)
    _kinds()
    _readings()
    _plates()
    # Edits made before this speak of columns that are gone, so undo reaches back to here only.
    op.execute("UPDATE book SET head = NULL")
    op.execute("UPDATE log SET parent = -1")


def _kinds() -> None:
    op.execute('ALTER TABLE response RENAME COLUMN "type" TO kind')
    op.add_column("response", _text("subject", "piece"))
    op.add_column("response", sa.Column("words", sa.JSON(), server_default="[]", nullable=False))
    op.add_column("response", sa.Column("onset", sa.Float()))
    op.add_column("response", _text("instrument"))
    op.execute("UPDATE response SET kind = 'quantity' WHERE kind = 'number'")


def _readings() -> None:
    op.add_column("reading", _text("waste"))
    op.add_column("reading", sa.Column("nominal", sa.Float()))
    op.add_column("reading", _text("bound"))
    op.add_column("reading", sa.Column("high", sa.Float()))
    op.add_column("reading", _count("out_of", "1"))
    op.add_column("reading", _text("word"))
    op.add_column("reading", _count("retake", "0"))
    for name in ("by", "instrument", "at"):
        op.add_column("reading", _text(name))
    op.add_column("reading", _text("source", "typed"))
    op.execute(
        "UPDATE reading SET waste = zone, zone = '' "
        "WHERE response_id IN (SELECT id FROM response WHERE role = 'waste')"
    )


def _plates() -> None:
    """Give every run a plate; prints of a block share one where copies did, and were stamped alike."""
    connection = op.get_bind()
    rows = connection.execute(
        sa.text(
            "SELECT run.id, run.study_id, run.block_id, run.machine_id, run.started, run.finished, "
            "run.sha256, coalesce(json_extract(plan.design, '$.copies'), 1) AS copies FROM run "
            "LEFT JOIN plan ON plan.study_id = run.study_id ORDER BY run.study_id, run.position, run.id"
        )
    ).all()
    plates: dict[tuple[Any, ...], list[Any]] = {}
    for row in rows:
        shared = row.copies is not None and row.copies > 1
        stamps = (row.started, row.finished, row.sha256)
        key = (row.study_id, row.block_id, row.machine_id, *stamps) if shared else (row.id,)
        plates.setdefault(key, []).append(row)
    op.add_column("run", sa.Column("plate_id", sa.Integer()))
    made, lying = [], []
    for number, group in enumerate(plates.values(), 1):
        first = group[0]
        given = {name: getattr(first, name) for name in ("started", "finished", "sha256")}
        made.append({"id": number, "study_id": first.study_id, **given})
        lying += [{"plate": number, "run": row.id} for row in group]
    if made:
        connection.execute(
            sa.text(
                "INSERT INTO plate (id, study_id, started, finished, sha256) "
                "VALUES (:id, :study_id, :started, :finished, :sha256)"
            ),
            made,
        )
        connection.execute(sa.text("UPDATE run SET plate_id = :plate WHERE id = :run"), lying)
    _drop_stamps()
    _slots(connection)
    # Minutes and waste are of the plate; where arms shared one, they were entered for each print.
    op.execute(
        "UPDATE response SET subject = 'plate' WHERE role IN ('time', 'waste') AND study_id NOT IN "
        "(SELECT study_id FROM run GROUP BY study_id HAVING count(*) > count(DISTINCT plate_id))"
    )


def _drop_stamps() -> None:
    connection = op.get_bind()
    counter = sa.text("SELECT seq FROM sqlite_sequence WHERE name = 'run'")
    highest = connection.execute(counter).scalar()
    op.drop_index("ix_run_standing", "run")
    with op.batch_alter_table("run", recreate="always", table_kwargs={"sqlite_autoincrement": True}) as batch:
        for name in ("started", "finished", "sha256"):
            batch.drop_column(name)
        batch.alter_column("plate_id", existing_type=sa.Integer(), nullable=False)
        batch.create_foreign_key(op.f("fk_run_plate_id"), "plate", ["plate_id"], ["id"])
    op.create_index(op.f("ix_run_plate_id"), "run", ["plate_id"])
    op.create_index("ix_run_standing", "run", ["study_id", "plate_id", "set_aside"])
    # A table made anew would give ids again that the log speaks of.
    connection.execute(
        sa.text("UPDATE sqlite_sequence SET seq = :seq WHERE name = 'run'"), {"seq": highest or 0}
    )


def _slots(connection: sa.Connection) -> None:
    """A plate has one slot: that of its first run."""
    rows = connection.execute(
        sa.text(
            'SELECT run.plate_id, slot.start, slot."end", slot.pinned FROM slot '
            "JOIN run ON run.id = slot.run_id ORDER BY run.plate_id, run.position"
        )
    ).all()
    op.drop_table("slot")
    moments = [_text(name) for name in ("start", "end")]
    pinned: sa.Column[bool] = sa.Column("pinned", sa.Boolean(), server_default="0", nullable=False)
    _new_table("slot", ("plate",), *moments, pinned)
    for plate, group in groupby(rows, key=lambda row: row.plate_id):
        first = next(group)
        connection.execute(
            sa.text(
                'INSERT INTO slot (plate_id, start, "end", pinned) VALUES (:plate, :start, :end, :pinned)'
            ),
            {"plate": plate, "start": first.start, "end": first.end, "pinned": first.pinned},
        )
