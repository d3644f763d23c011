"""Speed of photographs: a pair of 24 million pixels, flicking, and a hundred of one view measured.

Usage: .venv/bin/python bench/looking.py
"""

from __future__ import annotations

import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))
sys.path.insert(0, str(ROOT / "src"))

PAIR = """
import sys, time, resource
from pathlib import Path
from oddtwin.store import LabBook
from oddtwin.work.derived import ready_pair
book = LabBook.open(Path(sys.argv[1]))
start = time.perf_counter()
pair = ready_pair(book, sys.argv[2], sys.argv[3])
ready = time.perf_counter() - start
assert pair.aligned.accepted, pair.sentence
worst = 0.0
for scale in (0.2, 0.5, 1.0):
    for shown in (pair.first, pair.second):
        start = time.perf_counter()
        shown.cut(500, 500, scale, 1200, 800)
        worst = max(worst, time.perf_counter() - start)
print(ready, worst, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
"""
SIZE_PX = (6000, 4000)
PHOTOGRAPHS = 100


def photograph(path: Path, number: int) -> None:
    """Write a photograph of 24 million pixels."""
    import cv2
    import numpy as np
    from PIL import Image

    from oddtwin.core.render import PieceFace, render_piece

    rng = np.random.default_rng(number)
    face = PieceFace(
        width_px=1500, height_px=1000, px_per_mm=20.0, layer_mm=0.2, ringing=3.0,
        turn_deg=0.7 * (number % 3), shift_x_px=9.0 * (number % 4),
    )  # fmt: skip
    small = render_piece(face, rng)[0]
    large = cv2.resize(small, SIZE_PX, interpolation=cv2.INTER_CUBIC).astype(np.int16)
    large += rng.integers(-3, 4, (*large.shape[:2], 1), dtype=np.int16)
    Image.fromarray(np.clip(large, 0, 255).astype(np.uint8)).save(path, format="JPEG", quality=92)


def pair_figures(folder: Path) -> list[str]:
    """A pair made ready in a process of its own, so that its memory is its own too."""
    from oddtwin.store import KeptKind, LabBook

    book = LabBook.create(folder / "book", "Bench")
    shas = []
    for number in range(2):
        path = folder / f"{number}.jpg"
        photograph(path, number)
        shas.append(book.keep(KeptKind.PHOTOGRAPH, path))
    book.close()
    made = subprocess.run(
        [sys.executable, "-c", PAIR, str(folder / "book"), *shas],
        env={"PYTHONPATH": str(ROOT / "src")},
        capture_output=True,
        text=True,
        check=True,
    )
    ready, worst, peak = (float(part) for part in made.stdout.split())
    return [
        f"pair of 24 M pixels ready      {ready:6.2f} s                  (goal: under 5)",
        f"flick, zoom or move            {1000 * worst:6.0f} ms at most         (goal: under 50)",
        f"memory at the peak             {peak:6.0f} MB                 (goal: under 600)",
    ]


def measuring_figures(folder: Path) -> list[str]:
    """A hundred photographs of one view measured, and how soon a wish to stop is heard."""
    import numpy as np

    from oddtwin import operations
    from oddtwin.core.job import CancelledError, Job
    from oddtwin.core.render import PieceFace, render_piece
    from oddtwin.core.study import MeasuredRegion
    from oddtwin.store import LabBook, load_study
    from oddtwin.work.measured import measure_view
    from oddtwin.work.photos import write_png
    from oddtwin.work.shots import keep_shots

    book = LabBook.create(folder / "many", "Bench")
    operations.add_study(book, name="Bench")
    operations.add_factor(book, study_id=1, kind="slicer setting", name="x", levels=("a", "b"))
    operations.add_machine(book, name="M")
    operations.add_piece(book, name="P")
    operations.draw_runs(
        book, study_id=1, repeats=PHOTOGRAPHS // 2, twins=0, seed=1, machine_ids=[1], piece_ids=[1]
    )
    operations.add_view(book, piece_id=1, face="face")
    with book.reading() as connection:
        study = load_study(connection, 1)
    for number, run in enumerate(study.runs):
        path = folder / f"shot-{number}.png"
        face = PieceFace(ringing=3.0, turn_deg=0.3 * (number % 4), shift_x_px=3.0 * (number % 5))
        write_png(path, render_piece(face, np.random.default_rng(number))[0])
        arrived = keep_shots(book, study, [path], to=(run.id, 1))
        operations.add_photographs(book, filed=arrived.filed)
    with book.reading() as connection:
        study = load_study(connection, 1)
    first = study.photographs[0]
    region = MeasuredRegion("Ringing", "ringing", 142, 120, 171, 360, first.sha256, 12.0, layer_mm=0.28)
    shots = [(study.index.runs[item.run_id], item) for item in study.photographs]
    start = time.perf_counter()
    found = measure_view(book, study, region, shots)
    seconds = time.perf_counter() - start
    told = sum(not one.measured.refused for one in found)
    asked = [0.0]

    def stop(share: float) -> None:
        if share > 0.05 and not asked[0]:
            asked[0] = time.perf_counter()
            job.cancel()

    job = Job(stop)
    try:
        measure_view(book, study, region, shots, job)
    except CancelledError:
        heard = time.perf_counter() - asked[0]
    book.close()
    return [
        f"{PHOTOGRAPHS} photographs measured        {seconds:6.1f} s, {told} tell it",
        f"stopped after                  {1000 * heard:6.0f} ms                (goal: at once)",
    ]


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        print("\n".join(pair_figures(Path(folder)) + measuring_figures(Path(folder))))
    print(f"(this process: {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB)")


if __name__ == "__main__":
    main()
