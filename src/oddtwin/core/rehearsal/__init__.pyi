from .assumed import Assumed as Assumed
from .assumed import Conditions as Conditions
from .rehearse import Rehearsal as Rehearsal
from .rehearse import Rehearsed as Rehearsed
from .rehearse import rehearse_study as rehearse_study
