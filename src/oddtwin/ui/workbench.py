"""What the window works on: the open lab book, the study in hand, and what it says."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Any, Concatenate, Final, ParamSpec

from PySide6.QtCore import QObject, QTimer, Signal

from oddtwin.core.language import tr
from oddtwin.store import DATABASE, LabBook, Record, StoreError, StudyFilter, StudySummary, remember_book
from oddtwin.ui.jobs import Lane, Lanes, RunningJob
from oddtwin.ui.warming import check_and_warm, keep_for_good
from oddtwin.ui.widgets import UNSAVED

if TYPE_CHECKING:
    from oddtwin.core.effects import NoiseFloor
    from oddtwin.core.job import Job
    from oddtwin.core.judgement import Analysis
    from oddtwin.core.outlook import EarlierNoise
    from oddtwin.core.study import LookAt, Study

AFTER_PAINT_MS = 60

P = ParamSpec("P")
Operation = Callable[..., Record | None]

_STORING: Final = "storing"
_ANALYSING: Final = "analysing"


class Workbench(QObject):
    """The one place through which views read and edit the lab book.

    Signals
    -------
    book_changed()
        Another lab book was opened, or none is open.
    changed(record)
        An operation, undo or redo was committed.
    study_changed(record)
        The study in hand is another one (None), or an edit left it with other values.
    analysis_changed()
        The findings and threats of the study in hand are up to date again.
    warmed()
        The lab book just opened was checked, and undo knows its titles.
    failed(sentence)
        Something could not be done; the sentence is for the user.
    ended()
        The window is closed for good.
    """

    book_changed = Signal()
    changed = Signal(object)
    study_changed = Signal(object)
    analysis_changed = Signal()
    warmed = Signal()
    failed = Signal(str)
    stage_wanted = Signal(object)
    guide_wanted = Signal(int)
    ended = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.lanes = Lanes(self)
        self.lanes.failed.connect(self._on_work_failed)
        self._book: LabBook | None = None
        self._study: Study | None = None
        self._seen: tuple[Study, Study] | None = None
        self._storing = False
        self._edit_refused = False
        self._wanted: object | None = None
        self._analysis: Analysis | None = None
        self._earlier: dict[int, EarlierNoise] | None = None
        self._generation = 0

    @property
    def has_book(self) -> bool:
        return self._book is not None

    @property
    def book(self) -> LabBook:
        if self._book is None:
            raise RuntimeError(tr("no lab book is open"))
        return self._book

    @property
    def study(self) -> Study | None:
        return self._study

    @property
    def seen(self) -> Study | None:
        """The study in hand as a view may show it: without what tells the arm of a print to be judged."""
        if self._study is None:
            return None
        if self._seen is None or self._seen[0] is not self._study:
            from oddtwin.core.study import blinded

            # Kept with the study it was made of: every view asks for it after every edit.
            self._seen = (self._study, blinded(self._study))
        return self._seen[1]

    @property
    def analysis(self) -> Analysis | None:
        return self._analysis

    @property
    def can_edit(self) -> bool:
        return self._book is not None and not self._book.read_only and not self._storing

    @property
    def can_edit_study(self) -> bool:
        """Whether the study in hand may be edited: a settled one stays as it is until it is reopened."""
        decision = self._study.decision if self._study else None
        return self.can_edit and (decision is None or not decision.kind.settles)

    def create_book(self, folder: Path, name: str) -> bool:
        """Make and open a new lab book; says so when it cannot."""
        return self._use(lambda: LabBook.create(folder, name))

    def open_book(self, folder: Path, remember: bool = True) -> bool:
        """Open a lab book; the one open before stays open when it cannot."""
        return self._use(lambda: LabBook.open(folder), remember)

    def go_back(self, copy: Path) -> bool:
        """Put a copy in the place of the open lab book and open that; says what was kept of the other."""
        from oddtwin.store import go_back

        folder = self.book.folder
        self.close_book()
        told = ""
        try:
            aside = go_back(folder / DATABASE, copy)
            told = tr(
                "The lab book is as {copy} has it; as it was before, it lies in {aside}.",
                copy=copy.name, aside=aside.name,
            )  # fmt: skip
        except StoreError as error:
            told = str(error)
        opened = self.open_book(folder)
        self.failed.emit(told)
        return opened

    def close_book(self) -> None:
        """Finish what runs, and close the lab book."""
        self.lanes.cancel_all()
        # The database closes only when no thread reads it any more.
        self.lanes.wait()
        self._generation += 1
        self._study = self._analysis = None
        if self._book is not None:
            self._book.close()
            self._book = None

    def open_study(self, study_id: int | None) -> None:
        """Take a study in hand, or none."""
        self._analysis = self._wanted = None
        self._study = self._load(study_id) if study_id is not None else None
        self.study_changed.emit(None)
        self._analyse()

    def fetch_study(self, study_id: int, done: Callable[[], None]) -> None:
        """Take a study in hand that is read beside the window; ``done`` is called when it is.

        Whoever opens another study, or goes home, before it is read does not want it any more.
        """
        book = self.book
        # A token for this wish: of two studies asked for quickly only the last is shown, whichever is read
        # first.
        wanted = self._wanted = object()

        def taken(study: Study) -> None:
            if self._book is book and self._wanted is wanted:
                self._analysis, self._wanted, self._study = None, None, study
                self.study_changed.emit(None)
                # Shown first: figuring beside it would make its first screen wait.
                done()
                self._analyse()

        self.lanes.run(Lane.BOOK, lambda _: _loaded(book, study_id), taken)

    def do(
        self,
        operation: Callable[Concatenate[LabBook, P], Record | None],
        *args: P.args,
        **arguments: P.kwargs,
    ) -> Record | None:
        """Carry out an operation; returns its record, or None when nothing was changed."""
        return self._commit(lambda: operation(self.book, *args, **arguments))

    def do_long(self, operation: Operation, done: Callable[[Record], None], **arguments: Any) -> RunningJob:
        """Carry out an operation that takes seconds beside the window; until it ends nothing else is edited.

        ``done`` is called with its record once it is committed; what refuses it is told.
        """
        book = self.book
        # Two writers at once would make one of them wait for the other's transaction, on the interface
        # thread.
        self._storing = True

        def finished(result: Record | None) -> None:
            if self._book is book:
                record = self._commit(lambda: result)
                if record is not None:
                    done(record)

        def refused(error: BaseException) -> bool:
            if isinstance(error, StoreError) and self._book is book:
                self._refuse(error)
            return isinstance(error, StoreError)

        running = self.lanes.run(
            Lane.BOOK,
            lambda job: operation(book, job=job, **arguments),
            finished,
            owner=_STORING,
            refused=refused,
        )
        running.ended.connect(self._on_stored)
        return running

    def stop_storing(self) -> None:
        """Ask the long edit under way to stop; nothing of it is kept then."""
        self.lanes.cancel(_STORING)

    def _on_stored(self) -> None:
        self._storing = False

    def reveal(self, what: LookAt) -> None:
        """Write down a look at the verdict, the arms, a report or an export, before it is given.

        A book that can only be read is shown all the same.
        """
        from oddtwin import operations

        if self._study is not None and self.can_edit:
            self.do(operations.reveal, study_id=self._study.id, what=what)

    def figure(
        self,
        owner: object,
        work: Callable[[Job], Any],
        done: Callable[[Any], None],
        refused: Callable[[BaseException], bool] | None = None,
    ) -> RunningJob:
        """Do long work beside the lab book; what its owner had under way is asked to stop.

        ``done`` is called with the result; neither where the work was cancelled nor where it failed,
        which is told, unless ``refused`` takes the error.
        """
        self.lanes.cancel(owner)
        return self.lanes.run(Lane.FIGURES, work, done, owner=owner, refused=refused)

    def earlier_noise(self) -> dict[int, EarlierNoise]:
        """Return the noise floors of earlier studies, by response of the study in hand; read once."""
        from oddtwin.core.outlook import EarlierNoise
        from oddtwin.store import known_noise

        if self._study is None:
            return {}
        # Read when it is asked for: most studies have twins of their own, and never need another's.
        if self._earlier is None:
            with self.book.reading() as connection:
                here = known_noise(connection, self._study)
                anywhere = known_noise(connection, self._study, anywhere=True)
            self._earlier = {
                item.id: EarlierNoise(here.get(item.id), anywhere.get(item.id))
                for item in self._study.responses
            }
        return self._earlier

    def undo_titles(self) -> tuple[str | None, str | None]:
        """Names of the edits that undo and redo would touch; none while the book is still cold."""
        if self._book is None or not self._book.warm:
            return None, None
        try:
            return self._book.titles()
        except StoreError as error:
            self._tell_of_reading(str(error))
            return None, None

    def summaries(self, before: int | None, most: int, kept: StudyFilter | None = None) -> list[StudySummary]:
        """A page of the list of studies; none where the lab book cannot be read any more."""
        try:
            return self.book.summaries(before, most, kept)
        except StoreError as error:
            self.failed.emit(str(error))
            return []

    def tags(self) -> list[str]:
        """The tags that studies are filed under; none where the lab book cannot be read any more."""
        try:
            return self.book.tags()
        except StoreError:
            # The list of studies says it already.
            return []

    def undo(self) -> Record | None:
        return self._commit(self.book.undo)

    def redo(self) -> Record | None:
        return self._commit(self.book.redo)

    def _commit(self, act: Callable[[], Record | None]) -> Record | None:
        try:
            record = act()
        except StoreError as error:
            self._refuse(error)
            return None
        if record is not None:
            if self._study is not None:
                self._study = self._follow(self._study, record)
            self.changed.emit(record)
            # The study follows before anyone is told, so that no view ever shows the state before the edit.
            self.study_changed.emit(record)
            self._analyse()
        return record

    def _refuse(self, error: StoreError) -> None:
        self._edit_refused = True
        UNSAVED.refuse(str(error))
        # What a control shows goes back to what is stored, before the reason is told.
        self.study_changed.emit(None)
        self.failed.emit(str(error))

    def _tell_of_reading(self, text: str) -> None:
        """Tell what went wrong beside the window; of a book that is gone a refused edit has told more."""
        if not (self._edit_refused and self._book is not None and not self._book.folder.exists()):
            self.failed.emit(text)

    def _follow(self, study: Study, record: Record) -> Study | None:
        """Return the study in hand as an edit left it; None where it is gone."""
        from oddtwin.store import followed

        try:
            with self.book.reading() as connection:
                return followed(connection, study, record)
        except StoreError:
            return None

    def _load(self, study_id: int) -> Study | None:
        try:
            return _loaded(self.book, study_id)
        except StoreError as error:
            self.failed.emit(str(error))
            return None

    def _use(self, opening: Callable[[], LabBook], remember: bool = True) -> bool:
        try:
            book = opening()
        except StoreError as error:
            self.failed.emit(str(error))
            return False
        self.close_book()
        self._book = book
        self._edit_refused = False
        if remember:
            remember_book(book.folder)
        self.book_changed.emit()
        # When the first screen is painted: check the book, and load what edits will need.
        QTimer.singleShot(AFTER_PAINT_MS, self._check)
        return True

    def _analyse(self) -> None:
        self._generation += 1
        self._earlier = None
        study, book, generation = self._study, self._book, self._generation
        if study is None or book is None:
            self._analysis = None
            self.analysis_changed.emit()
            return

        # Only the newest is wanted: one that has not begun yet never does.
        self.lanes.cancel(_ANALYSING)
        self.lanes.run(
            Lane.BOOK,
            lambda _: _analysed(book, study),
            lambda result: self._on_analysed(result, generation),
            owner=_ANALYSING,
        )

    def _on_analysed(self, result: Analysis, generation: int) -> None:
        # A result of an earlier state may still arrive after it was asked to stop.
        if generation == self._generation:
            self._analysis = result
            self.analysis_changed.emit()

    def _check(self) -> None:
        if self._book is not None:
            book = self._book
            # A large book takes seconds to check, and its first verdict does not wait for that.
            self.lanes.run(Lane.HOUSEKEEPING, lambda _: check_and_warm(book), self._on_checked)

    def _on_checked(self, damage: str | None) -> None:
        keep_for_good()
        if damage:
            self._tell_of_reading(damage)
        self.warmed.emit()

    def _on_work_failed(self, error: BaseException) -> None:
        if isinstance(error, StoreError):
            self._tell_of_reading(str(error))
        elif isinstance(error, ValueError) and str(error)[:1].isupper():
            # What the core refuses in a whole sentence is meant for the user.
            self.failed.emit(str(error))
        else:
            self.failed.emit(
                tr("The figures could not be worked out ({error}). Your readings are safe.", error=error)
            )


def _loaded(book: LabBook, study_id: int) -> Study:
    from oddtwin.store import load_study

    with book.reading() as connection:
        return load_study(connection, study_id)


def _analysed(book: LabBook, study: Study) -> Analysis:
    """Judge a study; noise is looked for in other studies only where it has no twins of its own."""
    from oddtwin.core.judgement import analyse
    from oddtwin.store import known_noise

    @cache
    def borrowed() -> dict[int, NoiseFloor]:
        with book.reading() as connection:
            return known_noise(connection, study)

    return analyse(study, lambda response_id: borrowed().get(response_id))
