"""The command ``judge``: what the answers of judges say, from a CSV file."""

from __future__ import annotations

import argparse
import json
from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final, TypeVar

from oddtwin.cli.errors import InputError, read_text, writing

if TYPE_CHECKING:
    from oddtwin.core.judge import Pair

MOST_TOLD: Final = 100
T = TypeVar("T")


def add_parser(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command to the parser."""
    parser = commands.add_parser("judge", help="judge the answers of blind judging from a CSV file")
    parser.set_defaults(run=run)
    parser.add_argument("file", type=Path, metavar="VOTES.csv")
    parser.add_argument(
        "--design",
        required=True,
        choices=("pair", "triangle", "duo-trio", "same", "sort", "rank", "compare", "grade"),
    )
    parser.add_argument("--key", type=Path, metavar="KEY.json", help="which letter is which arm and print")
    parser.add_argument("--json", action="store_true", help="print figures instead of sentences")
    ballot = commands.add_parser("ballot", help="write a ballot for an audience: one HTML page and its key")
    ballot.set_defaults(run=run_ballot)
    ballot.add_argument(
        "file", type=Path, metavar="PAIRS.csv", help="pictures side by side and their arms; or a lab book"
    )
    ballot.add_argument("--study", metavar="NAME", help="of a lab book: which study; its only one by default")
    ballot.add_argument("--view", metavar="NAME", help="of a lab book: which view; its only one by default")
    ballot.add_argument("--title", default="Which is better?")
    ballot.add_argument("--question", default="Which of the two looks better to you?")
    ballot.add_argument("--seed", type=int, metavar="N", help="of the letters; drawn where it is not given")
    ballot.add_argument("-o", "--output", type=Path, required=True, metavar="DIR")
    votes = commands.add_parser("votes", help="gather the votes of a ballot into a table for judge")
    votes.set_defaults(run=run_votes)
    votes.add_argument("files", type=Path, nargs="+", metavar="FILE", help="votes that were saved or pasted")
    votes.add_argument("--key", type=Path, required=True, metavar="KEY.json", help="as the ballot wrote it")
    votes.add_argument("--closed", metavar="TIME", help="when the key was opened, such as 2026-12-01T20:00")
    votes.add_argument("-o", "--output", type=Path, required=True, metavar="VOTES.csv")


def run_ballot(arguments: argparse.Namespace) -> int:
    """Write the page and the key."""
    import secrets

    import numpy as np

    from oddtwin.core.judge import make_ballot
    from oddtwin.work.ballots import Words, ballot_page, key_text, read_pairs

    of_book = arguments.file.is_dir()
    if not of_book and (arguments.study or arguments.view):
        raise InputError("--study and --view go with a lab book; a table of pairs names its pictures itself")
    if arguments.seed is not None and arguments.seed < 0:
        raise InputError("--seed: give a whole number of zero or more")
    seed = secrets.randbits(64) if arguments.seed is None else arguments.seed
    try:
        if of_book:
            pairs = _pairs_of_book(arguments)
        else:
            pairs = read_pairs(read_text(arguments.file), arguments.file.parent)
        ballot = make_ballot(pairs, np.random.default_rng(seed))
        page = ballot_page(ballot, Words(arguments.title, arguments.question))
    except ValueError as error:
        raise InputError(f"{arguments.file}: {error}") from None
    with writing(arguments.output):
        arguments.output.mkdir(parents=True, exist_ok=True)
        (arguments.output / "ballot.html").write_text(page, encoding="utf-8")
        (arguments.output / "key.json").write_text(key_text(ballot), encoding="utf-8")
    print(f"{arguments.output / 'ballot.html'}: send this; {len(ballot.trials)} trials, no network is needed")
    print(f"{arguments.output / 'key.json'}: keep this to yourself until all have voted")
    print(f"Committed to as {ballot.key.commitment}")
    return 0


def _pairs_of_book(arguments: argparse.Namespace) -> list[Pair]:
    """Return the pairs that a lab book has photographs of."""
    from oddtwin.store import LabBook, StoreError, load_study
    from oddtwin.work.ballots import pairs_of_view

    try:
        book = LabBook.open(arguments.file)
        try:
            studies = {item.name: item.id for item in book.summaries()}
            with book.reading() as connection:
                study = load_study(connection, _named(studies, arguments.study, "study"))
            seen = {item.view_id for item in study.photographs}
            views = {view.name: view for key, view in study.index.views.items() if key in seen}
            return pairs_of_view(book, study, _named(views, arguments.view, "photographed view"))
        finally:
            book.close()
    except StoreError as error:
        raise InputError(str(error)) from None


def _named(things: Mapping[str, T], name: str | None, noun: str) -> T:
    """Return the thing of a name, or the only one."""
    if name is None and len(things) == 1:
        return next(iter(things.values()))
    if name is None or name not in things:
        listed = "; ".join(things) or "none"
        wanted = f"there is no {noun} “{name}”" if name else f"say which {noun}"
        raise InputError(f"{wanted}; there are: {listed}")
    return things[name]


def run_votes(arguments: argparse.Namespace) -> int:
    """Gather votes, and say how many were set apart."""
    from datetime import datetime

    from oddtwin.core.judge import HEAD, collect, read_casts, read_key, trials_of
    from oddtwin.core.readings import guarded, table_text

    text = read_text(arguments.key)
    try:
        key, kept = read_key(text)
        trials = trials_of(text)
    except ValueError as error:
        raise InputError(f"{arguments.key}: {error}") from None
    if kept is False:
        raise InputError(f"{arguments.key}: this key is not the one that was committed to")
    try:
        closed = datetime.fromisoformat(arguments.closed).astimezone() if arguments.closed else None
    except ValueError:
        raise InputError(f"--closed {arguments.closed}: give a time such as 2026-12-01T20:00") from None
    casts, unread = [], []
    for path in arguments.files:
        try:
            casts += read_casts(read_text(path))
        except ValueError as error:
            unread.append(f"{path}: {error}")
    found = collect(casts, key.commitment, trials, closed)
    if not found.rows:
        raise InputError("there is no vote that counts" + (f"; {unread[0]}" if unread else ""))
    # A voter calls itself what it likes, and a spreadsheet may open the table.
    rows = [[guarded(cell) for cell in row] for row in found.rows]
    with writing(arguments.output):
        arguments.output.write_text(table_text([HEAD, *rows]), encoding="utf-8")
    answers = "1 answer" if len(found.rows) == 1 else f"{len(found.rows)} answers"
    print(f"{arguments.output}: {answers} of {found.voters} {'voter' if found.voters == 1 else 'voters'}")
    for why, count in found.apart.items():
        print(f"  set apart, {why}: {count}")
    for line in unread[:MOST_TOLD]:
        print(f"  set apart, {line}")
    return 0


def run(arguments: argparse.Namespace) -> int:
    """Judge, and print what the answers say."""
    from oddtwin.core.judge import JudgeDesign, judge_session, read_key, read_votes

    design = JudgeDesign(arguments.design)
    key, kept = None, None
    if arguments.key is not None:
        try:
            key, kept = read_key(read_text(arguments.key))
        except ValueError as error:
            raise InputError(f"{arguments.key}: {error}") from None
    try:
        votes, apart = read_votes(read_text(arguments.file), design)
        found = judge_session(votes, design, key.letters if key else None)
    except ValueError as error:
        raise InputError(f"{arguments.file}: {error}") from None
    if arguments.json:
        told: dict[str, Any] = {
            **found.figures,
            "set_apart": {
                "count": len(apart),
                "rows": [{"line": one.line, "reason": one.reason} for one in apart[:MOST_TOLD]],
            },
            "key": None if key is None else {"commitment": key.commitment, "kept": kept},
        }
        print(json.dumps(told, indent=2, ensure_ascii=False, allow_nan=False))
        return 0
    for sentence in found.sentences:
        print(sentence)
    if apart:
        row = "row is" if len(apart) == 1 else "rows are"
        print(f"{len(apart)} {row} set apart; the first, line {apart[0].line}: {apart[0].reason}.")
    if kept is False:
        print("  ! This key is not the one that was committed to: its letters or its nonce were changed.")
    return 0
