from . import trade as trade
from .analysis import (
    Analysis as Analysis,
)
from .analysis import (
    analyse as analyse,
)
from .analysis import (
    measure_of as measure_of,
)
from .analysis import typed_noise as typed_noise
from .blinding import advised_look as advised_look
from .blinding import blinded as blinded
from .blinding import is_sealed as is_sealed
from .blinding import revealed as revealed
from .cards import CARDS as CARDS
from .cards import CardFactor as CardFactor
from .cards import CardResponse as CardResponse
from .cards import QuestionCard as QuestionCard
from .climbing import ladder_advice as ladder_advice
from .climbing import ladder_rungs as ladder_rungs
from .contrast import Contrast as Contrast
from .contrast import PlannedPrint as PlannedPrint
from .contrast import contrasts as contrasts
from .contrast import whole_plots as whole_plots
from .drawing import MOST_RUNS as MOST_RUNS
from .drawing import draft_arms as draft_arms
from .drawing import draw_plan as draw_plan
from .drawing import extend_ladder as extend_ladder
from .drawing import extend_plan as extend_plan
from .drawing import machines_of_levels as machines_of_levels
from .drawing import put_back as put_back
from .from_readings import study_from_readings as study_from_readings
from .makeup import MadeOf as MadeOf
from .makeup import changed_since_frozen as changed_since_frozen
from .makeup import make_up as make_up
from .mixing import study_columns as study_columns
from .mixing import study_confounding as study_confounding
from .model import HIDDEN as HIDDEN
from .model import (
    Arm as Arm,
)
from .model import (
    ArmFile as ArmFile,
)
from .model import ArmRole as ArmRole
from .model import (
    Decision as Decision,
)
from .model import (
    DecisionKind as DecisionKind,
)
from .model import (
    Deviation as Deviation,
)
from .model import Estimate as Estimate
from .model import (
    Factor as Factor,
)
from .model import (
    HeldItem as HeldItem,
)
from .model import Level as Level
from .model import Look as Look
from .model import LookAt as LookAt
from .model import (
    Machine as Machine,
)
from .model import (
    MachineChange as MachineChange,
)
from .model import NominalSize as NominalSize
from .model import (
    Piece as Piece,
)
from .model import (
    Plan as Plan,
)
from .model import Rates as Rates
from .model import Recheck as Recheck
from .model import (
    Response as Response,
)
from .model import (
    Role as Role,
)
from .model import (
    Run as Run,
)
from .model import (
    RunReading as RunReading,
)
from .model import (
    RunState as RunState,
)
from .model import Slot as Slot
from .model import Spool as Spool
from .model import (
    Study as Study,
)
from .model import (
    StudyBlock as StudyBlock,
)
from .model import TwinCheckResult as TwinCheckResult
from .model import can_show as can_show
from .model import printed_order as printed_order
from .plates import plate_of as plate_of
from .plates import plates_of as plates_of
from .plates import shares_plates as shares_plates
from .recalibration import arms_before as arms_before
from .recalibration import checks_between as checks_between
from .recalibration import checks_by_run as checks_by_run
from .recalibration import open_checks as open_checks
from .recalibration import planned_checks as planned_checks
from .showing import faults_unseen as faults_unseen
from .sliced import PredictedRun as PredictedRun
from .sliced import RunAgreement as RunAgreement
from .sliced import agreements as agreements
from .sliced import calibrations as calibrations
from .sliced import declared_factors as declared_factors
from .sliced import filament_of as filament_of
from .sliced import sliced_arms as sliced_arms
from .sliced import sliced_threats as sliced_threats
from .stages import Stage as Stage
from .standing import (
    Progress as Progress,
)
from .standing import (
    ask_gaps as ask_gaps,
)
from .standing import (
    missing_readings as missing_readings,
)
from .standing import (
    next_run as next_run,
)
from .standing import (
    progress as progress,
)
from .threats import (
    study_threats as study_threats,
)
from .tidy import places as places
from .tidy import readings_by_run as readings_by_run
from .tidy import tidy_readings as tidy_readings
