"""The workshop: machines and their changes, spools, pieces, and what things cost."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum
from typing import Any

from oddtwin.core.language import mark
from oddtwin.core.study.looked import View


@dataclass(frozen=True, slots=True)
class Machine:
    """A printer: what one print costs on it besides printing.

    Parameters
    ----------
    id : int
        In the lab book.
    name : str
        As the user calls it.
    overhead_min : float
        Minutes for heating, homing and levelling, which a sliced file leaves out.
    cost_per_h : float
        Money for one hour of the machine.
    power_w : float
        Mean electric power while it prints, in watts.
    motion : mapping
        What it can do, as `core.toolpath.motion.limits_from` reads it; empty for the usual limits.
    """

    id: int
    name: str
    overhead_min: float = 0.0
    cost_per_h: float = 0.0
    power_w: float = 0.0
    motion: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Spool:
    """A spool of filament: price per kilogram, grams left on it (None where not weighed).

    ``diameter_mm`` and ``density_g_cm3`` are None where nobody said; then 1.75 mm and
    1.24 g/cm³ count. ``weighed`` is when ``left_g`` was, ``dried`` when it last was; ``abrasive`` whether its
    filling wears the nozzle.
    """

    id: int
    name: str
    price_per_kg: float = 0.0
    left_g: float | None = None
    material: str = ""
    diameter_mm: float | None = None
    density_g_cm3: float | None = None
    weighed: datetime | None = None
    dried: datetime | None = None
    abrasive: bool = False


@dataclass(frozen=True, slots=True)
class Container:
    """What prints are weighed in, and what it weighs empty, in grams."""

    id: int
    name: str
    tare_g: float = 0.0


@dataclass(frozen=True, slots=True)
class Rates:
    """What the workshop pays, and when somebody is there.

    Parameters
    ----------
    currency : str
        Sign or letters.
    energy_per_kwh, labour_per_h : float
        Money for a kilowatt-hour, and for an hour of hands.
    hands_min : float
        Minutes of hands for one print: take it off, clean, start the next.
    check_min : float
        Minutes for one recalibration check.
    weekdays, weekend : str
        When somebody is there, such as "7:00-8:30, 17:00-22:00"; empty for nobody.
    overnight : bool
        Whether a print may run through the night.
    """

    currency: str = "€"
    energy_per_kwh: float = 0.0
    labour_per_h: float = 0.0
    hands_min: float = 5.0
    check_min: float = 5.0
    weekdays: str = "7:00-8:30, 17:00-22:00"
    weekend: str = "9:00-22:00"
    overnight: bool = False


class Round(StrEnum):
    """How a numbered trial of a profile ended; or that the profile is frozen from here on, or open again."""

    TRIAL = mark("trial")
    KEPT = mark("kept")
    THROWN_AWAY = mark("thrown away")
    FROZEN = mark("frozen")
    THAWED = mark("thawed")


@dataclass(frozen=True, slots=True)
class MachineChange:
    """One line of a machine's change log.

    ``study_id`` is the study whose adoption wrote it; ``mass_g`` what it added to what
    moves, ``axis`` with which axis, ``minutes`` the work it took, ``way_back`` how to undo it;
    ``fitting`` what did not fit, and what was bent or bought. A line with a ``round`` is a trial of the
    profile that ``what`` names.
    ``checked`` is what was checked again already of all that it disturbs.
    """

    id: int
    machine_id: int
    at: datetime
    kind: str
    what: str
    before: str
    after: str
    note: str
    study_id: int | None = None
    minutes: float = 0.0
    cost: float = 0.0
    mass_g: float = 0.0
    axis: str = ""
    way_back: str = ""
    fitting: str = ""
    round: Round | None = None
    checked: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class KeptCalibration:
    """A calibration of a machine or an instrument: its readings, and what they came to.

    Parameters
    ----------
    id : int
        In the lab book.
    machine_id : int or None
        Of the machine; None where it is of none, or of one that is gone.
    job : str
        Name of the calibration.
    readings : str
        As typed: CSV with the columns of the job.
    options : mapping of str to float
        What must be known besides.
    begun : datetime
        When the first reading was typed.
    at : datetime or None
        When it was finished; None while it is open.
    value : float or None
        In ``unit``; None where it lies beyond what was tried.
    unit : str
    low, high : float or None
        95 % interval.
    sentence : str
        What was found.
    by : str
        Who finished it.
    instrument : str
        What was checked, where it is an instrument.
    """

    id: int
    machine_id: int | None
    job: str
    readings: str
    options: Mapping[str, Any]
    begun: datetime
    at: datetime | None = None
    value: float | None = None
    unit: str = ""
    low: float | None = None
    high: float | None = None
    sentence: str = ""
    by: str = ""
    instrument: str = ""


@dataclass(frozen=True, slots=True)
class Rig:
    """How photographs are taken in this workshop.

    Parameters
    ----------
    page : str
        Size of the photo mat, as ``core.photo.PAGES`` names it.
    check_x_mm, check_y_mm : float or None
        Lengths of its two bars, as measured with a rule; None where nobody did.
    camera_mm : float or None
        Height of the camera above the mat.
    exposure_s : float or None
        That every photograph should have, in seconds.
    lamps : str
        Where the lamps stand, in words.
    """

    page: str = "a4"
    check_x_mm: float | None = None
    check_y_mm: float | None = None
    camera_mm: float | None = None
    exposure_s: float | None = None
    lamps: str = ""


@dataclass(frozen=True, slots=True)
class WorkshopFault:
    """A fault as the workshop calls it, its short code, and which light shows it."""

    id: int
    name: str
    code: str = ""
    light: str = ""


@dataclass(frozen=True, slots=True)
class Threshold:
    """The smallest fault that a judge sees at their screen.

    Parameters
    ----------
    id : int
        In the lab book.
    judge, fault : str
        Whose eyes, and of which fault.
    unit : str
        Of the figures.
    value : float
        Size of the fault that is seen in three of four looks, in ``unit``.
    low, high : float or None
        95 % interval of it; an end is None where the looks do not tell it.
    lapse : float
        Share of looks that miss even a large fault.
    trials : int
        Looks behind it.
    screen : str
        At which screen and distance.
    at : datetime
        When.
    """

    id: int
    judge: str
    fault: str
    unit: str
    value: float
    low: float | None
    high: float | None
    lapse: float
    trials: int
    screen: str
    at: datetime


@dataclass(frozen=True, slots=True)
class NominalSize:
    """A size that a piece should have, in millimetres."""

    name: str
    mm: float


@dataclass(frozen=True, slots=True)
class Estimate:
    """What one print takes: minutes of the sliced file, grams in the part and wasted."""

    minutes: float = 0.0
    part_g: float = 0.0
    waste_g: float = 0.0


@dataclass(frozen=True, slots=True)
class Piece:
    """A test object: its zones, the faults it can show, and what one print of it takes.

    ``minutes``, ``part_g`` and ``waste_g`` hold wherever ``on_machines`` has no estimate of
    its own for a machine id. ``views`` are what is photographed of it, in their order.
    """

    id: int
    name: str
    zones: tuple[str, ...]
    minutes: float
    part_g: float
    waste_g: float
    faults: tuple[str, ...] = ()
    sizes: tuple[NominalSize, ...] = ()
    views: tuple[View, ...] = ()
    on_machines: Mapping[int, Estimate] = field(default_factory=dict)

    def on(self, machine_id: int | None) -> Estimate:
        """Return what one print takes on a machine."""
        return self.on_machines.get(machine_id or 0) or Estimate(self.minutes, self.part_g, self.waste_g)
