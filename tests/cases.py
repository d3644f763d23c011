"""Test cases with a lab book of their own, thrown away afterwards."""

from __future__ import annotations

import atexit
import shutil
import subprocess
import sys
import tempfile
import unittest
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Any

from oddtwin import operations
from oddtwin.core.readings import ResponseKind, Spot
from oddtwin.core.study import Study
from oddtwin.store import LabBook, load_study


def run_module(*arguments: str) -> subprocess.CompletedProcess[str]:
    """Run a module of the tests in a child, from the root of the project."""
    return subprocess.run(
        [sys.executable, "-m", *arguments],
        cwd=Path(__file__).parents[1],
        capture_output=True,
        text=True,
        check=False,
    )


Fill = Callable[..., None]


def nothing(do: Callable[..., Any]) -> None:
    """Leave a book as it is."""


@cache
def filled(fill: Fill, *told: Any) -> Path:
    """Return the folder of a lab book that was filled by operations; it is there until the tests end."""
    place = Path(tempfile.mkdtemp(prefix="odd-twin-filled-"))
    atexit.register(shutil.rmtree, place, ignore_errors=True)
    book = LabBook.create(place / "shed", "Shed")
    fill(lambda operation, **arguments: operation(book, **arguments), *told)
    book.close()
    return place / "shed"


def study_in(book: LabBook, study_id: int) -> Study:
    """Return a study of a lab book."""
    with book.reading() as connection:
        return load_study(connection, study_id)


class InFolder(unittest.TestCase):
    """A test with an empty folder."""

    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)


class InBook(InFolder):
    """A test with an empty lab book."""

    def setUp(self):
        super().setUp()
        shutil.copytree(filled(nothing), self.folder / "book")
        self.book = LabBook.open(self.folder / "book")
        self.addCleanup(self.book.close)

    def study(self, study_id: int = 1) -> Study:
        return study_in(self.book, study_id)

    def ids(self, table: str) -> dict[str, int]:
        """Ids of the responses of the first study, or of pieces and machines, by name."""
        value = self.study()
        things = {
            "response": value.responses,
            "piece": value.pieces.values(),
            "machine": value.machines.values(),
        }[table]
        return {item.name: item.id for item in things}

    def planned(self, pairs: int = 2, twins: int = 1, seed: int = 4) -> Study:
        """A study with a number and a grade to find out about, its order drawn."""
        operations.add_study(self.book, name="Trial")
        operations.edit_study(self.book, study_id=1, question="Does it matter?")
        operations.add_factor(
            self.book,
            study_id=1,
            kind="slicer setting",
            name="layer height",
            levels=("0.2 mm", "0.3 mm"),
        )
        operations.add_response(self.book, study_id=1, name="Force", unit="N", kind=ResponseKind.QUANTITY)
        operations.add_response(self.book, study_id=1, name="Strings", unit="", kind=ResponseKind.GRADE)
        operations.add_machine(self.book, name="Marlow")
        operations.add_piece(self.book, name="Ring", zones=["rim", "rib"], minutes=60.0, part_g=20.0)
        operations.draw_runs(
            self.book, study_id=1, repeats=pairs, twins=twins, seed=seed, machine_ids=[1], piece_ids=[1]
        )
        return self.study()

    def print_all(self, change: float = -3.0) -> Study:
        """Print and measure every run, with a clear effect on the force."""
        value = self.study()
        responses = self.ids("response")
        for number, run in enumerate(value.runs):
            operations.start_run(self.book, run_id=run.id, code=run.code)
            operations.finish_run(self.book, run_id=run.id, code=run.code)
            force = 12.0 + 0.1 * (number % 3) + (change if run.arm_id == value.change.id else 0.0)
            for name, entered in (("Force", force), ("Print time", 60.0 + number), ("Part mass", 20.0)):
                operations.enter_readings(
                    self.book, run_id=run.id, response_id=responses[name], values=[entered], title=name
                )
            for zone in ("rim", "rib"):
                operations.enter_readings(
                    self.book,
                    run_id=run.id,
                    response_id=responses["Strings"],
                    spot=Spot(zone),
                    values=[float(number % 2)],
                    title="Strings",
                )
            operations.enter_readings(
                self.book,
                run_id=run.id,
                response_id=responses["Waste"],
                spot=Spot(waste="brim"),
                values=[1.5],
                title="Waste",
            )
        return self.study()
