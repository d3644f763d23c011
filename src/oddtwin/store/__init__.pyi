from .atomic import fitting_name as fitting_name
from .atomic import write_file as write_file
from .copies import go_back as go_back
from .edits import Edit as Edit
from .errors import (
    NewerLabBookError as NewerLabBookError,
)
from .errors import (
    NotALabBookError as NotALabBookError,
)
from .errors import (
    ReadOnlyError as ReadOnlyError,
)
from .errors import (
    StoreError as StoreError,
)
from .follow import followed as followed
from .glance import StudyFilter as StudyFilter
from .glance import StudySummary as StudySummary
from .half_made import DATABASE as DATABASE
from .history import LogLine as LogLine
from .history import load_history as load_history
from .kept import KeptKind as KeptKind
from .kept import verified_file as verified_file
from .known import load_known as load_known
from .known import load_twins as load_twins
from .labbook import LabBook as LabBook
from .lived import load_lived as load_lived
from .load import load_instrument_names as load_instrument_names
from .load import load_sliced_names as load_sliced_names
from .load import (
    load_study as load_study,
)
from .load_workshop import load_calibrations as load_calibrations
from .load_workshop import load_containers as load_containers
from .load_workshop import load_faults as load_faults
from .load_workshop import load_machine_changes as load_machine_changes
from .load_workshop import load_machines as load_machines
from .load_workshop import load_pieces as load_pieces
from .load_workshop import load_rates as load_rates
from .load_workshop import load_rig as load_rig
from .load_workshop import load_spools as load_spools
from .load_workshop import load_thresholds as load_thresholds
from .noise import known_noise as known_noise
from .page import filled_page as filled_page
from .page import neutral as neutral
from .predictions import load_predictions as load_predictions
from .recent import recent_books as recent_books
from .recent import remember_book as remember_book
from .record import Kind as Kind
from .record import Record as Record
from .record import RowChange as RowChange
from .search import Hit as Hit
from .search import search as search
from .spent import left_on as left_on
from .spent import load_spent as load_spent
from .textfile import read_text_file as read_text_file
from .textfile import refuse_odd_file as refuse_odd_file
