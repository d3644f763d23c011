"""Slicing a solid into G-code, adding up the true figures on the way."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass

from oddtwin.core.toolpath.gcode import Feature
from oddtwin.core.toolpath.specimen.recipe import Recipe, Solid

CENTRE = 110.0
GAP = 6.0
TOWER_WIDTH = 40.0

Point = tuple[float, float]
LINES = {
    Feature.OUTER_WALL: "Outer wall",
    Feature.INNER_WALL: "Inner wall",
    Feature.INFILL: "Sparse infill",
    Feature.BRIDGE: "Bridge",
    Feature.SKIRT: "Skirt",
    Feature.TOWER: "Prime tower",
}


@dataclass(frozen=True, slots=True)
class Specimen:
    """A sliced solid, and what is true of it.

    Parameters
    ----------
    text : str
        G-code.
    path_mm : dict of Feature to float
        Length that is printed.
    filament_mm : dict of Feature to float
        Filament that it takes.
    travel_mm : float
        Length that is travelled, up and down not counted.
    layers, retractions, tool_changes : int
    """

    text: str
    path_mm: dict[Feature, float]
    filament_mm: dict[Feature, float]
    travel_mm: float
    layers: int
    retractions: int
    tool_changes: int


def slice_solid(solid: Solid, recipe: Recipe) -> Specimen:
    """Slice a solid.

    Parameters
    ----------
    solid : Solid
        The piece, and how many of it.
    recipe : Recipe
        The settings; they stand in the file as comments.
    """
    return _Slicer(solid, recipe).run()


@dataclass(frozen=True, slots=True)
class _Line:
    """A line to lay: its feature, its corners, and whether it is a circle round the first of them."""

    feature: Feature
    corners: tuple[Point, ...]
    radius: float = 0.0

    @property
    def length(self) -> float:
        if self.radius:
            return 2 * math.pi * self.radius
        return sum(math.dist(a, b) for a, b in zip(self.corners, self.corners[1:], strict=False))

    @property
    def start(self) -> Point:
        x, y = self.corners[0]
        return (x + self.radius, y) if self.radius else (x, y)


class _Slicer:
    """Writes lines and keeps count."""

    def __init__(self, solid: Solid, recipe: Recipe) -> None:
        self.solid, self.recipe = solid, recipe
        self.out: list[str] = []
        self.path: dict[Feature, float] = defaultdict(float)
        self.filament: dict[Feature, float] = defaultdict(float)
        self.travel = 0.0
        self.retractions = 0
        self.changes = 0
        self.at: Point = (0.0, 0.0)
        area = math.pi / 4 * recipe.filament_diameter**2
        self.area = area
        self.per_mm = recipe.line_width * recipe.layer_height / area * recipe.flow / 100

    def run(self) -> Specimen:
        """Write the whole file."""
        recipe, solid = self.recipe, self.solid
        layers = round(solid.height / recipe.layer_height)
        self._begin()
        for layer in range(layers):
            self._layer(layer)
        self.out += ["M107", "M104 S0", "M140 S0"]
        self.out += [f"; {key} = {value}" for key, value in recipe.settings().items()]
        return Specimen(
            "\n".join(self.out) + "\n",
            dict(self.path),
            dict(self.filament),
            self.travel,
            layers,
            self.retractions,
            self.changes,
        )

    def _begin(self) -> None:
        recipe = self.recipe
        self.out += [
            "; sliced for the bench",
            f"M140 S{recipe.bed_temperature:g}",
            f"M104 S{recipe.nozzle_temperature:g}",
            "G28",
            f"M190 S{recipe.bed_temperature:g}",
            f"M109 S{recipe.nozzle_temperature:g}",
            "G21",
            "G90",
            "M83",
            f"M204 P{recipe.acceleration:g} T{recipe.acceleration:g}",
            "T0",
        ]

    def _layer(self, layer: int) -> None:
        recipe, solid = self.recipe, self.solid
        z = (layer + 1) * recipe.layer_height
        self.out += [f"; layer {layer}, z = {z:.3f}", f"G1 Z{z:.3f} F600"]
        if layer == 1:
            self.out.append(f"M106 S{recipe.fan * 2.55:.0f}")
        lines = list(self._skirt()) if layer == 0 else []
        for copy in range(solid.copies):
            lines += self._lines(layer, (CENTRE + copy * (solid.width + GAP), CENTRE))
        wanted = sum(line.length / self._speed(line.feature, layer) for line in lines)
        slower = min(1.0, wanted / recipe.min_layer_time) if recipe.min_layer_time else 1.0
        tool = layer // solid.band_layers % solid.colours
        if layer and tool != (layer - 1) // solid.band_layers % solid.colours:
            self._change(tool)
        for line in lines:
            speed = self._speed(line.feature, layer)
            self._lay(line, min(speed, max(recipe.min_speed, speed * slower)))

    def _speed(self, feature: Feature, layer: int) -> float:
        recipe = self.recipe
        speed = {
            Feature.OUTER_WALL: recipe.outer_wall_speed,
            Feature.INNER_WALL: recipe.inner_wall_speed,
            Feature.BRIDGE: recipe.bridge_speed,
            Feature.SKIRT: recipe.first_layer_speed,
        }.get(feature, recipe.infill_speed)
        return min(speed, recipe.first_layer_speed) if layer == 0 else speed

    def _skirt(self) -> Iterator[_Line]:
        solid = self.solid
        across = solid.copies * (solid.width + GAP) - GAP
        middle = CENTRE + (across - solid.width) / 2
        for turn in range(self.recipe.skirt):
            away = 3.0 + turn * self.recipe.line_width
            deep = solid.width if solid.round else solid.depth
            corners = _box((middle, CENTRE), across + 2 * away, deep + 2 * away)
            yield _Line(Feature.SKIRT, corners)

    def _lines(self, layer: int, centre: Point) -> list[_Line]:
        """Return the lines of one piece in one layer."""
        solid, recipe = self.solid, self.recipe
        grown = 2 * layer * recipe.layer_height * math.tan(math.radians(solid.lean_deg))
        width, depth = solid.width + grown, solid.depth + grown
        if solid.round:
            return self._ring(centre, width)
        half = round(solid.height / recipe.layer_height) // 2
        if solid.span_mm and layer < half:
            pillar = (width - solid.span_mm) / 2
            aside = (width - pillar) / 2
            x, y = centre
            sides = ((x - aside, y), (x + aside, y))
            return [line for side in sides for line in self._box(side, pillar, depth, layer)]
        if solid.span_mm and layer == half:
            return [*self._walls(centre, width, depth, layer), *self._bridge(centre, width, depth)]
        return list(self._box(centre, width, depth, layer))

    def _ring(self, centre: Point, width: float) -> list[_Line]:
        recipe = self.recipe
        inner = width / 2 - recipe.walls * recipe.line_width
        radii = [width / 2 - (wall + 0.5) * recipe.line_width for wall in range(recipe.walls)]
        lines = [_Line(Feature.INNER_WALL, (centre,), radius) for radius in radii[:0:-1]]
        lines.append(_Line(Feature.OUTER_WALL, (centre,), radii[0]))
        spokes = max(3, int(2 * math.pi * inner / recipe.infill_spacing / 2))
        for spoke in range(spokes):
            turn = 2 * math.pi * spoke / spokes
            (x, y), out = centre, (math.cos(turn), math.sin(turn))
            ends = [
                (x + out[0] * far, y + out[1] * far) for far in (inner * 0.75, inner - recipe.line_width / 2)
            ]
            lines.append(_Line(Feature.INFILL, tuple(ends)))
        return lines

    def _box(self, centre: Point, width: float, depth: float, layer: int) -> Iterator[_Line]:
        yield from self._walls(centre, width, depth, layer)
        inset = self.recipe.walls * self.recipe.line_width
        wide, deep = width - 2 * inset, depth - 2 * inset
        rows = max(0, int(wide / self.recipe.infill_spacing))
        corners: list[Point] = []
        for row in range(rows):
            x = centre[0] - wide / 2 + (row + 0.5) * wide / rows
            ends = [(x, centre[1] - deep / 2), (x, centre[1] + deep / 2)]
            corners += ends if row % 2 == 0 else ends[::-1]
        if corners:
            yield _Line(Feature.INFILL, tuple(corners))

    def _walls(self, centre: Point, width: float, depth: float, layer: int) -> Iterator[_Line]:
        turn = layer * 7 % 4 if self.recipe.seam == "scattered" else 0
        for wall in range(self.recipe.walls - 1, -1, -1):
            inset = (2 * wall + 1) * self.recipe.line_width
            corners = _box(centre, width - inset, depth - inset)
            corners = (*corners[turn:-1], *corners[: turn + 1])
            yield _Line(Feature.INNER_WALL if wall else Feature.OUTER_WALL, corners)

    def _bridge(self, centre: Point, width: float, depth: float) -> Iterator[_Line]:
        recipe = self.recipe
        inset = recipe.walls * recipe.line_width
        wide, deep = width - 2 * inset, depth - 2 * inset
        rows = int(deep / recipe.line_width)
        for row in range(rows):
            y = centre[1] - deep / 2 + (row + 0.5) * deep / rows
            ends = ((centre[0] - wide / 2, y), (centre[0] + wide / 2, y))
            yield _Line(Feature.BRIDGE, ends if row % 2 == 0 else ends[::-1])

    def _change(self, tool: int) -> None:
        """Change the tool and purge into the tower."""
        recipe = self.recipe
        self.changes += 1
        self.out.append(f"T{tool}")
        volume = max(recipe.min_purge, recipe.purge_volume * recipe.purge_multiplier)
        length = volume / (recipe.line_width * recipe.layer_height)
        rows = math.ceil(length / TOWER_WIDTH)
        x, y = CENTRE - TOWER_WIDTH / 2, CENTRE + 40 + self.solid.depth
        corners: list[Point] = []
        for row in range(rows):
            ends = [(x, y + row * recipe.line_width), (x + length / rows, y + row * recipe.line_width)]
            corners += ends if row % 2 == 0 else ends[::-1]
        # The steps between the rows are laid too: the rows give up what these take.
        spare = (rows - 1) * recipe.line_width / rows
        flat = [(min(px, x + length / rows - spare), py) for px, py in corners]
        self._lay(_Line(Feature.TOWER, tuple(flat)), recipe.infill_speed, flow=1 / (recipe.flow / 100))

    def _lay(self, line: _Line, speed: float, flow: float = 1.0) -> None:
        self._go(line.start)
        self.out.append(f"; feature: {LINES[line.feature]}")
        per_mm = self.per_mm * flow
        if line.radius:
            x, y = line.start
            # What is written is what is counted: the true figures are those of the file, rounding included.
            push = round(line.length * per_mm, 5)
            self.out.append(f"G3 X{x:.4f} Y{y:.4f} I{-line.radius:.4f} J0 E{push:.5f} F{speed * 60:.2f}")
            self.filament[line.feature] += push
        first = True
        for here, there in zip(line.corners, line.corners[1:], strict=False):
            push = round(math.dist(here, there) * per_mm, 5)
            feed = f" F{speed * 60:.2f}" if first else ""
            self.out.append(f"G1 X{there[0]:.4f} Y{there[1]:.4f} E{push:.5f}{feed}")
            self.filament[line.feature] += push
            first = False
        self.path[line.feature] += line.length
        self.at = line.start if line.radius else line.corners[-1]

    def _go(self, to: Point) -> None:
        """Travel, with the filament pulled back where the way is long."""
        away = math.dist(self.at, to)
        if away < 1e-9:
            return
        recipe = self.recipe
        pulls = away > 2 * recipe.line_width and recipe.retraction_length > 0 and self.path
        if pulls:
            self.retractions += 1
            self.out.append(f"G1 E-{recipe.retraction_length:g} F{recipe.retraction_speed * 60:g}")
        self.out.append(f"G0 X{to[0]:.4f} Y{to[1]:.4f} F{recipe.travel_speed * 60:g}")
        if pulls:
            self.out.append(f"G1 E{recipe.retraction_length:g} F{recipe.retraction_speed * 60:g}")
        self.travel += away
        self.at = to


def _box(centre: Point, width: float, depth: float) -> tuple[Point, ...]:
    x, y = centre
    right, back = width / 2, depth / 2
    first = (x - right, y - back)
    return (first, (x + right, y - back), (x + right, y + back), (x - right, y + back), first)
