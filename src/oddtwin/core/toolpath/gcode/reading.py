"""Reading a sliced file: blocks of text in, moves out."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Final

from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.language import tr, trn
from oddtwin.core.parallel import ahead
from oddtwin.core.toolpath.gcode.errors import GcodeError
from oddtwin.core.toolpath.gcode.resolve import Resolver
from oddtwin.core.toolpath.gcode.scan import scan
from oddtwin.core.toolpath.gcode.syntax import MOTION, parse_line
from oddtwin.core.toolpath.gcode.toolpath import Toolpath

AHEAD: Final = 2
"""Blocks whose lines are taken apart at a time, while the one before is followed."""
LONGEST_LINE: Final = 1 << 20
MOST_UNREADABLE: Final = 0.2


def read_gcode(
    chunks: Iterable[bytes],
    *,
    job: Job = UNWATCHED,
    share: Callable[[], float] = lambda: 0.0,
) -> Toolpath:
    """Read the text of a sliced file.

    Parameters
    ----------
    chunks : iterable of bytes
        The text, in pieces of any size.
    job : Job
        Told the share that is done; stops the work between blocks.
    share : callable
        Returns the share of the text that was handed out so far, 0 to 1.

    Returns
    -------
    Toolpath

    Raises
    ------
    CancelledError
        The job was cancelled.
    GcodeError
        It is not text, has a line that is too long or a number that is too large, or
        prints nothing.
    """
    resolver = Resolver()
    size = 0
    text = _Blocks(chunks)
    try:
        # Lines are taken apart ahead of where their meaning is followed: the one needs no other lines, and
        # the other needs all before.
        for block, lines in ahead(scan, text, AHEAD):
            job.check()
            resolver.add(lines)
            size += len(block)
            job.tell(share())
    except _RefusedError as error:
        raise GcodeError(str(error).format(line=resolver.lines + 1)) from None
    return resolver.finish(size, _doubts(resolver, text.last), _notes(resolver))


class _RefusedError(Exception):
    """It is no text of a sliced file; ``{line}`` in the sentence is the line that comes next."""


class _Blocks:
    """Blocks of whole lines; ``last`` is afterwards the last line where it had no end."""

    def __init__(self, chunks: Iterable[bytes]) -> None:
        self.last: bytes | None = None
        self._chunks = chunks

    def __iter__(self) -> Iterator[bytes]:
        rest: list[bytes] = []
        waiting = 0
        begun = False
        for chunk in self._chunks:
            if not begun and chunk:
                # A mark of the encoding before the first line is no text.
                chunk, begun = chunk.removeprefix(b"\xef\xbb\xbf"), True
            self._refuse_binary(chunk)
            # Whole lines only, so that no block has to know what the one before began.
            cut = chunk.rfind(b"\n") + 1
            if not cut:
                rest.append(chunk)
                waiting += len(chunk)
                self._check_length(waiting)
                continue
            block = b"".join((*rest, chunk[:cut]))
            self._check_length(block.find(b"\n"))
            yield block if b"\r" not in block else _one_newline(block)
            rest, waiting = [chunk[cut:]], len(chunk) - cut
            self._check_length(waiting)
        last = b"".join(rest)
        if last.strip():
            self.last = last
            yield _one_newline(last + b"\n")

    def _refuse_binary(self, chunk: bytes) -> None:
        if b"\0" in chunk:
            raise _RefusedError(
                tr(
                    "after line {line}: this is not text but a binary file; export the sliced "
                    "file as plain G-code"
                )
            )

    def _check_length(self, length: int) -> None:
        if length > LONGEST_LINE:
            raise _RefusedError(
                tr(
                    "line {line} or after it: one line is longer than a million characters; this "
                    "is not G-code, so export the sliced file again"
                )
            )


def _one_newline(block: bytes) -> bytes:
    """Let a lone carriage return end a line too, as on old machines."""
    return block.replace(b"\r\n", b"\n").replace(b"\r", b"\n")


def _doubts(resolver: Resolver, last: bytes | None) -> list[str]:
    """Return what is wrong with the file, as sentences; refuse what is no G-code at all."""
    now = resolver.interpreter
    bad = now.unreadable_count
    if bad > max(20, MOST_UNREADABLE * resolver.lines):
        raise GcodeError(
            tr(
                "line {unreadable}: this is not G-code ({bad} of {lines} lines cannot be read)",
                unreadable=now.unreadable[0],
                bad=bad,
                lines=resolver.lines,
            )
        )
    found = []
    if bad:
        first = ", ".join(str(line) for line in now.unreadable)
        many = trn("line cannot", "lines cannot", bad)
        found.append(
            tr(
                "{bad} {many} be read and {part} left out (first: {first}).",
                bad=bad,
                many=many,
                part=trn("is", "are", bad),
                first=first,
            )
        )
    if last is not None and _is_move(last):
        found.append(
            tr("It ends in the middle of a move: the file may have been cut off while it was copied.")
        )
    return found


def _is_move(raw: bytes) -> bool:
    line = parse_line(raw)
    return not line.readable or any(command.name in MOTION for command in line.commands)


def _notes(resolver: Resolver) -> list[str]:
    """Return what the user should know about the reading."""
    now = resolver.interpreter
    notes = []
    if now.machine.pulled_blindly:
        notes.append(
            tr(
                "G10 pulls filament back, but no command says how far: set the length (M207) "
                "to have it counted."
            )
        )
    if now.unknown:
        names = ", ".join(list(now.unknown)[:5])
        notes.append(
            tr(
                "{values} commands have no meaning here: {names}.",
                values=sum(now.unknown.values()),
                names=names,
            )
        )
    return notes
