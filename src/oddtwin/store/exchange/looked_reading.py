"""The parts of a study file that tell what was looked at: views, photographs, marks, blind sessions."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import count

from oddtwin.core.judge import SessionTrial
from oddtwin.core.study import (
    BlindSession,
    KeyLetter,
    Mark,
    MeasuredRegion,
    Photograph,
    RegionStep,
    SessionAnswer,
    Tie,
    View,
    view_name,
)
from oddtwin.store.exchange.part import value_of_part
from oddtwin.store.exchange.study_parts import SessionPart, StudyFile
from oddtwin.store.exchange.workshop_parts import PiecePart, RegionPart

Ids = Mapping[str, int]
ViewIds = Mapping[tuple[str, str], int]


def view_ids(file: StudyFile) -> dict[tuple[str, str], int]:
    """Return a number for every view, by the names of piece and view."""
    named = [(piece.name, view_name(view.face, view.lamp)) for piece in file.pieces for view in piece.views]
    return {key: number for number, key in enumerate(dict.fromkeys(named), 1)}


def views_of(part: PiecePart, piece_id: int, views: ViewIds) -> tuple[View, ...]:
    """Return the views of a piece."""
    found = {
        views[part.name, view_name(view.face, view.lamp)]: value_of_part(
            View,
            view,
            id=views[part.name, view_name(view.face, view.lamp)],
            piece_id=piece_id,
            position=position,
            regions=tuple(_region_of(one) for one in view.regions),
            ties=tuple(value_of_part(Tie, one) for one in view.ties),
        )
        for position, view in enumerate(part.views)
    }
    return tuple(found.values())


def _region_of(part: RegionPart) -> MeasuredRegion:
    steps = tuple(value_of_part(RegionStep, step) for step in part.steps)
    return value_of_part(MeasuredRegion, part, what=part.what.value, steps=steps)


def photographs_of(
    file: StudyFile, runs: Ids, views: ViewIds
) -> tuple[tuple[Photograph, ...], tuple[Mark, ...]]:
    """Return photographs and the marks on them."""
    number = count(1)
    photographs: list[Photograph] = []
    marks: list[Mark] = []
    for run in file.runs:
        for part in run.photographs:
            key = next(number)
            # A view that the file does not have leaves the photograph without one.
            links = {"id": key, "run_id": runs[run.code], "view_id": views.get((run.piece, part.view))}
            photographs.append(value_of_part(Photograph, part, **links))
            marks += [
                value_of_part(Mark, mark, id=0, run_id=runs[run.code], photograph_id=key)
                for mark in part.marks
            ]
    return tuple(photographs), tuple(marks)


def sessions_of(
    file: StudyFile, runs: Ids, responses: Ids, views: ViewIds
) -> tuple[tuple[BlindSession, ...], tuple[SessionAnswer, ...]]:
    """Return blind sessions and their answers."""
    sessions = tuple(
        value_of_part(
            BlindSession,
            part,
            id=number,
            view_id=views.get((part.piece, part.view)),
            response_id=responses.get(part.response),
            trials=tuple(value_of_part(SessionTrial, one, letters=tuple(one.letters)) for one in part.trials),
            letters=tuple(value_of_part(KeyLetter, one, run_id=runs.get(one.run, 0)) for one in part.letters),
        )
        for number, part in enumerate(file.sessions, 1)
    )
    return sessions, tuple(
        answer for number, part in enumerate(file.sessions, 1) for answer in _answers(part, number)
    )


def _answers(part: SessionPart, session_id: int) -> list[SessionAnswer]:
    return [value_of_part(SessionAnswer, one, id=0, session_id=session_id) for one in part.answers]
