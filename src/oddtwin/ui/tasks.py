"""Work off the interface thread; results come back by one queued signal."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from queue import Empty, Queue
from threading import Thread
from time import monotonic
from typing import Any

from PySide6.QtCore import QObject, Signal

Task = tuple[Callable[[], Any], Callable[[Any], None], Callable[[], None] | None]
"""The work, what to do with its result, and what to do when it fails."""


class Progress(QObject):
    """How far long work is, told from its thread, and the wish to stop it, told to it.

    ``moved`` is emitted with the share that is done, at most some twenty times a second; ``ended``
    when the work is over, however it ended.
    """

    moved = Signal(float)
    ended = Signal()

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

    ``failed`` is emitted with the error of work that failed. The thread is Python's own and
    not one of Qt's pool: there every piece of work would have another thread state, and
    libraries that remember the one they were loaded under crash in the next.
    """

    failed = Signal(object)
    _finished = Signal(object, object, object, object)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._queue: Queue[Task | None] = Queue()
        self._thread: Thread | None = None
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
        self._queue.put((work, done, failed))
        if self._thread is None:
            self._thread = Thread(target=self._loop, name="worker", daemon=True)
            self._thread.start()

    def wait(self) -> None:
        """Drop what has not begun, and end the thread; the next piece of work has a new one."""
        with suppress(Empty):
            while True:
                self._queue.get_nowait()
                self._waiting -= 1
        if self._thread is not None:
            self._queue.put(None)
            self._thread.join()
            self._thread = None

    def _loop(self) -> None:
        while (task := self._queue.get()) is not None:
            work, done, failed = task
            result: Any = None
            error: BaseException | None = None
            try:
                result = work()
            except Exception as raised:  # noqa: BLE001 - the border: errors go back to the window
                error = raised
            # Where the window is gone already, nobody waits for the result.
            with suppress(RuntimeError):
                self._finished.emit(done, failed, result, error)
            del task, work, done, failed, result, error

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
