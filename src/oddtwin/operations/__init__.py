"""What a user can do: named, undoable edits of the lab book.

Each operation is one transaction and returns a record of what it changed, or None when
it changed nothing; it raises ``StoreError`` with a sentence for the user.
"""

from oddtwin.operations.plans import add_pairs, draw_runs
from oddtwin.operations.runs import (
    add_deviation,
    clear_stamps,
    count_again,
    edit_run,
    enter_readings,
    finish_run,
    remove_deviation,
    reprint,
    set_aside,
    start_run,
)
from oddtwin.operations.settling import reopen, see_verdict, settle
from oddtwin.operations.studies import (
    add_factor,
    add_held,
    add_response,
    add_study,
    edit_factor,
    edit_held,
    edit_response,
    edit_study,
    remove_factor,
    remove_held,
    remove_response,
    remove_study,
    rename_arm,
)
from oddtwin.operations.whole_study import add_whole_study
from oddtwin.operations.workshop import (
    add_machine,
    add_piece,
    edit_piece,
    log_machine_change,
    remove_machine,
    remove_piece,
)

__all__ = [
    "add_deviation",
    "add_factor",
    "add_held",
    "add_machine",
    "add_pairs",
    "add_piece",
    "add_response",
    "add_study",
    "add_whole_study",
    "clear_stamps",
    "count_again",
    "draw_runs",
    "edit_factor",
    "edit_held",
    "edit_piece",
    "edit_response",
    "edit_run",
    "edit_study",
    "enter_readings",
    "finish_run",
    "log_machine_change",
    "remove_deviation",
    "remove_factor",
    "remove_held",
    "remove_machine",
    "remove_piece",
    "remove_response",
    "remove_study",
    "rename_arm",
    "reopen",
    "reprint",
    "see_verdict",
    "set_aside",
    "settle",
    "start_run",
]
