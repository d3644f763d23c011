"""What is sliced, and with which settings."""

from __future__ import annotations

from dataclasses import asdict, dataclass


@dataclass(frozen=True, slots=True)
class Solid:
    """A simple piece: a box, or a ring when ``round``.

    Parameters
    ----------
    width, depth, height : float
        mm; a ring has the outer diameter ``width``.
    round : bool
        Whether its walls are circles.
    lean_deg : float
        How far all its walls lean outwards from the vertical.
    span_mm : float
        Length of a gap in the middle, from the plate up to half the height, that a bridge
        closes; 0 for none.
    colours : int
        How many tools take turns; 1 for a piece of one colour.
    band_layers : int
        Layers of one colour before the next.
    copies : int
        How many pieces stand on the plate.
    """

    width: float = 40.0
    depth: float = 20.0
    height: float = 10.0
    round: bool = False
    lean_deg: float = 0.0
    span_mm: float = 0.0
    colours: int = 1
    band_layers: int = 5
    copies: int = 1


@dataclass(frozen=True, slots=True)
class Recipe:
    """Slicer settings; speeds in mm/s, temperatures in °C, lengths in mm.

    ``min_layer_time`` in seconds slows short layers down, but never below ``min_speed``.
    ``purge_volume`` in mm³ is pushed into a tower at each change of colour, times
    ``purge_multiplier``, never less than ``min_purge``. ``seam`` is "in line at the back" or "scattered".
    """

    layer_height: float = 0.2
    line_width: float = 0.45
    walls: int = 2
    infill_spacing: float = 4.0
    outer_wall_speed: float = 60.0
    inner_wall_speed: float = 90.0
    infill_speed: float = 120.0
    bridge_speed: float = 30.0
    first_layer_speed: float = 25.0
    travel_speed: float = 180.0
    acceleration: float = 2000.0
    min_layer_time: float = 0.0
    min_speed: float = 15.0
    nozzle_temperature: float = 210.0
    bed_temperature: float = 60.0
    fan: float = 100.0
    retraction_length: float = 0.8
    retraction_speed: float = 35.0
    flow: float = 100.0
    purge_volume: float = 90.0
    purge_multiplier: float = 1.0
    min_purge: float = 25.0
    filament_diameter: float = 1.75
    skirt: int = 1
    seam: str = "in line at the back"
    note: str = ""

    def settings(self) -> dict[str, str]:
        """Return all settings as a sliced file writes them."""
        return {
            key: f"{value:g}" if isinstance(value, float) else str(value)
            for key, value in asdict(self).items()
        }
