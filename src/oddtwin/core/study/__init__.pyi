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
from .analysis import (
    study_threats as study_threats,
)
from .from_readings import study_from_readings as study_from_readings
from .model import (
    Arm as Arm,
)
from .model import (
    Decision as Decision,
)
from .model import (
    DecisionKind as DecisionKind,
)
from .model import (
    Deviation as Deviation,
)
from .model import (
    Factor as Factor,
)
from .model import (
    HeldItem as HeldItem,
)
from .model import (
    Machine as Machine,
)
from .model import (
    MachineChange as MachineChange,
)
from .model import (
    Piece as Piece,
)
from .model import (
    Plan as Plan,
)
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
from .model import (
    Stage as Stage,
)
from .model import (
    Study as Study,
)
from .model import (
    StudyBlock as StudyBlock,
)
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
from .tidy import places as places
from .tidy import readings_by_run as readings_by_run
from .tidy import tidy_readings as tidy_readings
