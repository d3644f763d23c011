"""Calibrations in the lab book: kept from the first reading on, finished once, logged, and undone."""

from datetime import datetime, timedelta

from oddtwin import operations
from oddtwin.core.quantities import now
from oddtwin.store import StoreError, load_calibrations, load_machine_changes
from tests.cases import InBook

FEEDS = "commanded,measured\n100,97.0\n100,97.1\n100,96.9\n"


class Calibrations(InBook):
    def setUp(self):
        super().setUp()
        operations.add_machine(self.book, name="Marlow")
        operations.add_machine(self.book, name="Tarn")

    def type(self, readings=FEEDS, job="steps", machine_id=1, **options):
        operations.type_calibration(
            self.book, job=job, machine_id=machine_id, readings=readings, options=options or {"old": 400.0}
        )

    @property
    def kept(self):
        with self.book.reading() as connection:
            return load_calibrations(connection)

    @property
    def log(self):
        with self.book.reading() as connection:
            return load_machine_changes(connection)

    def test_one_is_open_for_each_job_and_machine(self):
        self.type("commanded,measured\n100,97.0\n")
        self.type()
        self.type(machine_id=2)
        self.type(machine_id=None)
        self.type("axis,frequency_hz\nx,80\n", "belts", span=150.0, density=8.0)
        self.assertEqual([(one.job, one.machine_id) for one in self.kept],
                         [("steps", 1), ("steps", 2), ("steps", None), ("belts", 1)])  # fmt: skip
        self.assertEqual(self.kept[0].readings, FEEDS)
        # The same once more is no edit, and leaves nothing to undo.
        again = operations.type_calibration(
            self.book,
            job="belts",
            machine_id=1,
            readings="axis,frequency_hz\nx,80\n",
            options={"span": 150.0, "density": 8.0},
        )
        self.assertIsNone(again)

    def test_finished_it_has_its_figure_and_the_next_one_begins_empty(self):
        self.type()
        operations.finish_calibration(self.book, job="steps", machine_id=1)
        (first,) = self.kept
        self.assertAlmostEqual(first.value, 400 * 100 / 97, places=3)
        self.assertEqual((first.unit, self.log), ("steps/mm", []))
        self.type("commanded,measured\n100,99\n")
        self.assertEqual([one.at is None for one in self.kept], [False, True])

    def test_logging_says_what_it_was_before_and_undo_takes_both_back(self):
        for measured in (97, 99):
            self.type("commanded,measured\n" + f"100,{measured}\n" * 3)
            operations.finish_calibration(self.book, job="steps", machine_id=1, log=True)
        newest, oldest = self.log
        self.assertEqual(oldest.before, "")
        self.assertEqual(newest.before, oldest.after)
        self.book.undo()
        self.assertEqual(len(self.log), 1)
        self.assertIsNone(self.kept[1].at)

    def test_a_calibration_of_paper_is_kept_as_of_its_day(self):
        self.type()
        made = datetime(2025, 3, 14, 19, 30).astimezone()
        operations.finish_calibration(self.book, job="steps", machine_id=1, log=True, made=made)
        self.assertEqual((self.kept[0].at, self.log[0].at), (made, made))
        self.type()
        with self.assertRaisesRegex(StoreError, "in the future"):
            operations.finish_calibration(self.book, job="steps", machine_id=1, made=now() + timedelta(1))

    def test_a_limit_beyond_what_was_tried_is_kept_without_a_figure_and_not_logged(self):
        rows = "".join(f"a,{flow},2.0,1.99,\n" for flow in (5, 10, 15))
        self.type("setup,flow,expected_g,weighed_g,skip\n" + rows, "flow-ceiling", limit=5.0)
        with self.assertRaisesRegex(StoreError, "no figure to log"):
            operations.finish_calibration(self.book, job="flow-ceiling", machine_id=1, log=True)
        operations.finish_calibration(self.book, job="flow-ceiling", machine_id=1)
        self.assertIsNone(self.kept[0].value)
        self.assertIn("highest flow tried", self.kept[0].sentence)

    def test_a_machine_that_goes_leaves_its_calibrations(self):
        self.type(machine_id=2)
        operations.remove_machine(self.book, machine_id=2, name="Tarn")
        self.assertIsNone(self.kept[0].machine_id)
        self.book.undo()
        self.assertEqual(self.kept[0].machine_id, 2)
        operations.remove_calibration(self.book, calibration_id=self.kept[0].id)
        self.assertEqual(self.kept, ())
