"""A walk through every screen of a window, and what must hold on each: names, the way of Tab, and sizes."""

from __future__ import annotations

import time
from collections.abc import Iterator, Mapping
from itertools import pairwise

from PySide6.QtCore import QPoint, QRect, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QApplication,
    QComboBox,
    QPushButton,
    QScrollArea,
    QScrollBar,
    QSpinBox,
    QWidget,
)

from oddtwin.core.standing import Stage
from oddtwin.core.study import LookAt
from oddtwin.ui.window import MainWindow

STUDIES = {Stage.ASK: 5, Stage.PLAN: 5, Stage.MATCH: 6, Stage.PRINT: 3, Stage.LOOK: 2}
"""Which study of the demo shows most of a stage; the first where none is named."""


def settle(window: MainWindow, rounds: int = 12) -> None:
    """Wait until nothing is under way in the background."""
    for _ in range(rounds):
        QApplication.processEvents()
        window.workbench.lanes.wait()
        QApplication.processEvents()
        time.sleep(0.002)


def every_screen(window: MainWindow, studies: Mapping[Stage, int] = STUDIES) -> Iterator[str]:
    """Show every screen and tab in turn, and give its name; by default with studies of the demo."""
    for tab in ("Studies", "Machines", "Calibrate", "Pieces", "Workshop", "History"):
        window.workbench.open_study(None)
        settle(window)
        _press(window, f"tab{tab}")
        yield f"bench, {tab}"
    for stage in Stage:
        window.open_study(studies.get(stage, 1))
        settle(window)
        window.show_stage(stage)
        settle(window)
        if stage is Stage.VERDICT:
            window.workbench.reveal(LookAt.VERDICT)
            settle(window)
        prefix = stage.name.lower()
        tabs = [
            one
            for one in window.findChildren(QPushButton)
            if one.isVisible() and one.property("tab") and one.objectName().startswith(prefix)
        ]
        yield stage.value
        for tab in tabs[1:]:
            tab.click()
            settle(window)
            yield f"{stage.value}, {tab.text()}"


def _press(window: MainWindow, name: str) -> None:
    (found,) = [one for one in window.findChildren(QAbstractButton, name) if one.isVisible()]
    found.click()
    settle(window)


def focusable(window: MainWindow) -> list[QWidget]:
    """Return the visible, enabled widgets that Tab should reach."""
    return [
        one
        for one in window.findChildren(QWidget)
        if one.isVisible()
        and one.isEnabled()
        and one.focusPolicy() & Qt.FocusPolicy.TabFocus
        and not isinstance(one, (QScrollBar, QScrollArea))
        and not _inside_another(one)
    ]


def _inside_another(widget: QWidget) -> bool:
    """Whether it is the inner line of a box of figures or choices, or the inside of a table."""
    parent = widget.parentWidget()
    return isinstance(parent, (QSpinBox, QComboBox, QAbstractItemView)) or (
        parent is not None and isinstance(parent.parentWidget(), (QComboBox, QAbstractItemView))
    )


def problem_with_name(widget: QWidget) -> str:
    """Say why a person could not tell the widget by its name; empty where it has a good one."""
    name = widget.accessibleName()
    if not name and isinstance(widget, QAbstractButton):
        name = widget.text()
    if not name.strip():
        return "has no name"
    own = widget.objectName()
    if own and name == own and (" " not in name):
        return f"is called as in the code: {name}"
    return ""


def tab_problems(window: MainWindow) -> tuple[list[QWidget], list[str]]:
    """Walk by Tab; return what it never reaches, and where it goes back to what was read before."""
    wanted = focusable(window)
    visited: list[QWidget] = []
    wanted[0].setFocus(Qt.FocusReason.TabFocusReason)
    for _ in range(2 * len(wanted) + 20):
        QApplication.processEvents()
        now = QApplication.focusWidget()
        if now is None or (visited and now is visited[0]):
            break
        visited.append(now)
        QTest.keyClick(now, Qt.Key.Key_Tab)
    # One of a group of choices is the stop of all; arrows go on inside.
    groups = [group for one in visited if (group := _group_of(one))]
    missed = [one for one in wanted if one not in visited and not any(one in group for group in groups)]
    back = [
        f"{before.objectName()} → {after.objectName()}"
        for before, after in pairwise([one for one in visited if one in wanted])
        if _stands_before(after, before)
    ]
    return missed, back


def _group_of(widget: QWidget) -> list[QWidget]:
    if not isinstance(widget, QAbstractButton):
        return []
    group = widget.group()
    if group is not None:
        return list(group.buttons())
    beside = widget.parentWidget().findChildren(QAbstractButton) if widget.autoExclusive() else []
    return [one for one in beside if one.autoExclusive()]


def _stands_before(after: QWidget, before: QWidget) -> bool:
    """Whether what comes next stands above, or in the same row on the left, in one column of a page."""
    window = before.window()
    page = next((one for one in window.findChildren(QWidget, "page") if one.isAncestorOf(before)), None)
    if page is None or not page.isAncestorOf(after):
        return False
    # On the page and not in the window: Tab scrolls.
    one, two = (QRect(part.mapTo(page, QPoint(0, 0)), part.size()) for part in (before, after))
    in_row = one.top() < two.center().y() < one.bottom() or two.top() < one.center().y() < two.bottom()
    in_column = one.left() < two.right() and two.left() < one.right()
    return (in_row and two.right() <= one.left()) or (in_column and two.bottom() <= one.top())
