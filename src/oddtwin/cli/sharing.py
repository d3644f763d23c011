"""The commands that hand a study on: weighed up, as report or pack, checked; and backups of lab books."""

from __future__ import annotations

import argparse
import json
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, nullcontext
from pathlib import Path
from typing import TYPE_CHECKING

from oddtwin.cli.errors import InputError, painting, read_text, writing

if TYPE_CHECKING:
    from oddtwin.core.known import TwinsSeen
    from oddtwin.core.study import Study
    from oddtwin.store import LabBook


def add_parser(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the commands to the parser."""
    weigh = commands.add_parser("tradeoff", help="weigh the arms of a study up")
    weigh.set_defaults(run=run_tradeoff)
    _source(weigh)
    weigh.add_argument("--gate", action="append", default=[], metavar="NAME", help="what shuts an arm out")
    weigh.add_argument("--size", type=float, metavar="PERCENT", help="as if printed at this size")
    weigh.add_argument("--pieces", type=int, metavar="N", help="as if so many stood on a plate")
    weigh.add_argument(
        "--sliced", action="append", default=[], metavar="ARM=FILE", help="sliced at another size, for --size"
    )
    weigh.add_argument("--json", action="store_true", help="print figures instead of sentences")
    report = commands.add_parser("report", help="write a study as a page, on paper, as a card, or as tables")
    report.set_defaults(run=run_report)
    _source(report)
    report.add_argument("-o", "--output", type=Path, required=True, metavar="FILE.html|.pdf|.svg|.png|.md")
    report.add_argument("--paper", choices=("A4", "Letter"), default="A4", help="of a .pdf (default A4)")
    report.add_argument("--names", action="store_true", help="name judges and operators")
    pack = commands.add_parser("pack", help="write a study with all its evidence as one archive")
    pack.set_defaults(run=run_pack)
    _source(pack)
    pack.add_argument("--files", choices=("all", "hashes", "reduced"), default="all", help="that go along")
    pack.add_argument("-o", "--output", type=Path, required=True, metavar="FILE.zip")
    verify = commands.add_parser("verify", help="check a pack: hashes, commitments, and every verdict anew")
    verify.set_defaults(run=run_verify)
    verify.add_argument("file", type=Path, metavar="FILE.zip")
    verify.add_argument("--json", action="store_true", help="print figures instead of sentences")
    known = commands.add_parser("known", help="what the settled studies of a lab book found, pooled")
    known.set_defaults(run=run_known)
    known.add_argument("book", type=Path, metavar="BOOK")
    known.add_argument("--factor", default="", metavar="NAME", help="only of what was changed")
    known.add_argument("--response", default="", metavar="NAME", help="only of what was measured")
    known.add_argument("--noise", action="store_true", help="what twins differ instead of effects")
    known.add_argument("--json", action="store_true", help="print figures instead of sentences")
    backup = commands.add_parser("backup", help="write a whole lab book into an archive of plain files")
    backup.set_defaults(run=run_backup)
    backup.add_argument("book", type=Path, metavar="BOOK")
    backup.add_argument("-o", "--output", type=Path, required=True, metavar="DIR")
    backup.add_argument("--keep", type=int, default=10, metavar="N", help="backups that stay (default 10)")
    back = commands.add_parser("restore", help="put a backup into a new folder, checked first")
    back.set_defaults(run=run_restore)
    back.add_argument("file", type=Path, metavar="BACKUP.zip")
    back.add_argument("-o", "--output", type=Path, required=True, metavar="BOOK")


def _source(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("source", type=Path, metavar="STUDY.json|BOOK", help="a study file, or a lab book")
    parser.add_argument("--study", metavar="NAME", help="of a lab book: which study, by name or number")


@contextmanager
def _told(source: Path, name: str | None) -> Iterator[tuple[Study, LabBook | None]]:
    """Give the study that is meant, with the lab book that keeps it where it came from one."""
    from oddtwin.store import StoreError, load_study
    from oddtwin.store.exchange import read_study

    if not source.is_dir():
        if name:
            raise InputError("--study goes with a lab book; a study file holds one")
        try:
            yield read_study(read_text(source), str(source)), None
        except StoreError as error:
            raise InputError(str(error)) from None
        return
    with _opened(source) as book:
        key = _chosen(book, source, name)
        with book.reading() as connection:
            study = load_study(connection, key)
        yield study, book


@contextmanager
def _opened(folder: Path) -> Iterator[LabBook]:
    """Give a lab book, and say in one sentence what is the matter with it."""
    from oddtwin.store import LabBook, StoreError

    try:
        book = LabBook.open(folder)
        try:
            yield book
        finally:
            book.close()
    except StoreError as error:
        raise InputError(str(error)) from None


def _chosen(book: LabBook, source: Path, name: str | None) -> int:
    listed = book.summaries()
    if not listed:
        raise InputError(f"{source} holds no study")
    if name is None:
        if len(listed) > 1:
            names = "; ".join(one.name for one in listed[:8])
            raise InputError(f"{source} holds {len(listed)} studies; say which with --study: {names}")
        return listed[0].id
    found = [one.id for one in listed if one.name == name or str(one.id) == name]
    if len(found) != 1:
        raise InputError(f"{source} holds {'no' if not found else 'more than one'} study “{name}”")
    return found[0]


def run_tradeoff(arguments: argparse.Namespace) -> int:
    """Weigh up, and print what follows."""
    from oddtwin.core.tradeoff import gates_of, sentences, weigh, weighed_json

    if (arguments.size, arguments.pieces) != (None, None):
        return _run_at_size(arguments)
    if arguments.sliced:
        raise InputError("--sliced goes with --size: of the printed size everything was measured")
    with _told(arguments.source, arguments.study) as (study, _):
        known = gates_of(study)
        for gate in arguments.gate:
            if gate not in known:
                raise InputError(f"--gate {gate}: there is {', '.join(f'“{one}”' for one in known)}")
        try:
            weighed = weigh(study, arguments.gate)
        except ValueError as error:
            raise InputError(f"{arguments.source}: {error}") from None
    if arguments.json:
        print(json.dumps(weighed_json(weighed), indent=2, ensure_ascii=False, allow_nan=False))
    else:
        print("\n".join(sentences(weighed)))
    return 0


def _run_at_size(arguments: argparse.Namespace) -> int:
    """Print what each arm comes to at another size, or with more pieces on a plate."""
    from oddtwin.core.quantities import format_number
    from oddtwin.core.tradeoff import at_size
    from oddtwin.store import StoreError
    from oddtwin.work import load_sizes

    if arguments.gate:
        raise InputError("--gate shuts arms out by what was printed; it does not go with --size and --pieces")
    others: dict[str, list[Path]] = {}
    with _told(arguments.source, arguments.study) as (study, book):
        names = [arm.name for arm in study.arms]
        for given in arguments.sliced:
            name, sign, path = given.partition("=")
            if not sign or name not in names:
                raise InputError(f"--sliced {given}: write ARM=FILE; the arms are {', '.join(names)}")
            others.setdefault(name, []).append(Path(path))
        percent, pieces = arguments.size, arguments.pieces
        try:
            files = load_sizes(book, study, others)
            found = at_size(
                study, (100.0 if percent is None else percent) / 100, 1 if pieces is None else pieces, files
            )
        except StoreError as error:
            raise InputError(str(error)) from None
        except ValueError as error:
            raise InputError(f"{arguments.source}: {error}") from None
    if arguments.json:
        print(json.dumps(found.as_json(), indent=2, ensure_ascii=False, allow_nan=False))
        return 0
    for one in found.arms:
        parts = [(one.minutes, "min"), (one.grams, "g"), (one.money, found.currency)]
        told = [f"{format_number(figure.value, 2)} {unit}" for figure, unit in parts if figure is not None]
        print(f"{one.name}: {', '.join(told)} a piece")
    print("\n".join(found.sentences))
    return 0


def run_report(arguments: argparse.Namespace) -> int:
    """Write the report in the form that its name asks for."""
    from oddtwin.core.judgement import analyse
    from oddtwin.store import known_noise
    from oddtwin.store.atomic import write_file
    from oddtwin.store.exchange import Background, load_background
    from oddtwin.ui.forms import FORMS, PHOTOGRAPHED, told_in_form
    from oddtwin.work.looked_at import looked_at

    form = arguments.output.suffix.lower().lstrip(".")
    if form not in FORMS:
        raise InputError(
            f"{arguments.output}: a report is written as {', '.join(f'.{one}' for one in FORMS)}"
        )
    with _told(arguments.source, arguments.study) as (study, book):
        lent, known = {}, Background()
        if book is not None:
            with book.reading() as connection:
                lent, known = known_noise(connection, study), load_background(connection, study)
        looked = looked_at(book, study) if book is not None and form in PHOTOGRAPHED else []
        painted = form in ("pdf", "png")
        with painting() if painted else nullcontext(), writing(arguments.output):
            content = told_in_form(
                form, study, analyse(study, lent.get), looked, arguments.paper, arguments.names, known
            )
            write_file(arguments.output, content)
    print(f"Written: {arguments.output}")
    return 0


def run_pack(arguments: argparse.Namespace) -> int:
    """Write the pack, and the hash that it is known by."""
    from oddtwin.store import StoreError
    from oddtwin.work.packing import Content, pack_study

    with _told(arguments.source, arguments.study) as (study, book):
        try:
            print(pack_study(arguments.output, study, book, Content(arguments.files)))
        except StoreError as error:
            raise InputError(str(error)) from None
    return 0


def run_verify(arguments: argparse.Namespace) -> int:
    """Check a pack; 0 only where all of it is as it says."""
    from oddtwin.store import StoreError
    from oddtwin.work.verifying import verify_pack

    try:
        found = verify_pack(arguments.file)
    except StoreError as error:
        raise InputError(str(error)) from None
    if arguments.json:
        print(json.dumps(found.as_json(), indent=2, ensure_ascii=False, allow_nan=False))
    else:
        for one in found.different:
            print(f"  ! {one.sentence}")
        told = "all as the pack says" if found.holds else f"{len(found.different)} not as the pack says"
        print(f"“{found.title}”: {found.checked} things checked, {told}.")
    return 0 if found.holds else 1


def run_known(arguments: argparse.Namespace) -> int:
    """Print what is known."""
    from oddtwin.core.known import known_json, what_is_known
    from oddtwin.store import load_known, load_twins

    with _opened(arguments.book) as book, book.reading() as connection:
        if arguments.noise:
            return _told_noise(load_twins(connection), arguments)
        found = load_known(connection)
    known = what_is_known(found, arguments.factor, arguments.response)
    if arguments.json:
        print(json.dumps(known_json(known), indent=2, ensure_ascii=False, allow_nan=False))
    else:
        print(
            "\n".join(one.sentence for one in known) or "Nothing is known of that yet: no study was settled."
        )
    return 0


def _told_noise(twins: Sequence[TwinsSeen], arguments: argparse.Namespace) -> int:
    """Print the noise floors of a workshop."""
    from oddtwin.core.known import FLOOR_HEAD, floor_row, floors_json, noise_floors
    from oddtwin.core.quantities import now

    if arguments.factor:
        raise InputError("--factor goes with effects; twins differ in nothing that was changed")
    floors = [one for one in noise_floors(twins) if arguments.response in ("", one.response)]
    if arguments.json:
        print(json.dumps(floors_json(floors), indent=2, ensure_ascii=False, allow_nan=False))
        return 0
    for one in floors:
        print(
            "; ".join(f"{head}: {cell}" for head, cell in zip(FLOOR_HEAD, floor_row(one, now()), strict=True))
        )
    if not floors:
        print("No twins were measured yet.")
    return 0


def run_backup(arguments: argparse.Namespace) -> int:
    """Write a backup, and say which older ones went."""
    from oddtwin.work.backups import back_up

    with _opened(arguments.book) as book:
        target, gone = back_up(book, arguments.output, arguments.keep)
    print(f"Written: {target}" + (f"; {len(gone)} older taken away" if gone else ""))
    return 0


def run_restore(arguments: argparse.Namespace) -> int:
    """Put a backup back."""
    from oddtwin.store import StoreError
    from oddtwin.work.backups import restore

    try:
        book = restore(arguments.file, arguments.output)
    except StoreError as error:
        raise InputError(str(error)) from None
    count = len(book.summaries())
    book.close()
    print(f"{arguments.output}: “{book.name}”, {count} {'study' if count == 1 else 'studies'}")
    return 0
