"""What is looked at before a plate is started, and whether it is as the plan wants it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum

from oddtwin.core.customs.kinds import ChangeKind
from oddtwin.core.language import tr
from oddtwin.core.quantities import capitalized, format_list, format_number, with_unit
from oddtwin.core.runlist.recalibration import open_checks
from oddtwin.core.study.makeup import make_up
from oddtwin.core.study.plates import plate_key, plate_of
from oddtwin.core.study.printed import Run
from oddtwin.core.study.spent import days_between
from oddtwin.core.study.whole import Study
from oddtwin.core.study.workshop import MachineChange, Spool


class Mark(StrEnum):
    """How one line of the card before a print stands."""

    FINE = "fine"
    LOOK = "look"
    WRONG = "wrong"


@dataclass(frozen=True, slots=True)
class ReadyLine:
    """One thing to look at before a print: what, what is known of it, and how it stands."""

    what: str
    words: str
    mark: Mark = Mark.FINE


def ready_lines(
    study: Study,
    run: Run,
    changes: Iterable[MachineChange],
    left: Mapping[str, float | None],
    at: datetime,
) -> list[ReadyLine]:
    """Return what is known of make-up, file, filament and checks before a plate is started.

    Parameters
    ----------
    study : Study
        Whole.
    run : Run
        Any run on the plate; one that was not started.
    changes : iterable of MachineChange
        The logs of the machines.
    left : mapping of str to float or None
        Grams left on the spools of the plate, by name; None where one was never weighed.
    at : datetime
        Now.
    """
    found = [*_make_up(study, run, changes), *_files(study, run), *_spools(study, run, left, at)]
    return [*found, *_overdue(study, run)]


def _make_up(study: Study, run: Run, changes: Iterable[MachineChange]) -> list[ReadyLine]:
    """Hold what the arm wants of the machine against what its log says."""
    machine = study.machine_of(run)
    if machine is None:
        return []
    made = {item.what.casefold(): item for item in make_up(changes, machine.id)}
    lines = []
    # A dictionary keeps the order and drops what every piece of the plate wants alike.
    wanted: dict[tuple[str, str], None] = {}
    for one in plate_of(study, run):
        for factor, level in study.levels_of(study.arm_of(one)):
            # What is in the file or on the spool has lines of its own.
            if not factor.kind.sliced and factor.kind not in (ChangeKind.FILAMENT, ChangeKind.MACHINE):
                wanted[factor.name, level.value] = None
    for name, value in wanted:
        there = made.get(name.casefold())
        # What nobody ever logged cannot contradict the plan.
        if there is None:
            continue
        if there.value.strip().casefold() == value.strip().casefold():
            lines.append(
                ReadyLine(
                    tr("Make-up"),
                    tr(
                        "{name}: {value}, as logged since {since:%Y-%m-%d}",
                        name=name,
                        value=value,
                        since=there.since,
                    ),
                )
            )
        else:
            words = tr(
                "{name}: by its log {machine} has {there} since {since:%Y-%m-%d}, and this "
                "print wants {value}",
                name=name,
                machine=machine.name,
                there=there.value,
                since=there.since,
                value=value,
            )
            # While a study runs its arms come and go without a line in the log.
            lines.append(ReadyLine(tr("Make-up"), words, Mark.LOOK))
    return lines


def _files(study: Study, run: Run) -> list[ReadyLine]:
    lines: dict[str, ReadyLine] = {}
    sliced = any(factor.kind.sliced for factor in study.factors)
    for one in plate_of(study, run):
        file = study.file_for(one)
        if file is None:
            if sliced and study.files:
                lines["none"] = ReadyLine(
                    tr("File"), tr("none was chosen for {arm_of}", arm_of=study.arm_of(one).name), Mark.WRONG
                )
            continue
        # A file is checked with all files of its piece, whichever arm it is of.
        checked = any(check.piece_id == study.block_of(one).piece_id for check in study.checks)
        words = tr("{file}, mark {sha256}", file=file.name, sha256=file.sha256[:8])
        if checked or not sliced:
            lines[file.sha256] = ReadyLine(
                tr("File"), f"{words}{(tr(', as checked in Match') if checked else '')}"
            )
        else:
            lines[file.sha256] = ReadyLine(
                tr("File"), tr("{words}; it was not checked in Match yet", words=words), Mark.LOOK
            )
    return list(lines.values())


def spools_of(study: Study, run: Run) -> list[Spool]:
    """Return the spools of the workshop that the plate of a run is to be printed from."""
    named = _needed(study, run)
    return [spool for spool in study.spools if spool.name in named]


def _needed(study: Study, run: Run) -> dict[str, float]:
    """Return the grams that the plate of a run takes from each spool, by name."""
    needed: dict[str, float] = {}
    for one in plate_of(study, run):
        # A start takes over the spool of the print before where none is said.
        name = one.spool or _spool_in_use(study)
        if name:
            needed[name] = needed.get(name, 0.0) + _grams_of(study, one)
    return needed


def _spools(study: Study, run: Run, left: Mapping[str, float | None], at: datetime) -> list[ReadyLine]:
    """Say of each spool of the plate what is left on it, and whether that is enough."""
    known = {spool.name: spool for spool in study.spools}
    return [
        _spool(known[name], left.get(name), grams, at)
        if name in known
        else ReadyLine(
            tr("Spool"), tr("{name}: not a spool of the workshop, so what is left is not known", name=name)
        )
        for name, grams in _needed(study, run).items()
    ]


def _spool(spool: Spool, left: float | None, needed: float, at: datetime) -> ReadyLine:
    parts = [spool.name]
    if left is None:
        parts.append(tr("never weighed"))
    else:
        since = (
            tr(" (weighed {weighed:%Y-%m-%d}, prints taken off)", weighed=spool.weighed)
            if spool.weighed
            else ""
        )
        parts.append(tr("{grams} left{since}", grams=_grams(left), since=since))
    if needed:
        parts.append(tr("this plate takes {grams}", grams=_grams(needed)))
    enough = left is None or left >= needed
    if not enough:
        parts.append(tr("that is not enough"))
    if spool.dried:
        days = days_between(spool.dried, at)
        parts.append(
            tr("dried {part} ago", part=tr("{days} days", days=days) if days != 1 else tr("1 day"))
            if days
            else tr("dried today")
        )
    return ReadyLine(tr("Spool"), "; ".join(parts), Mark.FINE if enough else Mark.WRONG)


def _overdue(study: Study, run: Run) -> list[ReadyLine]:
    """Name the checks that earlier prints on the machine left open."""
    machines = study.index.machine_ids
    texts: dict[str, list[str]] = {}
    for other_id, left in open_checks(study).items():
        other = study.index.runs[other_id]
        # What is due before this very plate stands on its own card.
        if machines[other_id] == machines[run.id] and plate_key(other) != plate_key(run):
            for text in left:
                texts.setdefault(text, []).append(other.code)
    if not texts:
        return []
    told = [
        tr("{text} (before {codes})", text=text, codes=format_list(codes)) for text, codes in texts.items()
    ]
    return [ReadyLine(tr("Overdue"), capitalized(format_list(told, "; ")), Mark.WRONG)]


def _spool_in_use(study: Study) -> str:
    started = [run for run in study.runs if run.started and run.spool]
    return max(started, key=lambda run: run.position).spool if started else ""


def _grams_of(study: Study, run: Run) -> float:
    file = study.file_for(run)
    if file is not None and file.mass_g:
        # A file lays all prints of its plate that come from it.
        same = [one for one in plate_of(study, run) if study.file_for(one) == file]
        return file.mass_g / len(same)
    piece, machine = study.piece_of(run), study.machine_of(run)
    takes = piece.on(machine.id if machine else None) if piece else None
    return takes.part_g + takes.waste_g if takes else 0.0


def _grams(grams: float) -> str:
    return with_unit(format_number(grams, 0 if grams >= 100 else 1), "g")
