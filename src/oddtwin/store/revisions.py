"""Versions of the lab book's schema."""

from __future__ import annotations

from typing import Final

REVISIONS: Final = (
    "0001",
    "0002",
    "0003",
    "0004",
    "0005",
    "0006",
    "0007",
    "0008",
    "0009",
    "0010",
    "0011",
    "0012",
    "0013",
)
"""Schema revisions that this version knows, oldest first; the last one is current."""

APPLICATION_ID: Final = 0x0DD72173
"""Marks the SQLite file as a lab book."""
