"""The evidence pack: a study with all that its verdict rests on, as plain files that anyone can check."""

from __future__ import annotations

import hashlib
import json
import platform
from collections.abc import Mapping, Sequence
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path
from typing import Any, Final

from oddtwin import __version__
from oddtwin.core.decide import as_json
from oddtwin.core.effects import NoiseFloor
from oddtwin.core.judgement import Analysis
from oddtwin.core.readings import write_table
from oddtwin.core.study import Study, tidy_readings
from oddtwin.store.exchange.archive import file_hash
from oddtwin.store.exchange.study_file import write_study

PACK_VERSION: Final = 1
PACKAGE: Final = "datapackage.json"
SEAL: Final = "seal.json"
STUDY: Final = "study.json"
READINGS: Final = "readings.csv"
RUNS: Final = "runs.csv"
VERDICTS: Final = "verdicts.json"
NOISE: Final = "noise.json"
REPORT: Final = "report.html"
LOG: Final = "log.csv"
FOLDERS: Final = ("gcode", "photos")
_LIBRARIES: Final = ("numpy", "scipy", "sqlalchemy", "pydantic", "opencv-python-headless")
_RUN_HEAD: Final = (
    "run", "arm", "pair", "machine", "piece", "started", "finished", "spool", "set_aside", "failed",
)  # fmt: skip


def verdicts_of(analysis: Analysis) -> list[dict[str, Any]]:
    """Return every verdict with the figures that it rests on, as plain values.

    Parameters
    ----------
    analysis : Analysis
        Of the study.
    """
    names = ("verdict", "estimate", "ci95", "ci90", "p_difference", "n_baseline", "n_change", "sentence")
    found = []
    for finding in analysis.findings:
        figures = as_json(finding)
        told = {name: figures.get(name) for name in names}
        found.append({"about": finding.about, "response": finding.comparison.response, **told})
    return found


def noise_values(known: Mapping[str, NoiseFloor]) -> dict[str, dict[str, float]]:
    """Return the noise that earlier studies lent, by response, as plain values."""
    return {name: {"sd": one.sd, "df": one.df} for name, one in known.items()}


def package_members(
    study: Study,
    analysis: Analysis,
    *,
    noise: Mapping[str, NoiseFloor],
    report: str,
    log: Sequence[Sequence[str]],
    kept: Mapping[str, Path],
) -> dict[str, bytes | Path]:
    """Return the files of a pack by name: what they are, their hashes, and a seal over all of it.

    Parameters
    ----------
    study : Study
        Whole.
    analysis : Analysis
        Of that study, with the noise that was lent to it.
    noise : mapping of str to NoiseFloor
        That noise, by response.
    report : str
        As HTML.
    log : sequence of sequence of str
        Edits of the study: when, kind, title.
    kept : mapping of str to Path
        Sliced files and photographs that go along, by their name in the pack.

    Raises
    ------
    StoreError
        The study holds what a study file cannot say.
    """
    members: dict[str, bytes | Path] = {
        STUDY: write_study(study).encode(),
        READINGS: write_table(tidy_readings(study)).encode(),
        RUNS: _csv(_RUN_HEAD, _runs(study)),
        VERDICTS: _json(verdicts_of(analysis)),
        NOISE: _json(noise_values(noise)),
        REPORT: report.encode(),
        LOG: _csv(("at", "kind", "title"), log),
        **kept,
    }
    members[PACKAGE] = _json(_package(study, members))
    # The list of hashes is in the package; the seal is over the package, so that no byte of it is left out.
    members[SEAL] = _json({"package_sha256": hashlib.sha256(_whole(members[PACKAGE])).hexdigest()})
    return members


def _package(study: Study, members: Mapping[str, bytes | Path]) -> dict[str, Any]:
    """Return the description of the pack: a Frictionless data package with what made it."""
    return {
        "profile": "data-package",
        "name": "odd-twin-pack",
        "title": study.name,
        "created": study.created.isoformat(),
        "odd_twin_pack": PACK_VERSION,
        "made_with": {
            "odd-twin": __version__,
            "python": platform.python_version(),
            **{name: _version(name) for name in _LIBRARIES},
        },
        "resources": [_resource(name, content) for name, content in sorted(members.items())],
    }


def _version(name: str) -> str:
    try:
        return version(name)
    except PackageNotFoundError:
        return ""


def _resource(name: str, content: bytes | Path) -> dict[str, Any]:
    if isinstance(content, bytes):
        size, hashed = len(content), hashlib.sha256(content).hexdigest()
    else:
        size, hashed = content.stat().st_size, file_hash(content)
    found: dict[str, Any] = {
        "name": name.replace("/", "-").replace(".", "-").lower(),
        "path": name,
        "bytes": size,
        "hash": f"sha256:{hashed}",
    }
    if name in (READINGS, RUNS, LOG):
        head = bytes(_whole(content)).decode().splitlines()[0].split(",")
        fields = [{"name": column, "type": "string"} for column in head]
        found |= {"profile": "tabular-data-resource", "encoding": "utf-8", "schema": {"fields": fields}}
    return found


def _whole(content: bytes | Path) -> bytes:
    return content if isinstance(content, bytes) else content.read_bytes()


def _runs(study: Study) -> list[tuple[str, ...]]:
    found = []
    for run in study.runs:
        pair, machine, piece = study.index.places[run.id]
        moments = ("" if one is None else one.isoformat() for one in (run.started, run.finished))
        arm = study.index.arms[run.arm_id].name
        found.append((run.code, arm, pair, machine, piece, *moments, run.spool, run.set_aside, run.failed))
    return found


def _csv(head: Sequence[str], rows: Sequence[Sequence[str]]) -> bytes:
    from oddtwin.core.readings import guarded, table_text

    return table_text([list(head), *([guarded(cell) for cell in row] for row in rows)]).encode()


def _json(value: Any) -> bytes:
    return (json.dumps(value, indent=2, ensure_ascii=False, allow_nan=False) + "\n").encode()
