from .stages import Stage as Stage
from .standing import Standing as Standing
from .standing import ask_gaps as ask_gaps
from .standing import missing_readings as missing_readings
from .standing import next_run as next_run
from .standing import standing_of as standing_of
