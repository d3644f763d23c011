"""Sliced files: reader, planner and the whole run against plain Python and the byte floor."""

from __future__ import annotations

import itertools
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from oddtwin.core.toolpath.gcode import read_gcode
from oddtwin.core.toolpath.gcode.scan import scan
from oddtwin.core.toolpath.motion import Limits, corner_speeds, plan_motion
from oddtwin.core.toolpath.sliced import analyse, layer_figures, reach
from oddtwin.work import SlicedFile
from oddtwin.work.sliced_file import CHUNK

LINES = 1_000_000
ROUNDS = 5
STYLES: dict[str, Callable[[int, str], str]] = {
    "checksums": lambda k, line: f"N{k} {line}*{k % 256}",
    "no spaces": lambda k, line: line.replace(" ", ""),
    "double spaces": lambda k, line: line.replace(" ", "  "),
    "parentheses": lambda k, line: line + " (laid so)",
    "comments": lambda k, line: line + " ; perimeter",
}


def write_file(path: Path, lines: int = LINES, style: str = "") -> None:
    """Write a file of short moves with features, accelerations and layers, about 28 bytes a line."""
    rng = np.random.default_rng(1)
    x, y = 100 + np.cumsum(rng.uniform(-1, 1, lines)), 100 + np.cumsum(rng.uniform(-1, 1, lines))
    x, y = np.abs(x % 200 - 100) + 20, np.abs(y % 200 - 100) + 20
    e = rng.uniform(0.001, 0.1, lines)
    out = ["M83", "G90"]
    odd = STYLES.get(style, lambda k, line: line)
    for k, (px, py, pe) in enumerate(zip(x.tolist(), y.tolist(), e.tolist(), strict=True)):
        if k % 1960 == 0:
            out += ["; layer_change", f"G1 Z{0.2 + k / 9800:.2f} F600"]
        if k % 100 == 0:
            out += ["; type:inner wall" if k % 200 else "; type:outer wall", "M204 S3000"]
        line = f"G1 X{px:.3f} Y{py:.3f} F9000" if k % 20 == 0 else f"G1 X{px:.3f} Y{py:.3f} E{pe:.5f}"
        out.append(odd(k, line))
    path.write_text("\n".join(out) + "\n", encoding="ascii")


def plain_reader(path: Path) -> list[tuple[str, dict[str, float]]]:
    """Read by split and float, as a careful plain loop does it."""
    found = []
    with path.open(encoding="utf-8", errors="replace") as file:
        for raw in file:
            line = raw.split(";", 1)[0]
            if "(" in line:
                line = line.split("(", 1)[0]
            if "*" in line:
                line = line.split("*", 1)[0]
            words = line.upper().split()
            if words and words[0][0] == "N":
                words = words[1:]
            if not words:
                continue
            if len(words) == 1 and len(words[0]) > 5:
                words = spaced(words[0])
            found.append((words[0], {word[0]: float(word[1:]) for word in words[1:] if len(word) > 1}))
    return found


def spaced(line: str) -> list[str]:
    """Split words that have no spaces between them."""
    words, begin = [], 0
    for place in range(1, len(line)):
        if line[place].isalpha():
            words.append(line[begin:place])
            begin = place
    return [*words, line[begin:]]


def plain_run(path: Path, acceleration: float = 3000.0, jerk: float = 8.0) -> float:
    """Read, resolve and plan move by move; returns seconds of printing."""
    x = y = z = 0.0
    feed = 25.0
    moves = []
    for name, words in plain_reader(path):
        if name not in ("G0", "G1"):
            continue
        feed = words.get("F", feed * 60) / 60
        nx, ny, nz = words.get("X", x), words.get("Y", y), words.get("Z", z)
        dx, dy, dz = nx - x, ny - y, nz - z
        length = (dx * dx + dy * dy + dz * dz) ** 0.5
        if length:
            moves.append((length, feed, dx / length, dy / length, words.get("E", 0.0)))
        x, y, z = nx, ny, nz
    corner = [0.0]
    for before, after in itertools.pairwise(moves):
        turn = max(abs(after[2] - before[2]), abs(after[3] - before[3]), 1e-12)
        corner.append(min(before[1], after[1], jerk / turn) ** 2)
    corner.append(0.0)
    room = [2 * acceleration * move[0] for move in moves]
    plain_lookahead(corner, room)
    total = 0.0
    for k, (length, speed, _, _, _) in enumerate(moves):
        first, last = corner[k], corner[k + 1]
        peak = min(speed * speed, (first + last + room[k]) / 2)
        top = peak**0.5
        total += (2 * top - first**0.5 - last**0.5) / acceleration
        total += max(0.0, length - (2 * peak - first - last) / (2 * acceleration)) / top
    return total


def plain_lookahead(corner: list[float], room: list[float]) -> None:
    """Lower the squared corner speeds in place, forwards and backwards."""
    for k in range(len(room)):
        corner[k + 1] = min(corner[k + 1], corner[k] + room[k])
    for k in range(len(room) - 1, -1, -1):
        corner[k] = min(corner[k], corner[k + 1] + room[k])


def best(work: Callable[[], object], rounds: int = ROUNDS) -> float:
    """Best seconds of some rounds, by the clock: some of the work is done on both cores."""
    times = []
    for _ in range(rounds):
        start = time.perf_counter()
        work()
        times.append(time.perf_counter() - start)
    return min(times)


def floor(path: Path) -> int:
    """Count newlines in chunks of a megabyte."""
    count = 0
    with path.open("rb") as file:
        while chunk := file.read(1 << 20):
            count += chunk.count(b"\n")
    return count


