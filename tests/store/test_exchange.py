"""Study files, schemas, reports, summaries and borrowed noise."""

import html.parser
import json
import re
import unittest
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

from oddtwin import operations
from oddtwin.core.design import Design
from oddtwin.core.judgement import analyse
from oddtwin.core.picture import below, overview
from oddtwin.core.quantities import seconds_of
from oddtwin.core.readings import read_table, write_table
from oddtwin.core.runlist import draw_plan
from oddtwin.core.study import DecisionKind, LookAt, plates_of, study_from_readings, tidy_readings
from oddtwin.store import StoreError, known_noise, load_study
from oddtwin.store.exchange import Background, read_study, report_html, schemas, write_study
from tests.builders import NOON
from tests.cases import InBook

ROOT = Path(__file__).parents[2]


class WholeStudies(InBook):
    def finished(self):
        self.planned(pairs=3, twins=2)
        self.print_all()
        first = self.study().runs[0]
        operations.add_deviation(self.book, run_id=first.id, code=first.code, text="door open")
        operations.edit_run(self.book, run_id=first.id, code=first.code, note="a <loud> noise", spool="lot 7")
        operations.set_aside(self.book, run_id=first.id, code=first.code, reason="fell over")
        operations.reprint(self.book, run_id=first.id, code=first.code)
        operations.reveal(self.book, study_id=1, what=LookAt.VERDICT, who="Ada")
        operations.settle(self.book, study_id=1, kind=DecisionKind.ADOPT, reason="less force")
        return self.study()


