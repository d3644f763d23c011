"""The command ``verdict``: judge tidy readings from a CSV file."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import Any

from oddtwin.cli.errors import InputError, read_text

EVERY = ""
"""In place of the name of a change: every arm against the baseline."""


def add_parser(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command to the parser."""
    parser = commands.add_parser("verdict", help="judge tidy readings from a CSV file")
    parser.set_defaults(run=run)
    parser.add_argument("file", type=Path, metavar="FILE.csv")
    parser.add_argument("--baseline", required=True, metavar="A", help="name of the baseline arm")
    parser.add_argument("--change", metavar="B", help="name of the changed arm")
    parser.add_argument("--all", action="store_true", help="judge every arm against the baseline, together")
    parser.add_argument("--margin", type=float, help="smallest difference that matters")
    parser.add_argument("--better", choices=("lower", "higher"))
    parser.add_argument("--response", metavar="NAME", help="judge only this response")
    parser.add_argument("--noise-sd", type=float, metavar="S", help="known standard deviation of twins")
    parser.add_argument("--noise-df", type=float, metavar="N", help="its degrees of freedom")
    parser.add_argument("--look", metavar="K/N", help="this is look K of N that were planned, at equal steps")
    parser.add_argument("--accept", metavar="GRADE", help="what a print may come to and still hold")
    parser.add_argument("--percent", action="store_true", help="the margin is in percent of the baseline")
    parser.add_argument("--not-worse", action="store_true", help="ask only whether it got no worse")
    parser.add_argument(
        "--pool-noise",
        type=Path,
        metavar="FILE.csv",
        help="twins of earlier studies, as rows of the same kind",
    )
    parser.add_argument(
        "--covariate",
        action="append",
        default=[],
        metavar="NAME",
        help="a response that is not judged; what the others follow it by is taken out of them",
    )
    parser.add_argument("--combine", choices=("worst", "mean"), help="how the zones of a print become one")
    parser.add_argument("--seed", type=int, default=0, help="for permutation draws (default 0)")
    parser.add_argument("--json", action="store_true", help="print figures instead of sentences")


def run(arguments: argparse.Namespace) -> int:
    """Judge, and print what was found."""
    from oddtwin.core.decide import accepted_json, as_json, findings_of
    from oddtwin.core.judgement import judge_table, table_json
    from oddtwin.core.readings import with_failures

    by_response = _readings(arguments.file, arguments.response, arguments.combine)
    rows = [reading for group in by_response.values() for reading in group]
    measure = _measure(arguments, list(dict.fromkeys(reading.arm for reading in rows)), _whole(rows))
    accept = _accept(arguments.accept)
    if arguments.seed < 0:
        raise InputError("--seed: give a whole number of zero or more")
    earlier = _earlier(arguments.pool_noise)
    if measure.change == EVERY or arguments.percent or arguments.covariate:
        if arguments.look:
            raise InputError("--look goes with two arms, a margin in the unit, and nothing that goes along")
        if arguments.percent and earlier:
            raise InputError("--pool-noise is in the unit, and --percent asks for percent; give one of them")
        kept = [
            item for item in rows if measure.change == EVERY or item.arm in (measure.baseline, measure.change)
        ]
        try:
            study, analysis = judge_table(
                kept, measure, accept, arguments.seed, earlier, arguments.percent, arguments.covariate
            )
        except ValueError as error:
            raise InputError(f"{arguments.file}: {error}") from None
        figures, findings = table_json(study, analysis), analysis.findings
        said = [line for table in analysis.overall.tables for line in table.said]
        said += [line for curve in analysis.overall.curves for line in curve.said]
    else:
        groups = with_failures(by_response)
        findings = tuple(findings_of(groups, measure, arguments.seed, _look(arguments.look), earlier))
        figures = [
            as_json(finding) | accepted_json(group, finding, accept)
            for group, finding in zip(groups.values(), findings, strict=True)
        ]
        said = [part["accepted"]["sentence"] for part in figures if "accepted" in part]
    if arguments.json:
        print(json.dumps(_with_failures(figures), indent=2, ensure_ascii=False))
        return 0
    for finding in findings:
        print(finding.sentence)
        for threat in finding.threats:
            print(f"  ! {threat.line} {threat.remedy}")
    for line in said:
        print(line)
    return 0


