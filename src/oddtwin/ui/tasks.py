"""Work off the interface thread; results come back by one queued signal."""

from __future__ import annotations

from collections.abc import Callable
from time import monotonic
from typing import Any

from PySide6.QtCore import QObject, QRunnable, QThreadPool, Signal


class _Task(QRunnable):
    def __init__(self, work: Callable[[], Any], report: Callable[[Any, BaseException | None], None]) -> None:
        super().__init__()
        self._work = work
        self._report = report

    def run(self) -> None:
        try:
            result = self._work()
        except Exception as error:  # noqa: BLE001 - the border: errors go back to the window
            self._report(None, error)
        else:
            self._report(result, None)


class Progress(QObject):
    """How far long work is, told from its thread, and the wish to stop it, told to it.

    ``moved`` is emitted with the share that is done, at most some twenty times a second.
    """

    moved = Signal(float)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._cancelled = False
        self._last = 0.0

    def tell(self, share: float) -> None:
        """Say how much is done, from 0 to 1."""
        now = monotonic()
        if share >= 1 or now - self._last > 0.05:
            self._last = now
            self.moved.emit(share)

    def cancel(self) -> None:
        """Ask the work to stop."""
        self._cancelled = True

    def cancelled(self) -> bool:
        """Whether the work shall stop."""
        return self._cancelled


class TaskRunner(QObject):
    """Runs work on a thread of its own, one piece after another.

    ``failed`` is emitted with the error of work that failed.
    """

    failed = Signal(object)
    _finished = Signal(object, object, object, object)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._waiting = 0
        self._finished.connect(self._on_finished)

    @property
    def busy(self) -> bool:
        """Whether work or a result is still under way."""
        return self._waiting > 0

    def run(
        self, work: Callable[[], Any], done: Callable[[Any], None], failed: Callable[[], None] | None = None
    ) -> None:
        """Run ``work`` on the other thread, then ``done`` with its result, or ``failed``, on this one."""
        self._waiting += 1
        self._pool.start(_Task(work, lambda result, error: self._finished.emit(done, failed, result, error)))

    def wait(self) -> None:
        """Wait until nothing runs any more, for example before a lab book is closed."""
        self._pool.clear()
        self._pool.waitForDone()

    def _on_finished(
        self,
        done: Callable[[Any], None],
        failed: Callable[[], None] | None,
        result: Any,
        error: BaseException | None,
    ) -> None:
        self._waiting -= 1
        if error is not None:
            self.failed.emit(error)
            if failed is not None:
                failed()
        else:
            done(result)
