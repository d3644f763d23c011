"""The reference parser: what one line of G-code means, slowly and explicitly.

The syntax is that of RS-274 (NISTIR 6556, The NIST RS274NGC Interpreter - Version 3,
Kramer, Proctor and Messina, 2000; from memory) as fused-filament firmware reads it:
words of a letter and a number, blanks allowed anywhere between them, comments in
parentheses or after a semicolon, ``N`` line numbers in front and ``*`` checksums
behind. The fast scanner must give what this parser gives, and hands over what it
cannot prove regular.
"""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Final

MOTION: Final = frozenset({"G0", "G1", "G2", "G3", "G5"})
MODAL: Final = ""
"""The command of a line that has axis words only: it repeats the last motion."""

LARGEST: Final = 1e15
"""Numbers beyond this are unreadable; fifteen digits are what a scanned word may have."""
WORD: Final = re.compile(r"([A-Za-z])[ \t]*([+-]?(?:\d+\.?\d*|\.\d+))?", re.ASCII)
SHARES: Final = re.compile(r"(?::[+-]?(?:\d+\.?\d*|\.\d+))+", re.ASCII)
"""What each further motor of a mixing head gets, behind the first: ``E.5:.25``."""
QUOTED: Final = re.compile(r'"[^"]*"?')
EXPONENT: Final = re.compile(r"e[+-]?\d+", re.ASCII | re.IGNORECASE)
NAME: Final = re.compile(r"[A-Za-z_]{2}\w*(?=[ \t]|$)", re.ASCII)
PARENTHESES: Final = re.compile(r"\([^()]*\)")
AXES: Final = frozenset("XYZEFIJKPQR")
FREE_TEXT: Final = frozenset({"M16", "M23", "M28", "M30", "M32", "M98", "M115", "M117", "M118", "M928"})
"""Commands whose line is text for people or a file name from there on, not words."""
HALTS: Final = frozenset({"M0", "M1"})
"""Commands that may tell how long to wait before their text."""
WAIT: Final = re.compile(r"([PS])[ \t]*(\d+\.?\d*)(?=[ \t]|$)", re.ASCII | re.IGNORECASE)
ARGUMENT: Final = re.compile(r'([A-Za-z_]\w*)[ \t]*=[ \t]*("[^"]*"|[^ \t]*)', re.ASCII)


@dataclass(frozen=True, slots=True)
class Command:
    """One command with its words, upper case; a word without a number has the value NaN.

    ``named`` are the arguments of a command that is a name, such as ``ACCEL=3000``; ``text`` is
    what stands behind a command that takes text.
    """

    name: str
    words: dict[str, float]
    named: Mapping[str, str] = field(default_factory=dict)
    text: str = ""


@dataclass(frozen=True, slots=True)
class Line:
    """What one line says.

    ``comment`` is the text after the semicolon, None where there is none; ``readable`` is
    false where something in the line is neither word nor comment.
    """

    commands: tuple[Command, ...] = ()
    comment: str | None = None
    readable: bool = True


def parse_line(raw: bytes) -> Line:
    """Return what one line says.

    Parameters
    ----------
    raw : bytes
        The line without its newline.

    Notes
    -----
    ``X10E-5`` are two words, X and E. An exponent is read only where it cannot be an
    axis: inside an E word (``E1E-5``), or a lower-case e behind an upper-case word (``X1e-5``).
    """
    text = raw.decode("utf-8", "replace").replace("\r", " ")
    code, comment = _split(text)
    code = code.strip(" \t")
    if not code:
        return Line(comment=comment)
    numbered = re.match(r"[Nn][ \t]*\d+[ \t]*", code, re.ASCII)
    if numbered:
        code = code[numbered.end() :]
    if not code:
        return Line(comment=comment)
    named = NAME.match(code)
    if named:
        return Line((_named(named.group().upper(), code[named.end() :]),), comment)
    words, text = _words(code)
    if words is None:
        first = re.match(r"M[ \t]*(\d{1,4})", code, re.ASCII | re.IGNORECASE)
        if first:
            return Line((Command(f"M{int(first.group(1))}", {}, text=code[first.end() :].strip()),), comment)
        return Line(comment=comment, readable=False)
    return _commands(words, text, comment)


