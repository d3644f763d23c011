"""What comments in sliced files say: one table of the common spellings.

Comments carry what the motion itself does not: where a layer begins, which feature is
being drawn, for which object, and the settings it was made with.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache
from typing import Final

from oddtwin.core.toolpath.gcode.features import Feature, feature_meant, feature_named, tight

FEATURE_KEYS: Final = (
    "type",
    "feature",
    "feature type",
    "line type",
    "role",
    "segment type",
    "seg type",
    "path type",
    "extrusion role",
    "extrusion type",
    "print feature",
    "section type",
)
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
LAYER_BEGINS: Final = "begin layer object"
PASSING: Final = frozenset(
    {"z", "height", "width", "time elapsed", "end of layer", "before layer change"}
    | {"after layer change", "wipe start", "wipe end", "wipe tower start", "wipe tower end"}
)
"""Keys that tell of one place in the file, not of the whole of it."""

LONGEST_ASIDE: Final = 24
"""Comments behind moves that are longer name no feature."""
SETTING: Final = re.compile(r"\s*([A-Za-z][\w .,()\[\]%/#-]{0,79}?)\s*=\s*(.*?)\s*$")
PAIR: Final = re.compile(r"\s*([A-Za-z]\w{2,59}) ?, ?(\S.*?)\s*$", re.ASCII)
"""Key and value with a comma between them."""
QUOTED: Final = re.compile(r"\s*(['\"])(.+?)\1")
TAG: Final = re.compile(r"\s*<(/?)([A-Za-z]\w*)>(.*)", re.ASCII)
PIECE: Final = re.compile(r"\s?([A-Za-z]+_)\d+ (.*)", re.DOTALL)
"""One line of a text that was cut into lines with a numbered word before each."""
JSON_LINE: Final = re.compile(r'"[^"]*"\s*(?::|,?$)')
BASE64: Final = re.compile(r"\s*([A-Za-z0-9+/]{32,}={0,2})\s*$", re.ASCII)
COLON: Final = re.compile(r"\s*([A-Za-z][\w /#%^.()\[\]-]{0,59}?)\s*:\s*(.*?)\s*$")
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
    piece : (str, str)
        One line of a longer text with settings in it: which text, and the line.
    """

    layer: str | None = None
    feature: Feature | None = None
    spelling: str | None = None
    object: str | None = None
    setting: tuple[str, str] | None = None
    remark: tuple[str, str] | None = None
    thumbnail: bool | None = None
    piece: tuple[str, str] | None = None


def read_comment(text: str) -> Meaning | None:
    """Return what the comment of a whole line says; None for nothing that matters."""
    if len(text) > 4000:
        return None
    # A second semicolon, or a rule of dashes around it, is ornament.
    text = text.lstrip(";")
    picture = THUMBNAIL.match(text)
    if picture:
        return Meaning(thumbnail=picture.group(2).lower() == "begin")
    piece = _piece(text)
    if piece:
        return Meaning(piece=piece)
    tag = TAG.match(text)
    if tag:
        # The end of an element says nothing; what comes next will name itself.
        return None if tag.group(1) else _named(f"{tag.group(2)} {tag.group(3)}")
    plain = tight(text)
    if plain in LAYER_MARKS:
        return Meaning(layer=plain)
    if plain.startswith(LAYER_BEGINS):
        return Meaning(layer=LAYER_BEGINS)
    if plain.startswith(OBJECT_ENDS):
        return Meaning(object="")
    if plain in PASSING:
        return None
    setting = SETTING.match(text)
    if setting and not NUMBERED_LAYER.match(plain):
        return _set(setting.group(1), setting.group(2))
    return _named(text)


def _piece(text: str) -> tuple[str, str] | None:
    """Return which longer text a line belongs to, and what of it stands there."""
    numbered = PIECE.fullmatch(text)
    if numbered:
        return numbered.group(1), numbered.group(2)
    plain = text.strip()
    if plain[:1] in ("{", "}") or plain in ("[", "]", "],") or JSON_LINE.match(plain):
        return None if feature_alone(text) else ("{", plain)
    coded = BASE64.fullmatch(text)
    return ("base64", coded.group(1)) if coded and not coded.group(1).isalpha() else None


def _set(key: str, value: str) -> Meaning:
    """Return what a key with an equals sign says: a feature by the names of features, else a setting."""
    feature = feature_named(tight(value)) if tight(key) in FEATURE_KEYS else None
    return Meaning(setting=(key, value)) if feature is None else Meaning(feature=feature)


def _named(text: str) -> Meaning | None:
    """Return what a comment of a key and a value says."""
    plain = tight(text)
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
            return _feature(value)
        if key in OBJECT_KEYS:
            return Meaning(object="" if value == NO_OBJECT else colon.group(2))
        if key.startswith("layer num"):
            return Meaning(layer="layer number")
        if key == "time":
            # In the head of a file: how long all of it takes, in seconds.
            return Meaning(remark=("estimated time", colon.group(2)))
        return None if key in PASSING else Meaning(remark=(colon.group(1), colon.group(2)))
    for key in FEATURE_KEYS:
        if plain.startswith(key + " "):
            return _feature(plain[len(key) + 1 :])
    alone = feature_alone(text)
    if alone is not None:
        return alone
    pair = PAIR.fullmatch(text)
    return Meaning(remark=(pair.group(1), pair.group(2))) if pair else None


def _feature(value: str) -> Meaning:
    """Return the feature that a file names as one; one that nobody knows is told by its name."""
    found = feature_meant(value)
    odd = found is Feature.OTHER and feature_named(value) is None
    return Meaning(feature=found, spelling=value if odd else None)


def feature_alone(text: str) -> Meaning | None:
    """Return the feature that a comment of nothing but its name says.

    Parameters
    ----------
    text : str
        The comment; the name may stand in quotes or before a comma, and “path” after it.
    """
    quoted = QUOTED.match(text)
    name = tight(quoted.group(2) if quoted else text.split(",")[0])
    found = feature_named(name)
    if found is None and (quoted or "," in text or " " in name) and name.endswith(" path"):
        return _feature(name)
    # A sentence that begins with such a word is none.
    alone = quoted or "," not in text or text.count(" ") < 12
    return Meaning(feature=found) if found is not None and alone else None


@lru_cache(maxsize=4096)
def read_aside(text: bytes) -> Meaning | None:
    """Return the feature that a comment behind a move names; None for anything else.

    Parameters
    ----------
    text : bytes
        What stands after the semicolon.
    """
    words = text.decode("utf-8", "replace")
    colon = COLON.match(words)
    if colon and tight(colon.group(1)) in FEATURE_KEYS:
        return _feature(tight(colon.group(2)))
    return feature_alone(words)
