from .audience import take_votes as take_votes
from .calibrating import finish_calibration as finish_calibration
from .calibrating import remove_calibration as remove_calibration
from .calibrating import type_calibration as type_calibration
from .events import edit_event as edit_event
from .events import note_event as note_event
from .events import remove_event as remove_event
from .factors import FactorParts as FactorParts
from .factors import add_factor as add_factor
from .factors import add_level as add_level
from .factors import edit_factor as edit_factor
from .factors import edit_level as edit_level
from .factors import move_level as move_level
from .factors import remove_factor as remove_factor
from .factors import remove_level as remove_level
from .factors import rename_arm as rename_arm
from .factors import set_control as set_control
from .looking import reveal as reveal
from .matching import choose_file as choose_file
from .matching import keep_check as keep_check
from .matching import remove_file as remove_file
from .matching import set_motion as set_motion
from .matching import take_estimates as take_estimates
from .new_session import NewSession as NewSession
from .new_session import begin_session as begin_session
from .photographs import Figure as Figure
from .photographs import Flag as Flag
from .photographs import add_photographs as add_photographs
from .photographs import enter_measured as enter_measured
from .photographs import mark_fault as mark_fault
from .photographs import move_photograph as move_photograph
from .photographs import remove_mark as remove_mark
from .photographs import remove_photograph as remove_photograph
from .plans import add_repeats as add_repeats
from .plans import add_rung as add_rung
from .plans import draw_runs as draw_runs
from .plans import give_times as give_times
from .plans import put_back_step as put_back_step
from .responses import ResponseParts as ResponseParts
from .responses import add_response as add_response
from .responses import edit_response as edit_response
from .responses import remove_response as remove_response
from .runs import Measured as Measured
from .runs import (
    add_deviation as add_deviation,
)
from .runs import answer_recheck as answer_recheck
from .runs import (
    clear_stamps as clear_stamps,
)
from .runs import (
    count_again as count_again,
)
from .runs import (
    edit_run as edit_run,
)
from .runs import (
    enter_readings as enter_readings,
)
from .runs import (
    finish_run as finish_run,
)
from .runs import (
    note_failure as note_failure,
)
from .runs import open_recheck as open_recheck
from .runs import (
    remove_deviation as remove_deviation,
)
from .runs import (
    reprint as reprint,
)
from .runs import (
    set_aside as set_aside,
)
from .runs import (
    start_run as start_run,
)
from .sessions import answer_trial as answer_trial
from .sessions import close_session as close_session
from .sessions import enter_grades as enter_grades
from .sessions import key_kept as key_kept
from .sessions import letters_of as letters_of
from .sessions import open_key as open_key
from .sessions import remove_session as remove_session
from .settling import reopen as reopen
from .settling import settle as settle
from .studies import add_held as add_held
from .studies import add_study as add_study
from .studies import edit_held as edit_held
from .studies import edit_study as edit_study
from .studies import remove_held as remove_held
from .studies import remove_study as remove_study
from .views import RigDetails as RigDetails
from .views import Seen as Seen
from .views import add_fault as add_fault
from .views import add_view as add_view
from .views import edit_rig as edit_rig
from .views import keep_threshold as keep_threshold
from .views import remove_fault as remove_fault
from .views import remove_threshold as remove_threshold
from .views import remove_view as remove_view
from .views import set_regions as set_regions
from .views import tie_view as tie_view
from .whole_study import add_whole_study as add_whole_study
from .workshop import RatesDetails as RatesDetails
from .workshop import (
    add_machine as add_machine,
)
from .workshop import (
    add_piece as add_piece,
)
from .workshop import add_spool as add_spool
from .workshop import edit_machine as edit_machine
from .workshop import (
    edit_piece as edit_piece,
)
from .workshop import edit_rates as edit_rates
from .workshop import edit_spool as edit_spool
from .workshop import (
    log_machine_change as log_machine_change,
)
from .workshop import (
    put_back as put_back,
)
from .workshop import (
    remove_machine as remove_machine,
)
from .workshop import (
    remove_piece as remove_piece,
)
from .workshop import remove_spool as remove_spool
from .workshop import set_estimate as set_estimate
