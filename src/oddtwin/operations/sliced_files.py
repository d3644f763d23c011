"""Reading sliced files for the lab book: kept by content, figured for its machines, checked as twins."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from oddtwin.core.predicted import declared_factors, filament_of, sliced_arms
from oddtwin.core.study import Arm, Machine, Study
from oddtwin.core.toolpath.gcode import GcodeError, Toolpath
from oddtwin.core.toolpath.match import MatchFile, as_json, match_files
from oddtwin.core.toolpath.motion import Limits, limits_from
from oddtwin.core.toolpath.sliced import Filament, Sliced, analyse
from oddtwin.store import LabBook, StoreError, verified_file
from oddtwin.store.exchange import SlicedFile


@dataclass(frozen=True, slots=True)
class KeptFile:
    """A kept sliced file: the arm that it is of, its hash, and where it lies."""

    name: str
    sha256: str
    path: Path


def machine_limits(machine: Machine | None) -> Limits:
    """Return what a machine can do, with its minutes for heating and homing; the usual for none."""
    if machine is None:
        return Limits()
    return replace(limits_from(machine.motion), overhead_s=machine.overhead_min * 60)


def plan_machine(study: Study) -> Machine | None:
    """Return the machine by which the times of a check are predicted: the plan's first."""
    return study.machines.get(study.plan.machine_ids[0]) if study.plan and study.plan.machine_ids else None


def plan_machines(study: Study) -> list[Machine]:
    """Return the machines of the plan."""
    return [study.machines[key] for key in study.plan.machine_ids] if study.plan else []


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
    progress: Callable[[float], None] = lambda share: None,
    cancelled: Callable[[], bool] = lambda: False,
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
    first, rest = (machines[0], machines[1:]) if machines else (None, machines)
    sliced = analyse(toolpath, machine_limits(first), cancelled=cancelled)
    seconds = _seconds(toolpath, rest, cancelled)
    if seconds is None or sliced is None:
        return None
    if first is not None:
        seconds[first.id] = _without_overhead(sliced)
    return {
        "sha256": book.keep_sliced(path),
        "size": path.stat().st_size,
        "layers": toolpath.layers,
        "filament_mm": sliced.total.filament_mm,
        "waste_mm": sliced.waste_mm,
        "seconds": seconds,
    }


def load_files(
    files: Sequence[KeptFile],
    limits: Limits,
    filament: Filament,
    progress: Callable[[float], None] = lambda share: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> list[MatchFile] | None:
    """Read and plan kept files; the same content is read once. None when it was cancelled.

    Raises
    ------
    StoreError
        A file is gone, or is not what was kept.
    """
    known: dict[str, Sliced] = {}
    found = []
    for place, item in enumerate(files):
        if item.sha256 not in known:

            def tell(share: float, place: int = place) -> None:
                progress((place + share) / len(files))

            toolpath = _toolpath(verified_file(item.path), tell, cancelled)
            sliced = analyse(toolpath, limits, filament, cancelled=cancelled) if toolpath else None
            if sliced is None:
                return None
            known[item.sha256] = sliced
        found.append(MatchFile(item.name, item.sha256, known[item.sha256]))
    return found


@dataclass(frozen=True, slots=True)
class CheckedFiles:
    """Files that were read and checked: what was found, and seconds by machine id for each file id."""

    files: list[MatchFile]
    result: dict[str, Any]
    seconds: dict[int, dict[int, float]]


def check_files(
    book: LabBook,
    study: Study,
    piece_id: int | None,
    exported: Mapping[str, Mapping[str, str]] | None = None,
    progress: Callable[[float], None] = lambda share: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> CheckedFiles | None:
    """Check the chosen files of one piece as twins.

    Parameters
    ----------
    book : LabBook
        That keeps them.
    study : Study
        Whole, with its order drawn.
    piece_id : int or None
        Which piece.
    exported : mapping, optional
        Settings that were exported apart, by hash of the file that they belong to.
    progress : callable
        Called with the share done, 0 to 1.
    cancelled : callable
        Asked between blocks.

    Returns
    -------
    CheckedFiles or None
        What ``keep_check`` takes; times that were forgotten with old limits are predicted
        anew. None when it was cancelled, or there are no files.

    Raises
    ------
    StoreError
        A file is gone or damaged.
    """
    arms = sliced_arms(study)
    kept = kept_files(book, study, arms, piece_id)
    limits, filament = machine_limits(plan_machine(study)), plan_filament(study)
    files = load_files(kept, limits, filament, lambda share: progress(share / 2), cancelled)
    if not files:
        return None
    found = match_files(
        [_with_settings(file, (exported or {}).get(file.sha256)) for file in files],
        declared_factors(study, arms),
        progress=lambda share: progress(0.5 + share / 2),
        cancelled=cancelled,
    )
    seconds = {}
    for chosen in study.files:
        file = next((one for one in files if one.sha256 == chosen.sha256), None)
        lacking = [machine for machine in plan_machines(study) if machine.id not in chosen.seconds]
        if chosen.piece_id == piece_id and file is not None and lacking:
            more = _seconds(file.sliced.path, lacking, cancelled)
            if more is None:
                return None
            seconds[chosen.id] = {**chosen.seconds, **more}
    return None if found is None else CheckedFiles(files, as_json(found), seconds)


def _seconds(
    path: Toolpath, machines: Sequence[Machine], cancelled: Callable[[], bool]
) -> dict[int, float] | None:
    """Return the seconds of moves and waits on some machines; None when it was cancelled."""
    found = {}
    for machine in machines:
        sliced = analyse(path, machine_limits(machine), cancelled=cancelled)
        if sliced is None:
            return None
        found[machine.id] = _without_overhead(sliced)
    return found


def _without_overhead(sliced: Sliced) -> float:
    """Return seconds of moves and waits: heating and homing are the machine's, and come on top."""
    return sliced.raw_s - sliced.limits.overhead_s


def _with_settings(file: MatchFile, exported: Mapping[str, str] | None) -> MatchFile:
    """Give a file settings that were exported apart."""
    if exported is None:
        return file
    path = replace(file.sliced.path, settings=exported)
    return replace(file, sliced=replace(file.sliced, path=path))


def _toolpath(
    path: Path, progress: Callable[[float], None], cancelled: Callable[[], bool]
) -> Toolpath | None:
    try:
        return SlicedFile(path).read(progress, cancelled)
    except GcodeError as error:
        raise StoreError(f"{error}.") from None
