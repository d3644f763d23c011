"""An audience that judges a session by ballot: the page that is sent out, and the votes that come back."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QPlainTextEdit, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core.judge import Cast, Collected
from oddtwin.core.language import tr, trn
from oddtwin.core.quantities import capitalized, now
from oddtwin.core.study import BlindSession, gather_votes
from oddtwin.store import StoreError, read_text_file
from oddtwin.ui.look.desk import Desk
from oddtwin.ui.widgets import LineField, ProgressRow, button, fix, label, named_path, proposed_path, row
from oddtwin.work.ballots import BallotFiles, read_votes_of, session_ballot
from oddtwin.work.photos import PhotoError

KINDS = tr("Votes (*.json *.txt *.csv);;All files (*)")
MOST_NAMED = 3


class AudienceRows(QWidget):
    """Writes the ballot of a session, and takes votes in."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._session: BlindSession | None = None
        self._folder = LineField("ballotFolder", tr("folder of the ballot"), width=380)
        self._write = button(tr("Write the ballot"), self._on_write_clicked, main=True, name="writeBallot")
        self._progress = ProgressRow("ballotProgress", self._on_stopped)
        self._files = button(tr("Take in votes from files …"), self._on_files_clicked, name="voteFiles")
        self._pasted = QPlainTextEdit()
        self._pasted.setObjectName("votesPasted")
        self._pasted.setAccessibleName(tr("Votes as lines of text"))
        self._pasted.setPlaceholderText(
            tr("Paste lines that begin with oddtwin-vote:, or a table with the columns judge, trial, answer")
        )
        self._pasted.setTabChangesFocus(True)
        fix(self._pasted, height=64)
        self._take = button(tr("Take in what is pasted"), self._on_pasted_clicked, name="takeVotes")
        self._told = label("", "quiet")
        self._told.setObjectName("votesTold")
        self._told.hide()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        layout.addLayout(row(self._folder, self._write, None))
        layout.addWidget(self._progress)
        layout.addWidget(self._pasted)
        layout.addLayout(row(self._take, self._files, None))
        layout.addWidget(self._told)

    def show_session(self, session: BlindSession) -> None:
        """Show the rows for a session."""
        first = self._session is None
        self._session = session
        self.setVisible(session.by_ballot and session.opened is None)
        self.setEnabled(self._desk.can_edit)
        self._write.setEnabled(session.closed is None)
        if first:
            self._folder.show_text(proposed_path(self._desk.study.name, f"-ballot-{session.id}"))

    def _say(self, text: str) -> None:
        self._told.setText(text)
        self._told.setVisible(bool(text))

    # ------------------------------------------------------------ the ballot

    def _on_write_clicked(self) -> None:
        session, study = self._session, self._desk.workbench.study
        folder = named_path(self._folder)
        if session is None or study is None or folder is None:
            return
        if folder.exists() and not folder.is_dir():
            self._folder.show_error(tr("{folder} is a file; name a folder.", folder=folder))
            return
        book, title = self._desk.workbench.book, session.asked
        self._say(tr("Writing the ballot …"))
        running = self._desk.workbench.figure(
            self,
            lambda job: session_ballot(book, study, session, title, job),
            partial(self._on_made, folder),
            self._on_refused,
        )
        self._progress.follow(running)

    def _on_made(self, folder: Path, files: BallotFiles) -> None:
        try:
            page = files.write(folder)
        except OSError as error:
            self._say("")
            self._folder.show_error(
                tr("{folder} cannot be written to: {reason}.", folder=folder, reason=error.strerror)
            )
            return
        self._folder.show_error("")
        pairs = f"{len(files.pairs)} {trn('pair', 'pairs', len(files.pairs))}"
        self._say(
            tr(
                "Written: {page}. Send it to whoever shall vote; it needs no network, and "
                "the key stays here. Beside it lies each of {pairs} as a picture, where "
                "people shall answer left, right or same.",
                page=page,
                pairs=pairs,
            )
        )

    def _on_refused(self, error: BaseException) -> bool:
        self._say(f"{capitalized(str(error))}." if isinstance(error, PhotoError) else "")
        return isinstance(error, PhotoError)

    def _on_stopped(self) -> None:
        self._desk.workbench.lanes.cancel(self)
        self._say(tr("Stopped; nothing was written."))

    # ------------------------------------------------------------ votes

    def _on_files_clicked(self) -> None:
        paths, _ = QFileDialog.getOpenFileNames(self, tr("Votes"), str(Path.home()), KINDS)
        if paths:
            self.take_files([Path(path) for path in paths])

    def take_files(self, paths: list[Path]) -> None:
        """Take in the votes of files; one that holds none is told, and spoils no other."""
        texts, unread = [], []
        for path in paths:
            try:
                texts.append((path.name, read_text_file(path)))
            except StoreError as error:
                unread.append(str(error))
        self._take_in(texts, unread)

    def _on_pasted_clicked(self) -> None:
        text = self._pasted.toPlainText()
        if not text.strip():
            self._say(tr("Paste votes into the field first."))
            return
        if self._take_in([(tr("what is pasted"), text)], []):
            self._pasted.clear()

    def _take_in(self, texts: list[tuple[str, str]], unread: list[str]) -> bool:
        session, study = self._session, self._desk.workbench.study
        if session is None or study is None:
            return False
        # One file that cannot be read must not cost the votes of a hundred others.
        casts: list[Cast] = []
        rows = 0
        for name, text in texts:
            try:
                some, odd = read_votes_of(session, text, now())
            except ValueError as error:
                unread.append(f"{name}: {error}")
                continue
            casts += some
            rows += odd
        found = gather_votes(session, study.answers, casts)
        told = _told(found, rows, unread)
        if not found.rows:
            self._say(tr("No vote was taken in. {told}", told=told).strip())
            return False
        record = self._desk.workbench.do(operations.take_votes, session_id=session.id, casts=casts)
        if record is not None:
            voters, answers = found.voters, len(found.rows)
            taken = (
                f"{voters} {trn('voter', 'voters', voters)}, {answers} {trn('answer', 'answers', answers)}"
            )
            self._say(tr("Taken in: {taken}. {told}", taken=taken, told=told).strip())
        return record is not None


def _told(found: Collected, rows: int, unread: list[str]) -> str:
    """Say what was set apart, by why and how often."""
    apart = [f"{count} × {why}" for why, count in found.apart.items()]
    if rows:
        apart.append(tr("{rows} × a row that names no pair or no answer", rows=rows))
    if unread:
        named = "; ".join(unread[:MOST_NAMED])
        apart.append(tr("{unread} × cannot be read ({named})", unread=len(unread), named=named))
    return tr("Set apart: {apart}.", apart="; ".join(apart)) if apart else ""