def blocks(path: Path) -> list[bytes]:
    """Return the file in blocks of whole lines."""
    found, rest = [], b""
    for chunk in SlicedFile(path).chunks():
        cut = chunk.rfind(b"\n") + 1
        found.append(rest + chunk[:cut])
        rest = chunk[cut:]
    return found


def whole_run(path: Path) -> float:
    """Read, resolve, plan, and the figures by feature and layer."""
    toolpath = SlicedFile(path).read()
    assert toolpath is not None
    sliced = analyse(toolpath)
    assert sliced is not None
    layer_figures(sliced)
    reach(sliced)
    return sliced.time_s


def planner_figures() -> list[str]:
    """Planner against a plain loop, on ordinary corners and on stress cases."""
    rng = np.random.default_rng(2)
    n = 300_000
    cases = {
        "ordinary": (rng.exponential(900, n + 1), rng.exponential(6000, n)),
        "tiny pieces": (np.full(n + 1, 1e4), rng.exponential(3, n)),
        "one long ramp": (np.full(n + 1, 1e6), np.full(n, 0.5)),
        "two scales": (rng.exponential(1e6, n + 1), rng.choice([1e-6, 1e3], n)),
        "saw": (np.where(np.arange(n + 1) % 500, 1e6, 0.0), np.full(n, 40.0)),
    }
    found = []
    for name, (corner, room) in cases.items():
        corner[0] = corner[-1] = 0.0
        expected = corner.tolist()
        steps = room.tolist()
        start = time.perf_counter()
        plain_lookahead(expected, steps)
        slow = time.perf_counter() - start
        fast = best(lambda corner=corner, room=room: corner_speeds(corner.copy(), room))
        worst = float(
            (np.abs(corner_speeds(corner.copy(), room) - expected) / np.maximum(expected, 1e-9)).max()
        )
        found.append(
            f"  look-ahead, {name}: x{slow / fast:.0f} a Python loop, differs by {worst:.0e} at most"
        )
    return found


LAYERS = """
import sys, time
from pathlib import Path
from PySide6.QtCore import QRectF
from oddtwin.work import SlicedFile
from oddtwin.ui.app import make_application, make_window
from oddtwin.ui.match.canvas import LayerCanvas
from oddtwin.ui.match.layers import layer_lines
application = make_application()
window = make_window(application)
path = SlicedFile(Path(sys.argv[1])).read()
canvas = LayerCanvas(window.theme)
canvas.resize(900, 500)
canvas.show()
worst = 0.0
for layer in range(0, path.layers, max(1, path.layers // 20)):
    start = time.perf_counter()
    lines = layer_lines(path, layer, False)
    canvas.show_lines(lines, lines, QRectF(0, 0, 240, 240))
    canvas.grab()
    worst = max(worst, time.perf_counter() - start)
print(worst)
import os; os._exit(0)
"""

PEAK = """
import re, sys
from pathlib import Path
from bench.sliced import whole_run
whole_run(Path(sys.argv[1]))
# The system's own figure of a process counts what its parent held when it was born.
print(int(re.search(r"VmHWM:\\s+(\\d+)", Path("/proc/self/status").read_text()).group(1)) // 1024)
"""


def in_child(code: str, path: Path) -> str:
    """Return what a fresh interpreter prints about a file."""
    root = Path(__file__).resolve().parent.parent
    environment = {**os.environ, "PYTHONPATH": f"{root / 'src'}:{root}", "QT_QPA_PLATFORM": "offscreen"}
    run = subprocess.run(
        [sys.executable, "-c", code, str(path)], env=environment, capture_output=True, text=True, check=True
    )
    return run.stdout.split()[-1]


def sliced_figures() -> list[str]:
    """Return all figures as lines; the goals stand in brackets."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "plain.gcode"
        write_file(path)
        ground = best(lambda: floor(path))
        loop = best(lambda: plain_reader(path), 2)
        text = blocks(path)
        reader = best(lambda: [scan(block) for block in text])
        read = best(lambda: read_gcode(SlicedFile(path).chunks()))
        whole = best(lambda: whole_run(path))
        plain = best(lambda: plain_run(path), 1)
        toolpath = read_gcode(SlicedFile(path).chunks())
        assert toolpath is not None
        planning = best(lambda: plan_motion(toolpath, Limits()))
        lines = [
            f"sliced file of {LINES} lines, {path.stat().st_size / 1e6:.1f} MB, blocks of {CHUNK >> 10} KB:",
            f"  reader {LINES / reader / 1e6:.2f} M lines/s: x{loop / reader:.1f} a plain loop (6; 8), "
            f"{reader / ground:.0f} x the byte floor (30)",
            f"  whole run {whole:.2f} s: x{plain / whole:.1f} plain Python (8; 12), "
            f"{whole / read:.2f} x reading and resolving (2.5), planning {planning:.2f} s",
        ]
        for style in STYLES:
            odd = Path(folder) / "odd.gcode"
            write_file(odd, LINES // 5, style)
            ratio = best(lambda odd=odd: plain_reader(odd), 2) / best(
                lambda odd=odd: [scan(block) for block in blocks(odd)], 3
            )
            lines.append(f"  {style}: x{ratio:.1f} the plain loop (0.5)")
        big = Path(folder) / "big.gcode"
        write_file(big, 5 * LINES)
        lines.append(f"  5 M lines: {in_child(PEAK, big)} MB at the peak (500)")
        write_file(big, 3 * LINES)
        shown = float(in_child(LAYERS, big))
        lines.append(f"  any layer of 3 M lines, both paths: {1000 * shown:.0f} ms at most (100)")
    return lines + planner_figures()


if __name__ == "__main__":
    print("\n".join(sliced_figures()))
