from .blinding import advised_look as advised_look
from .blinding import blinded as blinded
from .blinding import is_sealed as is_sealed
from .blinding import revealed as revealed
from .from_readings import study_from_readings as study_from_readings
from .makeup import MadeOf as MadeOf
from .makeup import changed_since_frozen as changed_since_frozen
from .makeup import make_up as make_up
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
from .showing import faults_unseen as faults_unseen
from .tidy import places as places
from .tidy import readings_by_run as readings_by_run
from .tidy import tidy_readings as tidy_readings
