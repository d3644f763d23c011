"""How tables are declared: ids that are never given again, texts, links, amounts."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Column, Float, ForeignKey, Integer, MetaData, String
from sqlalchemy import Table as _Table

metadata = MetaData(
    naming_convention={
        "ix": "ix_%(table_name)s_%(column_0_name)s",
        "uq": "uq_%(table_name)s_%(column_0_name)s",
        "fk": "fk_%(table_name)s_%(column_0_name)s",
        "pk": "pk_%(table_name)s",
    }
)


def Table(name: str, *parts: Any) -> _Table:
    """Declare a table whose ids are never given again."""
    return _Table(name, metadata, *parts, sqlite_autoincrement=True)


def key() -> Column[int]:
    """Declare the id."""
    return Column("id", Integer, primary_key=True)


def text(name: str, default: str | None = "") -> Column[str]:
    """Declare a text, empty by default."""
    return Column(name, String, nullable=default is None, server_default=default)


def of(table: str, nullable: bool = False) -> Column[int]:
    """Declare a link to the row that this one belongs to."""
    return Column(f"{table}_id", Integer, ForeignKey(f"{table}.id"), nullable=nullable, index=True)


def outlives(name: str, table: str) -> Column[int]:
    """A link to a row that may be removed without this one, which then points nowhere."""
    return Column(name, Integer, ForeignKey(f"{table}.id", ondelete="SET NULL"), index=True)


def follows(table: str) -> Column[int]:
    """A link to a row without which this one is nothing."""
    link = ForeignKey(f"{table}.id", ondelete="CASCADE")
    return Column(f"{table}_id", Integer, link, index=True)


def amount(name: str) -> Column[float]:
    """Declare a number, zero by default."""
    return Column(name, Float, nullable=False, server_default="0")


def position() -> Column[int]:
    """Declare the order that the user sees."""
    return Column("position", Integer, nullable=False, server_default="0")
