"""Ballots as files: pictures encoded anew, one page without a network, and the key that stays at home."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from itertools import combinations
from pathlib import Path
from typing import Final

import numpy as np

from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.judge import (
    MARK,
    Ballot,
    Cast,
    Pair,
    Shown,
    Trial,
    ballot_json,
    ballot_trials,
    read_casts,
    read_forum,
)
from oddtwin.core.language import tr
from oddtwin.core.photo import NEUTRAL, Picture
from oddtwin.core.readings import BLANK, TableError, need_columns, plain_names, table_rows, unguarded
from oddtwin.core.study import BlindSession, Study, View, standing_photographs
from oddtwin.store import KeptKind, LabBook, filled_page
from oddtwin.work.photos import PhotoError, encoded, jpeg, read_photo, smaller
from oddtwin.work.trials import trial_pictures

COLUMNS: Final = ("one", "other", "one_arm", "other_arm", "one_print", "other_print", "control")
NEEDED: Final = COLUMNS[:4]
BETWEEN_PX: Final = 24


@dataclass(frozen=True, slots=True)
class Words:
    """What a ballot says above its pictures."""

    title: str
    question: str


def read_pairs(text: str, folder: Path) -> list[Pair]:
    """Read what a ballot shows.

    Parameters
    ----------
    text : str
        A header and one row a pair: two picture files, their arms, and maybe their prints; ``control`` where
        the difference is known to be there.
    folder : Path
        That the names of files start from.

    Raises
    ------
    TableError
        Naming line and column.
    """
    rows = table_rows(text)
    line, header = next(rows, (1, []))
    names = plain_names(header)
    need_columns(NEEDED, names, line)
    places: dict[str, int] = {name: names.index(name) for name in COLUMNS if name in names}
    found = []
    for line, cells in rows:
        if not any(cell.strip() for cell in cells):
            continue
        row = {
            name: unguarded(cells[at].strip(BLANK)) if at < len(cells) else "" for name, at in places.items()
        }
        for column in NEEDED:
            if not row[column]:
                raise TableError(
                    tr("the {replace} is missing", replace=column.replace("_", " ")), line, column
                )
        one, other = (
            Shown(str(folder / row[side]), row[f"{side}_arm"], row.get(f"{side}_print", ""))
            for side in ("one", "other")
        )
        found.append(
            Pair(one, other, row.get("control", "").casefold() in ("yes", "1", "true", "x", "control"))
        )
    return found


def pairs_of_view(book: LabBook, study: Study, view: View) -> list[Pair]:
    """Return what a ballot shows of a study: pairs of baseline and change of each block, twins as catches.

    Parameters
    ----------
    book : LabBook
        That keeps the photographs.
    study : Study
        With its photographs.
    view : View
        Which view is shown.

    Raises
    ------
    ValueError
        No block has a photograph of both arms; a sentence.
    """
    shots = standing_photographs(study, view.id)
    shown = {
        run.id: Shown(str(book.kept(KeptKind.PHOTOGRAPH, shot.sha256)), study.arm_of(run).name, run.code)
        for run, shot in shots
    }
    # Pairs of one arm are twins, and become catches by themselves.
    pairs = [
        (one, two)
        for (one, _), (two, _) in combinations(shots, 2)
        if one.block_id == two.block_id and study.baseline.id in (one.arm_id, two.arm_id)
    ]
    if all(one.arm_id == two.arm_id for one, two in pairs):
        raise ValueError(
            tr(
                "No block of “{study}” has a photograph of both arms in the view {view}.",
                study=study.name,
                view=view.name,
            )
        )
    return [Pair(shown[one.id], shown[two.id]) for one, two in pairs]


def ballot_page(ballot: Ballot, words: Words) -> str:
    """Return the page of a ballot, with its pictures inside.

    Parameters
    ----------
    ballot : Ballot
        With its letters drawn.
    words : Words
        Title and question.

    Raises
    ------
    PhotoError
        A picture cannot be read; the sentence names it.
    """
    pictures = {letter: _encoded(Path(name)) for letter, name in sorted(ballot.pictures.items())}
    return _page(ballot.key.commitment, ballot.trials, pictures, words)


def _page(commitment: str, trials: Sequence[Trial], pictures: Mapping[str, str], words: Words) -> str:
    from markupsafe import Markup

    told = {
        "commitment": commitment,
        # A catch must not be known by anything that the page holds.
        "trials": [{"trial": one.name, "letters": list(one.letters)} for one in trials],
        "pictures": pictures,
    }
    # Inside a script only the end of the script itself could break out of the text.
    data = Markup(json.dumps(told).replace("<", "\\u003c"))
    return filled_page(
        Path(__file__).with_name("ballot.html"),
        title=words.title,
        question=words.question,
        commitment=commitment,
        data=data,
    )


@dataclass(frozen=True, slots=True)
class BallotFiles:
    """A ballot of a session: its page, and each pair side by side as a JPEG for places that show pictures."""

    page: str
    pairs: tuple[bytes, ...]

    def write(self, folder: Path) -> Path:
        """Write page and pictures into a folder; returns where the page lies.

        Raises
        ------
        OSError
            The folder cannot be written to.
        """
        folder.mkdir(parents=True, exist_ok=True)
        page = folder / "ballot.html"
        page.write_text(self.page, encoding="utf-8")
        for number, pair in enumerate(self.pairs, 1):
            (folder / f"pair-{number}.jpg").write_bytes(pair)
        return page


def session_ballot(
    book: LabBook, study: Study, session: BlindSession, title: str, job: Job = UNWATCHED
) -> BallotFiles:
    """Return the ballot of a session that an audience judges; the key stays in the lab book.

    Parameters
    ----------
    book : LabBook
        That keeps the photographs.
    study : Study
        With the photographs of the session's view.
    session : BlindSession
        Judged by ballot.
    title : str
        Above the pictures.
    job : Job
        Told the share that is done; stops the work between pictures.

    Raises
    ------
    PhotoError
        A photograph is gone, or cannot be read.
    CancelledError
        Nobody wants it any more.
    """
    trials = ballot_trials(session.trials)
    letters = sorted({letter for one in trials for letter in one.letters})
    pictures = {}
    for number, letter in enumerate(letters):
        job.check()
        job.tell(number / len(letters))
        (shown,) = trial_pictures(book, study, session, [letter])
        pictures[letter] = smaller(shown.picture)
    pairs = tuple(jpeg(beside(*(pictures[letter] for letter in one.letters))) for one in trials)
    inside = {letter: encoded(pixels) for letter, pixels in pictures.items()}
    return BallotFiles(_page(session.commitment, trials, inside, Words(title, session.asked)), pairs)


def beside(left: Picture, right: Picture) -> Picture:
    """Return two pictures side by side on a neutral grey, as high as the higher one."""
    high = max(left.shape[0], right.shape[0])
    whole = np.full((high, left.shape[1] + BETWEEN_PX + right.shape[1], 3), NEUTRAL, np.uint8)
    whole[: left.shape[0], : left.shape[1]] = left
    whole[: right.shape[0], -right.shape[1] :] = right
    return whole


def read_votes_of(session: BlindSession, text: str, at: datetime) -> tuple[list[Cast], int]:
    """Read votes as they come: files of voters, pasted lines, or a table out of a forum.

    Parameters
    ----------
    session : BlindSession
        Judged by ballot.
    text : str
        Of one file, or as it was pasted.
    at : datetime
        When.

    Returns
    -------
    (list of Cast, int)
        Votes, and how many rows of a table say none.

    Raises
    ------
    ValueError
        There is no vote in it; a sentence.
    """
    text = text.removeprefix("\ufeff")
    first = text.lstrip().partition("\n")[0].casefold()
    # A table has a header that names its columns; a vote is JSON or a line with its mark.
    if MARK not in text and "answer" in first and not first.startswith("{"):
        found = read_forum(text, ballot_trials(session.trials), session.commitment, at)
        return list(found.casts), found.unread
    return read_casts(text), 0


def _encoded(path: Path) -> str:
    try:
        return encoded(read_photo(path).pixels)
    except PhotoError as error:
        raise PhotoError(f"{path}: {error}") from None


def key_text(ballot: Ballot) -> str:
    """Return what stays at home."""
    return json.dumps(ballot_json(ballot), indent=2, ensure_ascii=False) + "\n"
