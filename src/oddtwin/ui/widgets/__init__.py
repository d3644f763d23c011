"""Widgets that several screens share."""

from oddtwin.ui.widgets.drawing import DrawingView, paint
from oddtwin.ui.widgets.fields import LineField, QuantityField, TextField
from oddtwin.ui.widgets.grade import GradeField
from oddtwin.ui.widgets.parts import (
    ElidedLabel,
    Page,
    button,
    card,
    choose,
    clear,
    column_label,
    heading,
    icon_button,
    label,
    row,
    set_quietly,
    spin_box,
)
from oddtwin.ui.widgets.table import fill_table, plain_table

__all__ = [
    "DrawingView",
    "ElidedLabel",
    "GradeField",
    "LineField",
    "Page",
    "QuantityField",
    "TextField",
    "button",
    "card",
    "choose",
    "clear",
    "column_label",
    "fill_table",
    "heading",
    "icon_button",
    "label",
    "paint",
    "plain_table",
    "row",
    "set_quietly",
    "spin_box",
]
