"""The colours of the product by what they mean; the window and the report share them.

Better and worse are teal and magenta, baseline and change indigo and orange: pairs that
stay apart for the common colour blindnesses and in grey print, and never carry a
meaning that a word or a shape does not carry too.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final


@dataclass(frozen=True, slots=True)
class Palette:
    """Colours as #rrggbb by their meaning."""

    paper: str
    surface: str
    sunken: str
    line: str
    edge: str
    ink: str
    muted: str
    accent: str
    on_accent: str
    accent_soft: str
    baseline: str
    change: str
    better: str
    worse: str
    neutral: str
    margin: str
    noise: str
    warning: str
    warning_soft: str

    def of(self, role: str) -> str:
        """Return the colour of a shape's role."""
        return str(getattr(self, role))


LIGHT: Final = Palette(
    paper="#f3f5f4",
    surface="#ffffff",
    sunken="#e6eae8",
    line="#c3cbc8",
    edge="#76857f",
    ink="#16201f",
    muted="#51605c",
    accent="#0b5a66",
    on_accent="#ffffff",
    accent_soft="#d9ebed",
    baseline="#2e3f86",
    change="#c4541a",
    better="#00737d",
    worse="#a3195b",
    neutral="#55636b",
    margin="#dbe4ee",
    noise="#8f7a2a",
    warning="#8a5a00",
    warning_soft="#fbf0d5",
)

DARK: Final = Palette(
    paper="#151a1b",
    surface="#1e2526",
    sunken="#0f1314",
    line="#414c4e",
    edge="#6f7f83",
    ink="#e9eeec",
    muted="#a6b3af",
    accent="#68c7d0",
    on_accent="#07282c",
    accent_soft="#1d3d42",
    baseline="#a3b6f5",
    change="#f2955f",
    better="#52cbcd",
    worse="#f380b4",
    neutral="#aab7be",
    margin="#2a3947",
    noise="#a8934a",
    warning="#f0c15c",
    warning_soft="#3a3018",
)
