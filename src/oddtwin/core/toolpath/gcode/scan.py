"""The fast scanner: the motion lines of a block of G-code, by array arithmetic.

A line without its digits is its *shape*: ``G1 X10.5 E.02`` has the shape ``G X. E.``.
A block of G-code has few shapes. Each is understood once, in Python, and then all lines
of that shape are read together. Only what the reference parser in ``syntax`` would
read the same is read here: G0 to G3 or axis words first, each word a letter, at most one
sign, up to eight digits, at most one point and up to eight digits more; all other
lines are handed over as they are. Digits are read eight at a time from the little-endian
word that ends with them, as integers, and divided once by a power of ten: one rounding,
so the value equals ``float()``.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.toolpath.gcode.vocabulary import LONGEST_ASIDE, Meaning, read_aside

COLUMNS: Final = "XYZEFIJR"
REPEATED: Final = -1
"""The motion of a line that has axis words only."""

NONE: Final = -2
PAD: Final = 8
AFTER: Final = LONGEST_ASIDE + 8
MOST_SHAPES: Final = 32
"""Shapes of equal length that are tried in a block before the rest is handed over."""
LONGEST_SHAPE: Final = 96

PIECE: Final = re.compile(r"(?P<blank>[ \t\r]|\([^()]*\))|(?P<letter>[A-Za-z])(?P<sign>[+-]?)(?P<dot>\.?)")
NEWLINE, SEMICOLON, STAR = b"\n;*"

TOP: Final = np.array([(0xFFFFFFFFFFFFFFFF << 8 * (8 - n)) & 0xFFFFFFFFFFFFFFFF for n in range(9)], np.uint64)
"""Masks of the last n of eight bytes."""
LOW: Final = np.array([(1 << 8 * n) - 1 for n in range(9)], np.uint64)
"""Masks of the first n of eight bytes."""
NIBBLES: Final = np.uint64(0x0F0F0F0F0F0F0F0F)
TEN: Final = 10.0 ** np.arange(9)
TEN_WHOLE: Final = 10 ** np.arange(9, dtype=np.uint64)
Ints = NDArray[Any]


@dataclass(frozen=True, slots=True)
class Scan:
    """A block of lines, read.

    Parameters
    ----------
    motion : numpy.ndarray, shape (lines,)
        0 to 3 for G0 to G3, `REPEATED` for a line of axis words only, `NONE` for any other line.
    values : numpy.ndarray, shape (8, lines)
        The numbers of `COLUMNS` as written; NaN where the word is missing.
    others : list of (int, bytes)
        Index and text of every other line that is not empty.
    asides : list of (int, Meaning)
        Index of motion lines behind which a comment names another feature than the last such one did.
    """

    motion: NDArray[np.int8]
    values: NDArray[np.float64]
    others: list[tuple[int, bytes]]
    asides: list[tuple[int, Meaning]]

    def part(self, first: int, end: int) -> Scan:
        """Return some of the lines, as a block of their own."""
        return Scan(
            self.motion[first:end],
            self.values[:, first:end],
            [(row - first, raw) for row, raw in self.others if first <= row < end],
            [(row - first, meaning) for row, meaning in self.asides if first <= row < end],
        )


@dataclass(frozen=True, slots=True)
class _Word:
    """Where a word lies in its shape: columns of the marks that its digits follow."""

    letter: str
    at: int
    negative: bool
    signed: bool
    dotted: bool

    @property
    def whole_at(self) -> int:
        return self.at + self.signed

    @property
    def end(self) -> int:
        return self.whole_at + self.dotted + 1


@dataclass(frozen=True, slots=True)
class _Shape:
    """A shape that is understood: its words, and the marks that no digit may follow."""

    words: tuple[_Word, ...]
    command: int | None
    bare: tuple[int, ...]


def scan(block: bytes) -> Scan:
    """Read a block of whole lines.

    Parameters
    ----------
    block : bytes
        Text that ends with a newline.
    """
    # What follows the block is only ever read beside it, by whole windows of bytes.
    padded = np.frombuffer(b"\n" * PAD + block + b"\0" * AFTER, np.uint8)
    text = padded[:-AFTER]
    place, mark = _marks(text)
    ends = np.flatnonzero(mark == NEWLINE)
    stops = place[ends]
    lines = len(ends) - 1
    motion = np.full(lines, NONE, np.int8)
    values = np.full((len(COLUMNS), lines), np.nan)
    place, mark, ends, lengths, behind = _without_comments(place, mark, ends)
    for length in np.flatnonzero(np.bincount(lengths, minlength=2)).tolist():
        if not 1 < length < LONGEST_SHAPE:
            continue
        rows = np.flatnonzero(lengths == length)
        index = ends[rows] + np.arange(length + 1)[:, None]
        _read_group(text, rows, place.take(index), mark.take(index), motion, values)
    return Scan(motion, values, _others(block, stops, motion), _asides(padded, stops, behind, motion))


def _marks(text: NDArray[np.uint8]) -> tuple[Ints, NDArray[np.uint8]]:
    """Return place and value of every byte that is no digit, from the last padding newline on."""
    tail = text[PAD - 1 :]
    place = np.flatnonzero((tail - np.uint8(48)) > 9).astype(np.int32)
    mark = tail.take(place)
    place += PAD - 1
    return place, mark


def _without_comments(
    place: Ints, mark: NDArray[np.uint8], ends: Ints
) -> tuple[Ints, NDArray[np.uint8], Ints, Ints, tuple[Ints, Ints]]:
    """Drop the marks behind each line's first semicolon or checksum; that mark stays.

    Returns the marks, the newlines among them, how many marks each line has: zero for
    a line that is all comment; and line and place of the semicolons behind something.
    """
    semicolons = np.flatnonzero((mark == SEMICOLON) | (mark == STAR))
    line = np.searchsorted(ends, semicolons)
    first = np.ones(len(line), bool)
    first[1:] = line[1:] != line[:-1]
    semicolons, line = semicolons[first], line[first]
    whole = mark[semicolons - 1] == NEWLINE
    noted = ~whole & (mark[semicolons] == SEMICOLON)
    behind = line[noted] - 1, place[semicolons[noted]]
    if not whole.all():
        edge = np.zeros(len(mark) + 1, np.int8)
        edge[semicolons + 1] += 1
        edge[ends[line]] -= 1
        keep = ~np.cumsum(edge[:-1], dtype=np.int8).view(bool)
        place, mark = place[keep], mark[keep]
        ends = np.flatnonzero(mark == NEWLINE)
    lengths = np.diff(ends)
    lengths[line[whole] - 1] = 0
    return place, mark, ends, lengths, behind


def _read_group(
    text: NDArray[np.uint8],
    rows: Ints,
    place: Ints,
    mark: NDArray[np.uint8],
    motion: NDArray[np.int8],
    values: NDArray[np.float64],
) -> None:
    """Read the lines of one length, shape by shape; ``place`` and ``mark`` have a row for each mark."""
    for _ in range(MOST_SHAPES):
        # Lines with the same marks in the same order are read alike; most layers have two or three such
        # shapes.
        same = mark[1] == mark[1, 0]
        for row in mark[2:]:
            same &= row == row[0]
        shape = _understand(mark[1:, 0].tobytes())
        if same.all():
            if shape:
                _read_shape(text, rows, place, shape, motion, values)
            return
        if shape:
            alike = np.flatnonzero(same)
            _read_shape(text, rows.take(alike), place.take(alike, axis=1), shape, motion, values)
        others = np.flatnonzero(~same)
        rows, place, mark = rows.take(others), place.take(others, axis=1), mark.take(others, axis=1)


@lru_cache(maxsize=4096)
def _understand(marks: bytes) -> _Shape | None:
    """Return what a shape means; None where the reference parser has to decide."""
    text = marks.decode("latin-1").rstrip("\n")
    code = re.split("[;*]", text)[0]
    words: list[_Word] = []
    bare = [0]
    at, attached = 0, False
    while at < len(code):
        found = PIECE.match(code, at)
        if not found:
            return None
        if found["blank"]:
            bare.append(found.end())
            attached = False
        else:
            letter = found["letter"]
            # “1e5” may be a number with an exponent or an E word, which only the reference parser can tell.
            if attached and letter in "Ee" and (words[-1].letter in "Ee" or _may_be_exponent(code, letter)):
                return None
            word = _Word(
                letter.upper(), at + 1, found["sign"] == "-", bool(found["sign"]), bool(found["dot"])
            )
            words.append(word)
            if word.signed:
                bare.append(word.at)
            attached = True
        at = found.end()
    return _shaped(words, tuple(bare))


def _may_be_exponent(code: str, letter: str) -> bool:
    return letter == "e" and any(other.isupper() for other in code)


def _shaped(words: list[_Word], bare: tuple[int, ...]) -> _Shape | None:
    """Return the shape of some words if they are one motion."""
    rest = words[1:] if words and words[0].letter == "N" and words[0].end == words[0].at + 1 else words
    if not rest:
        return None
    head = rest[0]
    if head.letter == "G" and not head.signed and not head.dotted:
        command, rest = head.at, rest[1:]
    elif head.letter in COLUMNS:
        command = None
    else:
        return None
    if any(word.letter in "GMNKPQ" for word in rest):
        # Further commands, and words of arcs that have no column.
        return None
    return _Shape(tuple(words), command, bare)


def _read_shape(
    text: NDArray[np.uint8],
    rows: Ints,
    place: Ints,
    shape: _Shape,
    motion: NDArray[np.int8],
    values: NDArray[np.float64],
) -> None:
    """Read lines of one shape; ``place`` has one row for each mark."""
    gap = place[1:] - place[:-1]
    gap -= 1
    good = np.ones(len(rows), bool)
    for column in shape.bare:
        good &= gap[column] == 0
    for word in shape.words:
        whole = gap[word.whole_at]
        if word.dotted:
            fraction = gap[word.whole_at + 1]
            # Up to 15 digits are exact in a double; longer numbers go to the reference parser, which rounds
            # them rightly.
            good &= (whole <= 8) & (fraction <= 8) & (whole + fraction > 0) & (whole + fraction <= 15)
        else:
            good &= (whole <= 8) & (whole > 0)
    if shape.command is None:
        code = np.full(len(rows), REPEATED, np.int8)
    else:
        code = text.take(place[shape.command] + 1).view(np.int8) - np.int8(48)
        good &= (gap[shape.command] == 1) & (code <= 3)
    if not good.all():
        rows, place, gap, code = rows[good], place[:, good], gap[:, good], code[good]
    motion[rows] = code
    for word in shape.words:
        if word.letter in COLUMNS:
            values[COLUMNS.index(word.letter), rows] = _numbers(text, word, place, gap)


def _numbers(text: NDArray[np.uint8], word: _Word, place: Ints, gap: Ints) -> NDArray[np.float64]:
    """Return the numbers of one word of lines of one shape."""
    whole = gap[word.whole_at]
    if not word.dotted:
        number = _integer(text, place[word.whole_at + 1], whole).astype(np.float64)
    else:
        fraction = gap[word.whole_at + 1]
        end = place[word.whole_at + 2]
        if int((whole + fraction).max(initial=0)) <= 7:
            # All eight bytes at once: the whole part moves up over the point.
            window = _windows(text)[end - 8]
            low = TOP.take(fraction)
            window = (window & low) | ((window << np.uint64(8)) & ~low)
            units = _eight(window & TOP.take(whole + fraction))
        else:
            units = _integer(text, place[word.whole_at + 1], whole) * TEN_WHOLE.take(fraction)
            units += _integer(text, end, fraction)
        number = units.astype(np.float64)
        # One division of two exact numbers rounds once, and so gives the very double that reading the text
        # would.
        number /= TEN.take(fraction)
    return np.negative(number, out=number) if word.negative else number


def _windows(text: NDArray[np.uint8]) -> NDArray[np.uint64]:
    """Return the eight bytes from every place on, as one integer."""
    # Overlapping views at every byte, without a copy; the padding of a block makes the last ones safe to
    # read.
    return np.ndarray((len(text) - 7,), np.uint64, text.data, 0, (1,))


def _integer(text: NDArray[np.uint8], end: Ints, digits: Ints) -> NDArray[np.uint64]:
    """Return the integer of the digits before each place, up to eight."""
    return _eight(_windows(text)[end - 8] & TOP.take(digits))


def _eight(window: NDArray[np.uint64]) -> NDArray[np.uint64]:
    """Return the number of eight ASCII digits, first digit in the lowest byte; zero bytes count as 0."""
    # Digits pairwise: each multiplication adds ten, a hundred, ten thousand times the left half to the
    # right one, in all lanes of the integer at once (a well-known trick, from memory).
    window &= NIBBLES
    window *= np.uint64(2561)
    window >>= np.uint64(8)
    window &= np.uint64(0x00FF00FF00FF00FF)
    window *= np.uint64(6553601)
    window >>= np.uint64(16)
    window &= np.uint64(0x0000FFFF0000FFFF)
    window *= np.uint64(42949672960001)
    window >>= np.uint64(32)
    return window


def _others(block: bytes, stops: Ints, motion: NDArray[np.int8]) -> list[tuple[int, bytes]]:
    """Return the lines that were not read and are not empty."""
    slow = np.flatnonzero(motion == NONE)
    begin = stops[slow] - (PAD - 1)
    end = stops[slow + 1] - PAD
    filled = end > begin
    found = zip(slow[filled].tolist(), begin[filled].tolist(), end[filled].tolist(), strict=True)
    return [(row, block[a:b]) for row, a, b in found]


def _asides(
    padded: NDArray[np.uint8], stops: Ints, behind: tuple[Ints, Ints], motion: NDArray[np.int8]
) -> list[tuple[int, Meaning]]:
    """Return the features that comments behind moves name, wherever they change."""
    line, place = behind
    begin = place + 1
    length = stops[line + 1] - begin
    short = (length > 0) & (length <= LONGEST_ASIDE) & (motion[line] != NONE)
    line, begin, length = line[short], begin[short], length[short]
    if not len(line):
        return []
    # Three windows hold a comment whole, so that equal ones are found without looking at their text.
    key = np.zeros(len(line), np.uint64)
    for number in range(3):
        size = np.clip(length - 8 * number, 0, 8)
        key = key * np.uint64(0x9E3779B97F4A7C15) + (_windows(padded)[begin + 8 * number] & LOW.take(size))
        key ^= key >> np.uint64(29)
    _, first, which = np.unique(key, return_index=True, return_inverse=True)
    meanings = [read_aside(padded[begin[one] : begin[one] + length[one]].tobytes()) for one in first.tolist()]
    tells = np.array([meaning is not None for meaning in meanings])[which]
    line, which = line[tells], which[tells]
    fresh = np.flatnonzero(np.diff(which, prepend=-1))
    return [
        (row, meanings[one]) for row, one in zip(line[fresh].tolist(), which[fresh].tolist(), strict=True)
    ]
