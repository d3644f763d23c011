"""The lab book on disk: schema, migrations, import and export."""

from oddtwin.store.edits import Edit, Kind, Record, RowChange
from oddtwin.store.errors import NewerLabBookError, NotALabBookError, ReadOnlyError, StoreError
from oddtwin.store.labbook import LabBook
from oddtwin.store.load import (
    StudySummary,
    known_noise,
    load_log,
    load_machine_changes,
    load_machines,
    load_pieces,
    load_study,
    load_summaries,
)
from oddtwin.store.recent import recent_books, remember_book

__all__ = [
    "Edit",
    "Kind",
    "LabBook",
    "NewerLabBookError",
    "NotALabBookError",
    "ReadOnlyError",
    "Record",
    "RowChange",
    "StoreError",
    "StudySummary",
    "known_noise",
    "load_log",
    "load_machine_changes",
    "load_machines",
    "load_pieces",
    "load_study",
    "load_summaries",
    "recent_books",
    "remember_book",
]
