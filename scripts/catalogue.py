"""Keep the catalogues of languages in step with the sentences of the program.

``scripts/catalogue.py`` collects what stands in ``tr``, ``trn`` and ``mark`` under ``src/``, writes each
``src/oddtwin/ui/assets/languages/LANGUAGE/LC_MESSAGES/oddtwin.po`` anew (sentences that are new are
there without a translation, those that are gone are left out) and compiles it to ``oddtwin.mo`` beside
it, which the program reads. A new language begins with ``scripts/catalogue.py LANGUAGE``.
"""

from __future__ import annotations

import ast
import io
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

from jinja2.ext import babel_extract

if TYPE_CHECKING:
    from babel.messages.catalog import Catalog

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src" / "oddtwin"
LANGUAGES = SOURCE / "ui" / "assets" / "languages"
FUNCTIONS = ("tr", "trn", "mark")

Message = str | tuple[str, str]
"""A sentence, or a word in both of its numbers."""


def main(wanted: list[str]) -> int:
    for language in sorted({*wanted, *(folder.name for folder in LANGUAGES.glob("*") if folder.is_dir())}):
        file = LANGUAGES / language / "LC_MESSAGES" / "oddtwin.po"
        catalogue = brought_up(file, language)
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_bytes(as_po(catalogue))
        file.with_suffix(".mo").write_bytes(as_mo(catalogue))
        open_ones = [message for message in catalogue if message.id and not translated(message)]
        print(f"{language}: {len(catalogue)} sentences, {len(open_ones)} without a translation")
    return 0


def collected() -> dict[Message, str]:
    """Return every sentence that the program translates, with the first file that it stands in."""
    found: dict[Message, str] = {}
    for path in sorted((*SOURCE.rglob("*.py"), *SOURCE.rglob("*.html"))):
        for message in _of_page(path) if path.suffix == ".html" else _of_code(path):
            found.setdefault(message, path.relative_to(SOURCE).as_posix())
    return found


def _of_code(path: Path) -> Iterator[Message]:
    # By the tree and not by words: a table may be called “mark” too.
    for node in ast.walk(ast.parse(path.read_bytes())):
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in FUNCTIONS:
            texts = [part.value for part in node.args if isinstance(part, ast.Constant)]
            if node.func.id == "trn":
                yield str(texts[0]), str(texts[1])
            elif texts:
                yield str(texts[0])


def _of_page(path: Path) -> Iterator[Message]:
    with path.open("rb") as source:
        for _, _, message, _ in babel_extract(source, FUNCTIONS, (), {}):
            parts = [part for part in message if part] if isinstance(message, tuple) else [message]
            yield (parts[0], parts[1]) if len(parts) > 1 else parts[0]


def brought_up(file: Path, language: str) -> Catalog:
    """Return the catalogue of a file with every sentence that the program has now, and no other."""
    from babel.messages.catalog import Catalog
    from babel.messages.pofile import read_po

    known = Catalog(locale=language)
    if file.exists():
        with file.open("rb") as source:
            known = read_po(source, locale=language)
    catalogue = Catalog(
        locale=language, project="Odd Twin", version="", copyright_holder="", msgid_bugs_address="",
        last_translator="", language_team="", fuzzy=False,
        header_comment=f"# What Odd Twin says, in {language}. Brought up to date by scripts/catalogue.py.",
    )  # fmt: skip
    catalogue.creation_date = known.creation_date
    for message, place in collected().items():
        before = known.get(message if isinstance(message, str) else message[0])
        # A word that has a plural now, or has none any more, is translated anew.
        fits = before and isinstance(before.string, str) == isinstance(message, str)
        catalogue.add(message, before.string if before and fits else None, locations=[(place, None)])
    return catalogue


def translated(message: object) -> bool:
    """Return whether every form of a message has a translation."""
    text = getattr(message, "string", "")
    return all(text) if isinstance(text, tuple | list) else bool(text)


def as_po(catalogue: Catalog) -> bytes:
    """Return a catalogue as people edit it: by file, so that a change of one is a change of few lines."""
    from babel.messages.pofile import write_po

    out = io.BytesIO()
    write_po(out, catalogue, width=110, sort_by_file=True, omit_header=False, include_lineno=False)
    return out.getvalue()


def as_mo(catalogue: Catalog) -> bytes:
    """Return a catalogue as the program reads it."""
    from babel.messages.mofile import write_mo

    out = io.BytesIO()
    write_mo(out, catalogue)
    return out.getvalue()


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
