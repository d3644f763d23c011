"""Two hundred studies played through the whole path: how often the interval holds what was put in.

Run as ``.venv/bin/python bench/played.py [STUDIES]``; readings are typed, for devices only take longer.
"""

import sys
import tempfile
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "src"))

from oddtwin import operations
from oddtwin.core.judgement import analyse
from oddtwin.demo.played import play_study
from oddtwin.store import LabBook, load_study
from oddtwin.store.exchange import read_study, write_study

EFFECT = -0.8


def planned(folder: Path) -> str:
    """A study of four pairs and two twins, as its file."""
    book = LabBook.create(folder, "plan")
    operations.add_study(book, name="Trial")
    operations.add_factor(book, study_id=1, kind="slicer setting", name="seam", levels=("line", "scattered"))
    operations.add_machine(book, name="Marlow")
    operations.add_piece(book, name="Ring", minutes=30.0, part_g=20.0, waste_g=1.2)
    operations.draw_runs(book, study_id=1, repeats=4, twins=2, seed=4, machine_ids=[1], piece_ids=[1])
    with book.reading() as connection:
        text = write_study(load_study(connection, 1))
    book.close()
    return text


def main(studies: int) -> None:
    held = 0
    with tempfile.TemporaryDirectory() as name:
        text = planned(Path(name) / "plan")
        for seed in range(studies):
            given = {"Part mass": {"effect": EFFECT, "sd": 0.5}}
            folder = Path(name) / f"played-{seed}"
            book = play_study(folder, read_study(text, "plan"), seed, given, devices=False)
            with book.reading() as connection:
                study = load_study(connection, book.summaries()[0].id)
            book.close()
            mass = next(one for one in analyse(study).findings if one.comparison.response == "Part mass")
            low, high = mass.comparison.inference.ci95
            held += low <= EFFECT <= high
    print(f"{held} of {studies} intervals hold what was put in ({100 * held / studies:.1f} %)")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 200)
