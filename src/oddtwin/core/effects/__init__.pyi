from .agreement import Agreement as Agreement
from .agreement import limits_of_agreement as limits_of_agreement
from .by_count import clopper_pearson as clopper_pearson
from .by_median import median_rank as median_rank
from .by_t import IN_STEPS as IN_STEPS
from .by_t import judged_as as judged_as
from .cells import Cell as Cell
from .cells import Cells as Cells
from .cells import Place as Place
from .cells import Same as Same
from .cells import cells_of as cells_of
from .choosing import METHODS as METHODS
from .choosing import Further as Further
from .choosing import further_prints as further_prints
from .choosing import method_for as method_for
from .cliff import CliffsDelta as CliffsDelta
from .cliff import cliffs_delta as cliffs_delta
from .comparison import Comparison as Comparison
from .comparison import compare as compare
from .comparison import compare_prints as compare_prints
from .family import holm as holm
from .fitting import Row as Row
from .gather import step_of as step_of
from .linear import LinearModel as LinearModel
from .linear import Modelled as Modelled
from .linear import Solved as Solved
from .linear import many_modelled as many_modelled
from .looks import level_for_looks as level_for_looks
from .looks import price_of_looks as price_of_looks
from .method import LOOKED_AT_ONCE as LOOKED_AT_ONCE
from .method import Data as Data
from .method import Ends as Ends
from .method import Inference as Inference
from .method import Measure as Measure
from .method import Method as Method
from .method import Power as Power
from .method import Shape as Shape
from .method import Studies as Studies
from .method import Truth as Truth
from .noise import NoiseFloor as NoiseFloor
from .noise import noise_from_twins as noise_from_twins
from .noise import noise_of_table as noise_of_table
from .noise import pool as pool
from .outlying import cochran_edge as cochran_edge
from .outlying import farthest as farthest
from .outlying import grubbs_edge as grubbs_edge
from .outlying import widest as widest
from .permutation import (
    PermutationTest as PermutationTest,
)
from .permutation import (
    reallocation_test as reallocation_test,
)
from .permutation import (
    sign_flip_test as sign_flip_test,
)
from .planning import Chances as Chances
from .planning import chances_of as chances_of
from .planning import check_scatter as check_scatter
from .planning import pairs_needed as pairs_needed
from .planning import smallest_findable as smallest_findable
from .power import (
    chance_beyond as chance_beyond,
)
from .power import chance_different as chance_different
from .power import (
    chance_inside as chance_inside,
)
from .power import over_scatter as over_scatter
from .ranks import chance_of_wins as chance_of_wins
from .ranks import wins_allowed as wins_allowed
from .relative import in_logs as in_logs
from .relative import log_of_percent as log_of_percent
from .relative import percent_interval as percent_interval
from .relative import percent_of_log as percent_of_log
from .sample import Across as Across
from .sample import across as across
from .several import chance_all_within as chance_all_within
from .several import edge_of_all as edge_of_all
from .several import level_of_all as level_of_all
from .several import may_be_best as may_be_best
from .several import simultaneous as simultaneous
from .several import stepped_down as stepped_down
from .small_effects import every_effect as every_effect
from .small_effects import pseudo_df as pseudo_df
from .small_effects import pseudo_error as pseudo_error
from .steps import in_steps as in_steps
from .strata import adjusted as adjusted
from .student import StudentEstimate as StudentEstimate
from .student import t_interval as t_interval
from .trend import isotonic as isotonic
from .trend import jonckheere as jonckheere
from .trend import page as page
