"""Long work off the interface thread, in lanes that do not wait for one another."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from enum import Enum
from queue import Empty, Queue
from threading import Thread
from time import monotonic
from typing import Any, Final

from PySide6.QtCore import QObject, Signal

from oddtwin.core.job import CancelledError, Job

BETWEEN_MOVES_S: Final = 0.05
"""Progress is told no more often than this."""


class Lane(Enum):
    """Where work queues: what waits for the book does not wait for figures, nor either for the rest."""

    BOOK = "book"
    FIGURES = "figures"
    DEVICES = "devices"
    HOUSEKEEPING = "housekeeping"


class RunningJob(QObject):
    """One piece of work under way.

    ``moved`` is emitted with the share that is done, ``ended`` once when it is over, however it
    ended: done, failed or cancelled.
    """

    moved = Signal(float)
    ended = Signal()

    def __init__(self, owner: object, parent: QObject) -> None:
        super().__init__(parent)
        self.owner = owner
        self.job = Job(self._on_told)
        self._last = 0.0

    def cancel(self) -> None:
        """Ask it to stop."""
        self.job.cancel()

    def _on_told(self, share: float) -> None:
        # Called on the thread of the work; the signal crosses over by itself.
        now = monotonic()
        if share >= 1 or now - self._last > BETWEEN_MOVES_S:
            self._last = now
            self.moved.emit(share)


class _Task:
    """What to do, and whom to tell."""

    def __init__(
        self,
        running: RunningJob,
        work: Callable[[Job], Any],
        done: Callable[[Any], None],
        refused: Callable[[BaseException], bool] | None,
    ) -> None:
        self.running, self.work, self.done, self.refused = running, work, done, refused
        self.result: Any = None
        self.error: BaseException | None = None

    def run(self) -> None:
        try:
            self.running.job.check()
            self.result = self.work(self.running.job)
        except Exception as raised:  # noqa: BLE001 - the border: errors go back to the window
            self.error = raised


class Lanes(QObject):
    """Runs work in lanes, each with a thread of its own, one piece after another.

    ``failed`` is emitted with the error of work that failed and that nobody else took. The
    threads are Python's own and not Qt's pool: there every piece of work would have another
    thread state, and libraries that remember the one they were loaded under crash in the next.
    """

    failed = Signal(object)
    _finished = Signal(object)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        # One queue a lane and not one for all: whoever waits for the book must not wait for a rehearsal
        # before it.
        self._queues: dict[Lane, Queue[_Task | None]] = {lane: Queue() for lane in Lane}
        self._threads: dict[Lane, Thread] = {}
        self._running: dict[RunningJob, Lane] = {}
        self._finished.connect(self._on_finished)

    @property
    def busy(self) -> bool:
        """Whether work or a result is still under way."""
        return bool(self._running)

    def run(
        self,
        lane: Lane,
        work: Callable[[Job], Any],
        done: Callable[[Any], None],
        *,
        owner: object = None,
        refused: Callable[[BaseException], bool] | None = None,
    ) -> RunningJob:
        """Run work on another thread.

        Parameters
        ----------
        lane : Lane
            Where it queues.
        work : callable
            Takes its job; on the lane's thread.
        done : callable
            Takes the result, on this thread; not called where the work failed or was cancelled.
        owner : object
            Whose work it is; ``cancel`` stops all of it.
        refused : callable, optional
            Takes the error of work that failed; returns whether that settles it.
        """
        running = RunningJob(owner, self)
        self._running[running] = lane
        self._queues[lane].put(_Task(running, work, done, refused))
        if lane not in self._threads:
            # A thread of Python's own and no pool of Qt: work that hangs must not keep the program from
            # ending.
            thread = Thread(target=self._loop, args=(self._queues[lane],), name=lane.value, daemon=True)
            self._threads[lane] = thread
            thread.start()
        return running

    def cancel(self, owner: object) -> None:
        """Ask all work of an owner to stop; what has not begun never does."""
        for running in self._running:
            if running.owner is owner:
                running.cancel()

    def cancel_all(self) -> None:
        """Ask all work to stop."""
        for running in self._running:
            running.cancel()

    def wait(self) -> None:
        """Drop what has not begun, and end the threads; the next piece of work has new ones."""
        for lane, thread in self._threads.items():
            queue = self._queues[lane]
            # Only what has not begun is taken out; what runs was asked to stop, and is waited for below.
            with suppress(Empty):
                while (task := queue.get_nowait()) is not None:
                    self._end(task.running)
            queue.put(None)
            thread.join()
        self._threads.clear()

    def _loop(self, queue: Queue[_Task | None]) -> None:
        while (task := queue.get()) is not None:
            task.run()
            # Where the window is gone already, nobody waits for the result.
            with suppress(RuntimeError):
                # A signal between threads is queued: what follows is done on the interface thread, the only
                # one that may touch widgets.
                self._finished.emit(task)
            # Held on to, a result would stay alive until the next piece of work comes, perhaps for hours.
            del task

    def _on_finished(self, task: _Task) -> None:
        self._end(task.running)
        if task.error is None:
            # Whoever cancelled while the last step was made does not want its result either.
            if not task.running.job.cancelled:
                task.done(task.result)
        elif isinstance(task.error, CancelledError):
            return
        elif task.refused is None or not task.refused(task.error):
            self.failed.emit(task.error)

    def _end(self, running: RunningJob) -> None:
        self._running.pop(running, None)
        running.ended.emit()
        # Children of a window live as long as it does; without this every job would leave an object behind.
        running.deleteLater()
