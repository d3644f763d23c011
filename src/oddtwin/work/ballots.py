"""Ballots as files: pictures encoded anew, one page without a network, and the key that stays at home."""

from __future__ import annotations

import json
from dataclasses import dataclass
from itertools import combinations
from pathlib import Path
from typing import Final

from oddtwin.core.judge import Ballot, Pair, Shown, ballot_json
from oddtwin.core.readings import BLANK, TableError, plain_names, table_rows, unguarded
from oddtwin.core.study import Study, View, standing_photographs
from oddtwin.store import KeptKind, LabBook, filled_page
from oddtwin.work.photos import PhotoError, encoded, read_photo

COLUMNS: Final = ("one", "other", "one_arm", "other_arm", "one_print", "other_print", "control")
NEEDED: Final = COLUMNS[:4]


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
    for column in NEEDED:
        if column not in names:
            raise TableError(f"the header has no column “{column}”; add it", line, column)
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
                raise TableError(f"the {column.replace('_', ' ')} is missing", line, column)
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
        raise ValueError(f"No block of “{study.name}” has a photograph of both arms in the view {view.name}.")
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
    from markupsafe import Markup

    pictures = {letter: _encoded(Path(name)) for letter, name in sorted(ballot.pictures.items())}
    told = {
        "commitment": ballot.key.commitment,
        # A catch must not be known by anything that the page holds.
        "trials": [{"trial": one.name, "letters": list(one.letters)} for one in ballot.trials],
        "pictures": pictures,
    }
    # Inside a script only the end of the script itself could break out of the text.
    data = Markup(json.dumps(told).replace("<", "\\u003c"))
    return filled_page(
        Path(__file__).with_name("ballot.html"),
        title=words.title,
        question=words.question,
        commitment=ballot.key.commitment,
        data=data,
    )


def _encoded(path: Path) -> str:
    try:
        return encoded(read_photo(path).pixels)
    except PhotoError as error:
        raise PhotoError(f"{path}: {error}") from None


def key_text(ballot: Ballot) -> str:
    """Return what stays at home."""
    return json.dumps(ballot_json(ballot), indent=2, ensure_ascii=False) + "\n"
