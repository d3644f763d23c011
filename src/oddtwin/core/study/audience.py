"""Votes that come back from an audience, held against the session that they were asked for."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from oddtwin.core.judge import Cast, Collected, ballot_trials, collect, voter_name
from oddtwin.core.study.looked import BlindSession, SessionAnswer


def gather_votes(session: BlindSession, answers: Sequence[SessionAnswer], casts: Iterable[Cast]) -> Collected:
    """Return the votes that count for a session, and how many are set apart.

    Parameters
    ----------
    session : BlindSession
        Judged by ballot.
    answers : sequence of SessionAnswer
        Of the study: who voted before is among them.
    casts : iterable of Cast
        As they came in.
    """
    there = {one.judge for one in answers if one.session_id == session.id}
    return collect(
        casts,
        session.commitment,
        ballot_trials(session.trials),
        session.closed,
        lambda voter: voter_name(voter) in there,
    )
