"""A page as it is read: Tab goes in that order, and fields are called by the words beside them."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final, TypeGuard, cast

from PySide6.QtCore import QEvent, Qt, QTimer, Signal
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSpinBox,
    QBoxLayout,
    QComboBox,
    QGridLayout,
    QLabel,
    QLayout,
    QLineEdit,
    QPlainTextEdit,
    QScrollArea,
    QSlider,
    QWidget,
)

from oddtwin.core.language import tr
from oddtwin.core.quantities import capitalized

UNIT: Final = "unit"
"""Property of a field that holds figures."""
PAINTED: Final = "paintedField"
"""Property of a field that paints itself and is called by the words beside it like any other."""
_GIVEN: Final = "namedByWords"
"""Property of a field that was called by the words beside it, so that other words may call it anew."""
_CALLED: Final = (QLineEdit, QPlainTextEdit, QComboBox, QAbstractSpinBox, QAbstractItemView, QSlider)
_LONGEST_UNIT: Final = 6
_ROLE_OF_HEADING: Final = "heading"


class Content(QWidget):
    """What a page scrolls; it is read anew, beside what is going on, whenever something on it moves.

    ``arranged`` is emitted then.
    """

    arranged = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._before: QWidget | None = None
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(0)
        self._soon.timeout.connect(self._on_moved)

    def _on_moved(self) -> None:
        arrange(self, self._before)
        self.arranged.emit()

    def come_after(self, part: QWidget) -> None:
        """Let Tab come here from a part of the window above."""
        self._before = part
        self._soon.start()

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.LayoutRequest:
            self._soon.start()
        return super().event(event)


def arrange(page: QWidget, before: QWidget | None = None) -> None:
    """Let Tab visit what stands on a page as it is read, and call what has no name by the words beside it.

    Parameters
    ----------
    page : QWidget
        With a layout; what is hidden is left out, for showing it moves the page, which is read anew then.
    before : QWidget, optional
        What Tab comes from.
    """
    _name(page)
    for part in _in_order(page):
        if part.focusPolicy() & Qt.FocusPolicy.TabFocus:
            if before is not None and before.nextInFocusChain() is not part:
                QWidget.setTabOrder(before, part)
            before = part


def call(control: QWidget, words: str) -> None:
    """Call a field by some words, unless it has a name of its own.

    Parameters
    ----------
    control : QWidget
        Any; of a field that is made of parts the one that takes the keys.
    words : str
        Without a colon; the unit of the field is added.
    """
    inner = _inner(control)
    own = inner.accessibleName()
    if not _is_called(inner) or (own and not inner.property(_GIVEN)):
        return
    said = " ".join(words.split()).rstrip(":")
    unit = inner.property(UNIT)
    if unit and not said.endswith(f", {unit}"):
        said = f"{said}, {unit}"
    if said and said != own:
        inner.setProperty(_GIVEN, True)
        inner.setAccessibleName(said)


def placeholder_words(placeholder: str) -> str:
    """Return what a placeholder asks for; empty where it shows a usual figure instead.

    Parameters
    ----------
    placeholder : str
        Such as “Name of a new study, such as …”.
    """
    asked = placeholder.partition(" such as ")[0].rstrip(" ,;:")
    return capitalized(asked) if len(asked) > 1 and asked[0].isalpha() else ""


def _in_order(widget: QWidget) -> Iterator[QWidget]:
    """Yield the controls of a widget as they are read."""
    if isinstance(widget, QScrollArea):
        inside = widget.widget()
        if inside is not None:
            yield from _in_order(inside)
        return
    if widget.focusPolicy() & Qt.FocusPolicy.TabFocus:
        yield widget
        if isinstance(widget, _CALLED):
            return
    layout = widget.layout()
    if layout is not None:
        for part in _parts(layout):
            yield from _in_order(part)


def _parts(layout: QLayout) -> Iterator[QWidget]:
    """Yield the widgets of a layout as they are read: rows from above, each from the left."""
    places = range(layout.count())
    if isinstance(layout, QGridLayout):
        order = sorted(places, key=lambda place: _cell(layout, place))
    else:
        order = list(places)
        if isinstance(layout, QBoxLayout) and layout.direction() in (
            QBoxLayout.Direction.RightToLeft,
            QBoxLayout.Direction.BottomToTop,
        ):
            order.reverse()
    for place in order:
        item = layout.itemAt(place)
        if item is None:
            continue
        widget, inner = item.widget(), item.layout()
        if inner is not None:
            yield from _parts(inner)
        elif _is_seen(widget):
            yield widget


def _cell(grid: QGridLayout, place: int) -> tuple[int, int]:
    """Return row and column of an item; PySide gives the four numbers of a place as a tuple."""
    row, column, *_ = cast(tuple[int, int, int, int], grid.getItemPosition(place))
    return row, column


def _name(widget: QWidget, title: str = "") -> None:
    """Call the controls of a widget by the words beside them; tables by the heading above them."""
    if isinstance(widget, QScrollArea):
        inside = widget.widget()
        if inside is not None:
            _name(inside, title)
        return
    layout = widget.layout()
    if layout is not None and not isinstance(widget, _CALLED):
        _name_layout(layout, title)


def _name_layout(layout: QLayout, title: str) -> str:
    """Name what a layout holds; returns the heading that stood in it last."""
    if isinstance(layout, QGridLayout):
        _name_grid(layout, title)
        return title
    words = ""
    for place in range(layout.count()):
        item = layout.itemAt(place)
        if item is None:
            continue
        widget, inner = item.widget(), item.layout()
        if inner is not None:
            title = _name_layout(inner, title)
            words = ""
        elif isinstance(widget, QLabel):
            if widget.property("role") == _ROLE_OF_HEADING:
                title = widget.text()
            else:
                words = _label_words(widget)
        elif _is_seen(widget):
            _call_or_enter(widget, words, title)
            if not isinstance(widget, QAbstractButton):
                words = ""
    return title


def _call_or_enter(widget: QWidget, words: str, title: str) -> None:
    inner = _inner(widget)
    if isinstance(inner, QAbstractItemView):
        call(inner, title or words)
    elif _is_called(inner):
        asked = getattr(inner, "placeholderText", str)()
        call(inner, words or placeholder_words(asked) or title)
    else:
        _name(widget, title)


def _name_grid(grid: QGridLayout, title: str) -> None:
    """Name fields of a grid by the head of their column and what their row is about, else by what is left."""
    cells: dict[tuple[int, int], QWidget] = {}
    for place in range(grid.count()):
        item = grid.itemAt(place)
        widget, inner = (item.widget(), item.layout()) if item is not None else (None, None)
        if inner is not None:
            _name_layout(inner, title)
        elif _is_seen(widget):
            cells[_cell(grid, place)] = widget
    heads = {column: _label_words(one) for (row, column), one in cells.items() if row == 0 and _is_label(one)}
    for (row, column), widget in sorted(cells.items()):
        if _is_label(widget):
            continue
        left = cells.get((row, column - 1))
        beside = _label_words(left) if _is_label(left) else ""
        head = heads.get(column, "") if row else ""
        if head:
            _call_or_enter(widget, _of_row(head, _about(cells, row, column)), title)
        else:
            _call_or_enter(widget, beside, title)


def _of_row(head: str, about: str) -> str:
    """Join the head of a column with what a row is about; a unit goes last, as it is said."""
    if not about:
        return head
    what, comma, unit = head.rpartition(", ")
    if not what or len(unit) > _LONGEST_UNIT:
        what, comma, unit = head, "", ""
    joint = " " if about.startswith((tr("on "), "usually")) else tr(" of ")
    return f"{what}{joint}{about}{comma}{unit}"


def _about(cells: dict[tuple[int, int], QWidget], row: int, column: int) -> str:
    """Return what a row of a grid is about: its first words, else what stands in its first field."""
    for place in range(column):
        widget = cells.get((row, place))
        if widget is None:
            continue
        if _is_label(widget) and _label_words(widget):
            return _label_words(widget)
        inner = _inner(widget)
        if isinstance(inner, QAbstractButton) and inner.text():
            return inner.text().replace("&&", "&")
        if isinstance(inner, QLineEdit) and inner.text().strip():
            return inner.text().strip()
    return ""


def _is_seen(widget: QWidget | None) -> TypeGuard[QWidget]:
    return widget is not None and not widget.isHidden()


def _is_label(widget: QWidget | None) -> bool:
    return isinstance(widget, QLabel)


def _inner(widget: QWidget) -> QWidget:
    """Return the part of a field that takes the keys."""
    line: object = getattr(widget, "edit", None)
    return line if isinstance(line, QWidget) else widget


def _is_called(widget: QWidget) -> bool:
    return isinstance(widget, _CALLED) or bool(widget.property(PAINTED))


def _label_words(widget: QWidget | None) -> str:
    if not isinstance(widget, QLabel):
        return ""
    # A label that was cut off has its words whole in the tip.
    return widget.text() if not widget.text().endswith("…") else widget.toolTip() or widget.text()
