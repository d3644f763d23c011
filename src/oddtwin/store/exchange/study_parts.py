"""The parts of a study file, checked; the published schema is made from these models."""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, field_validator, model_validator

from oddtwin.core.customs.kinds import ChangeKind
from oddtwin.core.design import ORDER_VERSION, DesignKind, DriftGuard, LadderRule
from oddtwin.core.judge import SessionDesign
from oddtwin.core.language import tr
from oddtwin.core.quantities import now
from oddtwin.core.readings import Better, Combine, ResponseKind, Subject
from oddtwin.core.study import ArmRole, DecisionKind, LookAt, Role
from oddtwin.core.tradeoff import prices_from
from oddtwin.store.columns import Finite, checked_result
from oddtwin.store.exchange.older import newer
from oddtwin.store.exchange.part import Moment, Name, NotNegative, Part, Positive
from oddtwin.store.exchange.print_parts import PlatePart, RunPart
from oddtwin.store.exchange.readings_schema import ReadingRow
from oddtwin.store.exchange.workshop_parts import MachinePart, PiecePart, RatesPart, SpoolPart


class ArmFilePart(Part):
    """The sliced file of an arm for one piece; its content is not in this file."""

    piece: str = ""
    name: Name
    sha256: Annotated[str, Field(pattern="^[0-9a-f]{64}$")]
    size: Annotated[int, Field(ge=0, le=2**53)] = Field(default=0, description="bytes")
    layers: Annotated[int, Field(ge=0, le=10**9)] = 0
    filament_mm: NotNegative = 0.0
    waste_mm: NotNegative = Field(default=0.0, description="of it what does not stay on the part")
    waste_known: bool = Field(default=True, description="whether the file tells what of it is waste")
    volume_mm3: NotNegative = 0.0
    mass_g: NotNegative = Field(
        default=0.0, description="by the filament that the file names; 0 for not known"
    )
    seconds: dict[str, NotNegative] = Field(default={}, description="predicted, by name of the machine")


class TwinCheckPart(Part):
    """What the check of one piece's files found, as the command “match --json” gives it."""

    piece: str = ""
    at: Moment
    result: dict[str, Any]

    @field_validator("result")
    @classmethod
    def _known(cls, value: dict[str, Any]) -> dict[str, Any]:
        return checked_result(value)


class ArmPart(Part):
    """One arm; without arms in the file they follow from the factors and the design."""

    name: Name
    baseline: bool = False
    role: ArmRole = Field(
        default=ArmRole.LEVELS, description="empty, “control”, “positive control” or “centre”"
    )
    of_change: bool = Field(default=False, description="whether a control has the levels of the change")
    levels: dict[str, str] = Field(
        default={}, description="value of each factor by its name; what is missing has the baseline’s"
    )
    files: list[ArmFilePart] = Field(default=[])


class LevelPart(Part):
    """One value of a factor, and what it takes to get there."""

    value: str
    how: str = Field(default="", description="what to do to get there")
    way_back: str = ""
    minutes: NotNegative = Field(default=0.0, description="to switch to it")
    cost: NotNegative = 0.0
    mass_g: Finite = Field(default=0.0, description="mass that it adds to the moving axis")


class FactorPart(Part):
    """What is varied; the first level is the baseline’s."""

    kind: ChangeKind = ChangeKind.SETTING
    name: Name
    levels: Annotated[list[LevelPart], Field(min_length=2)]
    disturbs: str = Field(default="", description="line of the recalibration table")
    disturbs_by_hand: bool = Field(default=False, description="otherwise it follows from kind and name")

    @field_validator("levels", mode="before")
    @classmethod
    def _plain_values(cls, value: Any) -> Any:
        """Take a level given as a plain text or number too."""
        if isinstance(value, list):
            return [item if isinstance(item, dict | LevelPart) else {"value": str(item)} for item in value]
        return value


class ResponsePart(Part):
    """What is measured or graded; margin, target and resolution are in its unit."""

    name: Name
    unit: str = ""
    kind: ResponseKind = ResponseKind.QUANTITY
    combine: Combine = Field(default=Combine.MEAN, description="how readings of one run become one value")
    better: Better | None = None
    target: Finite | None = None
    margin: Positive | None = None
    resolution: Positive | None = None
    primary: bool = False
    role: Role | None = Field(
        default=None, description="time and plastic of a print; a covariate is read and not judged"
    )
    margin_moved: bool = False
    noise_sd: Positive | None = Field(
        default=None, description="standard deviation of one print, where it is known"
    )
    noise_df: Positive | None = Field(
        default=None, description="degrees of freedom of noise_sd; then it carries the interval"
    )
    subject: Subject = Field(default=Subject.PIECE, description="what a reading is of")
    pieces: list[str] = Field(default=[], description="names of the pieces it is for; empty for all")
    words: list[str] = Field(default=[], description="of a word: what can be chosen")
    onset: Annotated[float, Field(ge=1, le=4)] | None = Field(
        default=None, description="of an onset: grade from which on the fault has begun"
    )
    instrument: str = Field(default="", description="what it is read with")
    accept: float | None = Field(
        default=None, description="what a print may come to and still hold: an absolute limit for ladders"
    )
    guard: bool = Field(default=False, description="whether it is only asked not to get worse")
    percent: bool = Field(
        default=False, description="whether margin and noise are in percent of the baseline"
    )

    @model_validator(mode="after")
    def _target_goes_with_direction(self) -> ResponsePart:
        if (self.target is not None) != (self.better is Better.TARGET):
            raise ValueError(tr("a target goes with the direction “target”, and only with it"))
        return self