class StudyFiles(WholeStudies):
    def test_to_json_into_the_book_and_back_loses_nothing(self):
        text = write_study(self.finished())
        operations.add_whole_study(self.book, study=read_study(text, "x.json"))
        self.assertEqual(write_study(self.study(2)), text)
        # Machines and pieces of the same name are the same things.
        self.assertEqual(len(self.study(2).machines), 1)
        self.book.undo()
        self.assertEqual(len(self.book.summaries()), 1)

    def test_to_csv_into_the_book_and_back_loses_nothing(self):
        text = write_table(tidy_readings(self.finished()))
        made = study_from_readings(read_table(text), "Again", "Baseline", NOON)
        operations.add_whole_study(self.book, study=made)
        self.assertEqual(write_table(tidy_readings(self.study(2))), text)

    def test_figures_are_the_same_after_the_way_through_a_file(self):
        self.planned(pairs=4, twins=2)
        self.print_all()
        value = self.study()
        again = read_study(write_study(value), "x.json")
        left, right = analyse(value), analyse(again)
        self.assertEqual([f.sentence for f in left.findings], [f.sentence for f in right.findings])

    def test_files_that_do_not_fit_are_refused_with_the_place(self):
        good = json.loads(write_study(self.finished()))

        def broken(change):
            copy = json.loads(json.dumps(good))
            change(copy)
            return json.dumps(copy)

        for text, words in (
            ("", ""),
            ("{", ""),
            ("[]", ""),
            (broken(lambda s: s.update(format="other")), "format"),
            (broken(lambda s: s.update(version=11)), "version"),
            (broken(lambda s: s.update(surprise=1)), "surprise"),
            (broken(lambda s: s["arms"].pop()), "arms"),
            (broken(lambda s: s["arms"][1].update(baseline=True)), "exactly one arm"),
            (broken(lambda s: s["arms"][1].update(name="Baseline")), "stands twice"),
            (broken(lambda s: s["runs"][2].update(arm="Third")), "unknown arm"),
            (broken(lambda s: s["runs"][2].update(code=s["runs"][1]["code"])), "stands twice"),
            (broken(lambda s: s["runs"][0]["readings"][0].update(response="?")), "unknown response"),
            (broken(lambda s: s["runs"][0]["readings"][0].update(value="NaN")), "value"),
            (broken(lambda s: s["responses"][0].update(margin=-1)), "margin"),
            (broken(lambda s: s["responses"][0].update(better="target")), "target"),
            (broken(lambda s: s["plan"].update(pairs=0)), "pairs"),
        ):
            with self.subTest(words), self.assertRaisesRegex(StoreError, "x.json") as caught:
                read_study(text, "x.json")
            self.assertIn(words, str(caught.exception))
            self.assertIn("Nothing was imported", str(caught.exception))

    def test_version_1_is_still_read(self):
        old = {
            "format": "odd-twin-study",
            "version": 1,
            "name": "Old",
            "created": "2026-03-09T12:00:00",
            "arms": [{"name": "Old", "baseline": True}, {"name": "New"}],
            "factors": [{"kind": "part", "name": "lid", "baseline": "thin", "change": "thick"}],
            "plan": {
                "pairs": 2,
                "twins": 1,
                "seed": 5,
                "order_version": 1,
                "machines": ["Marlow"],
                "pieces": ["Ring"],
            },
            "runs": [{"code": "K7M", "arm": "New", "pair": "1", "machine": "Marlow", "piece": "Ring"}],
        }
        value = read_study(json.dumps(old), "old.json")
        self.assertEqual([level.value for level in value.factors[0].levels], ["thin", "thick"])
        self.assertEqual((value.plan.repeats, value.plan.design.kind.value), (2, "pairs"))
        self.assertEqual(json.loads(write_study(value))["version"], 10)

    def test_arms_follow_from_the_design_where_the_file_has_none(self):
        bare = {
            "format": "odd-twin-study",
            "name": "Bare",
            "factors": [{"name": "a", "levels": [1, 2]}, {"name": "b", "levels": ["x", {"value": "y"}]}],
            "plan": {"machines": ["M"], "pieces": ["P"], "repeats": 1, "design": {"kind": "factorial"}},
        }
        value = read_study(json.dumps(bare), "bare.json")
        made = draw_plan(value, value.plan)
        self.assertEqual([arm.name for arm in made.arms], ["Baseline", "b y", "a 2", "a 2 + b y"])
        self.assertEqual(len(made.runs), 4)

    def test_arms_without_factors_can_be_drawn(self):
        bare = {
            "format": "odd-twin-study",
            "name": "Bare",
            "arms": [{"name": "new"}, {"name": "old", "baseline": True}],
            "plan": {"machines": ["M"], "pieces": ["P"], "repeats": 2},
        }
        value = read_study(json.dumps(bare), "bare.json")
        made = draw_plan(value, value.plan)
        self.assertEqual([arm.name for arm in made.arms], ["old", "new"])
        self.assertEqual(len(made.runs), 4)
        three = {**bare, "arms": [*bare["arms"], {"name": "newest"}]}
        value = read_study(json.dumps(three), "bare.json")
        made = draw_plan(value, value.plan)
        self.assertEqual([arm.name for arm in made.arms], ["old", "new", "newest"])
        self.assertEqual(len(made.runs), 6)

    def test_plans_that_do_not_fit_are_refused(self):
        bare = {
            "format": "odd-twin-study",
            "name": "Bare",
            "factors": [{"name": "a", "levels": ["1", "2"]}],
            "plan": {"machines": ["M"], "pieces": ["P"]},
        }
        for change, words in (
            ({"factors": [{"name": "a", "levels": ["1"]}]}, "levels"),
            ({"factors": [{"name": "a", "levels": ["1", "2"]}] * 2}, "stands twice"),
            ({"factors": []}, "give the arms"),
            ({"arms": [{"name": "A", "baseline": True}]}, "at least two arms"),
            (
                {"arms": [{"name": "A", "baseline": True}, {"name": "C", "role": "control"}]},
                "one arm is on trial",
            ),
            (
                {"arms": [{"name": "A", "baseline": True}, {"name": "B", "levels": {"a": "9"}}]},
                "no level of it",
            ),
            ({"plan": {"machines": [], "pieces": [], "design": {"kind": "magic"}}}, "kind"),
            (
                {"plan": {"machines": [], "pieces": [], "design": {"hard_factor": "z"}}},
                "none of the factors",
            ),
            ({"rates": {"hands_min": -1}}, "hands_min"),
            ({"spools": [{"name": "x", "left_g": -3}]}, "left_g"),
            ({"pieces": [{"name": "P", "on_machines": [{"machine": ""}]}]}, "machine"),
        ):
            with self.subTest(words), self.assertRaisesRegex(StoreError, words):
                read_study(json.dumps({**bare, **change}), "x.json")

    def test_moments_keep_their_offset_and_older_ones_are_local_time(self):
        good = json.loads(write_study(self.finished()))
        good["created"] = "2026-03-09T12:00:00+05:00"
        kept = read_study(json.dumps(good), "x").created
        self.assertEqual(kept.isoformat(), "2026-03-09T12:00:00+05:00")
        good["created"] = "2026-03-09T12:00:00"
        self.assertEqual(read_study(json.dumps(good), "x").created, datetime(2026, 3, 9, 12).astimezone())


