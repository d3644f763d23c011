"""Sizes in pixels that follow the zoom of the window."""

from __future__ import annotations

from typing import Final

from PySide6.QtCore import QSize
from PySide6.QtWidgets import QAbstractButton, QWidget

from oddtwin.ui.theme import px

_SIZES: Final = "sizesAt100"
_FIXED, _LEAST, _MOST = "fixed", "least", "most"


def fix(widget: QWidget, width: int = 0, height: int = 0) -> None:
    """Fix the size of a widget, in pixels at 100 %; 0 leaves a side as it is."""
    _keep(widget, _FIXED, width, height)


def at_least(widget: QWidget, width: int = 0, height: int = 0) -> None:
    """Give a widget a least size, in pixels at 100 %; 0 leaves a side as it is."""
    _keep(widget, _LEAST, width, height)


def at_most(widget: QWidget, width: int) -> None:
    """Give a widget a greatest width, in pixels at 100 %."""
    _keep(widget, _MOST, width, 0)


def size_anew(root: QWidget) -> None:
    """Size everything below a widget for the zoom in force."""
    for widget in (root, *root.findChildren(QWidget)):
        for kind, (width, height) in (widget.property(_SIZES) or {}).items():
            _apply(widget, kind, width, height)
        if isinstance(widget, QAbstractButton) and widget.property("iconAt100"):
            side = px(widget.property("iconAt100"))
            widget.setIconSize(QSize(side, side))
        widget.updateGeometry()


def _keep(widget: QWidget, kind: str, width: int, height: int) -> None:
    kept = dict(widget.property(_SIZES) or {})
    before = kept.get(kind, (0, 0))
    kept[kind] = (width or before[0], height or before[1])
    widget.setProperty(_SIZES, kept)
    _apply(widget, kind, width, height)


def _apply(widget: QWidget, kind: str, width: int, height: int) -> None:
    sides = {
        _FIXED: (widget.setFixedWidth, widget.setFixedHeight),
        _LEAST: (widget.setMinimumWidth, widget.setMinimumHeight),
        _MOST: (widget.setMaximumWidth, widget.setMaximumHeight),
    }[kind]
    for set_side, length in zip(sides, (width, height), strict=True):
        if length:
            set_side(px(length))
