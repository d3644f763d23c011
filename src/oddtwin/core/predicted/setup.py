"""With which machine and filament the files of a study are reckoned."""

from __future__ import annotations

from dataclasses import replace

from oddtwin.core.predicted.agreements import said_of_spool
from oddtwin.core.study import Machine, Study
from oddtwin.core.toolpath.motion import Limits, limits_from
from oddtwin.core.toolpath.sliced import SpoolSays


def machine_limits(machine: Machine | None) -> Limits:
    """Return what a machine can do, with its minutes for heating and homing; the usual for none."""
    if machine is None:
        return Limits()
    return replace(limits_from(machine.motion), overhead_s=machine.overhead_min * 60)


def plan_machine(study: Study) -> Machine | None:
    """Return the machine by which the times of a check are predicted: the plan's first."""
    return study.machines.get(study.plan.machine_ids[0]) if study.plan and study.plan.machine_ids else None


def plan_machines(study: Study) -> list[Machine]:
    """Return the machines of the plan."""
    return [study.machines[key] for key in study.plan.machine_ids] if study.plan else []


def plan_spool(study: Study) -> SpoolSays:
    """Return what the lab book says of the plan's first spool; nothing where none is named."""
    named = study.plan.spools[:1] if study.plan else ()
    return said_of_spool(next((spool for spool in study.spools if spool.name in named), None))
