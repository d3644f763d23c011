"""A study that follows an edit is the study read anew."""

import random

from oddtwin import operations
from oddtwin.core.readings import Spot, Typed
from oddtwin.core.study import Slot
from oddtwin.store import StoreError, followed, load_study
from tests.builders import NOON
from tests.cases import InBook


class Following(InBook):
    def setUp(self):
        super().setUp()
        self.planned()

    def reread(self):
        with self.book.reading() as connection:
            return load_study(connection, 1)

    def any_edit(self, rng, study):
        run = rng.choice(study.runs)
        key = {"run_id": run.id, "code": run.code}
        response = rng.choice(study.responses)
        spots = study.spots_of(response, run) or (Spot(),)
        values = [Typed(float(rng.randint(0, 4))) for _ in range(rng.randint(0, 2))]
        return rng.choice(
            (
                lambda: operations.start_run(self.book, **key),
                lambda: operations.finish_run(self.book, **key),
                lambda: operations.clear_stamps(self.book, **key),
                lambda: operations.set_aside(self.book, reason="fell over", **key),
                lambda: operations.count_again(self.book, **key),
                lambda: operations.reprint(self.book, **key),
                lambda: operations.add_deviation(self.book, text="door open", **key),
                lambda: operations.edit_run(self.book, note=str(rng.random()), **key),
                lambda: operations.answer_recheck(self.book, text="flow", **key),
                lambda: operations.enter_readings(
                    self.book,
                    run_id=run.id,
                    response_id=response.id,
                    spot=rng.choice(spots),
                    values=values,
                    title="x",
                ),
                lambda: operations.give_times(
                    self.book, study_id=1, slots={run.id: Slot(NOON, NOON.replace(hour=13))}
                ),
                lambda: operations.edit_study(self.book, study_id=1, name=f"Trial {rng.random()}"),
                self.book.undo,
                self.book.undo,
                self.book.redo,
            )
        )

    def test_any_row_of_edits_leaves_what_is_read_anew(self):
        rng = random.Random(8)
        study, made = self.reread(), 0
        for _ in range(200):
            try:
                record = self.any_edit(rng, study)()
            except StoreError:
                continue
            if record is None:
                continue
            with self.book.reading() as connection:
                study = followed(connection, study, record)
            made += 1
            self.assertEqual(study, self.reread(), record.title)
        self.assertGreater(made, 100)

    def test_an_edit_of_another_study_leaves_this_one(self):
        study = self.reread()
        record = operations.add_study(self.book, name="Other")
        with self.book.reading() as connection:
            self.assertEqual(followed(connection, study, record), study)

    def test_a_study_that_is_gone_is_said(self):
        study = self.reread()
        record = operations.remove_study(self.book, study_id=1, name="Trial")
        with self.assertRaises(StoreError), self.book.reading() as connection:
            followed(connection, study, record)