def _named(name: str, rest: str) -> Command:
    """Return a command that is a name with its arguments, keys in upper case."""
    found = {key.upper(): value.strip('"') for key, value in ARGUMENT.findall(rest)}
    return Command(name, {}, found, rest.strip())


def _split(text: str) -> tuple[str, str | None]:
    """Return the code and the comment; parentheses are blanks, an open one runs to the end.

    A line of nothing but parentheses is a comment, too.
    """
    before, semicolon, after = text.partition(";")
    if before.lstrip(" \t").startswith("(") and not PARENTHESES.sub("", before).strip():
        return "", f"{before.strip()[1:-1]} {after}".strip()
    if "(" in before:
        if semicolon and "(" in PARENTHESES.sub("", before):
            # A semicolon inside parentheses belongs to them.
            closed = PARENTHESES.sub(" ", text)
            before, semicolon, after = closed.partition(";")
        before = PARENTHESES.sub(" ", before).split("(")[0]
    return before.split("*")[0], after if semicolon else None


def _words(code: str) -> tuple[list[tuple[str, float]] | None, str]:
    """Return the words of a line in order, None where something else stands between, and the text after."""
    words: list[tuple[str, float]] = []
    at = 0
    while at < len(code):
        if code[at] in " \t":
            at += 1
            continue
        if code[at] == '"' and words and math.isnan(words[-1][1]):
            quoted = QUOTED.match(code, at)
            at = quoted.end() if quoted else len(code)
            continue
        found = WORD.match(code, at)
        if not found:
            return None, ""
        letter, number = found.groups()
        at = found.end()
        if number is None:
            words.append((letter.upper(), math.nan))
            continue
        exponent = EXPONENT.match(code, at)
        # “X1E5” is X and E; only behind an E word, or in the other case, can it be an exponent.
        if exponent and (letter in "Ee" or (code[at] == "e" and letter.isupper())):
            number += exponent.group()
            at = exponent.end()
        value = float(number)
        shares = SHARES.match(code, at)
        if shares:
            at = shares.end()
            if letter in "Ee":
                # A mixing head lays the sum of what its motors push.
                value += sum(float(share) for share in shares.group().split(":")[1:])
        # Beyond the digits of a coordinate lies an exponent, and its square overflows.
        if abs(value) > LARGEST:
            return None, ""
        words.append((letter.upper(), value))
        if letter in "Mm":
            name, rest = f"M{value:g}", code[at:].strip()
            if name in HALTS:
                while wait := WAIT.match(rest):
                    words.append((wait.group(1).upper(), float(wait.group(2))))
                    rest = rest[wait.end() :].strip()
            if name in FREE_TEXT or name in HALTS or name.startswith("M862") or _names(name, rest):
                return words, rest
    return words, ""


def _names(name: str, rest: str) -> bool:
    """Whether M486 gives an object a name, and does not choose one."""
    return name == "M486" and rest[:1] in ("A", "a")


def _commands(words: list[tuple[str, float]], text: str, comment: str | None) -> Line:
    """Return the words sorted under their commands: each G or M word begins one; the last has the text."""
    commands: list[Command] = []
    for place, (letter, value) in enumerate(words):
        # A T in the middle of a line is a word of its command, such as the tool to heat.
        begins = letter in "GM" or (letter == "T" and place == 0)
        if begins and letter == "T" and math.isnan(value):
            # “Tx” and “T?” ask the machine for a tool, and name none.
            return Line((Command("TX", {}),), comment)
        if begins:
            if not 0 <= value < 10_000:
                return Line(comment=comment, readable=False)
            commands.append(Command(f"{letter}{value + 0.0:g}", {}))
            continue
        if not commands:
            if letter not in AXES:
                return Line(comment=comment, readable=False)
            commands.append(Command(MODAL, {}))
        commands[-1].words[letter] = value
    for command in commands:
        moves = command.name in MOTION or command.name == MODAL
        if moves and any(not math.isfinite(value) for key, value in command.words.items() if key in AXES):
            return Line(comment=comment, readable=False)
    if text:
        commands[-1] = replace(commands[-1], text=text)
    return Line(tuple(commands), comment)
