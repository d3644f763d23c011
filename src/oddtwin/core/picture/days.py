"""The timetable as a chart: a row for each machine, days from left to right."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Final

from oddtwin.core.language import dated, tr
from oddtwin.core.picture.shapes import Drawing, Line, Rect, Shape, Text
from oddtwin.core.schedule import Placed, Presence, moment

ROW: Final = 54.0
_LEFT, _TOP, _BOTTOM = 110.0, 30.0, 10.0
_BAR: Final = 30.0


@dataclass(frozen=True, slots=True)
class DayChart:
    """A timetable laid out on a sheet.

    Parameters
    ----------
    placed : tuple of Placed
        Prints.
    machines : mapping of int to str
        Names of the rows, in order.
    codes : mapping of int to str
        What stands on each print.
    pinned : frozenset of int
        Prints that the user put where they are.
    presence : Presence
        When somebody is there; these hours are lighter.
    width : float
        In pixels.
    """

    placed: tuple[Placed, ...]
    machines: Mapping[int, str]
    codes: Mapping[int, str]
    pinned: frozenset[int]
    presence: Presence
    width: float

    @property
    def first(self) -> datetime:
        """Midnight before the first print."""
        return min(item.prepare for item in self.placed).replace(hour=0, minute=0)

    @property
    def days(self) -> int:
        """Days shown."""
        last = max(item.end for item in self.placed)
        return max(1, (last - self.first).days + 1)

    @property
    def height(self) -> float:
        """In pixels."""
        return _TOP + ROW * len(self.machines) + _BOTTOM

    def x(self, at: datetime) -> float:
        """Return where a moment lies."""
        share = (at - self.first) / timedelta(days=self.days)
        return _LEFT + share * (self.width - _LEFT - 6)

    def at(self, x: float) -> datetime:
        """Return the moment at a place, to five minutes."""
        share = (x - _LEFT) / (self.width - _LEFT - 6)
        minutes = round(share * self.days * 1440 / 5) * 5
        return self.first + timedelta(minutes=minutes)

    def box(self, item: Placed) -> tuple[float, float, float, float]:
        """Return left, top, width and height of a print."""
        row = list(self.machines).index(item.machine) if item.machine in self.machines else 0
        left = self.x(item.start)
        return left, _TOP + ROW * row + (ROW - _BAR) / 2, max(3.0, self.x(item.end) - left), _BAR

    def item_at(self, x: float, y: float) -> Placed | None:
        """Return the print at a place."""
        for item in reversed(self.placed):
            left, top, width, height = self.box(item)
            if left - 2 <= x <= left + width + 2 and top <= y <= top + height:
                return item
        return None

    def drawing(self, chosen: int | None = None) -> Drawing:
        """Draw the chart; the chosen print is framed."""
        shapes: list[Shape] = [*self._hours(), *self._rows()]
        free: dict[tuple[float, int], float] = {}
        for item in sorted(self.placed, key=lambda one: one.start):
            shapes += self._print(item, item.key == chosen)
            shapes += self._code(item, free)
        words = tr(
            "{placed} prints on {machines} machines over {days} days",
            placed=len(self.placed),
            machines=len(self.machines),
            days=self.days,
        )
        return Drawing(self.width, self.height, tuple(shapes), words)

    def _hours(self) -> Sequence[Shape]:
        bottom = self.height - _BOTTOM
        shapes: list[Shape] = [Rect(_LEFT, _TOP, self.width - _LEFT - 6, bottom - _TOP, "sunken")]
        for begin, end in self.presence.windows(self.first, self.days):
            left, right = self.x(moment(self.first, begin)), self.x(moment(self.first, end))
            shapes.append(Rect(left, _TOP, right - left, bottom - _TOP, "surface"))
        room = (self.width - _LEFT) / self.days
        every = 1 if room >= 44 else int(44 // room) + 1
        for day in range(self.days):
            at = self.first + timedelta(days=day)
            shapes.append(Line(self.x(at), _TOP - 6, self.x(at), bottom, "line"))
            if day % every == 0:
                text = (
                    f"{dated(at, '%a')} {at.day}.{at.month}."
                    if room * every >= 80
                    else f"{at.day}.{at.month}."
                )
                shapes.append(Text(self.x(at) + 5, _TOP - 10, text, "muted", size=11))
        return shapes

    def _rows(self) -> Sequence[Shape]:
        shapes: list[Shape] = []
        for row, name in enumerate(self.machines.values()):
            top = _TOP + ROW * row
            shapes.append(Line(0, top, self.width - 6, top, "line"))
            shown = name if len(name) <= 14 else name[:13] + "…"
            shapes.append(Text(0, top + ROW / 2 + 4, shown, "ink", size=12, bold=True))
        return shapes

    def _print(self, item: Placed, chosen: bool) -> Sequence[Shape]:
        left, top, width, height = self.box(item)
        hands = self.x(item.prepare)
        shapes: list[Shape] = [
            Rect(
                hands,
                top + height / 2 - 3,
                max(1.0, left - hands),
                6,
                "warning" if item.switch_min else "muted",
            )
        ]
        if chosen:
            shapes.append(Rect(left - 2, top - 2, width + 4, height + 4, "ink"))
        # No colour tells the arm: the chart hangs where prints are judged.
        shapes.append(Rect(left, top, width, height, "accent"))
        if item.key in self.pinned:
            shapes.append(Rect(left, top, width, 4, "warning"))
        return shapes

    def _code(self, item: Placed, free: dict[tuple[float, int], float]) -> Sequence[Shape]:
        """Write the code of a print on it; beside a narrow one above or below, where there is room."""
        left, top, width, height = self.box(item)
        code = self.codes.get(item.key, "")
        if width >= 7.5 * len(code) + 4:
            return [Text(left + width / 2, top + height / 2 + 4, code, "on_accent", "middle", 11)]
        middle, half = left + width / 2, 3.0 * len(code)
        for side, foot in ((0, top - 3), (1, top + height + 9)):
            if free.get((top, side), 0.0) <= middle - half:
                free[top, side] = middle + half + 2
                return [Text(middle, foot, code, "ink", "middle", 9)]
        return []
