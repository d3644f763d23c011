"""What a history calls the columns of its tables: their names, as words that are translated."""

from __future__ import annotations

from typing import Final

from oddtwin.core.language import mark, tr

WORDS: Final = frozenset((
    mark("abrasive"), mark("accept"), mark("advised"), mark("after"), mark("answer"), mark("at"),
    mark("axis"), mark("bed cleaned"), mark("before"), mark("begun"), mark("better"), mark("bound"),
    mark("break after"), mark("by"), mark("camera mm"), mark("changes"), mark("check min"),
    mark("check x mm"), mark("check y mm"), mark("checked"), mark("closed"), mark("code"),
    mark("combine"), mark("commitment"), mark("condition"), mark("cost"), mark("cost per h"),
    mark("created"), mark("currency"), mark("decided"), mark("decision"), mark("decision reason"),
    mark("density g cm3"), mark("design"), mark("diameter mm"), mark("disturbs"),
    mark("disturbs by hand"), mark("dried"), mark("end"), mark("energy per kwh"), mark("events"),
    mark("evidence"), mark("exposure s"), mark("face"), mark("failed"), mark("fault"), mark("faults"),
    mark("filament mm"), mark("finished"), mark("fitting"), mark("found"), mark("frozen"),
    mark("grade"), mark("guard"), mark("hands min"), mark("hdr"), mark("head"), mark("height"),
    mark("high"), mark("how"), mark("humidity pct"), mark("instrument"), mark("is baseline"),
    mark("job"), mark("judge"), mark("judges"), mark("kind"), mark("label"), mark("labour per h"),
    mark("lamp"), mark("lamps"), mark("lapse"), mark("layers"), mark("left g"), mark("letters"),
    mark("light"), mark("locked"), mark("low"), mark("margin"), mark("margin moved"), mark("mass g"),
    mark("material"), mark("minutes"), mark("mixed by"), mark("motion"), mark("name"), mark("noise df"),
    mark("noise sd"), mark("nominal"), mark("nonce"), mark("note"), mark("number"), mark("of change"),
    mark("onset"), mark("opened"), mark("opened by"), mark("operator"), mark("options"),
    mark("order version"), mark("out of"), mark("overhead min"), mark("overnight"), mark("page"),
    mark("parent"), mark("part g"), mark("percent"), mark("pinned"), mark("place"), mark("position"),
    mark("power w"), mark("price per kg"), mark("prices"), mark("primary"), mark("question"),
    mark("readings"), mark("regions"), mark("repeats"), mark("reprint of"), mark("resolution"),
    mark("result"), mark("retake"), mark("role"), mark("round"), mark("screen"), mark("seconds"),
    mark("seed"), mark("sentence"), mark("set aside"), mark("sha256"), mark("size"), mark("sizes"),
    mark("source"), mark("spool"), mark("spools"), mark("start"), mark("started"), mark("subject"),
    mark("tags"), mark("taken"), mark("tare g"), mark("target"), mark("temperature c"), mark("text"),
    mark("tied on"), mark("ties"), mark("title"), mark("trials"), mark("turn deg"), mark("twins"),
    mark("unit"), mark("value"), mark("verify at"), mark("verify hours"), mark("volume mm3"),
    mark("waived"), mark("waste"), mark("waste g"), mark("waste known"), mark("waste mm"),
    mark("way back"), mark("weekdays"), mark("weekend"), mark("weighed"), mark("what"), mark("who"),
    mark("width"), mark("word"), mark("words"), mark("zone"), mark("zones"),
))  # fmt: skip
"""Of every column that a person may see changed."""


def field_words(column: str) -> str:
    """Return what a column is called.

    Parameters
    ----------
    column : str
        Of a table of the lab book.
    """
    words = column.replace("_", " ")
    return tr(words) if words in WORDS else words
