"""What the sliced files of a study say: declared factors, threats, predicted against measured."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Final

from oddtwin.core.customs.kinds import ChangeKind
from oddtwin.core.effects import Agreement, limits_of_agreement
from oddtwin.core.language import tr
from oddtwin.core.study.question import Arm
from oddtwin.core.study.whole import Study
from oddtwin.core.study.workshop import Spool
from oddtwin.core.toolpath.match import Declared
from oddtwin.core.toolpath.motion import Calibration, calibrate
from oddtwin.core.toolpath.sliced import SpoolSays

FEWEST: Final = 2


@dataclass(frozen=True, slots=True)
class PredictedRun:
    """One logged run with what its sliced file predicts: minutes and grams, None where not known.

    Parameters
    ----------
    run_id, study_id, machine_id : int
        In the lab book.
    code, study, machine, spool, sha256 : str
        Names of the run, its study, machine and spool, and the hash of its file.
    raw_min : float or None
        Predicted minutes with heating and homing, before any calibration.
    measured_min, predicted_g, measured_g : float or None
        Of the whole print, waste included.
    sealed : bool
        Whether its study's verdict was not looked at yet: then what is predicted of it, which
        tells its arm, is not to be shown.
    """

    run_id: int
    code: str
    study_id: int
    study: str
    machine_id: int
    machine: str
    spool: str
    sha256: str
    raw_min: float | None
    measured_min: float | None
    predicted_g: float | None
    measured_g: float | None
    sealed: bool = False


@dataclass(frozen=True, slots=True)
class RunAgreement:
    """Agreement of one figure over some runs: of which machine or spool, and the runs."""

    about: str
    unit: str
    runs: tuple[PredictedRun, ...]
    predicted: tuple[float, ...]
    measured: tuple[float, ...]
    agreement: Agreement

    @property
    def files(self) -> int:
        """How many different files the runs come from: runs of one file repeat its error."""
        return len({run.sha256 for run in self.runs})

    @property
    def outside(self) -> list[PredictedRun]:
        """The runs outside of the limits, or of what the others set."""
        return [self.runs[place] for place in self.agreement.outside]


def sliced_arms(study: Study) -> list[Arm]:
    """Return the arms that have files of their own, the baseline first; a control prints the baseline's."""
    others = [arm for arm in study.arms if not arm.is_baseline and not arm.is_control]
    return [study.baseline, *others]


def declared_factors(study: Study, arms: Sequence[Arm]) -> list[Declared]:
    """Return every factor that is sliced, with its level in each arm; the baseline's comes first."""
    found = []
    for factor in study.factors:
        if not factor.kind.sliced:
            continue
        levels = []
        for arm in arms:
            level = next((level for one, level in study.levels_of(arm) if one.id == factor.id), None)
            levels.append(level.value if level else "")
        if all(levels):
            found.append(Declared(factor.name, tuple(levels), factor.kind is ChangeKind.PACK))
    return found


def said_of_spool(spool: Spool | None) -> SpoolSays:
    """Return what the lab book says of the filament on a spool; nothing of none."""
    if spool is None:
        return SpoolSays()
    return SpoolSays(spool.diameter_mm, spool.density_g_cm3, spool.material)


def calibrations(runs: Iterable[PredictedRun]) -> dict[int, Calibration]:
    """Return the calibration of every machine (by id) from its logged prints, in minutes."""
    times: dict[int, list[tuple[float, float]]] = {}
    for run in runs:
        if run.raw_min is not None and run.measured_min is not None:
            times.setdefault(run.machine_id, []).append((run.raw_min, run.measured_min))
    return {machine: calibrate(*zip(*pairs, strict=True)) for machine, pairs in times.items()}


def agreements(runs: Sequence[PredictedRun]) -> list[RunAgreement]:
    """Return agreement of minutes for all runs and each machine, and of grams for all and each spool."""
    found = []
    for unit, group in (("min", "machine"), ("g", "spool")):
        pairs = [(run, *_figures(run, unit)) for run in runs]
        known = [(run, p, m) for run, p, m in pairs if p is not None and m is not None]
        names = sorted({getattr(run, group) for run, _, _ in known})
        groups = [(tr("all runs"), known)]
        if len(names) > 1:
            groups += [(name, [item for item in known if getattr(item[0], group) == name]) for name in names]
        for about, some in groups:
            if len(some) >= FEWEST:
                logged, predicted, measured = zip(*some, strict=True)
                agreement = limits_of_agreement(predicted, measured)
                found.append(RunAgreement(about, unit, logged, predicted, measured, agreement))
    return found


def _figures(run: PredictedRun, unit: str) -> tuple[float | None, float | None]:
    return (run.raw_min, run.measured_min) if unit == "min" else (run.predicted_g, run.measured_g)
