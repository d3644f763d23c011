"""The twin check of two or more files, as figures, sentences and threats."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Any

from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_list, format_signed, with_unit
from oddtwin.core.threat import Threat, ThreatCode
from oddtwin.core.toolpath.match.breaks import Breaks, breaks_of, breaks_words
from oddtwin.core.toolpath.match.commanded import CommandCheck, check_commands
from oddtwin.core.toolpath.match.declared import Declared
from oddtwin.core.toolpath.match.effect import Effect, took_effect
from oddtwin.core.toolpath.match.paths import PathCheck, check_paths
from oddtwin.core.toolpath.match.settings import (
    SettingDifference,
    SettingsCheck,
    check_settings,
    is_held,
)
from oddtwin.core.toolpath.match.showing import Showing, can_show
from oddtwin.core.toolpath.sliced import Sliced


@dataclass(frozen=True, slots=True)
class MatchFile:
    """One file of the check: its arm, its content's hash, and what is in it."""

    name: str
    sha256: str
    sliced: Sliced


@dataclass(frozen=True, slots=True)
class TwinCheck:
    """What was found.

    Parameters
    ----------
    same_bytes : bool
        Whether all files are the same, byte for byte.
    settings : SettingsCheck
    paths : tuple of PathCheck
        Of every other file against the baseline's.
    commands : tuple of CommandCheck
        What commands of their own set otherwise, of every other file against the baseline's.
    breaks : tuple of tuple of Breaks
        Of every file.
    deltas : tuple of dict
        Every other file minus the baseline's: seconds, grams, millimetres, counts.
    effects : tuple of Effect
    showings : tuple of Showing
    sentences : tuple of str
        All findings, the gravest first.
    told : tuple of str
        Whose filament masses are reckoned with, and what the files say of themselves.
    threats : tuple of Threat
    """

    same_bytes: bool
    settings: SettingsCheck
    paths: tuple[PathCheck, ...]
    commands: tuple[CommandCheck, ...]
    breaks: tuple[tuple[Breaks, ...], ...]
    deltas: tuple[dict[str, float], ...]
    effects: tuple[Effect, ...]
    showings: tuple[Showing, ...]
    sentences: tuple[str, ...]
    told: tuple[str, ...]
    threats: tuple[Threat, ...]


def match_files(
    files: Sequence[MatchFile],
    declared: Sequence[Declared] = (),
    job: Job = UNWATCHED,
    held: Sequence[str] = (),
) -> TwinCheck:
    """Check sliced files against one another.

    Parameters
    ----------
    files : sequence of MatchFile
        Two or more, the baseline's first.
    declared : sequence of Declared
        What is meant to differ, with one level for each file.
    job : Job
        Told the share that is done; stops the work between the parts of the check.
    held : sequence of str
        What must stay the same, in words; a settings pack does not excuse it.

    Raises
    ------
    CancelledError
        The job was cancelled.
    """
    sliced, names = [file.sliced for file in files], [file.name for file in files]
    same_bytes = len({file.sha256 for file in files}) == 1
    features = frozenset(feature for one in sliced for feature in one.by_feature())
    settings = check_settings([one.path.settings for one in sliced], declared, features, held)
    paths = []
    for place, other in enumerate(sliced[1:]):
        first, last = (0.6 * step / (len(sliced) - 1) for step in (place, place + 1))
        paths.append(check_paths(sliced[0], other, job=job.part(first, last)))
    effects, showings = [], []
    for place, factor in enumerate(declared, 1):
        job.check()
        effects.append(took_effect(factor, sliced, names))
        showings.append(can_show(factor, sliced, job.part(0.6, 0.6)))
        job.tell(0.6 + 0.4 * place / len(declared))
    commands = [] if same_bytes else [check_commands(sliced[0], other, declared) for other in sliced[1:]]
    moved = any(not path.identical for path in paths)
    breaks = [tuple(breaks_of(one, job.part(1.0, 1.0))) if moved else () for one in sliced]
    deltas = tuple(delta(sliced[0], other) for other in sliced[1:])
    threats = _threats(names, same_bytes, settings, paths, declared, effects, showings, held)
    threats += [*_command_threats(names, commands), *_doubtful(files)]
    return TwinCheck(
        same_bytes,
        settings,
        tuple(paths),
        tuple(commands),
        tuple(breaks),
        deltas,
        tuple(effects),
        tuple(showings),
        (
            *_sentences(names, same_bytes, settings, paths, deltas, effects, showings),
            *_found_beside(files, commands, breaks),
        ),
        tuple(_told(files)),
        tuple(threats),
    )


