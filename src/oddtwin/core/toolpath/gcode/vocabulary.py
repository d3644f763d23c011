"""What comments in sliced files say: one table of the common spellings.

Comments carry what the motion itself does not: where a layer begins, which feature is
being drawn, for which object, and the settings it was made with. A spelling is
compared in lower case with everything but letters and digits read as a blank.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from enum import StrEnum
from typing import Final


class Feature(StrEnum):
    """What a move draws."""

    UNNAMED = "unnamed"
    OUTER_WALL = "outer wall"
    INNER_WALL = "inner wall"
    OVERHANG_WALL = "overhang wall"
    BRIDGE = "bridge"
    INFILL = "infill"
    SOLID_INFILL = "solid infill"
    TOP_SURFACE = "top surface"
    BOTTOM_SURFACE = "bottom surface"
    IRONING = "ironing"
    GAP_FILL = "gap fill"
    SUPPORT = "support"
    SUPPORT_INTERFACE = "support interface"
    SKIRT = "skirt"
    BRIM = "brim"
    RAFT = "raft"
    TOWER = "purge tower"
    PURGE = "purge"
    OTHER = "other"


FEATURES: Final = tuple(Feature)
WALLS: Final = frozenset({Feature.OUTER_WALL, Feature.INNER_WALL, Feature.OVERHANG_WALL})
WASTE: Final = frozenset(
    {Feature.SUPPORT, Feature.SUPPORT_INTERFACE, Feature.SKIRT, Feature.BRIM, Feature.RAFT, Feature.TOWER}
    | {Feature.PURGE}
)
"""Features that do not stay on the part."""

SPELLINGS: Final[dict[Feature, tuple[str, ...]]] = {
    Feature.OUTER_WALL: (
        "wall outer",
        "outer wall",
        "external perimeter",
        "outer perimeter",
        "outer shell",
        "external wall",
    ),
    Feature.INNER_WALL: (
        "wall inner",
        "inner wall",
        "perimeter",
        "internal perimeter",
        "inner perimeter",
        "inner shell",
        "wall",
        "shell",
    ),
    Feature.OVERHANG_WALL: ("overhang wall", "overhang perimeter", "overhang"),
    Feature.BRIDGE: ("bridge", "bridge infill", "bridging", "internal bridge", "internal bridge infill"),
    Feature.INFILL: ("fill", "infill", "sparse infill", "internal infill"),
    Feature.SOLID_INFILL: ("solid infill", "internal solid infill", "solid layer", "solid fill", "skin"),
    Feature.TOP_SURFACE: ("top surface", "top solid infill", "top skin", "top layer"),
    Feature.BOTTOM_SURFACE: ("bottom surface", "bottom solid infill", "bottom skin", "bottom layer"),
    Feature.IRONING: ("ironing",),
    Feature.GAP_FILL: ("gap fill", "gap infill", "thin wall", "fill gaps"),
    Feature.SUPPORT: ("support", "support material", "support transition", "dense support"),
    Feature.SUPPORT_INTERFACE: ("support interface", "support material interface"),
    Feature.SKIRT: ("skirt", "skirt brim"),
    Feature.BRIM: ("brim",),
    Feature.RAFT: ("raft", "raft interface"),
    Feature.TOWER: ("prime tower", "wipe tower", "purge tower", "tower"),
    Feature.PURGE: ("purge", "prime", "priming", "flush", "prime pillar", "ooze shield", "draft shield"),
    Feature.OTHER: ("custom", "mixed", "other", "undefined"),
}
FEATURE_OF: Final = {spelling: feature for feature, spellings in SPELLINGS.items() for spelling in spellings}
FEATURE_KEYS: Final = ("type", "feature", "feature type", "line type", "role")
OBJECT_KEYS: Final = ("printing object", "start printing object", "object", "mesh", "start object")
OBJECT_ENDS: Final = ("stop printing object", "end printing object", "end object")
NO_OBJECT: Final = "nonmesh"
LAYER_MARKS: Final = frozenset(
    {
        "layer change",
        "change layer",
        "begin layer",
        "new layer",
        "start of layer",
        "start layer",
        "next layer",
    }
)
PASSING: Final = frozenset(
    {"z", "height", "width", "time elapsed", "time", "printing time", "end of layer", "before layer change"}
    | {"after layer change", "wipe start", "wipe end", "wipe tower start", "wipe tower end"}
)
"""Keys that tell of one place in the file, not of the whole of it."""

TIGHT: Final = re.compile(r"[^a-z0-9]+")
SETTING: Final = re.compile(r"\s*([A-Za-z][\w .,()\[\]%/#-]{0,79}?)\s*=\s*(.*?)\s*$")
COLON: Final = re.compile(r"\s*([A-Za-z][\w /-]{0,59}?)\s*:\s*(.*?)\s*$")
NUMBERED_LAYER: Final = re.compile(r"(?:begin |start )?layer(?: nr| num| number| no)? (\d+)\b")
THUMBNAIL: Final = re.compile(r"\s*(thumbnail\w*|png|jpg)\s+(begin|end)\b", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Meaning:
    """What a comment says; every field that it does not speak of is None.

    Parameters
    ----------
    layer : str
        The way in which it marks a new layer.
    feature : Feature
        What the moves after it draw.
    spelling : str
        A feature that is not in the table.
    object : str
        The object that the moves after it belong to; empty for none.
    setting, remark : (str, str)
        Key and value with an equals sign, or with a colon: that counts where no setting has the key.
    thumbnail : bool
        Whether a picture begins (True) or ends (False).
    """

    layer: str | None = None
    feature: Feature | None = None
    spelling: str | None = None
    object: str | None = None
    setting: tuple[str, str] | None = None
    remark: tuple[str, str] | None = None
    thumbnail: bool | None = None


def tight(text: str) -> str:
    """Return a spelling in lower case, with one blank for everything that is no letter or digit."""
    return TIGHT.sub(" ", text.lower()).strip()


def read_comment(text: str) -> Meaning | None:
    """Return what the comment of a whole line says; None for nothing that matters."""
    if len(text) > 4000:
        return None
    picture = THUMBNAIL.match(text)
    if picture:
        return Meaning(thumbnail=picture.group(2).lower() == "begin")
    plain = tight(text)
    if plain in LAYER_MARKS:
        return Meaning(layer=plain)
    if plain.startswith(OBJECT_ENDS):
        return Meaning(object="")
    if plain in PASSING:
        return None
    setting = SETTING.match(text)
    if setting and not NUMBERED_LAYER.match(plain):
        return Meaning(setting=(setting.group(1), setting.group(2)))
    return _named(text, plain)


def _named(text: str, plain: str) -> Meaning | None:
    """Return what a comment of a key and a value says."""
    number = NUMBERED_LAYER.match(plain)
    if number:
        return Meaning(layer="layer number")
    for key in OBJECT_KEYS[:2]:
        if plain.startswith(key + " "):
            return Meaning(object=text.strip()[len(key) :].strip())
    colon = COLON.match(text)
    if colon:
        key, value = tight(colon.group(1)), tight(colon.group(2))
        if key in FEATURE_KEYS:
            found = FEATURE_OF.get(value)
            return Meaning(feature=found or Feature.OTHER, spelling=None if found else value)
        if key in OBJECT_KEYS:
            return Meaning(object="" if value == NO_OBJECT else colon.group(2))
        if key.startswith("layer num"):
            return Meaning(layer="layer number")
        return None if key in PASSING else Meaning(remark=(colon.group(1), colon.group(2)))
    for key in FEATURE_KEYS:
        if plain.startswith(key + " "):
            found = FEATURE_OF.get(plain[len(key) + 1 :])
            return Meaning(feature=found) if found else None
    return Meaning(feature=FEATURE_OF[plain]) if plain in FEATURE_OF else None