def _with_failures(figures: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Tell of every response how often each arm failed, where any print did."""
    from oddtwin.core.readings import FAILURES

    failed = [item for item in figures if item["response"] == FAILURES]
    for item in figures if failed else ():
        own = next((one for one in failed if one["change"] == item["change"]), failed[0])
        item["failures"] = {
            name: own[name] for name in ("n", "estimate", "ci95", "p_difference", "verdict", "sentence")
        }
    return figures


def _whole(rows) -> bool:  # type: ignore[no-untyped-def]
    """Whether a table tells of a ladder or of crossed factors, and not of two arms alone."""
    return any(reading.level or reading.factors for reading in rows)


def _accept(text: str | None) -> float | None:
    from oddtwin.core.quantities import QuantityError, parse_number
    from oddtwin.core.readings import grade_from_word

    if text is None:
        return None
    grade = grade_from_word(text)
    try:
        return grade if grade is not None else parse_number(text)
    except QuantityError as error:
        raise InputError(f"--accept: {error}") from None


def _readings(path: Path, wanted: str | None, combine: str | None):  # type: ignore[no-untyped-def]
    from dataclasses import replace

    from oddtwin.core.readings import Combine, Reading, TableError, read_table

    try:
        readings = read_table(read_text(path))
    except TableError as error:
        raise InputError(f"{path}, {error}") from None
    by_response: dict[str, list[Reading]] = {}
    if combine:
        readings = [replace(reading, combine=Combine(combine)) for reading in readings]
    for reading in readings:
        by_response.setdefault(reading.response, []).append(reading)
    if wanted is None:
        return by_response
    if wanted not in by_response:
        known = ", ".join(f"“{name}”" for name in by_response)
        raise InputError(f"{path}, column response: there is no “{wanted}”; it has {known}")
    return {wanted: by_response[wanted]}


def _look(text: str | None) -> tuple[int, int] | None:
    if text is None:
        return None
    this, _, of = text.partition("/")
    if not (
        this.isascii()
        and this.isdigit()
        and of.isascii()
        and of.isdigit()
        and 1 <= int(this) <= int(of) <= 50
    ):
        raise InputError("--look: give which of how many looks, such as 3/8, at most 50")
    return int(this), int(of)


def _measure(arguments: argparse.Namespace, arms: list[str], whole: bool):  # type: ignore[no-untyped-def]
    from oddtwin.core.effects import Measure, NoiseFloor
    from oddtwin.core.readings import Better

    known = ", ".join(f"“{name}”" for name in sorted(arms))
    baseline, change = arguments.baseline, arguments.change
    others = [arm for arm in arms if arm != baseline]
    if baseline not in arms:
        raise InputError(f"{arguments.file}, column arm: there is no “{baseline}”; it has {known}")
    if not others:
        raise InputError(f"{arguments.file}, column arm: it has only {known}; a comparison needs two arms")
    if change is None and (whole or arguments.all):
        change = EVERY
    elif change is None:
        if len(others) != 1:
            raise InputError(
                f"{arguments.file}, column arm: it has {known}; name the change with --change, or judge --all"
            )
        change = others[0]
    elif arguments.all:
        raise InputError("--all judges every arm, and --change names one; give one of them")
    elif change not in others:
        raise InputError(f"{arguments.file}, column arm: “{change}” is no other arm; it has {known}")
    if (arguments.noise_sd is None) != (arguments.noise_df is None):
        raise InputError("--noise-sd and --noise-df go together; give both or neither")
    if arguments.noise_sd is not None and arguments.pool_noise:
        raise InputError("--noise-sd and --pool-noise both say what twins differ by; give one of them")
    if arguments.not_worse and (arguments.better is None or arguments.margin is None):
        raise InputError("--not-worse needs --better and --margin: which way is worse, and by how much")
    try:
        noise = None if arguments.noise_sd is None else NoiseFloor(arguments.noise_sd, arguments.noise_df)
        better = Better(arguments.better) if arguments.better else None
        return Measure(baseline, change, arguments.margin, better, noise=noise, guard=arguments.not_worse)
    except ValueError as error:
        raise InputError(str(error)) from None


def _earlier(path: Path | None):  # type: ignore[no-untyped-def]
    """Return the noise floors of the twins in another table, by response."""
    from oddtwin.core.effects import noise_of_table
    from oddtwin.core.readings import TableError, read_table

    if path is None:
        return {}
    try:
        found = noise_of_table(read_table(read_text(path)))
    except TableError as error:
        raise InputError(f"{path}, {error}") from None
    except ValueError as error:
        raise InputError(f"--pool-noise: {path}: {error}") from None
    if not found:
        raise InputError(f"--pool-noise: {path} has no twins: no two prints of one arm, machine and piece")
    return found
