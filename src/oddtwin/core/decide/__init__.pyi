from .accepting import accepted_json as accepted_json
from .accepting import holding as holding
from .cellwise import Cellwise as Cellwise
from .cellwise import JudgedCell as JudgedCell
from .cellwise import side_of as side_of
from .figures import TABLE_FIRST as TABLE_FIRST
from .figures import TABLE_HEAD as TABLE_HEAD
from .figures import detail_lines as detail_lines
from .figures import prints_line as prints_line
from .figures import sensitivity as sensitivity
from .figures import table_row as table_row
from .finding import Finding as Finding
from .finding import as_json as as_json
from .finding import finding_of as finding_of
from .finding import findings_of as findings_of
from .finding import worst_by_arm as worst_by_arm
from .relative import in_percent as in_percent
from .threats import (
    find_threats as find_threats,
)
from .threats import (
    no_margin as no_margin,
)
from .threats import voiding as voiding
from .verdict import Adjusted as Adjusted
from .verdict import Verdict as Verdict
from .verdict import adjusted_for_all as adjusted_for_all
from .verdict import from_code as from_code
from .verdict import judge as judge
from .verdict import not_worse as not_worse
from .verdict import verdict_code as verdict_code
from .verdict import worse_side as worse_side
from .wording import aside_words as aside_words
from .wording import sentence as sentence
from .wording_cells import cell_sentence as cell_sentence
from .wording_figures import cell_decimals as cell_decimals
from .wording_figures import decimals_of as decimals_of
from .wording_figures import measure_unit as measure_unit