class DesignPart(Part):
    """Which arms, in which kind of order; only the options of the kind count."""

    kind: DesignKind = DesignKind.PAIRS
    guard: DriftGuard = Field(default=DriftGuard.RANDOM, description="of pairs: what is done against drift")
    rule: LadderRule = Field(
        default=LadderRule.RANDOM, description="of a ladder: in which order it is walked"
    )
    fraction_p: Annotated[int, Field(ge=1, le=7)] = Field(default=1, description="of a fraction 2^(k-p): p")
    centre_points: Annotated[int, Field(ge=0, le=1000)] = Field(
        default=0, description="of a factorial, in each block"
    )
    hard_factor: str = Field(
        default="", description="of a split plot: name of the factor that is hard to change"
    )
    whole_plots: Annotated[int, Field(ge=2, le=1000)] = Field(
        default=3, description="of a split plot: switches + 1"
    )
    copies: Annotated[int, Field(ge=1, le=1000)] = Field(default=1, description="prints that share a plate")
    block_size: Annotated[int, Field(ge=0, le=128)] = Field(
        default=0, description="of several arms: how many a block holds; 0 for all"
    )
    looks: Annotated[int, Field(ge=1, le=20)] = Field(
        default=1, description="of pairs: how often the verdict is looked at, the last time at the end"
    )
    drift: bool = Field(
        default=False, description="a straight drift along the printed order is taken out of numbers"
    )


class PlanPart(Part):
    """How many prints are planned, where, and the seed of their order."""

    repeats: Annotated[int, Field(ge=1, le=10_000)] = Field(
        default=4, description="blocks on each machine and piece: pairs"
    )
    twins: Annotated[int, Field(ge=0, le=10_000)] = 0
    seed: Annotated[int, Field(ge=0, le=2**53)] = 0
    order_version: Annotated[int, Field(ge=1, le=1000)] = ORDER_VERSION
    machines: list[str]
    pieces: list[str]
    design: DesignPart = DesignPart()
    spools: list[str] = Field(default=[], description="taken in turn by the blocks")
    frozen: Moment | None = Field(default=None, description="when the make-up of the machines was frozen")


class DecisionPart(Part):
    """How the study was settled."""

    kind: DecisionKind
    reason: str
    at: Moment
    prices: dict[str, Any] = Field(default={}, description="of that day, in the workshop's currency")
    condition: str = Field(default="", description="where it holds; empty for everywhere")
    verify_at: Moment | None = Field(default=None, description="when the baseline is to be printed again")
    verify_hours: Annotated[float, Field(ge=0, le=100_000)] = Field(
        default=0.0, description="after so many hours of printing the baseline is to be printed again"
    )

    @field_validator("prices")
    @classmethod
    def _priced(cls, value: dict[str, Any]) -> dict[str, Any]:
        prices_from(value)
        return value


class TrialPart(Part):
    """One trial of one judge of a blind session."""

    judge: str = Field(description="empty: asked of everybody, by a ballot")
    number: Annotated[int, Field(ge=1, le=10**6)]
    letters: Annotated[list[str], Field(min_length=1, max_length=3)]
    odd: str = Field(default="", description="the right answer, where there is one")
    catch: Literal["", "twin", "control"] = ""
    repeat: str = ""


class KeyLetterPart(Part):
    """What a letter of a blind session stands for."""

    letter: Name
    run: str = Field(default="", description="code of the print; empty for a control")
    arm: str
    print: str
    rendered: str = ""


class AnswerPart(Part):
    """What a judge answered to one trial."""

    judge: Name
    number: Annotated[int, Field(ge=1, le=10**6)]
    answer: str
    at: Moment