class Schemas(unittest.TestCase):
    def test_the_published_schemas_are_those_of_the_models(self):
        for name, text in schemas().items():
            self.assertEqual((ROOT / "docs" / "formats" / name).read_text(encoding="utf-8"), text, name)


class Reports(WholeStudies):
    def page(self):
        value = self.finished()
        return (
            value,
            analyse(value),
            report_html(value, analyse(value), datetime(2026, 3, 9, 18, 0, tzinfo=UTC)),
        )

    def test_every_sentence_threat_run_and_reading_is_there(self):
        value, analysis, page = self.page()
        words = re.sub(r"\s+", " ", page)
        for finding in analysis.findings:
            self.assertIn(re.sub(r"\s+", " ", finding.sentence), words)
        for threat in analysis.threats:
            self.assertIn(threat.sentence, words)
        for run in value.runs:
            self.assertIn(f"<td>{run.code}</td>", page)
        self.assertIn("Settled: adopt.", words)
        self.assertIn("set aside: fell over", words)
        self.assertIn("rim 1; rib 1", words)

    def test_it_says_how_to_repeat_it_and_begins_with_what_was_found_in_short(self):
        value = self.finished()
        arm = value.arms[1]
        factor, level = value.levels_of(arm)[0]
        moved = replace(level, how="heat to 240 °C first", way_back="back within minutes")
        levels = tuple(moved if one is level else one for one in factor.levels)
        value = replace(value, factors=(replace(factor, levels=levels), *value.factors[1:]))
        first = replace(value.responses[0], margin=2.0)
        value = replace(value, responses=(first, *value.responses[1:]))
        known = Background({"Marlow": "nozzle 0.4 mm brass"}, {value.responses[0].id: "2026-02-03"})
        page = report_html(value, analyse(value), datetime(2026, 3, 9, 18, 0, tzinfo=UTC), known=known)
        section = re.sub(r"<[^>]+>", " ", page[page.index("How to repeat this") : page.index("<h2>Figures")])
        words = " ".join(section.split())
        for told in ("heat to 240 °C first", "back within minutes", "nozzle 0.4 mm brass", "set 2026-02-03"):
            self.assertIn(told, words)
        in_turn = sorted(value.runs, key=lambda run: seconds_of(run.started))
        printed = [run.code for run in in_turn if run.started]
        self.assertIn(f"In the order as printed: {', '.join(printed)}.", words)
        self.assertLess(page.index("<h2>In short"), page.index("<h2>What was found"))
        self.assertIn("break-after: page", page)

    def test_it_needs_no_other_file_and_holds_vectors(self):
        _, analysis, page = self.page()
        self.assertNotIn("http://", page.replace("http://www.w3.org/2000/svg", ""))
        self.assertNotIn("https://", page)
        self.assertNotIn("<script", page)
        self.assertNotIn("src=", page)
        maps = sum(finding.cellwise is not None for finding in analysis.findings)
        self.assertGreater(maps, 0)
        whole = [*overview(analysis.overall, analysis.findings), *below(analysis.overall, analysis.findings)]
        self.assertGreater(len(whole), 0)
        self.assertEqual(page.count("<svg"), 4 * len(analysis.findings) + maps + len(whole))

    def test_it_is_well_formed(self):
        _, _, page = self.page()
        open_tags = []

        class Walker(html.parser.HTMLParser):
            def handle_starttag(self, tag, attrs):
                if tag not in ("meta", "circle", "line", "rect", "br"):
                    open_tags.append(tag)

            def handle_endtag(self, tag):
                if tag in ("circle", "line", "rect"):
                    return
                assert open_tags.pop() == tag, tag

        Walker().feed(page)
        self.assertEqual(open_tags, [])

    def test_what_was_typed_cannot_break_the_page(self):
        _, _, page = self.page()
        self.assertIn("a &lt;loud&gt; noise", page)
        operations.reopen(self.book, study_id=1)
        operations.edit_study(self.book, study_id=1, question="<script>alert(1)</script>")
        again = report_html(self.study(), analyse(self.study()), NOON)
        self.assertNotIn("<script>", again)

    def test_an_empty_study_has_a_report_too(self):
        operations.add_study(self.book, name="Bare")
        page = report_html(self.study(), analyse(self.study()), NOON)
        self.assertIn("No readings yet", page)
        self.assertIn("Not settled yet", page)


