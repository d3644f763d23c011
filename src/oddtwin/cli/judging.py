"""The command ``judge``: what the answers of judges say, from a CSV file."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import Any, Final

from oddtwin.cli.errors import InputError, read_text

MOST_TOLD: Final = 100


def add_parser(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command to the parser."""
    parser = commands.add_parser("judge", help="judge the answers of blind judging from a CSV file")
    parser.set_defaults(run=run)
    parser.add_argument("file", type=Path, metavar="VOTES.csv")
    parser.add_argument(
        "--design",
        required=True,
        choices=("pair", "triangle", "duo-trio", "same", "sort", "rank", "compare"),
    )
    parser.add_argument("--key", type=Path, metavar="KEY.json", help="which letter is which arm and print")
    parser.add_argument("--json", action="store_true", help="print figures instead of sentences")


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
