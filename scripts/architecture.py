#!/usr/bin/env python3
"""Draw the house from its imports: ``scripts/architecture.py [--check]`` writes docs/architecture.svg.

Floors stand over one another, and the rooms of core in rows: every room stands above all that it
imports. With ``--check`` nothing is written, and the status says whether the picture is still true.
"""

from __future__ import annotations

import ast
import sys
from collections import defaultdict
from html import escape
from pathlib import Path

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src" / "oddtwin"
PICTURE = ROOT / "docs" / "architecture.svg"

FLOORS = ("cli", "ui", "demo", "operations", "work", "store")
WIDTH, ROW, BOX, LEFT = 1060, 62, 34, 150

STYLE = """
text { font: 14px sans-serif; fill: #20262c; }
.floor { fill: #f1f3f4; stroke: #c3c9ce; }
.core { fill: #fff; stroke: #c3c9ce; }
.room { fill: #e3ecf5; stroke: #4b6a8a; }
.wing { fill: #f0eadf; stroke: #8a734b; }
.link { stroke: #4b6a8a; stroke-opacity: .28; fill: none; }
.name { font-weight: bold; }
.quiet { font-size: 12px; fill: #59636c; }
"""


def room_of(parts: tuple[str, ...]) -> str:
    """The room of core that a module stands in; the wing of sliced files has rooms of its own."""
    if parts[0] == "toolpath" and len(parts) > 1:
        return f"toolpath/{parts[1]}"
    return parts[0]


def imports() -> tuple[dict[str, set[str]], dict[str, set[str]]]:
    """What each floor imports of others, and each room of core of other rooms."""
    floors: dict[str, set[str]] = defaultdict(set)
    rooms: dict[str, set[str]] = defaultdict(set)
    for file in SOURCE.rglob("*.py"):
        parts = file.relative_to(SOURCE).with_suffix("").parts
        here = parts[0]
        room = room_of(tuple(part for part in parts[1:] if part != "__init__")) if len(parts) > 2 else ""
        if here == "core" and room and room != "toolpath":
            rooms[room] |= set()
        for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
            module = getattr(node, "module", None) if isinstance(node, ast.ImportFrom) else None
            if module == "oddtwin" and isinstance(node, ast.ImportFrom):
                floors[here] |= {item.name for item in node.names if (SOURCE / item.name).is_dir()} - {here}
            if not module or not module.startswith("oddtwin."):
                continue
            names = module.split(".")[1:]
            if names[0] != here:
                floors[here].add(names[0])
            elif here == "core" and room and len(names) > 1:
                other = room_of(tuple(names[1:]))
                if other != room and (SOURCE / "core" / other).is_dir():
                    rooms[room].add(other)
    return floors, rooms


def levels(rooms: dict[str, set[str]]) -> dict[str, int]:
    """How many rooms stand below each one, along the longest way down."""
    found: dict[str, int] = {}

    def level(room: str) -> int:
        if room not in found:
            found[room] = 1 + max((level(other) for other in rooms[room]), default=-1)
        return found[room]

    for room in rooms:
        level(room)
    return found


def picture() -> str:
    """The picture as SVG."""
    floors, rooms = imports()
    level = levels(rooms)
    rows: dict[int, list[str]] = defaultdict(list)
    for room in sorted(rooms):
        rows[level[room]].append(room)
    parts = []
    for place, floor in enumerate(FLOORS):
        y = 10 + place * 40
        below = ", ".join(name for name in (*FLOORS, "core") if name in floors[floor])
        parts.append(f'<rect class="floor" x="10" y="{y}" width="{WIDTH - 20}" height="32" rx="4"/>')
        parts.append(f'<text class="name" x="24" y="{y + 21}">{floor}</text>')
        parts.append(f'<text class="quiet" x="{LEFT}" y="{y + 21}">uses {escape(below)}</text>')
    top = 10 + len(FLOORS) * 40
    height = (max(rows) + 1) * ROW + 20
    parts.append(f'<rect class="core" x="10" y="{top}" width="{WIDTH - 20}" height="{height}" rx="4"/>')
    parts.append(f'<text class="name" x="24" y="{top + 24}">core</text>')
    where: dict[str, tuple[float, float]] = {}
    for number, names in rows.items():
        y = top + 12 + (max(rows) - number) * ROW
        step = (WIDTH - 40 - LEFT) / len(names)
        for place, name in enumerate(names):
            where[name] = (LEFT + step * (place + 0.5), y)
    for room, others in sorted(rooms.items()):
        for other in sorted(others):
            (x1, y1), (x2, y2) = where[room], where[other]
            bend = (y1 + BOX + y2) / 2
            parts.append(
                f'<path class="link" d="M{x1:.0f} {y1 + BOX} C{x1:.0f} {bend:.0f} {x2:.0f} {bend:.0f} '
                f'{x2:.0f} {y2}"/>'
            )
    for room, (x, y) in where.items():
        name = room.removeprefix("toolpath/")
        kind, wide = ("wing" if name != room else "room"), 22 + 8 * len(name)
        parts.append(
            f'<rect class="{kind}" x="{x - wide / 2:.0f}" y="{y}" width="{wide}" height="{BOX}" rx="4"/>'
            f'<text x="{x:.0f}" y="{y + 22}" text-anchor="middle">{name}</text>'
        )
    told, foot = "brown: the wing of sliced files, toolpath/", top + height - 12
    parts.append(f'<text class="quiet" x="24" y="{foot}">{told}</text>')
    whole = top + height + 10
    body = "\n".join(parts)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{WIDTH}" height="{whole}" '
        f'viewBox="0 0 {WIDTH} {whole}" role="img" aria-label="Floors of the house and rooms of core">\n'
        f'<style>{STYLE}</style>\n<rect width="{WIDTH}" height="{whole}" fill="#fff"/>\n{body}\n</svg>\n'
    )


def main(arguments: list[str]) -> int:
    made = picture()
    if "--check" in arguments:
        return int(not PICTURE.is_file() or PICTURE.read_text(encoding="utf-8") != made)
    PICTURE.write_text(made, encoding="utf-8")
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
