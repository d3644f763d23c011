"""Which settings differ between sliced files, and which of them can matter."""

from __future__ import annotations

import configparser
import json
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final

from oddtwin.core.language import mark, shown, tr, trn
from oddtwin.core.toolpath.gcode import Feature
from oddtwin.core.toolpath.gcode.carried import flat_settings
from oddtwin.core.toolpath.match.declared import Declared
from oddtwin.core.toolpath.match.traits import trait_of
from oddtwin.core.toolpath.match.values import plain_key, same_value

HARMLESS: Final = (
    ("thumbnails? preview image icon gui window colou?rs?", mark("shown only")),
    ("notes? comments? author license description title copyright url", mark("a note")),
    (
        "date timestamp stamp generated created modified uuid job sliced",
        mark("when and by what it was sliced"),
    ),
    (
        "host upload port api apikey device post filename output folder label labels",
        mark("host and file names"),
    ),
    ("id preset profile inherits compatible name names vendor version", mark("a name of settings")),
    (
        "total estimated used cost price spool weight statistics filament_density material_density",
        mark("a result"),
    ),
    ("layer_count layers_total total_layer printing_time print_time objects_info", mark("a result")),
    ("min_?[xyz] max_?[xyz] max_layer_z max_z_height", mark("a result")),
)
"""Words of a key that tell that it does not reach the paths, and why."""

IDLE: Final = (
    (r"^support|_support|tree|interface", (Feature.SUPPORT, Feature.SUPPORT_INTERFACE), mark("no supports")),
    (r"raft", (Feature.RAFT,), mark("no raft")),
    (r"brim", (Feature.BRIM,), mark("no brim")),
    (r"ironing", (Feature.IRONING,), mark("no ironing")),
    (r"bridg", (Feature.BRIDGE,), mark("no bridges")),
    (r"tower|purge|wipe_into|prime|flush", (Feature.TOWER, Feature.PURGE), mark("no purge")),
)
JSON_START: Final = re.compile(r"\s*(\{|\[\s*[\]{\[\"\d-])")
HIDDEN_LONGEST: Final = 400


class SettingsError(ValueError):
    """A settings file cannot be used; the message says what and where."""


@dataclass(frozen=True, slots=True)
class SettingDifference:
    """One setting that differs: key, value in every file (None for none), and why it is harmless."""

    key: str
    values: tuple[str | None, ...]
    reason: str = ""


@dataclass(frozen=True, slots=True)
class SettingsCheck:
    """What differs between the settings of some files.

    Parameters
    ----------
    declared : tuple of SettingDifference
        Meant to differ.
    undeclared : tuple of SettingDifference
        Not meant, and able to move a result.
    harmless : tuple of SettingDifference
        Not meant, but without effect on the paths.
    same : int
        How many are equal.
    missing_files : bool
        Whether a file carries no settings at all.
    """

    declared: tuple[SettingDifference, ...] = ()
    undeclared: tuple[SettingDifference, ...] = ()
    harmless: tuple[SettingDifference, ...] = ()
    same: int = 0
    missing_files: bool = False

    @property
    def differing(self) -> int:
        """How many settings differ."""
        return len(self.declared) + len(self.undeclared) + len(self.harmless)

    @property
    def sentence(self) -> str:
        """Say how many differ, were declared, and can move the result."""
        if self.missing_files:
            return tr("A file carries no settings, so only the paths could be compared.")
        if not self.differing:
            return tr("All {same} settings are the same.", same=self.same)
        verb = trn("setting differs", "settings differ", self.differing)
        declared = tr(
            "{declared} {part} declared",
            declared=len(self.declared),
            part=trn("was", "were", len(self.declared)),
        )
        # What was declared can well move it, and is meant to.
        none = tr("no other") if self.declared else tr("none of them")
        return tr(
            "{differing} {verb}; {declared}; {undeclared} can move this result.",
            differing=self.differing,
            verb=verb,
            declared=declared,
            undeclared=len(self.undeclared) or none,
        )


def read_settings(text: str, name: str) -> dict[str, str]:
    """Read settings that were exported as INI or JSON.

    Parameters
    ----------
    text : str
        Sections and nested objects are laid flat; JSON lists become comma-separated values.
    name : str
        Of the file, for messages.

    Raises
    ------
    SettingsError
        It is neither.
    """
    found: dict[str, str] = {}
    if JSON_START.match(text):
        try:
            found = dict(flat_settings(json.loads(text)))
        except (ValueError, RecursionError) as error:
            raise SettingsError(
                tr(
                    "{name}: this is not valid JSON ({error}); export the settings again",
                    name=name,
                    error=error,
                )
            ) from None
    else:
        found = _from_ini(text, name)
    if not found:
        raise SettingsError(tr("{name}: there are no settings in it", name=name))
    return found