class SessionPart(Part):
    """A sitting of blind judging with its key and its answers."""

    design: SessionDesign
    piece: str = Field(default="", description="of the view; empty where the prints were in the hand")
    view: str = ""
    response: str = Field(default="", description="of grades: what they are readings of")
    zone: str = ""
    judges: list[str]
    seed: Annotated[int, Field(ge=0, le=2**53)] = 0
    question: str = ""
    break_after: Annotated[int, Field(ge=0, le=10**6)] = 0
    trials: list[TrialPart] = Field(default=[])
    letters: list[KeyLetterPart] = Field(default=[], description="the key; none while it is locked")
    nonce: str = ""
    commitment: str = ""
    locked: str = Field(default="", description="the key, encrypted with a second person’s passphrase")
    mixed_by: str = ""
    created: Moment
    closed: Moment | None = None
    opened: Moment | None = None
    opened_by: str = ""
    answers: list[AnswerPart] = Field(default=[])


class LookPart(Part):
    """Somebody looked at the verdict, the arms, a report or an export."""

    at: Moment
    who: str = ""
    what: LookAt = LookAt.VERDICT
    advised: bool = Field(default=False, description="whether all that was planned was printed")


class StudyFile(Part):
    """One study, whole, as Odd Twin writes it."""

    format: Literal["odd-twin-study"] = "odd-twin-study"
    version: Literal[1, 2, 3, 4, 5, 6, 7, 8, 9, 10] = 10
    name: Name
    question: str = ""
    tags: list[Name] = Field(default=[], description="that it is filed under")
    created: Moment = Field(default_factory=now)
    arms: list[ArmPart] = Field(default=[])
    factors: list[FactorPart] = Field(default=[])
    responses: list[ResponsePart] = Field(default=[])
    held: list[str] = Field(default=[])
    machines: list[MachinePart] = Field(default=[])
    pieces: list[PiecePart] = Field(default=[])
    spools: list[SpoolPart] = Field(default=[])
    rates: RatesPart | None = None
    plan: PlanPart | None = None
    plates: list[PlatePart] = Field(default=[])
    runs: list[RunPart] = Field(default=[])
    twin_checks: list[TwinCheckPart] = Field(default=[])
    decision: DecisionPart | None = None
    looks: list[LookPart] = Field(default=[], description="looks at what gives the verdict away")
    sessions: list[SessionPart] = Field(default=[], description="sittings of blind judging")

    @model_validator(mode="before")
    @classmethod
    def _from_older(cls, value: Any) -> Any:
        return newer(value)

    @model_validator(mode="after")
    def _names_fit(self) -> StudyFile:
        self._check_arms()
        hard = self.plan.design.hard_factor if self.plan else ""
        if hard and hard not in {factor.name for factor in self.factors}:
            raise ValueError(tr("the hard factor “{hard}” is none of the factors", hard=hard))
        for noun, things in (
            ("factor", self.factors),
            ("machine", self.machines),
            ("piece", self.pieces),
            ("spool", self.spools),
            ("response", self.responses),
        ):
            _unique(noun, [thing.name for thing in things])
        for factor in self.factors:
            _unique(f"level of {factor.name}", [level.value for level in factor.levels if level.value])
        _unique("run code", [run.code for run in self.runs])
        arms = {arm.name for arm in self.arms}
        responses = {response.name for response in self.responses}
        for run in self.runs:
            if run.arm not in arms:
                raise ValueError(
                    tr("run {run_code} names an unknown arm “{arm}”", run_code=run.code, arm=run.arm)
                )
            for reading in run.readings:
                if reading.response not in responses:
                    raise ValueError(
                        tr(
                            "run {run_code} names an unknown response “{response}”",
                            run_code=run.code,
                            response=reading.response,
                        )
                    )
            if run.plate > len(self.plates):
                raise ValueError(
                    tr(
                        "run {run_code} lies on plate {plate}, and there are {plates}",
                        run_code=run.code,
                        plate=run.plate,
                        plates=len(self.plates),
                    )
                )
        return self

    def _check_arms(self) -> None:
        if not self.arms:
            if not self.factors or self.runs:
                raise ValueError(
                    tr("give the arms, or factors with their levels (and no runs) to draw them from")
                )
            return
        if len(self.arms) < 2:
            raise ValueError(tr("a study compares at least two arms"))
        if sum(arm.baseline for arm in self.arms) != 1:
            raise ValueError(tr("exactly one arm is the baseline"))
        if all(arm.baseline or arm.role for arm in self.arms):
            raise ValueError(tr("at least one arm is on trial"))
        _unique("arm", [arm.name for arm in self.arms])
        known = {factor.name: {level.value for level in factor.levels} for factor in self.factors}
        for arm in self.arms:
            for factor, value in arm.levels.items():
                if value not in known.get(factor, set()):
                    raise ValueError(
                        tr(
                            "arm “{arm}” names {factor} “{value}”, which is no level of it",
                            arm=arm.name,
                            factor=factor,
                            value=value,
                        )
                    )


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
            raise ValueError(tr("the {noun} “{name}” stands twice", noun=tr(noun), name=name))
