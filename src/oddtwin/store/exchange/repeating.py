"""How a study is done again: what was set up, on what, in which order, and read with what."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import Connection, select

from oddtwin.core.language import tr
from oddtwin.core.quantities import format_list, format_number, read_moment, seconds_of, with_unit
from oddtwin.core.study import Arm, Study, make_up, make_up_words
from oddtwin.store.load_workshop import load_machine_changes
from oddtwin.store.schema import LOG


@dataclass(frozen=True, slots=True)
class Background:
    """What a lab book knows of a study beyond the study itself.

    Parameters
    ----------
    made_of : mapping of str to str
        What each machine was made of when the order was drawn, by its name.
    margins_set : mapping of int to str
        When the margin of a response was set last, as a day, by the id of the response.
    """

    made_of: Mapping[str, str] = field(default_factory=dict)
    margins_set: Mapping[int, str] = field(default_factory=dict)


def load_background(connection: Connection, study: Study) -> Background:
    """Read what a lab book knows of a study beyond the study itself.

    Parameters
    ----------
    connection : Connection
        For reading.
    study : Study
        Whole.
    """
    changes = load_machine_changes(connection)
    plan = study.plan
    made_of = {}
    for key in plan.machine_ids if plan else ():
        told = make_up_words(make_up(changes, key, plan.frozen if plan else None))
        made_of[study.machines[key].name] = told or tr("as bought: no change is logged")
    own = {response.id for response in study.responses}
    margins = {}
    for row in connection.execute(select(LOG.c.at, LOG.c.changes).order_by(LOG.c.id)):
        for change in row.changes:
            after = change.get("after") or {}
            if (
                change.get("table") == "response"
                and change.get("id") in own
                and after.get("margin") is not None
            ):
                margins[int(change["id"])] = f"{read_moment(row.at):%Y-%m-%d}"
    return Background(made_of, margins)


def repeat_values(study: Study, known: Background) -> dict[str, Any]:
    """Return what the section of a report on doing it again says.

    Parameters
    ----------
    study : Study
        Whole.
    known : Background
        Of the lab book; empty of a study file.
    """
    printed = sorted((run for run in study.runs if run.started), key=lambda run: seconds_of(run.started))
    return {
        "arms": [_arm(study, arm) for arm in study.arms],
        "settings": _settings(study),
        "machines": dict(known.made_of),
        "pieces": [_piece(study, key) for key in (study.plan.piece_ids if study.plan else ())],
        "spools": sorted({run.spool for run in study.runs if run.spool}),
        "order": [run.code for run in printed],
        "responses": [_response(study, one.id, known) for one in study.responses],
    }


def _arm(study: Study, arm: Arm) -> tuple[str, str, str, str]:
    """Return name, levels, what is done to get there, and to get back."""
    levels = study.levels_of(arm)
    there = [f"{factor.name}: {level.how}" for factor, level in levels if level.how]
    back = [f"{factor.name}: {level.way_back}" for factor, level in levels if level.way_back]
    return arm.name, study.set_up(arm), "; ".join(there) or "–", "; ".join(back) or "–"


def _piece(study: Study, piece_id: int) -> str:
    piece = study.pieces[piece_id]
    zones = tr(", graded at {zones}", zones=format_list(list(piece.zones))) if piece.zones else ""
    return f"{piece.name}{zones}"


def _settings(study: Study) -> list[tuple[str, str]]:
    """Return the settings that differ between the sliced files, and their values in the order of the arms."""
    found: dict[str, str] = {}
    for check in study.checks:
        settings = check.result.get("settings")
        for kind in ("declared", "undeclared"):
            listed = settings.get(kind) if isinstance(settings, Mapping) else None
            for key, values in listed.items() if isinstance(listed, Mapping) else ():
                found[str(key)] = " → ".join("–" if value is None else str(value) for value in values)
    return sorted(found.items())


def _response(study: Study, response_id: int, known: Background) -> tuple[str, str, str, str]:
    """Return name, instruments, smallest step, and margin with the day that it was set."""
    one = study.index.responses[response_id]
    read = {item.instrument for item in study.readings if item.response_id == response_id and item.instrument}
    step = with_unit(format_number(one.resolution), one.unit) if one.resolution else "–"
    if one.margin is None:
        margin = tr("none stated")
    else:
        margin = with_unit(format_number(one.margin), one.margin_unit)
        day = known.margins_set.get(response_id)
        margin += tr(", set {day}", day=day) if day else ""
    return one.name, _listed(sorted(read)), step, margin


def _listed(names: Sequence[str]) -> str:
    return format_list(list(names)) or "–"
