"""Results of any kind held against those that were approved, a line each."""

import dataclasses
import json
import math
import random
import re
import unittest
import zlib
from collections.abc import Mapping
from datetime import date, time, timedelta
from enum import Enum

import numpy as np

from tests.core.approved import approved

NO_WORDS = re.compile(r"\b(nan|inf|None)\b|[{}]")
NEAR = 1e-4
"""Other processors and libraries may round the last places otherwise; a thousandth is seen."""


def leaves(value):
    """Every word and figure of a result, one after another, with the names of its fields."""
    if isinstance(value, Enum):
        yield str(value.value)
    elif isinstance(value, (bool, str, int, float, type(None))):
        yield value
    elif isinstance(value, np.generic):
        yield value.item()
    elif isinstance(value, np.ndarray):
        yield str(value.shape)
        yield from value.ravel().tolist()
    elif dataclasses.is_dataclass(value):
        for one in dataclasses.fields(value):
            yield one.name
            part = getattr(value, one.name)
            # A space, and not the vectors by which some library spans it.
            yield from leaves(part @ part.T if one.name == "basis" else part)
    elif isinstance(value, (date, time, timedelta)):
        yield str(value)
    elif callable(value):
        yield getattr(value, "__name__", "")
    elif isinstance(value, Mapping):
        for key, item in value.items():
            yield from leaves(key)
            yield from leaves(item)
    else:
        # A set has no order of its own.
        items = sorted(value, key=str) if isinstance(value, (set, frozenset)) else list(value)
        yield len(items)
        for item in items:
            yield from leaves(item)


def sums_of(figures):
    """Four sums that move with any figure, whether it is large or small.

    Exact sums: over some millions of figures, the order in which a processor adds them would be seen.
    """
    sizes = np.arcsinh(1000 * np.array(figures, float))
    places = np.arange(len(figures))
    return [math.fsum((sizes * np.cos(turn * places)).tolist()) for turn in (0.0, 1.0, 2.2, 3.4)]


def unsound(one):
    """Whether a figure is nothing, or words are what a program says and no person."""
    return math.isnan(one) if isinstance(one, float) else isinstance(one, str) and bool(NO_WORDS.search(one))


def tried(work, *asked):
    """Return what comes out of work; where it is refused, the words that say so."""
    try:
        return work(*asked)
    except ValueError as error:
        return str(error)


class Stays(unittest.TestCase):
    def together(self, kind, name, told, several):
        """Hold results against what was approved, in their order and several in a line, without words."""
        lots = [told[at : at + several] for at in range(0, len(told), several)]
        self.stays(f"{kind}-{name}", [(f"{name} {number}", "", lot) for number, lot in enumerate(lots)])

    def made(self, kind, name, make, times, several):
        """Hold what is made from so many seeds against what was approved, as ``together``."""
        told = [tried(make, random.Random(f"{name} {seed}")) for seed in range(times)]
        self.together(kind, name, told, several)

    def stays(self, name, told, near=NEAR):
        """Hold results, each with its label and words for people, against what was approved: a line each."""
        lines = []
        for label, words, value in told:
            every = list(leaves(value))
            figures = [one for one in every if isinstance(one, float) and math.isfinite(one)]
            others = [one for one in every if not (isinstance(one, float) and math.isfinite(one))]
            check = zlib.crc32(json.dumps(others).encode())
            sums = " ".join(f"{one:.6f}" for one in sums_of(figures))
            line = f"{label} [{check:08x} {sums}] {words}"
            lines.append(" ".join(line.replace("\u202f", " ").split()))
        wanted = approved(f"figures-{name}.txt", "\n".join(lines) + "\n").splitlines()
        self.assertEqual(len(lines), len(wanted))
        for now, then in zip(map(_parts, lines), map(_parts, wanted), strict=True):
            self.assertEqual(now[0], then[0])
            np.testing.assert_allclose(now[1], then[1], rtol=0, atol=near, err_msg=now[0])


def _parts(line):
    """The words of a line, and its sums."""
    head, rest = line.split(" [", 1)
    check, rest = rest.split(" ", 1)
    sums, words = rest.split("]", 1)
    return f"{head} {check}{words}", [float(one) for one in sums.split()]