def _from_ini(text: str, name: str) -> dict[str, str]:
    # Raw and lenient: values hold per cents, the same key comes twice, and a section called DEFAULT is one
    # like others.
    parser = configparser.RawConfigParser(strict=False, allow_no_value=True, default_section="")
    parser.optionxform = str  # type: ignore[assignment, method-assign]
    try:
        parser.read_string(text if text.lstrip().startswith("[") else f"[all]\n{text}", name)
    except (configparser.Error, AttributeError) as error:
        # The parser stumbles itself over an indented line below a key without a value.
        first = (
            str(error).splitlines()[0]
            if isinstance(error, configparser.Error)
            else tr("a line continues nothing")
        )
        raise SettingsError(
            tr("{name}: this is neither INI nor JSON ({first})", name=name, first=first)
        ) from None
    return {key: str(value or "") for section in parser.sections() for key, value in parser.items(section)}


def check_settings(
    files: Sequence[Mapping[str, str]],
    declared: Sequence[Declared] = (),
    features: frozenset[Feature] = frozenset(),
    held: Sequence[str] = (),
) -> SettingsCheck:
    """Compare the settings of two or more files, the baseline's first.

    Parameters
    ----------
    files : sequence of mapping
        Key and value as written; order and spelling of keys do not count.
    declared : sequence of Declared
        What is meant to differ.
    features : frozenset of Feature
        What is printed by any of the files: settings of features that are not are idle.
        Empty where it is not known.
    held : sequence of str
        What must stay the same, in words: a settings pack does not excuse a setting that is named there.
    """
    tables = [{plain_key(key): value for key, value in settings.items()} for settings in files]
    if not all(tables):
        return SettingsCheck(missing_files=True)
    sorted_out: dict[str, list[SettingDifference]] = {"declared": [], "undeclared": [], "harmless": []}
    same = 0
    for key in dict.fromkeys(key for table in tables for key in table):
        values = tuple(table.get(key) for table in tables)
        first = values[0]
        # By what they mean: “0.2” and “0.20 mm” are one value, and would be told as an undeclared
        # difference.
        if first is not None and all(value is not None and same_value(first, value) for value in values[1:]):
            same += 1
            continue
        reason = _harmless(key, features)
        difference = SettingDifference(key, tuple(_short(value) for value in values), reason)
        kept = is_held(key, held)
        if not kept and any(factor.is_about(key) or factor.fits(values) for factor in declared):
            sorted_out["declared"].append(replace(difference, reason=""))
        elif reason and not kept:
            sorted_out["harmless"].append(difference)
        else:
            packed = not kept and any(factor.pack for factor in declared)
            sorted_out["declared" if packed else "undeclared"].append(difference)
    kinds = {kind: tuple(found) for kind, found in sorted_out.items()}
    return SettingsCheck(kinds["declared"], kinds["undeclared"], kinds["harmless"], same)


def is_held(key: str, held: Sequence[str]) -> bool:
    """Whether a setting is named among what must stay the same.

    Parameters
    ----------
    key : str
        Of the setting.
    held : sequence of str
        In words: the key, or the trade's name for it, must stand among them.
    """
    trait = trait_of(key)
    names = {plain_key(key), *(trait.keys if trait else ()), *([plain_key(trait.name)] if trait else ())}
    said = [set(plain_key(text).split("_")) for text in held]
    # “Speeds” are all of them.
    every = {word for words in said for word in words if word.endswith("s")}
    return any(set(name.split("_")) <= words for name in names for words in said) or any(
        f"{word}s" in every for word in plain_key(key).split("_")
    )


def _short(value: str | None) -> str | None:
    return value if value is None or len(value) <= HIDDEN_LONGEST else value[: HIDDEN_LONGEST - 1] + "…"


def _harmless(key: str, features: frozenset[Feature]) -> str:
    for words, reason in HARMLESS:
        if re.search(f"(^|_)({words.replace(' ', '|')})(_|$)", key):
            return shown(reason)
    for pattern, needed, reason in IDLE:
        if features and re.search(pattern, key) and not features.intersection(needed):
            return tr("{reason} in these files", reason=reason)
    return ""
