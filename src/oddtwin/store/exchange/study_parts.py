"""The parts of a study file, checked; the published schema is made from these models."""

from __future__ import annotations

import json
from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from oddtwin.core.readings import Better, Combine, ResponseType
from oddtwin.core.study import DecisionKind, Role
from oddtwin.store.exchange.readings_schema import ReadingRow

Finite = Annotated[float, Field(allow_inf_nan=False)]
Name = Annotated[str, Field(min_length=1)]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid")


class ArmPart(_Part):
    """One of the two arms."""

    name: Name
    baseline: bool = False


class FactorPart(_Part):
    """What differs between the arms."""

    kind: str
    name: Name
    baseline: str = Field("", description="level in the baseline arm")
    change: str = Field("", description="level in the change arm")


class ResponsePart(_Part):
    """What is measured or graded; margin, target and resolution are in its unit."""

    name: Name
    unit: str = ""
    type: ResponseType = ResponseType.NUMBER
    combine: Combine = Field(Combine.MEAN, description="how readings of one run become one value")
    better: Better | None = None
    target: Finite | None = None
    margin: Annotated[float, Field(gt=0, allow_inf_nan=False)] | None = None
    resolution: Annotated[float, Field(gt=0, allow_inf_nan=False)] | None = None
    primary: bool = False
    role: Role | None = None
    margin_moved: bool = False

    @model_validator(mode="after")
    def _target_goes_with_direction(self) -> ResponsePart:
        if (self.target is not None) != (self.better is Better.TARGET):
            raise ValueError("a target goes with the direction “target”, and only with it")
        return self


class PiecePart(_Part):
    """A test object; minutes and grams are estimates for one print."""

    name: Name
    zones: list[str] = []
    minutes: Annotated[float, Field(ge=0, allow_inf_nan=False)] = 0.0
    part_g: Annotated[float, Field(ge=0, allow_inf_nan=False)] = 0.0
    waste_g: Annotated[float, Field(ge=0, allow_inf_nan=False)] = 0.0


class PlanPart(_Part):
    """How many prints were planned, where, and the seed of their order."""

    pairs: Annotated[int, Field(ge=1)]
    twins: Annotated[int, Field(ge=0)]
    seed: Annotated[int, Field(ge=0)]
    order_version: int
    machines: list[str]
    pieces: list[str]


class ReadingPart(_Part):
    """One value of one response; grades name a zone, waste names its kind."""

    response: str
    zone: str = ""
    value: Finite


class RunPart(_Part):
    """One print, in planned order."""

    code: Name
    arm: str
    pair: str = ""
    machine: str = ""
    piece: str = ""
    started: datetime | None = None
    finished: datetime | None = None
    spool: str = ""
    note: str = ""
    set_aside: str = Field("", description="reason why it does not count; empty when it does")
    reprint_of: str = Field("", description="code of the run that it replaces")
    readings: list[ReadingPart] = []
    departures: list[str] = []


class DecisionPart(_Part):
    """How the study was settled."""

    kind: DecisionKind
    reason: str
    at: datetime


class StudyFile(_Part):
    """One study, whole, as Odd Twin writes it."""

    format: Literal["odd-twin-study"] = "odd-twin-study"
    version: Literal[1] = 1
    name: Name
    question: str = ""
    created: datetime
    arms: Annotated[list[ArmPart], Field(min_length=2, max_length=2)]
    factors: list[FactorPart] = []
    responses: list[ResponsePart] = []
    held: list[str] = []
    pieces: list[PiecePart] = []
    plan: PlanPart | None = None
    runs: list[RunPart] = []
    decision: DecisionPart | None = None
    verdict_seen: datetime | None = None

    @model_validator(mode="after")
    def _names_fit(self) -> StudyFile:
        if sum(arm.baseline for arm in self.arms) != 1:
            raise ValueError("exactly one arm is the baseline")
        _unique("arm", [arm.name for arm in self.arms])
        _unique("response", [response.name for response in self.responses])
        _unique("run code", [run.code for run in self.runs])
        arms = {arm.name for arm in self.arms}
        responses = {response.name for response in self.responses}
        for run in self.runs:
            if run.arm not in arms:
                raise ValueError(f"run {run.code} names an unknown arm “{run.arm}”")
            for reading in run.readings:
                if reading.response not in responses:
                    raise ValueError(f"run {run.code} names an unknown response “{reading.response}”")
        return self


def schemas() -> dict[str, str]:
    """Return the published JSON Schemas by file name."""
    models: dict[str, type[BaseModel]] = {"study": StudyFile, "readings-row": ReadingRow}
    return {
        f"{name}.schema.json": json.dumps(model.model_json_schema(), indent=2, ensure_ascii=False) + "\n"
        for name, model in models.items()
    }


def _unique(noun: str, names: list[str]) -> None:
    for name in names:
        if names.count(name) > 1:
            raise ValueError(f"the {noun} “{name}” stands twice")
