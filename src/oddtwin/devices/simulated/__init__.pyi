from .meters import SimulatedCalliper as SimulatedCalliper
from .meters import SimulatedClimate as SimulatedClimate
from .meters import SimulatedForce as SimulatedForce
from .meters import SimulatedSound as SimulatedSound
from .printer import SimulatedPrinter as SimulatedPrinter
from .scale import SimulatedScale as SimulatedScale
from .terminal import StandIn as StandIn
