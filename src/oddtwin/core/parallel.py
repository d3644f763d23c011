"""Work on both cores: NumPy lets go of the interpreter while it computes, so threads share its arrays."""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextvars import copy_context
from typing import Final, TypeVar

Item = TypeVar("Item")
Made = TypeVar("Made")

MOST: Final = 4
"""Threads at once: more of them only wait for one another at the lock of the interpreter."""


def each(work: Callable[[Item], Made], items: Iterable[Item]) -> list[Made]:
    """Return what is made of every item, in their order; some of them are worked on at a time.

    Parameters
    ----------
    work : callable
        Given one item; what it writes must be no other item's.
    items : iterable
        Asked for on this thread, all of them at once.

    Raises
    ------
    Exception
        What the first item in their order raised whose work failed.
    """
    with ThreadPoolExecutor(min(MOST, os.cpu_count() or 1)) as threads:
        # A thread begins without what holds here, such as the language that is written in.
        begun = [(copy_context(), item) for item in items]
        return list(threads.map(lambda one: one[0].run(work, one[1]), begun))


def ahead(
    work: Callable[[Item], Made], items: Iterable[Item], waiting: int = 1
) -> Iterator[tuple[Item, Made]]:
    """Yield every item and what is made of it, in their order; the next ones are worked on meanwhile.

    Parameters
    ----------
    work : callable
        Given one item, on a thread beside; what it writes must be no other item's.
    items : iterable
        Asked for on this thread. What it raises is raised where it would have been without the thread:
        after all items before it were handed out.
    waiting : int
        How many items are worked on ahead, each on a thread of its own where there are cores for them; they
        are all held in memory.
    """
    ready: deque[tuple[Item, Future[Made]]] = deque()
    failure: Exception | None = None
    source = iter(items)
    with ThreadPoolExecutor(min(waiting, os.cpu_count() or 1)) as threads:
        while True:
            try:
                item = next(source)
            except StopIteration:
                break
            except Exception as error:  # noqa: BLE001 - kept, and raised in its turn
                failure = error
                break
            ready.append((item, threads.submit(copy_context().run, work, item)))
            if len(ready) > waiting:
                item, made = ready.popleft()
                yield item, made.result()
        for item, made in ready:
            yield item, made.result()
    if failure is not None:
        raise failure
