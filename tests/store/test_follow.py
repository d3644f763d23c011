"""A study that follows an edit is the study read anew."""

import random

from oddtwin import operations
from oddtwin.core.judge import SessionDesign
from oddtwin.core.readings import Spot, Typed
from oddtwin.core.study import RunState, Slot
from oddtwin.operations import Flag, NewSession
from oddtwin.store import StoreError, followed, load_study
from oddtwin.work.shots import Filed, Shot
from tests.builders import NOON
from tests.cases import InBook


class Following(InBook):
    def setUp(self):
        super().setUp()
        self.planned()
        operations.add_view(self.book, piece_id=1, face="lid", zone="rim")

    def reread(self):
        with self.book.reading() as connection:
            return load_study(connection, 1)

    def shot(self, rng, run):
        """A photograph of a print, whose file is not there: an edit asks only for what it told."""
        sha = f"{rng.getrandbits(250):064x}"
        return Filed(run.id, 1, Shot(sha, f"{run.code}.jpg", NOON, 0.02, 300, 200))

    def looking_edits(self, rng, study):
        """Edits of photographs, marks and sessions that there are."""
        if study.photographs:
            shot, run = rng.choice(study.photographs), rng.choice(study.runs)
            where = {"photograph_id": shot.id, "code": run.code}
            flag = Flag(rng.random(), rng.random(), "Strings", rng.randint(0, 4), rng.choice(("rim", "rib")))
            yield lambda: operations.mark_fault(self.book, flag=flag, **where)
            yield lambda: operations.move_photograph(self.book, run_id=run.id, view_id=1, **where)
            yield lambda: operations.remove_photograph(self.book, **where)
        if study.marks:
            mark = rng.choice(study.marks)
            yield lambda: operations.remove_mark(self.book, mark_id=mark.id, code="x")
        for session in study.sessions:
            one = rng.choice(session.trials)
            yield lambda session=session, one=one: operations.answer_trial(
                self.book, session_id=session.id, judge=one.judge, number=one.number, text="1"
            )
        made = tuple(run.id for run in study.runs if run.state is RunState.PRINTED)
        wish = NewSession(SessionDesign.BETTER, made, ("Lena",))
        yield lambda: operations.begin_session(self.book, study_id=1, session=wish)

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
                lambda: operations.add_photographs(self.book, filed=[self.shot(rng, run)]),
                *(lambda edit=edit: edit() for edit in self.looking_edits(rng, study)),
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
