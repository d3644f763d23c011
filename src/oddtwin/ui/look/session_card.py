"""One blind session: where it stands, its sealed key, and what it says once that is open."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QLineEdit, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core.judge import ASKING, AUDIENCE, SessionDesign
from oddtwin.core.judgement import session_result
from oddtwin.core.language import tr
from oddtwin.core.picture import Drawing, TrayLine, tray_pages
from oddtwin.core.quantities import capitalized
from oddtwin.core.study import BlindSession
from oddtwin.store import StoreError
from oddtwin.ui.look.audience import AudienceRows
from oddtwin.ui.look.desk import Desk
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    IconButton,
    LineField,
    button,
    choose,
    clear,
    column_label,
    fix,
    heading,
    label,
    proposed_path,
    row,
    write_typed,
)
from oddtwin.ui.widgets.paper import pdf_of


class SessionCard(Card):
    """``judged`` is emitted with the session and the name of who judges now."""

    judged = Signal(object, str)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self._session: BlindSession | None = None
        self._head, self._stands = heading(""), label("", "quiet")
        self._seal = label("", "quiet")
        self._judge = QComboBox()
        self._judge.setAccessibleName(tr("Who judges now"))
        self._go = button(tr("Judge"), self._on_judge_clicked, main=True, name="judgeNow")
        self._close = button(tr("Close judging"), self._on_close_clicked, name="closeSession")
        self._passphrase = QLineEdit()
        self._passphrase.setEchoMode(QLineEdit.EchoMode.Password)
        self._passphrase.setAccessibleName(tr("Passphrase of the second person"))
        self._passphrase.setPlaceholderText(tr("passphrase"))
        fix(self._passphrase, width=200)
        self._open = button(tr("Open the key"), self._on_open_clicked, main=True, name="openKey")
        self._grades = button(tr("Enter the grades as readings"), self._on_grades_clicked, name="enterGrades")
        self._tray = LineField("trayPath", width=380)
        self._write = button(tr("Write tray and answer sheets"), self._on_tray_clicked, name="writeTray")
        self._paper = QWidget()
        paper = row(self._tray, self._write, None)
        paper.setContentsMargins(0, 0, 0, 0)
        self._paper.setLayout(paper)
        self._asked_of = column_label(tr("Judge"))
        self._steps = QWidget()
        steps = row(
            self._asked_of, self._judge, self._go, 12, self._close, self._passphrase, self._open,
            self._grades, None,
        )  # fmt: skip
        steps.setContentsMargins(0, 0, 0, 0)
        self._steps.setLayout(steps)
        self._audience = AudienceRows(desk)
        self._told = label("", "quiet")
        self._told.hide()
        self._sentences = QVBoxLayout()
        self._sentences.setSpacing(4)
        self._remove = IconButton(theme, "remove", tr("Take this session out"), self._on_remove_clicked)
        self.add(
            row(self._head, None, self._remove),
            self._stands,
            self._seal,
            self._audience,
            self._steps,
            self._paper,
            self._told,
            self._sentences,
        )

    def show_session(self, session: BlindSession) -> None:
        """Show a session as it is now."""
        first = self._session is None
        self._session = session
        study = self._desk.study
        answered = Counter(one.judge for one in study.answers if one.session_id == session.id)
        asked = Counter(trial.judge for trial in session.trials)
        view = study.index.views.get(session.view_id or 0)
        where = view.name if view else tr("prints in the hand")
        self._head.setText(f"{capitalized(session.design)} – {where}")
        told = _answered_words(session, answered, asked)
        if ASKING[session.design].shown == 2 and not any(one.catch == "twin" for one in session.trials):
            told += tr(
                ". No twins are mixed in, so nothing tells how often these eyes see what is not there."
            )
        self._stands.setText(told)
        self._seal.setText(_sealed_words(session))
        choose(self._judge, [(judge, judge) for judge in session.judges], self._next_judge(answered, asked))
        going, closed, opened = (
            session.closed is None,
            session.closed is not None and session.opened is None,
            session.opened is not None,
        )
        grading = session.design is SessionDesign.GRADE and session.response_id is not None
        edit = self._desk.can_edit
        self._steps.setVisible(not opened or grading)
        for part in (self._asked_of, self._judge, self._go):
            part.setVisible(going and not session.by_ballot)
            part.setEnabled(edit)
        self._close.setVisible(going)
        self._close.setEnabled(edit and bool(answered))
        self._open.setVisible(closed)
        self._open.setEnabled(edit)
        self._passphrase.setVisible(bool(session.locked) and (closed or session.in_hand))
        self._grades.setVisible(opened and grading)
        self._grades.setEnabled(edit)
        self._remove.setVisible(not opened)
        self._remove.setEnabled(edit)
        self._paper.setVisible(session.in_hand and not opened)
        if first:
            self._tray.show_text(proposed_path(study.name, f"-tray-{session.id}.pdf"))
        self._audience.show_session(session)
        self._show_result(session)

    @staticmethod
    def _next_judge(answered: Counter[str], asked: Counter[str]) -> str | None:
        return next((judge for judge in asked if answered[judge] < asked[judge]), None)

    def _show_result(self, session: BlindSession) -> None:
        clear(self._sentences)
        if session.opened is None:
            return
        result = session_result(self._desk.workbench.study or self._desk.study, session)
        # Reckoned anew each time: the commitment is worth what is checked against it.
        kept = operations.key_kept(session)
        if not kept:
            self._sentences.addWidget(
                label(tr("This key is not the one that was committed to: it was changed since."), "warning")
            )
        if not session.blind:
            told = tr("It was judged with open eyes, and is kept as not blind.")
            self._sentences.addWidget(label(told, "warning"))
        for number, sentence in enumerate(result.sentences if result else (tr("Nothing was answered."),)):
            self._sentences.addWidget(label(sentence, "lead" if number == 0 else ""))
        letters = "; ".join(f"{one.letter} {one.print} ({one.arm})" for one in session.letters)
        self._sentences.addWidget(
            label(
                tr("Key: {letters}. Order and sides from seed {seed}.", letters=letters, seed=session.seed),
                "quiet",
            )
        )

    def _say(self, text: str) -> None:
        self._told.setText(text)
        self._told.setVisible(bool(text))

    def _on_judge_clicked(self) -> None:
        if self._session is not None:
            self.judged.emit(self._session, self._judge.currentData())

    def _on_close_clicked(self) -> None:
        if self._session is not None:
            self._desk.workbench.do(operations.close_session, session_id=self._session.id)

    def _on_open_clicked(self) -> None:
        if self._session is not None:
            self._desk.workbench.do(
                operations.open_key, session_id=self._session.id, passphrase=self._passphrase.text()
            )
            self._passphrase.clear()

    def _on_grades_clicked(self) -> None:
        if self._session is not None:
            record = self._desk.workbench.do(operations.enter_grades, session_id=self._session.id)
            self._say(tr("Entered: each judge is a look at a print, and no print more.") if record else "")

    def _on_remove_clicked(self) -> None:
        if self._session is not None:
            self._desk.workbench.do(operations.remove_session, session_id=self._session.id)

    def _on_tray_clicked(self) -> None:
        session = self._session
        if session is None:
            return
        try:
            letters = operations.letters_of(session, self._passphrase.text())
        except StoreError as error:
            self._say(str(error))
            return
        path = write_typed(self._tray, ".pdf", pdf_of(_pages(replace(session, letters=letters)), tr("Tray")))
        self._say(
            tr(
                "Written: {path}. The first sheet is for who mixes the prints, and for nobody who judges.",
                path=path,
            )
            if path
            else ""
        )


def _answered_words(session: BlindSession, answered: Counter[str], asked: Counter[str]) -> str:
    if session.by_ballot:
        pairs = tr("{asked} pairs are asked of everybody", asked=asked[AUDIENCE])
        return tr(
            "By ballot: {pairs}. Voters so far: {judges}, answers: {total}",
            pairs=pairs,
            judges=len(session.judges),
            total=answered.total(),
        )
    counts = [
        tr("{judge} {answered} of {asked}", judge=judge, answered=answered[judge], asked=asked[judge])
        for judge in session.judges
    ]
    return tr("Answered: ") + "; ".join(counts)


def _sealed_words(session: BlindSession) -> str:
    short = f"{session.commitment[:16]}…"
    if session.opened is not None:
        return tr(
            "Key {short} opened {opened:%Y-%m-%d %H:%M} by {opened_by}.",
            short=short,
            opened=session.opened,
            opened_by=session.opened_by or tr("somebody"),
        )
    locked = tr(", locked with a second person’s passphrase") if session.locked else ""
    closed = tr(" Judging is closed.") if session.closed is not None else ""
    return tr("Key sealed as {short}{locked}.{closed}", short=short, locked=locked, closed=closed)


def _pages(session: BlindSession) -> list[Drawing]:
    foot = tr("Committed to as {commitment}", commitment=session.commitment)
    lines = [TrayLine(one.letter, one.print) for one in session.letters]
    pages = tray_pages(tr("Tray sheet: not for judges"), tr("Lay each print under its letter."), lines, foot)
    asking = ASKING[session.design]
    keys = ", ".join(f"{choice.key} {choice.words}" for choice in asking.choices)
    for judge in session.judges:
        own = [trial for trial in session.trials if trial.judge == judge]
        asked = [TrayLine(f"{trial.number}", "   ".join(trial.letters) + tr("    answer:")) for trial in own]
        pages += tray_pages(f"{judge}: {session.asked}", keys, asked, foot)
    return pages
