"""Events of a plate: kept, shared by its pieces, told as a threat where the print counts."""

from datetime import UTC, datetime, timedelta, timezone

from oddtwin import operations
from oddtwin.core.judgement import study_threats
from oddtwin.core.study import DecisionKind, EventKind, PrintEvent
from oddtwin.core.threat import ThreatCode, Weight
from oddtwin.store import StoreError
from oddtwin.store.exchange.study_file import read_study, write_study
from tests.cases import InBook


class Events(InBook):
    def setUp(self):
        super().setUp()
        self.planned(pairs=2, twins=0)
        self.print_all()

    def note(self, run, kind, **more):
        operations.note_event(self.book, run_id=run.id, code=run.code, kind=kind, **more)

    def threats(self):
        return [one for one in study_threats(self.study()) if one.code is ThreatCode.EVENTS]

    def test_prints_that_count_are_named_with_what_happened(self):
        first, second, third, _ = self.study().runs
        self.note(first, EventKind.FIRST_LAYER)
        self.assertEqual(self.threats(), [])
        self.note(first, EventKind.BLOB)
        self.note(first, EventKind.BLOB)
        self.note(second, EventKind.BLOB)
        self.note(third, EventKind.LOOSE)
        (threat,) = self.threats()
        self.assertIn(f"blob ({first.code}, {second.code}); came loose ({third.code})", threat.sentence)
        self.assertEqual(threat.runs, (first.code, second.code, third.code))
        self.assertIs(threat.weight, Weight.NOTE)

    def test_set_aside_or_failed_prints_are_no_threat_for_what_happened(self):
        first, second, *_ = self.study().runs
        self.note(first, EventKind.LOOSE)
        self.note(second, EventKind.SKIPPED)
        operations.set_aside(self.book, run_id=first.id, code=first.code, reason="came loose")
        operations.note_failure(self.book, run_id=second.id, code=second.code, how="skipped")
        self.assertEqual(self.threats(), [])

    def test_noted_after_the_finish_it_bears_the_finish(self):
        run = self.study().runs[0]
        self.note(run, EventKind.NOISE)
        self.assertEqual(self.study().runs[0].plate.events, (PrintEvent(EventKind.NOISE, run.finished),))

    def test_clearing_the_stamps_takes_what_was_noted_and_undo_brings_both_back(self):
        run = self.study().runs[0]
        self.note(run, EventKind.PAUSED)
        operations.clear_stamps(self.book, run_id=run.id, code=run.code)
        self.assertEqual(self.study().runs[0].plate.events, ())
        with self.assertRaisesRegex(StoreError, "was not started"):
            self.note(run, EventKind.PAUSED)
        self.book.undo()
        plate = self.study().runs[0].plate
        self.assertEqual(
            ([one.kind for one in plate.events], plate.started), ([EventKind.PAUSED], run.started)
        )

    def test_a_settled_study_takes_no_events(self):
        run = self.study().runs[0]
        operations.settle(self.book, study_id=self.study().id, kind=DecisionKind.KEEP, reason="it is finer")
        with self.assertRaisesRegex(StoreError, "settled"):
            self.note(run, EventKind.BLOB)

    def test_study_file_carries_them_with_their_moments(self):
        run = self.study().runs[0]
        at = datetime(2026, 3, 4, 21, 15, tzinfo=timezone(timedelta(hours=-3)))
        self.note(run, EventKind.SPOOL, at=at)
        operations.edit_event(self.book, run_id=run.id, code=run.code, number=0, z_mm=8.4)
        text = write_study(self.study())
        (event,) = read_study(text, "it").runs[0].plate.events
        self.assertEqual(event, PrintEvent(EventKind.SPOOL, at, 8.4))
        with self.assertRaisesRegex(StoreError, "events"):
            read_study(text.replace('"z_mm": 8.4', '"z_mm": -8.4'), "it")
        with self.assertRaisesRegex(StoreError, "events"):
            read_study(text.replace('"spool changed"', '"exploded"'), "it")

    def test_an_event_that_is_gone_is_told(self):
        run = self.study().runs[0]
        for edit in (operations.remove_event, operations.edit_event):
            more = {"z_mm": 1.0} if edit is operations.edit_event else {}
            with self.subTest(edit=edit.__name__), self.assertRaisesRegex(StoreError, "taken back already"):
                edit(self.book, run_id=run.id, code=run.code, number=0, **more)

    def test_a_moment_without_an_offset_and_a_height_below_the_bed_are_refused(self):
        with self.assertRaises(ValueError):
            PrintEvent(EventKind.BLOB, datetime(2026, 3, 4))
        for height in (-0.1, float("nan"), 1e9):
            with self.subTest(height=height), self.assertRaises(ValueError):
                PrintEvent(EventKind.BLOB, datetime(2026, 3, 4, tzinfo=UTC), height)