def _found_beside(
    files: Sequence[MatchFile], commands: Sequence[CommandCheck], breaks: Sequence[tuple[Breaks, ...]]
) -> list[str]:
    """Return what commands set otherwise, where seams differ, and what each file makes doubtful."""
    found = []
    for file, check in zip(files[1:], commands, strict=True) if commands else ():
        about = f"{file.name}: " if len(commands) > 1 else ""
        found += [about + sentence for sentence in check.sentences]
    if len({tuple(one.lines for one in of_file) for of_file in breaks}) > 1:
        found += [breaks_words(file.name, of_file) for file, of_file in zip(files, breaks, strict=True)]
    for file in files:
        notes = (*file.sliced.path.doubts, *file.sliced.notes)
        found += [f"{file.name}: {note}" for note in notes]
    return found


def _told(files: Sequence[MatchFile]) -> list[str]:
    """Return what the files tell of themselves; what is true of several is told once."""
    names: dict[str, list[str]] = {}
    for file in files:
        for line in file.sliced.told:
            names.setdefault(line, []).append(file.name)
    return [f"{format_list(whose)}: {line}" for line, whose in names.items()]


def _doubtful(files: Sequence[MatchFile]) -> list[Threat]:
    remedy = tr("Export it again and copy it whole, then choose it again.")
    return [
        Threat(ThreatCode.DOUBTFUL_FILE, f"{file.name}: {doubt}", remedy)
        for file in files
        for doubt in file.sliced.path.doubts
    ]


def delta(baseline: Sliced, change: Sliced) -> dict[str, float]:
    """Return the change's figures minus the baseline's."""
    ours, theirs = baseline.total, change.total
    return {
        "time_s": change.time_s - baseline.time_s,
        "mass_g": change.mass_g - baseline.mass_g,
        "filament_mm": theirs.filament_mm - ours.filament_mm,
        "path_mm": theirs.path_mm - ours.path_mm,
        "travel_mm": theirs.travel_mm - ours.travel_mm,
        "layers": change.path.layers - baseline.path.layers,
        "retractions": change.retractions - baseline.retractions,
        "tool_changes": change.tool_changes - baseline.tool_changes,
        "max_flow_mm3_s": change.max_flow_mm3_s - baseline.max_flow_mm3_s,
    }


def as_json(check: TwinCheck) -> dict[str, Any]:
    """Return a check as plain values; of one other file, ``paths`` and ``delta`` stand without a list."""
    paths = [
        {
            **{key: value for key, value in asdict(found).items() if key != "features"},
            "features": {
                item.feature.value: {
                    "baseline_mm": item.baseline_mm,
                    "change_mm": item.change_mm,
                    "state": item.state,
                }
                for item in found.features
            },
        }
        for found in check.paths
    ]
    single = len(paths) == 1
    return {
        "same_bytes": check.same_bytes,
        "settings": settings_as_json(check.settings),
        "paths": paths[0] if single else paths,
        "commands": [
            {
                "differences": [asdict(one) for one in found.differences],
                "others": [asdict(one) for one in found.others],
            }
            for found in check.commands
        ],
        "breaks": [
            [{key: value for key, value in asdict(one).items() if key != "places"} for one in found]
            for found in check.breaks
        ],
        "delta": check.deltas[0] if single else list(check.deltas),
        "took_effect": [asdict(effect) for effect in check.effects],
        "can_show": [asdict(showing) for showing in check.showings],
        "sentences": list(check.sentences),
        "told": list(check.told),
        "threats": [
            {"code": threat.code.value, "sentence": threat.sentence, "remedy": threat.remedy}
            for threat in check.threats
        ],
    }


def settings_as_json(check: SettingsCheck) -> dict[str, Any]:
    """Return what differs between settings as plain values: key, and the value in every file."""

    def listed(differences: Sequence[SettingDifference]) -> dict[str, Any]:
        return {item.key: list(item.values) for item in differences}

    return {
        "declared": listed(check.declared),
        "undeclared": listed(check.undeclared),
        "harmless": {
            item.key: {"values": list(item.values), "reason": item.reason} for item in check.harmless
        },
        "same": check.same,
        "carried": not check.missing_files,
    }


