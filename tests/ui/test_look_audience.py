"""An audience in the window: a ballot written, votes taken in, set apart and counted, and the result."""

import json
import re
from datetime import UTC, datetime, timedelta
from html.parser import HTMLParser

from PySide6.QtWidgets import QPlainTextEdit

from oddtwin import operations
from oddtwin.core.judge import AUDIENCE, SessionDesign
from oddtwin.core.judgement import analyse
from oddtwin.core.study import LookAt
from oddtwin.operations import NewSession
from oddtwin.store import StoreError
from oddtwin.store.exchange import read_study, report_html, write_study
from oddtwin.work.ballots import read_votes_of, session_ballot
from tests.ui.test_look import InLook


class Script(HTMLParser):
    """Takes what a ballot asks out of its page."""

    def __init__(self, page):
        super().__init__()
        self.asked = None
        self.feed(page)

    def handle_data(self, data):
        found = re.search(r"const ballot = (\{.*\});\n", data)
        if found:
            self.asked = json.loads(found[1])


class Audience(InLook):
    def setUp(self):
        super().setUp()
        self.fill()
        self.tab("Judge blind")

    @property
    def session(self):
        return self.study.sessions[0]

    def begin(self):
        self.find("sessionAudience").setChecked(True)
        self.settle()
        self.click("beginSession")
        self.settle()

    def page(self):
        self.type_into("ballotFolder", str(self.folder / "ballot"))
        self.click("writeBallot")
        self.settle()
        return (self.folder / "ballot" / "ballot.html").read_text("utf-8")

    def vote(self, asked, voter, choose, at=None):
        """A vote as the page saves it, sides turned for every second voter."""
        answers = [
            {"trial": one["trial"], "left": pair[0], "right": pair[1], "answer": choose(*pair)}
            for one in asked["trials"]
            for pair in [one["letters"][:: -1 if hash(voter) % 2 else 1]]
        ]
        moment = (at or datetime.now(UTC)).isoformat()
        return json.dumps({"ballot": asked["commitment"], "voter": voter, "at": moment, "answers": answers})

    def choose_new(self, left, right):
        arms = {one.letter: one.arm for one in self.session.letters}
        if arms[left] == arms[right]:
            return "none"
        return "left" if arms[left] == "Change" else "right"

    def files(self, *texts):
        paths = []
        for number, text in enumerate(texts):
            path = self.folder / f"vote-{number}.json"
            path.write_text(text, encoding="utf-8")
            paths.append(path)
        return paths

    def rows(self):
        return self.screen._panels["Judge blind"]._cards[self.session.id]._audience

    def test_the_ballot_is_one_page_that_tells_nothing_and_the_pairs_beside_it(self):
        self.assertTrue(self.is_shown("sessionJudges"))
        self.begin()
        self.assertFalse(self.is_shown("sessionJudges"))
        page = self.page()
        asked = Script(page).asked
        self.assertEqual(len(asked["trials"]), len(self.session.trials))
        self.assertEqual(asked["commitment"], self.session.commitment)
        self.assertNotIn("catch", page)
        for run in self.study.runs:
            self.assertNotIn(run.code, page)
        self.assertNotIn("Baseline", page)
        pairs = sorted(one.name for one in (self.folder / "ballot").glob("pair-*.jpg"))
        self.assertEqual(pairs, [f"pair-{n}.jpg" for n in range(1, len(self.session.trials) + 1)])
        self.assertIn("the key stays here", self.find("votesTold").text())

    def test_votes_are_taken_in_and_what_does_not_count_is_told_by_why_and_how_often(self):
        self.begin()
        asked = Script(self.page()).asked
        votes = [self.vote(asked, f"v{n}", self.choose_new) for n in range(8)]
        other = json.dumps({**json.loads(votes[0]), "ballot": "0" * 64, "voter": "x"})
        self.rows().take_files(self.files(*votes, votes[0], other, "no vote", '{"ballot": 1}'))
        told = self.find("votesTold").text()
        self.assertIn("Taken in: 8 voters, 32 answers", told)
        for part in (
            "1 × a voter for the second time",
            "1 × of another ballot",
            "2 × cannot be read (vote-10.json",
        ):
            self.assertIn(part, told)
        self.assertEqual(len(self.session.judges), 8)
        # The same votes once more: nobody counts twice, and nothing is changed.
        self.rows().take_files(self.files(*votes))
        self.assertIn("No vote was taken in. Set apart: 8 × a voter", self.find("votesTold").text())
        self.assertEqual(len(self.session.judges), 8)
        self.undo()
        self.assertEqual((self.session.judges, self.study.answers), ((), ()))

    def test_closed_and_opened_it_says_what_the_audience_prefers(self):
        self.begin()
        asked = Script(self.page()).asked
        votes = [self.vote(asked, f"v{n}", self.choose_new) for n in range(10)]
        self.rows().take_files(self.files(*votes))
        self.click("closeSession")
        late = self.vote(asked, "late", self.choose_new, datetime.now(UTC) + timedelta(hours=1))
        early = self.vote(asked, "on its way", self.choose_new, datetime.now(UTC) - timedelta(hours=1))
        self.rows().take_files(self.files(late, early))
        self.assertIn(
            "Taken in: 1 voter, 4 answers. Set apart: 1 × after the close", self.find("votesTold").text()
        )
        self.click("openKey")
        self.settle()
        texts = self.texts()
        self.assertIn("prefer Change to Baseline", texts)
        self.assertFalse(self.is_shown("takeVotes"))
        with self.assertRaisesRegex(StoreError, "open eyes"):
            operations.take_votes(self.bench.book, session_id=1, casts=[])
        self.bench.reveal(LookAt.VERDICT)
        self.assertIn(
            "judged by an audience of 11, by ballot",
            report_html(self.study, analyse(self.study), datetime.now(UTC)),
        )

    def test_lines_and_a_table_out_of_a_forum_are_pasted(self):
        self.begin()
        field = self.find("votesPasted")
        self.assertIsInstance(field, QPlainTextEdit)
        self.click("takeVotes")
        self.assertIn("Paste votes", self.find("votesTold").text())
        field.setPlainText("judge,trial,answer\nAnn,1,left\nAnn,2,same\nBob,1,right\nBob,77,left\n")
        self.click("takeVotes")
        told = self.find("votesTold").text()
        self.assertIn("Taken in: 2 voters, 3 answers. Set apart: 1 × a row that names no pair", told)
        self.assertEqual(field.toPlainText(), "")
        field.setPlainText("Thanks, nice prints!")
        self.click("takeVotes")
        self.assertIn("there is no vote in it", self.find("votesTold").text())
        # What could not be taken in stays, to be put right.
        self.assertEqual(field.toPlainText(), "Thanks, nice prints!")

    def test_a_folder_that_cannot_be_and_a_photograph_that_is_gone_are_told(self):
        self.begin()
        (self.folder / "taken").write_text("a file", encoding="utf-8")
        self.type_into("ballotFolder", str(self.folder / "taken"))
        self.click("writeBallot")
        self.settle()
        self.assertIn("is a file; name a folder", self.texts())
        for path in (self.folder / "shed" / "photos").rglob("*"):
            if path.is_file():
                path.unlink()
        self.type_into("ballotFolder", str(self.folder / "ballot"))
        self.click("writeBallot")
        self.settle()
        self.assertIn("not in this lab book any more", self.find("votesTold").text())

    def test_only_which_of_two_photographs_goes_by_ballot(self):
        self.pick("sessionDesign", SessionDesign.GRADE)
        self.assertFalse(self.is_shown("sessionAudience"))
        runs = tuple(run.id for run in self.study.runs)
        for wish, why in (
            (NewSession(SessionDesign.BETTER, runs, (), None, audience=True), "prints in the hand"),
            (NewSession(SessionDesign.TRIANGLE, runs, (), 1, audience=True), "name who judges"),
        ):
            with self.assertRaisesRegex(StoreError, why):
                operations.begin_session(self.bench.book, study_id=1, session=wish)
        named = NewSession(SessionDesign.BETTER, runs, ("Lena",), 1)
        self.bench.do(operations.begin_session, study_id=1, session=named)
        with self.assertRaisesRegex(StoreError, "has no place in it"):
            operations.take_votes(self.bench.book, session_id=1, casts=[])
        with self.assertRaisesRegex(StoreError, "no trial 1"):
            operations.answer_trial(self.bench.book, session_id=1, judge=AUDIENCE, number=1, text="left")

    def test_hundreds_of_votes_are_taken_in_at_once_and_go_through_a_study_file(self):
        self.begin()
        files = session_ballot(self.bench.book, self.study, self.session, "Which?")
        asked = Script(files.page).asked
        text = "\n".join("trash " + self.line(self.vote(asked, f"v{n}", self.choose_new)) for n in range(300))
        casts, _ = read_votes_of(self.session, text, datetime.now().astimezone())
        self.assertEqual(len(casts), 300)
        began = datetime.now(UTC)
        self.assertIsNotNone(self.bench.do(operations.take_votes, session_id=1, casts=casts))
        self.assertLess(datetime.now(UTC) - began, timedelta(seconds=5))
        self.assertEqual(len(self.study.answers), 1200)
        read = read_study(write_study(self.study), "x.json")
        self.assertEqual(read.sessions[0].trials, self.session.trials)
        self.assertTrue(read.sessions[0].by_ballot)

    def line(self, vote):
        import base64

        return "oddtwin-vote:" + base64.urlsafe_b64encode(vote.encode()).decode().rstrip("=")
