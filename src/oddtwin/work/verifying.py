"""Checking an evidence pack: hashes, seal and bytes, commitments, and every verdict worked out again."""

from __future__ import annotations

import json
import math
import tempfile
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final

from oddtwin.core.effects import NoiseFloor
from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.judgement import Analysis, analyse
from oddtwin.core.language import plainly, tr
from oddtwin.core.readings import write_table
from oddtwin.core.study import Study, sealed_key, tidy_readings
from oddtwin.store import StoreError
from oddtwin.store.exchange import read_study
from oddtwin.store.exchange.archive import digest, extract, file_hash, opened, write_archive
from oddtwin.store.exchange.pack import (
    FOLDERS,
    NOISE,
    PACK_VERSION,
    PACKAGE,
    READINGS,
    SEAL,
    STUDY,
    VERDICTS,
    verdicts_of,
)

CLOSE: Final = 1e-9
"""Relative: figures of another machine may differ in their last digits, and in nothing else."""
MOST_TEXT: Final = 1 << 28
_FIGURES: Final = ("verdict", "estimate", "ci95", "ci90", "p_difference", "n_baseline", "n_change")


@dataclass(frozen=True, slots=True)
class Difference:
    """What a pack says of itself, and what was found instead."""

    what: str
    said: str
    found: str

    @property
    def sentence(self) -> str:
        """In words."""
        return tr(
            "{what}: the pack says {said}, and {found} was found.",
            what=self.what,
            said=self.said,
            found=self.found,
        )


@dataclass
class Verified:
    """What was checked of a pack, how much of it is so, and what is not.

    ``checked`` and ``equal`` count files, commitments and verdicts; ``title`` is the name of its study.
    """

    title: str = ""
    checked: int = 0
    equal: int = 0
    different: list[Difference] = field(default_factory=list)

    @property
    def holds(self) -> bool:
        """Whether all of it is as the pack says."""
        return bool(self.checked) and not self.different

    def check(self, what: str, said: Any, found: Any) -> None:
        """Compare one thing, and count it."""
        self.checked += 1
        if _same(said, found):
            self.equal += 1
        else:
            self.different.append(Difference(what, _shown(said), _shown(found)))

    def as_json(self) -> dict[str, Any]:
        """Return it as plain values."""
        different = [{"what": one.what, "said": one.said, "found": one.found} for one in self.different]
        return {
            "title": self.title,
            "checked": self.checked,
            "equal": self.equal,
            "different": different,
        }


def verify_pack(path: Path, job: Job = UNWATCHED) -> Verified:
    """Check a pack against itself; nothing but the pack is needed, and nothing is written outside.

    Parameters
    ----------
    path : Path
        Of the archive.
    job : Job
        Told the share that is done; stops the work between files.

    Raises
    ------
    StoreError
        It is no pack, of a newer version, or holds what no pack does.
    """
    found = Verified()
    with opened(path) as archive:
        names = archive.namelist()
        if PACKAGE not in names or SEAL not in names:
            raise StoreError(
                tr(
                    "{path} is no evidence pack: it has no {PACKAGE} or no {SEAL}.",
                    path=path,
                    PACKAGE=PACKAGE,
                    SEAL=SEAL,
                )
            )
        package = _parsed(archive, PACKAGE)
        if package.get("odd_twin_pack") != PACK_VERSION:
            raise StoreError(
                tr(
                    "{path} is a pack of another version; this program checks version {PACK_VERSION}.",
                    path=path,
                    PACK_VERSION=PACK_VERSION,
                )
            )
        found.title = str(package.get("title", ""))
        _check_files(archive, package, found, job.part(0.0, 0.4))
        _check_bytes(path, archive, found, job.part(0.4, 0.6))
        job.check()
        _check_content(archive, found)
    job.tell(1.0)
    return found


def _check_files(archive: zipfile.ZipFile, package: Mapping[str, Any], found: Verified, job: Job) -> None:
    """Hold every file against its hash, and the list of files against the seal."""
    seal = _parsed(archive, SEAL).get("package_sha256")
    found.check(tr("The seal over the list of files"), seal, digest(archive, PACKAGE))
    listed = {}
    for one in package.get("resources", ()):
        if isinstance(one, dict) and isinstance(one.get("path"), str):
            listed[one["path"]] = str(one.get("hash", "")).removeprefix("sha256:")
    there = set(archive.namelist()) - {PACKAGE, SEAL}
    found.check(tr("The files in the pack"), sorted(listed), sorted(there))
    for number, name in enumerate(sorted(there & listed.keys())):
        job.check()
        job.tell(number / len(there))
        hashed = digest(archive, name)
        found.check(tr("The hash of {name}", name=name), listed[name], hashed)
        folder, _, kept = name.rpartition("/")
        if folder in FOLDERS and len(kept) == len(hashed):
            found.check(tr("The name of {name}", name=name), kept, hashed)


