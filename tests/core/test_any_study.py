"""Everything that is worked out of a study, of many that are unlike each other, stays as it was approved.

``APPROVE=1 python -m unittest tests.core.test_any_study`` writes what comes out now. Of other studies,
``STUDIES=100-400 python -m unittest tests.core.test_any_study`` sees whether any of them ends in an error or
says something that no person understands.
"""

import os
import unittest
from datetime import timedelta

from oddtwin.core.decide import (
    as_json,
    aside_words,
    detail_lines,
    prints_line,
    sensitivity,
    table_row,
    worst_by_arm,
)
from oddtwin.core.effects import NoiseFloor
from oddtwin.core.judgement import (
    analyse,
    asked_together,
    compared_words,
    ladder_advice,
    ladder_rungs,
    look_level,
    look_words,
    planned_level,
    since_before,
    study_columns,
    study_confounding,
    table_json,
)
from oddtwin.core.known import effect_values, effects_of
from oddtwin.core.outlook import (
    Aim,
    budget_of,
    budget_sentence,
    budget_values,
    certainty,
    days_of,
    floor_sentence,
    known_scatter,
    labels_of,
    placed_of,
    plan_as_json,
    plan_lines,
    power_of,
    power_sentence,
    sheet_rows,
    switch_minutes,
    workload_of,
)
from oddtwin.core.picture import (
    GRIDS,
    below,
    design_picture,
    difference_ruler,
    has_ruler,
    label_sheets,
    overview,
    plate_picture,
    ruler_legend,
    run_sheet,
)
from oddtwin.core.runlist import (
    arm_checks,
    arms_before,
    checks_by_run,
    extend_ladder,
    extend_plan,
    open_checks,
    owed_by_run,
    planned_checks,
    put_back,
)
from oddtwin.core.schedule import greedy_starts
from oddtwin.core.standing import ask_gaps, missing_readings, next_run, ready_lines, standing_of
from oddtwin.core.study import (
    FollowUp,
    blinded,
    changed_since_frozen,
    faults_unseen,
    follow_up,
    is_missed,
    is_sealed,
    plate_name,
    plates_of,
    print_values,
    study_from_readings,
    tidy_readings,
    unit_names,
    wanted_shots,
)
from oddtwin.core.tradeoff import (
    Prices,
    at_size,
    cheapest_at,
    costs_as_response,
    gates_of,
    ladder_path,
    path_words,
    prices_of,
    print_costs,
    sentences,
    weigh,
    weighed_json,
)
from tests.any_study import any_study
from tests.builders import NOON
from tests.core.stays import Stays, leaves, tried, unsound

OTHERS = os.environ.get("STUDIES", "")
SEEDS = range(*map(int, OTHERS.split("-"))) if OTHERS else range(18)
TOGETHER = range(18, 38)
"""Studies whose results stand in one line for all of them."""
LATER = NOON + timedelta(days=30)


def _aim(asked):
    return Aim(asked, asked.margin or 1.0, 0.75)


def _missed(value, run):
    return [is_missed(value, one, run) for one in value.judged]