class Lists(WholeStudies):
    def test_summaries_count_runs_and_come_in_pages(self):
        self.finished()
        for number in range(5):
            operations.add_study(self.book, name=f"Next {number}")
        everything = self.book.summaries()
        self.assertEqual([item.id for item in everything], [6, 5, 4, 3, 2, 1])
        first = everything[-1]
        self.assertEqual((first.runs, first.finished, first.set_aside), (9, 7, 1))
        self.assertEqual(first.decision, "adopt")
        self.assertEqual([item.id for item in self.book.summaries(before=3, most=1)], [2])

    def test_a_study_that_is_gone(self):
        with self.assertRaisesRegex(StoreError, "no longer"), self.book.reading() as connection:
            load_study(connection, 77)


class BorrowedNoise(WholeStudies):
    def test_twins_of_other_studies_on_the_same_machine_and_piece_are_pooled(self):
        self.planned(pairs=3, twins=3)
        self.print_all()
        first = self.study()
        twins = {}
        force = self.ids("response")["Force"]
        for reading in first.readings:
            if reading.response_id == force:
                run = next(item for item in first.runs if item.id == reading.run_id)
                twins.setdefault((run.block_id, run.arm_id), []).append(reading.value)
        squares = sum(
            (value - sum(group) / len(group)) ** 2
            for group in twins.values()
            if len(group) > 1
            for value in group
        )
        operations.add_whole_study(self.book, study=read_study(write_study(first), "x"))
        with self.book.reading() as connection:
            other = load_study(connection, 2)
            noise = known_noise(connection, other)
        borrowed = noise[next(item.id for item in other.responses if item.name == "Force")]
        self.assertEqual(borrowed.df, 3)
        self.assertAlmostEqual(borrowed.sd, (squares / 3) ** 0.5)

    def test_copies_of_a_plate_are_no_twins(self):
        self.planned()
        first = self.study().factors[0]
        operations.edit_factor(self.book, factor_id=first.id, kind="part")
        design = Design(copies=3)
        where = {"machine_ids": [1], "piece_ids": [1], "design": design}
        operations.draw_runs(self.book, study_id=1, repeats=2, twins=1, seed=4, **where)
        force = self.ids("response")["Force"]
        value = self.study()
        for plate in plates_of(value, value.runs):
            operations.start_run(self.book, run_id=plate[0].id, code=plate[0].code)
            operations.finish_run(self.book, run_id=plate[0].id, code=plate[0].code)
            for place, run in enumerate(plate):
                # Copies hardly differ; plates do, by the arm and by the pair.
                read = 10.0 + plate[0].position + 0.01 * place
                operations.enter_readings(
                    self.book, run_id=run.id, response_id=force, values=[read], title="Force"
                )
        own = analyse(self.study()).findings
        noise = next(item.comparison.noise for item in own if item.comparison.response == "Force")
        operations.add_whole_study(self.book, study=read_study(write_study(self.study()), "x"))
        with self.book.reading() as connection:
            other = load_study(connection, 2)
            borrowed = known_noise(connection, other)
        lent = borrowed[next(item.id for item in other.responses if item.name == "Force")]
        self.assertEqual((noise.df, lent.df), (1, 1))
        self.assertAlmostEqual(lent.sd, noise.sd)

    def test_for_planning_similar_prints_elsewhere_will_do(self):
        self.planned(pairs=1, twins=1)
        self.print_all()
        copy = json.loads(write_study(self.study()))
        for run in copy["runs"]:
            run.update(piece="Other", machine="Elsewhere")
        copy["plan"] = None
        record = operations.add_whole_study(self.book, study=read_study(json.dumps(copy), "x"))
        with self.book.reading() as connection:
            other = load_study(connection, record.new_id("study"))
            self.assertEqual(known_noise(connection, other), {})
            similar = known_noise(connection, other, anywhere=True)
        force = next(item.id for item in other.responses if item.name == "Force")
        self.assertEqual(similar[force].df, 1)

    def test_other_pieces_units_and_spoilt_prints_lend_nothing(self):
        self.planned(pairs=1, twins=1)
        self.print_all()
        text = write_study(self.study())
        for change in (
            lambda s: [run.update(piece="Other") for run in s["runs"]],
            lambda s: [run.update(machine="Other") for run in s["runs"]],
            lambda s: [item.update(unit="kN") for item in s["responses"]],
        ):
            copy = json.loads(text)
            change(copy)
            copy["plan"] = None
            record = operations.add_whole_study(self.book, study=read_study(json.dumps(copy), "x"))
            with self.book.reading() as connection:
                other = load_study(connection, record.new_id("study"))
                names = {item.id: item.name for item in other.responses}
                self.assertNotIn("Force", [names[key] for key in known_noise(connection, other)])
            self.book.undo()
