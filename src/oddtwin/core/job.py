"""Long work: how far it is, and the wish that it stop."""

from __future__ import annotations

from collections.abc import Callable
from typing import Final

from oddtwin.core.language import tr


class CancelledError(Exception):
    """Nobody wants the result of a job any more; it is neither a failure nor an empty result."""


class Job:
    """How far long work is, told by it, and the wish to stop it, told to it.

    Parameters
    ----------
    told : callable
        Called with the share that is done, 0 to 1, on whatever thread the work runs on.
    """

    def __init__(self, told: Callable[[float], None]) -> None:
        self._told = told
        self._cancelled = False

    @property
    def cancelled(self) -> bool:
        """Whether the work shall stop."""
        return self._cancelled

    def cancel(self) -> None:
        """Ask the work to stop."""
        # No lock: one thread sets a flag that another reads, and a step more or less before it is seen does
        # no harm.
        self._cancelled = True

    def tell(self, share: float) -> None:
        """Say how much is done, from 0 to 1."""
        self._told(min(1.0, max(0.0, share)))

    def check(self) -> None:
        """Stop here where the work shall stop.

        Raises
        ------
        CancelledError
            It shall.
        """
        if self.cancelled:
            raise CancelledError

    def part(self, first: float, last: float) -> Job:
        """Return the job of a part of the work, which goes from one share of the whole to another.

        Parameters
        ----------
        first, last : float
            Shares of the whole at which the part begins and ends, 0 to 1.
        """
        return _Part(self, first, last)


class _Part(Job):
    """A part of a larger job: it tells its share of the whole, and stops with it."""

    def __init__(self, whole: Job, first: float, last: float) -> None:
        super().__init__(lambda share: whole.tell(first + share * (last - first)))
        self._whole = whole

    @property
    def cancelled(self) -> bool:
        return self._whole.cancelled


class _Unwatched(Job):
    """Work that nobody watches, and nobody can stop."""

    def cancel(self) -> None:
        raise RuntimeError(tr("nobody can stop work that nobody watches"))


UNWATCHED: Final[Job] = _Unwatched(lambda share: None)
"""The job of work that is waited for."""
