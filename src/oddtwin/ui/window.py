"""The one window: where one is, the stages, the screen, the threats."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QByteArray, QSettings
from PySide6.QtGui import QCloseEvent, QKeySequence, QResizeEvent, QShortcut
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QMainWindow,
    QMenu,
    QVBoxLayout,
    QWidget,
)

from oddtwin.core.language import tr
from oddtwin.core.standing import Stage
from oddtwin.store import Kind, Record
from oddtwin.ui.going import ask_for_copy
from oddtwin.ui.guide import GuideBar
from oddtwin.ui.header import Bar, FooterBar, HeaderBar, MessageBar
from oddtwin.ui.screens import BENCH, HELP, WELCOME, ScreenStack
from oddtwin.ui.theme import ZOOM_KEYS, Theme, px, zoom
from oddtwin.ui.threats import ThreatPanel
from oddtwin.ui.track import Track
from oddtwin.ui.widgets import UNSAVED, Page, button, label, may_leave, size_anew
from oddtwin.ui.workbench import Workbench

if TYPE_CHECKING:
    from oddtwin.core.standing import Standing
    from oddtwin.core.study import Study

_ROOMY = 1180


class MainWindow(QMainWindow):
    """Header, stages, screen, threats and footer around one workbench."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self.setWindowTitle("Odd Twin")
        self.setMinimumSize(1000, 640)
        self.resize(1280, 800)
        self._workbench = workbench
        self._theme = theme
        self._stage: Stage | None = None
        self._refused = self._warned = False
        self._build()
        self._connect()
        geometry = QSettings().value("geometry")
        if isinstance(geometry, QByteArray):
            self.restoreGeometry(geometry)
        self._on_book_changed()

    # ------------------------------------------------------------ building

    def _build(self) -> None:
        self._stack = ScreenStack(self._workbench, self._theme)
        self._threats = ThreatPanel(self._theme)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self._stack, 1)
        middle.addWidget(self._threats)
        central = QWidget()
        layout = QVBoxLayout(central)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self._header = HeaderBar(
            self._theme,
            self._on_home_clicked,
            self._on_undo,
            self._on_redo,
            self._on_theme_clicked,
            self._on_menu_clicked,
        )
        self._message_bar = MessageBar(self._theme)
        self._footer = FooterBar()
        self._guide = GuideBar(self._workbench, self.show_stage)
        above = (self._header, self._message_bar, self._track_bar(), self._guide)
        for bar in above:
            layout.addWidget(bar)
        self._bars = (*above, self._threats, self._footer)
        layout.addLayout(middle, 1)
        layout.addWidget(self._footer)
        self.setCentralWidget(central)
        self._dress(self._theme.dress)

    def _track_bar(self) -> QFrame:
        self._track = Track(self._theme)
        self._next = button(
            "", self._on_next_clicked, main=True, shortcut="Ctrl+Return", name="next", tip=tr("Go there")
        )
        self._track_frame = Bar("trackBar", 66)
        self._track_frame.line.addWidget(self._track, 1)
        self._track_frame.line.addWidget(label(tr("Next"), "column", wrap=False))
        self._track_frame.line.addWidget(self._next)
        return self._track_frame

    def _connect(self) -> None:
        bench = self._workbench
        bench.book_changed.connect(self._on_book_changed)
        bench.changed.connect(self._on_changed)
        bench.study_changed.connect(self._on_study_changed)
        bench.analysis_changed.connect(self._on_analysis_changed)
        bench.failed.connect(self.show_message)
        bench.warmed.connect(self._show_undo)
        bench.stage_wanted.connect(self._on_stage_chosen)
        self._stack.made.connect(self._on_screen_made)
        self._track.chosen.connect(self._on_stage_chosen)
        UNSAVED.changed.connect(self._on_unsaved_changed)
        self._theme.zoomed.connect(self._on_zoomed)
        self._theme.changed.connect(partial(self._dress, self._theme.dress_in_sight))
        for key, slot in (
            (QKeySequence.StandardKey.Undo, self._on_undo),
            ("Ctrl+Shift+Z", self._on_redo),
            ("Ctrl+Y", self._on_redo),
            ("F10", self._on_menu_clicked),
            ("F1", self._on_help),
            (tr("Ctrl+O"), self._on_leave_book),
        ):
            QShortcut(QKeySequence(key), self, slot)
        for zoom_key, steps in ZOOM_KEYS:
            QShortcut(QKeySequence(zoom_key), self, partial(self._theme.zoom_by, steps))

    def work_ahead(self) -> None:
        """From now on make screens, and fill them, before they are asked for, while nothing else is to do."""
        self._workbench.warmed.connect(self._bring_ahead)
        self._workbench.study_changed.connect(self._on_study_changed_ahead)
        self._theme.changed.connect(self._bring_ahead)
        self._theme.zoomed.connect(self._bring_ahead)

    @property
    def workbench(self) -> Workbench:
        return self._workbench

    @property
    def theme(self) -> Theme:
        return self._theme

    # ------------------------------------------------------------ going places

    def open_study(self, study_id: int) -> None:
        """Open a study at the stage where its next step is."""
        self._workbench.open_study(study_id)
        self._show_next_step()

    def _on_study_chosen(self, study_id: int) -> None:
        self._workbench.fetch_study(study_id, self._show_next_step)

    def _show_next_step(self) -> None:
        study = self._workbench.study
        if study is not None:
            self.show_stage(_standing(study).stage)

    def show_stage(self, stage: Stage) -> None:
        """Show the screen of a stage of the study in hand."""
        self._stage = stage
        self._track.show_stage(stage)
        screen = self._show(stage.name)
        begin: Callable[[], None] = getattr(screen, "take_focus", screen.setFocus)
        begin()
        if (focused := self.focusWidget()) is None or not focused.isVisible():
            # Keys that land in what nobody sees do what nobody meant.
            self._next.setFocus()
        self._look()

    def show_message(self, sentence: str) -> None:
        """Show a sentence above everything until it is closed or the next edit succeeds."""
        self._message_bar.say(sentence)

    def _look(self) -> None:
        """Let the screen that is looked at write that down; showing it anew writes nothing."""
        look = getattr(self._stack.currentWidget(), "look", None)
        if look is not None:
            look()

    def _show_home(self) -> None:
        """Lay the study in hand down; what is shown instead follows from that."""
        self._stage = None
        self._workbench.open_study(None)

    def _show(self, name: str) -> QWidget:
        """Show a screen, up to date; it is made when it is first asked for."""
        screen = self._stack.bring(name)
        if isinstance(screen, Page):
            screen.content.come_after(self._next)
        self._show_frame()
        return screen

    def _on_screen_made(self, screen: QWidget) -> None:
        left = getattr(screen, "left", None)
        if left is not None:
            left.connect(self._leave_help)
        chosen = getattr(screen, "study_chosen", None)
        if chosen is not None:
            chosen.connect(self._on_study_chosen)

    # ------------------------------------------------------------ showing

    def _show_frame(self) -> None:
        study = self._workbench.study
        in_study = study is not None and self._stage is not None
        self._track_frame.setVisible(in_study)
        self._threats.setVisible(in_study)
        book = self._workbench.book.name if self._workbench.has_book else "Odd Twin"
        self._header.show_place(book, study.name if in_study and study else "")
        self.setWindowTitle(
            tr("{study} – Odd Twin", study=study.name)
            if in_study and study
            else tr("{book} – Odd Twin", book=book)
        )
        if in_study and study:
            stands = _standing(study)
            self._track.show_standing(stands)
            self._next.setText(stands.next_step)
            self._next.setEnabled(stands.next_step != tr("Settled"))
        self._show_undo()

    def _show_undo(self) -> None:
        self._header.show_undo(*self._workbench.undo_titles())

    # ------------------------------------------------------------ events

    def _dress(self, lay_over: Callable[[QWidget], None]) -> None:
        """Dress the bars and the screen that is seen; the others when they are shown."""
        for part in (*self._bars, self._stack.currentWidget()):
            if part is not None:
                lay_over(part)

    def _on_zoomed(self) -> None:
        self._dress(self._theme.dress)
        size_anew(self)
        self._threats.set_folded(self.width() < px(_ROOMY))
        self._footer.show_saved(f"{100 * zoom():.0f} %")
        # Tables are as high as their lines, which the letters decide.
        self._stack.currentWidget().refresh()  # type: ignore[union-attr]

    def _on_book_changed(self) -> None:
        self._message_bar.hide()
        self._footer.show_saved("")
        self._footer.show_folder("")
        if self._workbench.has_book:
            book = self._workbench.book
            self._footer.show_folder(str(book.folder))
            if book.read_only:
                self.show_message(tr("Read only: {reason}", reason=book.reason))
            elif book.notice:
                self.show_message(book.notice)
            elif book.backup:
                self.show_message(
                    tr(
                        "This lab book was brought up to date; a copy as it was is in {backup}.",
                        backup=book.backup,
                    )
                )
        self._show_home()

    def _on_changed(self, record: Record) -> None:
        if record.kind is Kind.MARK:
            return
        if not UNSAVED.within(self):
            self._message_bar.hide()
        word = {"undo": tr("undid "), "redo": tr("redid ")}.get(record.kind.value, "")
        self._footer.show_saved(tr("Saved: {word}{title}", word=word, title=record.title))

    def _on_study_changed(self, record: Record | None) -> None:
        if self._workbench.study is None:
            self._stage = None
            self._show(BENCH if self._workbench.has_book else WELCOME)
        elif self._stage is not None and self._is_touched(record):
            self._show(self._stage.name)
        elif self._stage is not None:
            self._show_frame()

    def _on_study_changed_ahead(self, record: Record | None) -> None:
        # An edit touches little, and what it touches is shown anew when it is looked at.
        if record is None:
            self._bring_ahead()

    def _bring_ahead(self) -> None:
        if self._workbench.has_book:
            stages = [stage.name for stage in Stage]
            self._stack.bring_ahead(stages if self._workbench.study else [BENCH, *stages])

    def _is_touched(self, record: Record | None) -> bool:
        """Whether an edit touches what the screen shows; without one everything is another."""
        untouched: frozenset[str] = getattr(self._stack.currentWidget(), "UNTOUCHED", frozenset())
        return record is None or not record.tables <= untouched

    def _on_analysis_changed(self) -> None:
        analysis = self._workbench.analysis
        self._threats.show_threats(analysis.threats if analysis else ())
        if self._stage in (Stage.VERDICT, Stage.SETTLE):
            self._show(self._stage.name)
            self._look()

    def _on_unsaved_changed(self) -> None:
        """The reason of a refused edit stays until that edit is stored or given up."""
        waiting = bool(UNSAVED.within(self))
        if self._refused and not waiting:
            self._message_bar.hide()
        self._refused = waiting

    def _on_stage_chosen(self, stage: Stage) -> None:
        if self._may_leave():
            self.show_stage(stage)
        elif self._stage is not None:
            self._track.show_stage(self._stage)

    def _on_home_clicked(self) -> None:
        if self._may_leave():
            self._show_home()

    def _on_next_clicked(self) -> None:
        study = self._workbench.study
        if self._may_leave() and study is not None:
            study = self._workbench.study or study
            self.show_stage(_standing(study).stage)
            go_on = getattr(self._stack.currentWidget(), "show_next", None)
            if go_on is not None:
                go_on()

    def _on_undo(self) -> None:
        if self._workbench.can_edit:
            self._workbench.undo()

    def _on_redo(self) -> None:
        if self._workbench.can_edit:
            self._workbench.redo()

    def _on_theme_clicked(self) -> None:
        self._theme.set_dark(not self._theme.dark)

    def _on_help(self) -> None:
        if self._stack.currentWidget() is self._stack.made_so_far(HELP):
            self._leave_help()
        elif self._may_leave():
            self._show(HELP).take_focus()  # type: ignore[attr-defined]

    def _leave_help(self) -> None:
        """Go back to the screen that help was asked for on."""
        if self._stage is not None:
            self.show_stage(self._stage)
        else:
            self._show_home()

    def _on_menu_clicked(self) -> None:
        menu = QMenu(self)
        self._theme.dress(menu)
        menu.addAction(tr("All studies"), self._on_home_clicked)
        menu.addAction(tr("New or other lab book (Ctrl+O)"), self._on_leave_book)
        back = menu.addAction(tr("Go back to a copy of this lab book…"), self._on_go_back)
        back.setEnabled(self._workbench.has_book)
        menu.addSeparator()
        menu.addAction(tr("Keys and help (F1)"), self._on_help)
        menu.addSeparator()
        menu.addAction(tr("Quit"), self.close)
        menu.popup(self._header.menu.mapToGlobal(self._header.menu.rect().bottomLeft()))

    def _on_leave_book(self) -> None:
        if self._may_leave():
            self._workbench.close_book()
            self._workbench.book_changed.emit()

    def _on_go_back(self) -> None:
        if not self._may_leave() or not self._workbench.has_book:
            return
        ask_for_copy(self, self._workbench)

    def _may_leave(self) -> bool:
        return may_leave(self, self.show_message)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        before, now = event.oldSize().width(), event.size().width()
        if before < 0 or (before >= px(_ROOMY)) != (now >= px(_ROOMY)):
            self._threats.set_folded(now < px(_ROOMY))

    def closeEvent(self, event: QCloseEvent) -> None:
        # The second time it is meant.
        if not self._may_leave() and not self._warned:
            self._warned = True
            event.ignore()
            return
        QSettings().setValue("geometry", self.saveGeometry())
        self._workbench.close_book()
        self._workbench.ended.emit()
        super().closeEvent(event)


def _standing(study: Study) -> Standing:
    """Say where a study stands; what that needs is loaded with the first study, not before."""
    from oddtwin.core.standing import standing_of

    return standing_of(study)