def _sentences(
    names: Sequence[str],
    same_bytes: bool,
    settings: SettingsCheck,
    paths: Sequence[PathCheck],
    deltas: Sequence[dict[str, float]],
    effects: Sequence[Effect],
    showings: Sequence[Showing],
) -> list[str]:
    if same_bytes:
        return [tr("Same file, byte for byte.")]
    grave = [effect.sentence for effect in effects if effect.took is False]
    grave += [showing.sentence for showing in showings if showing.can is False]
    calm = [effect.sentence for effect in effects if effect.took is not False]
    calm += [showing.sentence for showing in showings if showing.can is not False]
    found = [settings.sentence, *grave, *calm]
    for name, path, difference in zip(names[1:], paths, deltas, strict=True):
        about = f"{name}: " if len(paths) > 1 else ""
        found.append(about + path.sentence)
        found.append(
            tr(
                "{about}Against the baseline the change takes {signed} and {signed2}.",
                about=about,
                signed=_signed(difference["time_s"] / 60, 1, "min"),
                signed2=_signed(difference["mass_g"], 2, "g"),
            )
        )
    return found


def _signed(value: float, decimals: int, unit: str) -> str:
    return with_unit(format_signed(value, decimals), unit)


def _threats(
    names: Sequence[str],
    same_bytes: bool,
    settings: SettingsCheck,
    paths: Sequence[PathCheck],
    declared: Sequence[Declared],
    effects: Sequence[Effect],
    showings: Sequence[Showing],
    held: Sequence[str],
) -> list[Threat]:
    if same_bytes:
        if not declared:
            return []
        return [
            Threat(
                ThreatCode.SAME_FILE,
                tr("All arms have the same file, byte for byte, though settings were declared to differ."),
                tr("Slice the change again and check that the right file was chosen."),
            )
        ]
    found = [
        Threat(
            ThreatCode.NOT_IN_FILE,
            effect.sentence,
            effect.remedy,
        )
        for effect in effects
        if effect.took is False
    ]
    if settings.undeclared:
        keys = format_list([f"“{item.key}”" for item in settings.undeclared])
        found.append(
            Threat(
                ThreatCode.UNDECLARED_SETTING,
                tr(
                    "Settings that nobody declared differ in the sliced files and can move the "
                    "result: {keys}.",
                    keys=keys,
                ),
                tr("Set them alike and slice again, or declare them as factors."),
            )
        )
    found += [
        Threat(
            ThreatCode.CANNOT_SHOW,
            showing.sentence,
            tr("Choose a piece that shows it, or ask about something it can show."),
        )
        for showing in showings
        if showing.can is False
    ]
    return found + _path_threats(names, paths, declared, held)


def _command_threats(names: Sequence[str], commands: Sequence[CommandCheck]) -> list[Threat]:
    """Return a threat for every file in which commands that nobody declared differ."""
    found = []
    for name, check in zip(names[1:], commands, strict=True) if commands else ():
        if check.names:
            found.append(
                Threat(
                    ThreatCode.UNDECLARED_COMMAND,
                    tr(
                        "{name}: commands that nobody declared differ from the baseline’s and can "
                        "move the result: {names}.",
                        name=name,
                        names=format_list(check.names),
                    ),
                    tr(
                        "Look where the start code or a script writes them, set them alike and slice "
                        "again, or declare them as factors."
                    ),
                )
            )
    return found


def _path_threats(
    names: Sequence[str], paths: Sequence[PathCheck], declared: Sequence[Declared], held: Sequence[str]
) -> list[Threat]:
    traits = [factor.trait for factor in declared]
    # A factor without a rule may move anything.
    layers_may = any(trait is None or trait.moves_layers for trait in traits) and not is_held(
        "layer_height", held
    )
    paths_may = any(trait is None or trait.moves_paths for trait in traits)
    found = []
    for name, path in zip(names[1:], paths, strict=True):
        layers = path.layers[0] != path.layers[1] or not path.same_heights
        outline = path.outline_mm is not None and not path.outlines_same
        others = any(item.state != "same" for item in path.features) or bool(path.reordered)
        unmeant = (layers and not layers_may) or (outline and not paths_may) or (others and not paths_may)
        if unmeant and not path.identical:
            found.append(
                Threat(
                    ThreatCode.PATHS_DIFFER,
                    tr("{name}: {sentence} None of this was declared.", name=name, sentence=path.sentence),
                    tr("Slice both files from the same model, in the same place, and check again."),
                )
            )
    return found
