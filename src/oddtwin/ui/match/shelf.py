"""The sliced files of the study in hand: chosen, read and planned off the interface thread."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Signal

from oddtwin import operations, work
from oddtwin.core import predicted
from oddtwin.core.job import Job
from oddtwin.core.predicted import sliced_arms
from oddtwin.core.study import Arm, Machine, Study, TwinCheckResult
from oddtwin.store import StoreError
from oddtwin.ui.workbench import Workbench

if TYPE_CHECKING:
    from oddtwin.core.toolpath.match import MatchFile


class Shelf(QObject):
    """Holds the files of one piece that were read, and reads them when they are asked for.

    Signals
    -------
    loaded()
        The files that ``files`` gives are other ones.
    moved(float)
        How much of the work under way is done, 0 to 1; 1 when there is none.
    refused(str)
        Why a file cannot be used.
    """

    loaded = Signal()
    moved = Signal(float)
    refused = Signal(str)

    def __init__(self, workbench: Workbench) -> None:
        super().__init__(workbench)
        self._workbench = workbench
        self._study: Study | None = None
        self._piece_id: int | None = None
        self._key: tuple[Any, ...] | None = None
        self._files: list[MatchFile] = []
        self._loading: tuple[Any, ...] | None = None
        self._exported: dict[str, dict[str, str]] = {}

    @property
    def study(self) -> Study | None:
        return self._study

    @property
    def piece_id(self) -> int | None:
        return self._piece_id

    @property
    def arms(self) -> list[Arm]:
        """The arms that have files, the baseline first."""
        return sliced_arms(self._study) if self._study else []

    @property
    def machine(self) -> Machine | None:
        """The machine by which times are predicted: the plan's first."""
        return predicted.plan_machine(self._study) if self._study else None

    @property
    def check(self) -> TwinCheckResult | None:
        """What was found for the piece, if its files were checked."""
        checks = self._study.checks if self._study else ()
        return next((check for check in checks if check.piece_id == self._piece_id), None)

    @property
    def complete(self) -> bool:
        """Whether every arm has a file."""
        return bool(self.arms) and len(self._wanted()) == len(self.arms)

    def take(self, study: Study, piece_id: int | None) -> None:
        """Take a study and one of its pieces in hand."""
        self._study, self._piece_id = study, piece_id
        if self._key is not None and self._key != self._key_of():
            self._key, self._files = None, []

    def files(self) -> list[MatchFile]:
        """Return the files that are read; where they are not, nothing, and ``loaded`` follows."""
        key = self._key_of()
        if key == self._key or not key:
            return self._files
        if self._loading != key:
            self._load(key)
        return []

    def pair(self) -> list[MatchFile]:
        """Return the files that are read where there are two or more to compare, else nothing."""
        files = self.files()
        return files if len(files) > 1 else []

    def choose(self, arm: Arm, path: Path) -> None:
        """Read a file, keep it in the lab book, and say that it is an arm's."""
        study = self._study
        if study is None:
            return
        piece_id, book = self._piece_id, self._workbench.book
        machines = predicted.plan_machines(study)

        def reading(job: Job) -> work.ChosenFile:
            return work.keep_file(book, path, machines, job)

        def done(found: work.ChosenFile) -> None:
            if self._workbench.do(operations.choose_file, arm_id=arm.id, piece_id=piece_id, chosen=found):
                self.check_when_complete()

        self.figure(reading, done)

    def use_settings(self, exported: Sequence[dict[str, str]]) -> None:
        """Check again with settings that were exported apart, one set for each arm's file."""
        for file, settings in zip(self._wanted(), exported, strict=True):
            self._exported[file.sha256] = settings
        self.check_now()

    def check_when_complete(self) -> None:
        """Check the files of the piece once every arm has one."""
        if self.complete and self.check is None:
            self.check_now()

    def check_now(self) -> None:
        """Check the files of the piece, and keep what was found."""
        study, piece_id = self._study, self._piece_id
        if study is None or not self.complete:
            return
        book, exported = self._workbench.book, dict(self._exported)

        def checking(job: Job) -> work.CheckedFiles | None:
            return work.check_files(book, study, piece_id, exported, job)

        def done(found: work.CheckedFiles | None) -> None:
            if found is None:
                return
            self._files, self._key = found.files, self._key_of()
            self._workbench.do(
                operations.keep_check,
                study_id=study.id,
                piece_id=piece_id,
                result=found.result,
                seconds=found.seconds,
            )
            self.loaded.emit()

        self.figure(checking, done)

    def stop(self) -> None:
        """Ask the work under way to stop."""
        self._workbench.lanes.cancel(self)

    def _load(self, key: tuple[Any, ...]) -> None:
        if self._study is None:
            return
        self._loading = key
        study, wanted = self._study, self._wanted()

        def loading(job: Job) -> list[MatchFile]:
            limits = predicted.machine_limits(predicted.plan_machine(study))
            return work.load_files(wanted, limits, predicted.plan_spool(study), job)

        def done(found: list[MatchFile]) -> None:
            if key == self._key_of():
                self._files, self._key = found, key
                self.loaded.emit()

        self.figure(loading, done)

    def figure(self, act: Callable[[Job], Any], done: Callable[[Any], None]) -> None:
        """Do work that may refuse a file; ``done`` is called with its result."""
        book = self._workbench.book

        def finished(found: Any) -> None:
            # A result may come when its lab book is closed already.
            if self._workbench.has_book and self._workbench.book is book:
                done(found)

        def refused(error: BaseException) -> bool:
            if isinstance(error, StoreError):
                self.refused.emit(str(error))
            return isinstance(error, StoreError)

        running = self._workbench.figure(self, act, finished, refused)
        running.moved.connect(self.moved)
        running.ended.connect(self._on_ended)
        self.moved.emit(0.0)

    def _on_ended(self) -> None:
        self._loading = None
        self.moved.emit(1.0)

    def _wanted(self) -> list[work.KeptFile]:
        if self._study is None:
            return []
        return work.kept_files(self._workbench.book, self._study, self.arms, self._piece_id)

    def _key_of(self) -> tuple[Any, ...]:
        machine = self.machine
        motion = repr(sorted(machine.motion.items())) if machine else ""
        return (*((item.name, item.sha256) for item in self._wanted()), motion) if self._wanted() else ()
