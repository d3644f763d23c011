"""Widgets that several screens share."""

from oddtwin.ui.widgets.drawing import DrawingView, explained, paint, paint_focus
from oddtwin.ui.widgets.fields import LineField, QuantityField, ReadingField, TextField
from oddtwin.ui.widgets.files import claimed_path, named_path, proposed_path, write_typed
from oddtwin.ui.widgets.parts import (
    Card,
    ElidedLabel,
    IconButton,
    Page,
    button,
    choose,
    clear,
    column_label,
    heading,
    label,
    parts_of,
    plain_caption,
    plain_tip,
    row,
    set_quietly,
    short,
    spin_box,
)
from oddtwin.ui.widgets.place import typed_day, typed_moment
from oddtwin.ui.widgets.progress import ProgressRow
from oddtwin.ui.widgets.sizing import at_least, at_most, fix, size_anew
from oddtwin.ui.widgets.steps import StepField
from oddtwin.ui.widgets.table import fill_table, plain_table
from oddtwin.ui.widgets.tabs import TabbedPage
from oddtwin.ui.widgets.typing_keys import TypingKeys
from oddtwin.ui.widgets.unsaved import UNSAVED, commit_typing, may_leave

__all__ = [
    "UNSAVED",
    "Card",
    "DrawingView",
    "ElidedLabel",
    "IconButton",
    "LineField",
    "Page",
    "ProgressRow",
    "QuantityField",
    "ReadingField",
    "StepField",
    "TabbedPage",
    "TextField",
    "TypingKeys",
    "at_least",
    "at_most",
    "button",
    "choose",
    "claimed_path",
    "clear",
    "column_label",
    "commit_typing",
    "explained",
    "fill_table",
    "fix",
    "heading",
    "label",
    "may_leave",
    "named_path",
    "paint",
    "paint_focus",
    "parts_of",
    "plain_caption",
    "plain_table",
    "plain_tip",
    "proposed_path",
    "row",
    "set_quietly",
    "short",
    "size_anew",
    "spin_box",
    "typed_day",
    "typed_moment",
    "write_typed",
]
