"""Reading sliced files for the lab book: kept by content, figured for its machines, checked as twins."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.predicted import (
    declared_factors,
    machine_limits,
    plan_machine,
    plan_machines,
    plan_spool,
    sliced_arms,
)
from oddtwin.core.study import Arm, Machine, Study
from oddtwin.core.toolpath.gcode import GcodeError, Toolpath
from oddtwin.core.toolpath.match import MatchFile, as_json, match_files
from oddtwin.core.toolpath.motion import Limits
from oddtwin.core.toolpath.sliced import FilamentSource, Sliced, SlicedSize, SpoolSays, analyse, sliced_size
from oddtwin.store import KeptKind, LabBook, StoreError, verified_file
from oddtwin.work.sliced_file import SlicedFile


@dataclass(frozen=True, slots=True)
class KeptFile:
    """A kept sliced file: the arm that it is of, its hash, and where it lies."""

    name: str
    sha256: str
    path: Path


@dataclass(frozen=True, slots=True)
class ChosenFile:
    """A sliced file that was kept: its name, hash and bytes, what it takes, and seconds by machine id.

    ``filament_mm`` is all that it takes, ``waste_mm`` what of it does not stay on the part, where that
    is known; the mass is by the filament that the file names, zero where it names none.
    """

    name: str
    sha256: str
    size: int
    layers: int
    filament_mm: float
    waste_mm: float
    waste_known: bool
    volume_mm3: float
    mass_g: float
    seconds: Mapping[int, float]


def kept_files(book: LabBook, study: Study, arms: Sequence[Arm], piece_id: int | None) -> list[KeptFile]:
    """Return the files of some arms that were chosen, in their order."""
    found = []
    for arm in arms:
        file = study.file_of(arm.id, piece_id)
        if file is not None:
            found.append(KeptFile(arm.name, file.sha256, book.kept(KeptKind.SLICED, file.sha256)))
    return found


def kept_toolpath(book: LabBook, sha256: str, job: Job = UNWATCHED) -> Toolpath:
    """Read a sliced file that the lab book keeps, after its content was checked against its hash.

    Parameters
    ----------
    book : LabBook
        Open.
    sha256 : str
        Of the file.
    job : Job
        Told the share that is read; stops the work between blocks.

    Raises
    ------
    StoreError
        It is gone, or was changed since.
    GcodeError
        It cannot be read.
    CancelledError
        The job was cancelled.
    """
    return SlicedFile(verified_file(book.kept(KeptKind.SLICED, sha256))).read(job)


def keep_file(
    book: LabBook,
    path: Path,
    machines: Sequence[Machine],
    job: Job = UNWATCHED,
) -> ChosenFile:
    """Read a sliced file and keep it in the lab book.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    path : Path
        The file.
    machines : sequence of Machine
        Those that its time is predicted for.
    job : Job
        Told the share that is done; stops the work between blocks.

    Returns
    -------
    ChosenFile
        What ``choose_file`` takes.

    Raises
    ------
    CancelledError
        The job was cancelled; nothing is kept.
    StoreError
        The file cannot be used or kept.
    """
    toolpath = _toolpath(path, job.part(0.0, 0.7))
    first, rest = (machines[0], machines[1:]) if machines else (None, machines)
    sliced = analyse(toolpath, machine_limits(first), job=job)
    # One reading for all machines: only the planning of the moves differs between them.
    seconds = _seconds(toolpath, rest, job)
    if first is not None:
        seconds[first.id] = _without_overhead(sliced)
    waste = sliced.waste
    return ChosenFile(
        name=path.name,
        sha256=book.keep(KeptKind.SLICED, path),
        size=path.stat().st_size,
        layers=toolpath.layers,
        filament_mm=sliced.total.filament_mm,
        waste_mm=waste.filament_mm if waste else 0.0,
        waste_known=waste is not None,
        volume_mm3=sliced.total.volume_mm3,
        mass_g=sliced.mass_g if sliced.source is FilamentSource.FILE else 0.0,
        seconds=seconds,
    )


def load_files(
    files: Sequence[KeptFile],
    limits: Limits,
    spool: SpoolSays,
    job: Job = UNWATCHED,
) -> list[MatchFile]:
    """Read and plan kept files; the same content is read once.

    Raises
    ------
    CancelledError
        The job was cancelled.
    StoreError
        A file is gone, or is not what was kept.
    """
    known: dict[str, Sliced] = {}
    found = []
    for place, item in enumerate(files):
        # Two arms of one file are what the check is to find out; reading it twice would only take longer.
        if item.sha256 not in known:
            part = job.part(place / len(files), (place + 1) / len(files))
            known[item.sha256] = analyse(_toolpath(verified_file(item.path), part), limits, spool, job)
        found.append(MatchFile(item.name, item.sha256, known[item.sha256]))
    return found


def load_sizes(
    book: LabBook | None,
    study: Study,
    others: Mapping[str, Sequence[Path]] | None = None,
    job: Job = UNWATCHED,
) -> dict[str, list[SlicedSize]]:
    """Return what the sliced files of each arm tell of sizes: of the printed size first, then of others.

    Parameters
    ----------
    book : LabBook or None
        That keeps the files of the arms; None of a study file, which keeps none.
    study : Study
        Whole, with its order drawn.
    others : mapping of str to sequence of Path, optional
        By arm: files of other sizes; where no file of the printed size is kept the first is of that size.
    job : Job
        Told the share that is done; stops the work between blocks.

    Raises
    ------
    CancelledError
        The job was cancelled.
    StoreError
        A file is gone or damaged, or lays nothing.
    """
    limits, spool = machine_limits(plan_machine(study)), plan_spool(study)
    piece_id = next(iter(study.plan.piece_ids), None) if study.plan else None
    kept = kept_files(book, study, sliced_arms(study), piece_id) if book is not None else []
    paths: dict[str, list[Path]] = {arm.name: [] for arm in study.arms}
    for item in kept:
        paths[item.name] = [verified_file(item.path)]
    for name, some in (others or {}).items():
        paths[name] = [*paths.get(name, []), *some]
    found: dict[str, list[SlicedSize]] = {}
    count, done = sum(len(some) for some in paths.values()), 0
    for name, some in paths.items():
        found[name] = []
        for path in some:
            part = job.part(done / count, (done + 1) / count)
            sliced = analyse(_toolpath(path, part), limits, spool, part)
            try:
                found[name].append(sliced_size(sliced, max(1, len(sliced.by_object()))))
            except ValueError as error:
                raise StoreError(f"{path}: {error}.") from None
            done += 1
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
    job: Job = UNWATCHED,
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
    job : Job
        Told the share that is done; stops the work between blocks.

    Returns
    -------
    CheckedFiles or None
        What ``keep_check`` takes; times that were forgotten with old limits are predicted
        anew. None where there are no files.

    Raises
    ------
    CancelledError
        The job was cancelled.
    StoreError
        A file is gone or damaged.
    """
    arms = sliced_arms(study)
    kept = kept_files(book, study, arms, piece_id)
    limits, spool = machine_limits(plan_machine(study)), plan_spool(study)
    files = load_files(kept, limits, spool, job.part(0.0, 0.5))
    if not files:
        return None
    found = match_files(
        [_with_settings(file, (exported or {}).get(file.sha256)) for file in files],
        declared_factors(study, arms),
        job.part(0.5, 1.0),
        [item.text for item in study.held],
    )
    seconds = {}
    for chosen in study.files:
        file = next((one for one in files if one.sha256 == chosen.sha256), None)
        lacking = [machine for machine in plan_machines(study) if machine.id not in chosen.seconds]
        if chosen.piece_id == piece_id and file is not None and lacking:
            seconds[chosen.id] = {**chosen.seconds, **_seconds(file.sliced.path, lacking, job)}
    return CheckedFiles(files, as_json(found), seconds)


def _seconds(path: Toolpath, machines: Sequence[Machine], job: Job) -> dict[int, float]:
    """Return the seconds of moves and waits on some machines."""
    return {
        machine.id: _without_overhead(analyse(path, machine_limits(machine), job=job)) for machine in machines
    }


def _without_overhead(sliced: Sliced) -> float:
    """Return seconds of moves and waits: heating and homing are the machine's, and come on top."""
    return sliced.raw_s - sliced.limits.overhead_s


def _with_settings(file: MatchFile, exported: Mapping[str, str] | None) -> MatchFile:
    """Give a file settings that were exported apart."""
    if exported is None:
        return file
    path = replace(file.sliced.path, settings=exported)
    return replace(file, sliced=replace(file.sliced, path=path))


def _toolpath(path: Path, job: Job) -> Toolpath:
    try:
        return SlicedFile(path).read(job)
    except GcodeError as error:
        raise StoreError(f"{error}.") from None
