"""A study: its values, its progress, and what it says."""

from oddtwin.core.study import trade
from oddtwin.core.study.analyse import Analysis, analyse, measure_of, study_threats
from oddtwin.core.study.from_readings import study_from_readings
from oddtwin.core.study.model import (
    Arm,
    Decision,
    DecisionKind,
    Deviation,
    Factor,
    HeldItem,
    Machine,
    MachineChange,
    Piece,
    Plan,
    Response,
    Role,
    Run,
    RunReading,
    RunState,
    Stage,
    Study,
    StudyBlock,
)
from oddtwin.core.study.progress import Progress, ask_gaps, missing_readings, next_run, progress
from oddtwin.core.study.tidy import readings_by_run, tidy_readings

__all__ = [
    "Analysis",
    "Arm",
    "Decision",
    "DecisionKind",
    "Deviation",
    "Factor",
    "HeldItem",
    "Machine",
    "MachineChange",
    "Piece",
    "Plan",
    "Progress",
    "Response",
    "Role",
    "Run",
    "RunReading",
    "RunState",
    "Stage",
    "Study",
    "StudyBlock",
    "analyse",
    "ask_gaps",
    "measure_of",
    "missing_readings",
    "next_run",
    "progress",
    "readings_by_run",
    "study_from_readings",
    "study_threats",
    "tidy_readings",
    "trade",
]
