"""The commands ``plan`` and ``timetable``: a study file's runs, what they can find, and when."""

from __future__ import annotations

import argparse
import json
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

from oddtwin.cli.errors import InputError, read_text
from oddtwin.core.quantities import now, read_moment, with_offset

if TYPE_CHECKING:
    from oddtwin.core.schedule import Timetable
    from oddtwin.core.study import Study

T = TypeVar("T")


def add_parser(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add both commands to the parser."""
    plan = commands.add_parser("plan", help="draw the runs of a study, and say what they can find")
    plan.set_defaults(run=run_plan)
    timetable = commands.add_parser("timetable", help="put the runs of a study on real days")
    timetable.set_defaults(run=run_timetable)
    timetable.add_argument(
        "--start", metavar="DATE", help="first day, such as 2026-12-01 (default: tomorrow)"
    )
    timetable.add_argument(
        "--seconds", type=float, default=3.0, metavar="S", help="time for the solver (default 3)"
    )
    timetable.add_argument(
        "--any-order", action="store_true", help="give up the drawn order where that saves switches"
    )
    timetable.add_argument("--ics", type=Path, metavar="FILE.ics", help="write it as iCalendar too")
    for parser in (plan, timetable):
        parser.add_argument("file", type=Path, metavar="STUDY.json")
        parser.add_argument("--seed", type=int, metavar="N", help="draw the order anew from this seed")
        parser.add_argument("--json", action="store_true", help="print figures instead of sentences")


def run_plan(arguments: argparse.Namespace) -> int:
    """Print the plan of a study."""
    from oddtwin.core.outlook import plan_as_json, plan_lines

    study = _study(arguments)
    if arguments.json:
        print(json.dumps(_said(lambda: plan_as_json(study)), indent=2, ensure_ascii=False))
    else:
        print("\n".join(_said(lambda: plan_lines(study))))
    return 0


def run_timetable(arguments: argparse.Namespace) -> int:
    """Print the timetable of a study."""
    from oddtwin.core.outlook import workload_of
    from oddtwin.core.schedule import as_icalendar, make_timetable

    study = _study(arguments)
    start = _start(arguments.start)
    if not 0 < arguments.seconds <= 600:
        raise InputError("--seconds: give a number above 0, up to 600")
    work = _said(lambda: workload_of(study, start, keep_order=not arguments.any_order))
    made = _said(lambda: make_timetable(work, arguments.seconds))
    codes = {run.id: f"run {run.code}" for run in study.runs}
    machines = {key: machine.name for key, machine in study.machines.items()}
    if arguments.ics is not None:
        from oddtwin.store import StoreError, write_file

        try:
            write_file(arguments.ics, as_icalendar(made, codes, machines, study.name, now()))
        except StoreError as error:
            raise InputError(str(error).removesuffix(".")) from None
    if arguments.json:
        print(json.dumps(_timetable_values(study, made), indent=2, ensure_ascii=False))
        return 0
    for item in made.placed:
        print(
            f"{item.start:%a %Y-%m-%d %H:%M}  {codes[item.key]} on {machines.get(item.machine, 'a machine')}"
        )
    print(timetable_sentence(made))
    for note in made.notes:
        print(f"  ! {note}")
    return 0


def timetable_sentence(made: Timetable) -> str:
    """Say how long a timetable is, and how far it may be from the best."""
    from oddtwin.core.quantities import format_minutes

    best = "nothing shorter exists" if made.proven else f"at most {100 * made.gap:.0f} % longer than the best"
    return f"Done after {format_minutes(made.makespan_min)}, with {made.switches} switches; {best}."


def _study(arguments: argparse.Namespace) -> Study:
    from oddtwin.core.runlist import draw_plan
    from oddtwin.store import StoreError
    from oddtwin.store.exchange import read_study

    try:
        study = read_study(read_text(arguments.file), str(arguments.file))
    except StoreError as error:
        raise InputError(str(error).removesuffix(" Nothing was imported.")) from None
    plan = study.plan
    if arguments.seed is not None and arguments.seed < 0:
        raise InputError("--seed: give a whole number of zero or more")
    if study.runs and arguments.seed is None:
        return study
    if plan is None:
        raise InputError(f"{arguments.file}: it has neither runs nor a plan to draw them from")
    if any(run.started for run in study.runs):
        raise InputError(f"{arguments.file}: runs were started already, so their order stays")
    if arguments.seed is not None:
        plan = replace(plan, seed=arguments.seed)
    return _said(lambda: draw_plan(study, plan))


def _start(text: str | None) -> datetime:
    if text is None:
        return with_offset(datetime.combine(now().date() + timedelta(days=1), datetime.min.time()))
    try:
        return read_moment(text)
    except ValueError:
        raise InputError(f"--start {text}: give a day such as 2026-12-01") from None


def _said(act: Callable[[], T]) -> T:
    """Turn what the core refuses into a sentence for the user."""
    try:
        return act()
    except ValueError as error:
        raise InputError(str(error)) from None


def _timetable_values(study: Study, made: Timetable) -> dict[str, Any]:
    codes = {run.id: run.code for run in study.runs}
    return {
        "runs": [
            {
                "code": codes[item.key],
                "machine": study.machines[item.machine].name if item.machine in study.machines else None,
                "prepare": item.prepare.isoformat(timespec="minutes"),
                "start": item.start.isoformat(timespec="minutes"),
                "end": item.end.isoformat(timespec="minutes"),
                "switch_min": item.switch_min,
            }
            for item in made.placed
        ],
        "makespan_min": made.makespan_min,
        "bound_min": made.bound_min,
        "gap": made.gap,
        "proven": made.proven,
        "switches": made.switches,
        "sentence": timetable_sentence(made),
        "notes": list(made.notes),
    }