class AnyStudy(Stays):
    def every(self, name, told_of):
        told, together = [], {}
        for seed in SEEDS if OTHERS else (*SEEDS, *TOGETHER):
            words, parts = told_of(any_study(seed), seed)
            for place, (part, value) in enumerate(parts.items()):
                unsaid = [one for one in leaves(value) if unsound(one)]
                self.assertEqual(unsaid, [], f"{name} {seed} {part}")
                if seed in SEEDS:
                    told.append((f"{seed} {part}", "" if place else words, value))
                else:
                    together.setdefault(part, []).append(value)
        told += [(f"{TOGETHER[0]} to {TOGETHER[-1]} {part}", "", some) for part, some in together.items()]
        if not OTHERS:
            self.stays(f"any-{name}", told)

    def test_what_is_found(self):
        def told(value, seed):
            # Of two in three the noise is known from before.
            floor = NoiseFloor(0.5, 6) if seed % 3 else None
            found = analyse(value, lambda _: floor)
            words = [
                (
                    one.sentence, one.more_pairs, detail_lines(one), as_json(one), table_row(one),
                    prints_line(one.comparison), aside_words(one.comparison), worst_by_arm(one.comparison),
                    sensitivity(one),
                )
                for one in found.findings
            ]  # fmt: skip
            rulers = [
                (difference_ruler(one, 420.0), ruler_legend(one, 420.0))
                for one in found.findings
                if has_ruler(one)
            ]
            return found.findings[0].sentence if found.findings else "", {
                "words": words,
                "figures": found.findings,
                "threats": found.threats,
                "overall": found.overall,
                "rulers": rulers,
                "pictures": (
                    overview(found.overall, found.findings),
                    below(found.overall, found.findings),
                ),
                "table": table_json(value, found),
                "since": since_before(any_study(seed + 1), value),
                "known": effect_values(effects_of(value, found)),
            }

        self.every("found", told)

    def test_what_is_planned(self):
        def told(value, seed):
            budget = budget_of(value)
            asked = [
                (
                    floor_sentence(value, one, None), known_scatter(one), power_sentence(value, one, None),
                    asked_together(value, one), planned_level(value, one),
                    seed % 2 or tried(power_of, value, _aim(one)),
                    seed % 4 or tried(certainty, value, _aim(one), (1, 3)),
                )
                for one in value.judged
            ]  # fmt: skip
            work = workload_of(value, NOON + timedelta(days=1))
            sheets = sheet_rows(value)
            drawn = [run_sheet(name, "under", rows, (210.0, 297.0)) for name, rows in sheets.items()]
            drawn += label_sheets(labels_of(value)[:2], GRIDS[0])
            drawn.append(design_picture(value.plan.design))
            drawn += [plate_picture(placed, 300.0, 200.0) for placed in [placed_of(value)] if placed]
            more = [tried(extend_plan, value, 2, 1), tried(extend_ladder, value, 1)]
            more += [tried(put_back, value, arm) for arm in value.changed_arms[:1]]
            return plan_lines(value)[0], {
                "study": value,
                "asked": asked,
                "budget": (budget_values(budget), budget_sentence(budget, "€"), switch_minutes(value)),
                "plan": (plan_as_json(value), plan_lines(value), placed_of(value)),
                "days": (days_of(value), work, tried(greedy_starts, work)),
                "paper": (sheets, labels_of(value), drawn),
                "mixed": (
                    study_columns(value, list(value.runs)), study_confounding(value),
                    study_confounding(value, True), compared_words(value),
                ),
                "steps": (ladder_advice(value), ladder_rungs(value), look_level(value), look_words(value)),
                "more": more,
            }  # fmt: skip

        self.every("planned", told)

    def test_where_it_stands(self):
        def told(value, _):
            run = next_run(value)
            left = {"lot 1": 30.0, "lot 2": None}
            of_runs = [
                (
                    is_sealed(value, one),
                    plate_name(value, one),
                    [is_missed(value, x, one) for x in value.judged],
                )
                for one in value.runs
            ]
            rows = tidy_readings(value)
            return "; ".join(ask_gaps(value)), {
                "standing": (standing_of(value), missing_readings(value), run),
                "ready": ready_lines(value, run, value.changes, left, LATER) if run else (),
                "checks": (
                    arm_checks(value), arms_before(value), checks_by_run(value), open_checks(value),
                    owed_by_run(value), planned_checks(value), changed_since_frozen(value),
                ),
                "runs": (of_runs, unit_names(value), plates_of(value, value.runs)),
                "again": [tried(follow_up, value, kind, LATER) for kind in FollowUp],
                "rows": rows,
                "read": tried(study_from_readings, rows, "read", value.baseline.name, NOON),
                "values": print_values(value),
                "shown": (wanted_shots(value), blinded(value), faults_unseen(value, value.pieces.values())),
            }  # fmt: skip

        self.every("standing", told)

    def test_what_it_is_worth(self):
        def told(value, seed):
            prices = prices_of(value)
            if seed % 2:
                named = {one.name: 0.5 for one in value.machines.values()}
                prices = Prices("€", 0.25, 30.0, 4.0, {"lot 1": 24.0}, named, named)
            weighed = tried(weigh, value, gates_of(value), prices)
            costs = print_costs(value, prices)
            path = ladder_path(value, value.arms)
            minutes = dict.fromkeys((arm.name for arm in value.arms), 30.0)
            words = [weighed]
            if not isinstance(weighed, str):
                words = [*sentences(weighed, 12.0), weighed_json(weighed), cheapest_at(weighed, 20.0, 3.0)]
            return words[0], {
                "weighed": (weighed, words),
                "costs": (costs, tried(costs_as_response, value, costs, "€")),
                "sizes": [tried(at_size, value, *at) for at in ((0.5, 1), (1.0, 6), (2.0, 3))],
                "path": (
                    path,
                    path_words(path, value.baseline.name, minutes, minutes, "€", minutes) if path else "",
                ),
            }

        self.every("weighed", told)


if __name__ == "__main__":
    unittest.main()
