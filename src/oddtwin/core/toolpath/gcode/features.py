"""What a move draws, and the common names for it in sliced files.

A spelling is compared in lower case with everything but letters and digits read as a blank.
"""

from __future__ import annotations

import re
from enum import StrEnum
from typing import Final

from oddtwin.core.language import mark

TIGHT: Final = re.compile(r"[^a-z0-9]+")
CAMEL: Final = re.compile(r"(?<=[a-z0-9])(?=[A-Z])")


class Feature(StrEnum):
    """What a move draws."""

    UNNAMED = mark("unnamed")
    OUTER_WALL = mark("outer wall")
    INNER_WALL = mark("inner wall")
    OVERHANG_WALL = mark("overhang wall")
    BRIDGE = mark("bridge")
    INFILL = mark("infill")
    SOLID_INFILL = mark("solid infill")
    TOP_SURFACE = mark("top surface")
    BOTTOM_SURFACE = mark("bottom surface")
    IRONING = mark("ironing")
    GAP_FILL = mark("gap fill")
    SUPPORT = mark("support")
    SUPPORT_INTERFACE = mark("support interface")
    SKIRT = mark("skirt")
    BRIM = mark("brim")
    RAFT = mark("raft")
    TOWER = mark("purge tower")
    PURGE = mark("purge")
    OTHER = mark("other")


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
        "outer loop",
        "outer inset",
        "inset 0",
        "outline",
        "contour",
        "perimeter path",
        "outside wall",
        "external single extrusion",
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
        "inset",
        "loop",
        "inner loop",
        "inner inset",
        "inset x",
        "loop path",
    ),
    Feature.OVERHANG_WALL: ("overhang wall", "overhang perimeter", "overhang"),
    Feature.BRIDGE: ("bridge", "bridge infill", "bridging", "internal bridge", "internal bridge infill"),
    Feature.INFILL: (
        "fill",
        "infill",
        "sparse infill",
        "internal infill",
        "cellular",
        "sparse",
        "lattice infill",
    ),
    Feature.SOLID_INFILL: (
        "solid infill",
        "internal solid infill",
        "solid layer",
        "solid fill",
        "skin",
        "solid",
        "hshell",
    ),
    Feature.TOP_SURFACE: ("top surface", "top solid infill", "top skin", "top layer"),
    Feature.BOTTOM_SURFACE: ("bottom surface", "bottom solid infill", "bottom skin", "bottom layer"),
    Feature.IRONING: ("ironing",),
    Feature.GAP_FILL: (
        "gap fill",
        "gap infill",
        "thin wall",
        "fill gaps",
        "gap",
        "single extrusion",
        "inner hair",
        "outer hair",
        "internal single extrusion",
    ),
    Feature.SUPPORT: ("support", "support material", "support transition", "dense support", "pillar path"),
    Feature.SUPPORT_INTERFACE: ("support interface", "support material interface"),
    Feature.SKIRT: ("skirt", "skirt brim"),
    Feature.BRIM: ("brim",),
    Feature.RAFT: ("raft", "raft interface"),
    Feature.TOWER: ("prime tower", "wipe tower", "purge tower", "tower"),
    Feature.PURGE: (
        "purge",
        "prime",
        "priming",
        "flush",
        "prime pillar",
        "ooze shield",
        "draft shield",
        "wipe",
    ),
    Feature.OTHER: ("custom", "mixed", "other", "undefined"),
}
FEATURE_OF: Final = {
    frozenset(spelling.split()): feature for feature, spellings in SPELLINGS.items() for spelling in spellings
}
"""By words, in whatever order they stand."""

NOISE: Final = frozenset(
    {"path", "paths", "line", "lines", "region", "segment", "extrusion", "printing", "feature"}
)
"""Words beside the name of a feature that say nothing of it."""
INTERFACE: Final = frozenset({"interface", "roof", "floor", "contact"})
SURFACE: Final = frozenset({"surface", "skin", "solid", "layer", "shell", "fill", "infill"})
WALL: Final = frozenset(
    {"wall", "walls", "perimeter", "perimeters", "shell", "inset", "loop", "contour", "outline"}
)
OUTSIDE: Final = frozenset({"outer", "external", "outside", "outermost", "exterior"})


def tight(text: str) -> str:
    """Return a spelling in lower case, with one blank for everything that is no letter or digit.

    ``OuterWall`` is two words as ``outer wall`` and ``OUTER-WALL`` are.
    """
    return TIGHT.sub(" ", CAMEL.sub(" ", text).lower()).strip()


def feature_named(spelling: str) -> Feature | None:
    """Return the feature that has just this name, words in any order; None where none has.

    Parameters
    ----------
    spelling : str
        As `tight` gives it.
    """
    words = spelling.split()
    named = FEATURE_OF.get(frozenset(words))
    if named is None and words:
        named = FEATURE_OF.get(frozenset(words) - NOISE)
    return named


def feature_meant(spelling: str) -> Feature:
    """Return the feature that a spelling is for, where a file says that it is one.

    Parameters
    ----------
    spelling : str
        As `tight` gives it.

    Returns
    -------
    Feature
        By the word that tells most where no feature has the name; `Feature.OTHER` where no word does.
    """
    named = feature_named(spelling)
    if named is not None:
        return named
    words = set(spelling.split())
    for feature, telling in (
        (Feature.SUPPORT_INTERFACE, bool(words & INTERFACE) and "support" in words),
        (Feature.SUPPORT, "support" in words),
        (Feature.SKIRT, "skirt" in words),
        (Feature.BRIM, "brim" in words),
        (Feature.RAFT, "raft" in words),
        (Feature.IRONING, "ironing" in words),
        (Feature.TOWER, "tower" in words),
        (Feature.PURGE, bool(words & {"purge", "flush", "prime"})),
        (Feature.OVERHANG_WALL, "overhang" in words),
        (Feature.BRIDGE, bool(words & {"bridge", "bridging"})),
        (Feature.GAP_FILL, bool(words & {"gap", "gaps"})),
        (Feature.TOP_SURFACE, bool(words & {"top", "roof"}) and bool(words & SURFACE)),
        (Feature.BOTTOM_SURFACE, bool(words & {"bottom", "floor"}) and bool(words & SURFACE)),
        (Feature.SOLID_INFILL, bool(words & {"solid", "skin"})),
        (Feature.INFILL, bool(words & {"infill", "fill", "sparse", "cellular"})),
        (Feature.OUTER_WALL, bool(words & WALL) and bool(words & OUTSIDE)),
        (Feature.INNER_WALL, bool(words & WALL)),
    ):
        if telling:
            return feature
    return Feature.OTHER
