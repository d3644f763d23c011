"""The engine: what one change did to one response, judged print by print."""

from oddtwin.core.effects.cliff import CliffsDelta, cliffs_delta
from oddtwin.core.effects.compare import Comparison, Measure, compare
from oddtwin.core.effects.noise import NoiseFloor, noise_from_twins, pool
from oddtwin.core.effects.permutation import PermutationTest, reallocation_test, sign_flip_test
from oddtwin.core.effects.power import chance_beyond, chance_inside, further_pairs
from oddtwin.core.effects.ranks import RankTest, rank_sum, shift_intervals, signed_rank, walsh_averages
from oddtwin.core.effects.student import StudentEstimate, noise_floor_t, paired_t, welch_t

__all__ = [
    "CliffsDelta",
    "Comparison",
    "Measure",
    "NoiseFloor",
    "PermutationTest",
    "RankTest",
    "StudentEstimate",
    "chance_beyond",
    "chance_inside",
    "cliffs_delta",
    "compare",
    "further_pairs",
    "noise_floor_t",
    "noise_from_twins",
    "paired_t",
    "pool",
    "rank_sum",
    "reallocation_test",
    "shift_intervals",
    "sign_flip_test",
    "signed_rank",
    "walsh_averages",
    "welch_t",
]
