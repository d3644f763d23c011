"""Reading sliced files for the lab book: kept by content, figured for its machines, checked as twins."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from oddtwin.core.gcode import WASTE, GcodeError
from oddtwin.core.match import MatchFile
from oddtwin.core.motion import Limits, limits_from
from oddtwin.core.sliced import Filament, Sliced, analyse
from oddtwin.core.study import Arm, Machine, Study, filament_of
from oddtwin.store import LabBook, StoreError
from oddtwin.store.exchange import SlicedFile


@dataclass(frozen=True, slots=True)
class KeptFile:
    """A kept sliced file: the arm that it is of, its hash, and where it lies."""

    name: str
    sha256: str
    path: Path


def _no_progress(share: float) -> None:
    """Tell nobody."""


def _never() -> bool:
    return False


def machine_limits(machine: Machine | None) -> Limits:
    """Return what a machine can do, with its minutes for heating and homing; the usual for none."""
    if machine is None:
        return Limits()
    return replace(limits_from(machine.motion), overhead_s=machine.overhead_min * 60)


def plan_filament(study: Study) -> Filament:
    """Return the filament of the plan's first spool; the usual one where none is named."""
    named = study.plan.spools[:1] if study.plan else ()
    return filament_of(next((spool for spool in study.spools if spool.name in named), None))


def kept_files(book: LabBook, study: Study, arms: Sequence[Arm], piece_id: int | None) -> list[KeptFile]:
    """Return the files of some arms that were chosen, in their order."""
    found = []
    for arm in arms:
        file = study.file_of(arm.id, piece_id)
        if file is not None:
            found.append(KeptFile(arm.name, file.sha256, book.sliced(file.sha256)))
    return found


def keep_file(
    book: LabBook,
    path: Path,
    machines: Sequence[Machine],
    progress: Callable[[float], None] = _no_progress,
    cancelled: Callable[[], bool] = _never,
) -> dict[str, Any] | None:
    """Read a sliced file and keep it in the lab book.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    path : Path
        The file.
    machines : sequence of Machine
        Those that its time is predicted for.
    progress : callable
        Called with the share done, 0 to 1.
    cancelled : callable
        Asked between blocks.

    Returns
    -------
    dict or None
        What ``choose_file`` takes besides arm, piece and name; None when it was cancelled.

    Raises
    ------
    StoreError
        The file cannot be used or kept.
    """
    toolpath = _toolpath(path, lambda share: progress(0.7 * share), cancelled)
    if toolpath is None:
        return None
    seconds, filament_mm, waste_mm = {}, 0.0, 0.0
    for machine in machines:
        sliced = analyse(toolpath, machine_limits(machine), cancelled=cancelled)
        if sliced is None:
            return None
        seconds[machine.id] = sliced.raw_s - sliced.limits.overhead_s
        filament_mm = sliced.total.filament_mm
        features = sliced.by_feature().items()
        waste_mm = sum(tally.filament_mm for feature, tally in features if feature in WASTE)
    return {
        "sha256": book.keep_sliced(path),
        "size": path.stat().st_size,
        "layers": toolpath.layers,
        "filament_mm": filament_mm,
        "waste_mm": waste_mm,
        "seconds": seconds,
    }


def load_files(
    files: Sequence[KeptFile],
    limits: Limits,
    filament: Filament,
    progress: Callable[[float], None] = _no_progress,
    cancelled: Callable[[], bool] = _never,
) -> list[MatchFile] | None:
    """Read and plan kept files; the same content is read once. None when it was cancelled.

    Raises
    ------
    StoreError
        A file is gone or damaged.
    """
    known: dict[str, Sliced] = {}
    found = []
    for place, item in enumerate(files):
        if item.sha256 not in known:

            def tell(share: float, place: int = place) -> None:
                progress((place + share) / len(files))

            toolpath = _toolpath(item.path, tell, cancelled)
            sliced = analyse(toolpath, limits, filament, cancelled=cancelled) if toolpath else None
            if sliced is None:
                return None
            known[item.sha256] = sliced
        found.append(MatchFile(item.name, item.sha256, known[item.sha256]))
    return found


def _toolpath(path: Path, progress: Callable[[float], None], cancelled: Callable[[], bool]) -> Any:
    try:
        return SlicedFile(path).read(progress, cancelled)
    except GcodeError as error:
        raise StoreError(f"{error}.") from None