def _check_bytes(path: Path, archive: zipfile.ZipFile, found: Verified, job: Job) -> None:
    """Write the same files anew: an archive that has one byte beside its files is not as it was written."""
    with tempfile.TemporaryDirectory(prefix="odd-twin-verify-") as folder:
        inside = Path(folder)
        members: dict[str, bytes | Path] = {}
        for number, name in enumerate(archive.namelist()):
            job.check()
            target = inside / f"{number}"
            extract(archive, name, target)
            members[name] = target
        again = inside / "again.zip"
        with again.open("w+b") as file:
            write_archive(file, members, job)
        found.check(tr("The bytes of the archive"), file_hash(path), file_hash(again))


def _check_content(archive: zipfile.ZipFile, found: Verified) -> None:
    """Read the study, hold its readings and commitments against it, and judge it anew."""
    try:
        study = read_study(_text(archive, STUDY), STUDY)
    except StoreError as error:
        found.check(tr("The study"), tr("a study that can be read"), f"{error}")
        return
    found.check(tr("The readings as a table"), _text(archive, READINGS), write_table(tidy_readings(study)))
    for number, session in enumerate(study.sessions, 1):
        if session.letters:
            opened_key = sealed_key(session.letters, session.nonce)
            found.check(
                tr("The key of blind session {number}", number=number),
                session.commitment,
                opened_key.commitment,
            )
    try:
        lent = {
            name: NoiseFloor(float(one["sd"]), float(one["df"]))
            for name, one in _parsed(archive, NOISE).items()
        }
        said = json.loads(_text(archive, VERDICTS))
        # As they were written: in English and with points, wherever the pack is checked.
        with plainly():
            judged = verdicts_of(_judged(study, lent))
    except (StoreError, ValueError, TypeError, KeyError) as error:
        found.check(tr("The verdicts"), tr("figures that can be read"), f"{error}")
        return
    _check_verdicts(said, judged, found)


def _check_verdicts(said: Any, judged: list[dict[str, Any]], found: Verified) -> None:
    def key(one: Any) -> tuple[str, str]:
        return (str(one.get("about")), str(one.get("response"))) if isinstance(one, dict) else ("", "")

    told = {key(one): one for one in said} if isinstance(said, list) else {}
    found.check(tr("The verdicts that there are"), sorted(told), sorted(key(one) for one in judged))
    for one in judged:
        other = told.get(key(one), {})
        name = ", ".join(part for part in key(one) if part)
        for figure in _FIGURES:
            if figure in other:
                found.check(f"{name}, {figure}", other[figure], json.loads(json.dumps(one[figure])))


def _judged(study: Study, lent: Mapping[str, NoiseFloor]) -> Analysis:
    by_id = {one.id: lent[one.name] for one in study.responses if one.name in lent}
    return analyse(study, by_id.get)


def _parsed(archive: zipfile.ZipFile, name: str) -> dict[str, Any]:
    try:
        value = json.loads(_text(archive, name))
    except (ValueError, RecursionError):
        raise StoreError(tr("{name} in the pack is no JSON that can be read.", name=name)) from None
    if not isinstance(value, dict):
        raise StoreError(tr("{name} in the pack is not what a pack has there.", name=name))
    return value


def _text(archive: zipfile.ZipFile, name: str) -> str:
    try:
        info = archive.getinfo(name)
    except KeyError:
        raise StoreError(tr("The pack has no {name}.", name=name)) from None
    if info.file_size > MOST_TEXT:
        raise StoreError(tr("{name} in the pack is too large to be read.", name=name))
    try:
        return archive.read(name).decode()
    except UnicodeDecodeError:
        raise StoreError(tr("{name} in the pack is no text.", name=name)) from None


def _same(said: Any, found: Any) -> bool:
    if isinstance(said, bool) or isinstance(found, bool):
        return said is found
    if isinstance(said, int | float) and isinstance(found, int | float):
        return math.isclose(said, found, rel_tol=CLOSE, abs_tol=CLOSE)
    if isinstance(said, list | tuple) and isinstance(found, list | tuple):
        return len(said) == len(found) and all(map(_same, said, found))
    return bool(said == found)


def _shown(value: Any) -> str:
    text = value if isinstance(value, str) else json.dumps(value, ensure_ascii=False, default=str)
    return text if len(text) <= 120 else f"{text[:117]}…"
