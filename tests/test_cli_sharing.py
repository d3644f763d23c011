"""The commands that hand a study on: tradeoff, report, pack, verify, backup and restore."""

import json
import zipfile
from xml.etree import ElementTree

from oddtwin import operations
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid
from oddtwin.store import load_study
from oddtwin.store.exchange import write_study
from tests.cases import InBook
from tests.test_cli import Command


class Sharing(InBook, Command):
    def setUp(self):
        super().setUp()
        self.planned(pairs=3, twins=1)
        operations.edit_machine(self.book, machine_id=1, name="Marlow", cost_per_h=1.2, power_w=100.0)
        operations.edit_rates(self.book, energy_per_kwh=0.3, labour_per_h=20.0)
        self.print_all()
        self.file = self.folder / "study.json"
        self.file.write_text(write_study(self.study()), encoding="utf-8")
        self.shed = self.folder / "book"

    def test_a_study_is_weighed_up_from_a_file_and_from_a_lab_book(self):
        status, out, _ = self.run_cli("tradeoff", self.file, "--json")
        self.assertEqual(status, 0)
        figures = json.loads(out)
        self.assertEqual(set(figures["costs"]), {"Baseline", "Change"})
        for name in ("front", "dominated", "payback", "switches", "savings", "currency"):
            self.assertIn(name, figures)
        self.book.close()
        status, out, _ = self.run_cli("tradeoff", self.shed, "--study", "Trial")
        self.assertEqual(status, 0)
        self.assertIn("In the order", out)
        status, _, err = self.run_cli("tradeoff", self.file, "--gate", "nonsense")
        self.assertEqual(status, 2)
        self.assertIn("no print fails", err)

    def test_other_sizes_and_fuller_plates_are_reckoned_from_files_sliced_at_them(self):
        status, out, _ = self.run_cli("tradeoff", self.file, "--size", 150, "--json")
        self.assertEqual(status, 0)
        found = json.loads(out)
        self.assertEqual(found["trusted_percent"], [75.0, 150.0])
        given = []
        for arm, walls in (("Baseline", 2), ("Change", 3)):
            for size in (1, 2):
                path = self.folder / f"{arm}{size}.gcode"
                solid = Solid(30 * size, 30 * size, 10 * size)
                path.write_text(slice_solid(solid, Recipe(walls=walls)).text, encoding="utf-8")
                given += ["--sliced", f"{arm}={path}"]
        status, out, _ = self.run_cli("tradeoff", self.file, "--size", 150, "--pieces", 2, *given)
        self.assertEqual(status, 0)
        self.assertIn("Told by files sliced at several sizes", out)
        self.assertIn("a piece", out)
        for wrong, told in (
            (("--size", 5), "10 to 1000"),
            (("--size", 150, "--gate", "x"), "--gate"),
            (("--size", 150, "--sliced", "Nobody=x"), "the arms are Baseline, Change"),
            (("--size", 150, "--sliced", "Change=/nowhere.gcode"), "/nowhere.gcode"),
            (("--sliced", "Change=x"), "--size"),
        ):
            status, _, err = self.run_cli("tradeoff", self.file, *wrong)
            self.assertEqual((status, told in err), (2, True), err)

    def test_a_pack_is_written_and_verified(self):
        self.book.close()
        pack = self.folder / "p.zip"
        status, out, _ = self.run_cli("pack", self.shed, "-o", pack)
        self.assertEqual(status, 0)
        self.assertRegex(out, r"SHA-256 [0-9a-f]{64}")
        status, out, _ = self.run_cli("verify", pack, "--json")
        self.assertEqual(status, 0)
        self.assertEqual(json.loads(out)["different"], [])
        spoilt = bytearray(pack.read_bytes())
        spoilt[len(spoilt) // 2] ^= 1
        pack.write_bytes(spoilt)
        status, out, err = self.run_cli("verify", pack)
        self.assertNotEqual(status, 0)
        self.assertTrue("  ! " in out or "odd-twin: " in err)
        status, _, err = self.run_cli("verify", self.file)
        self.assertEqual((status, err.count("\n")), (2, 1))

    def test_a_pack_of_a_study_file_needs_no_lab_book(self):
        pack = self.folder / "p.zip"
        self.assertEqual(self.run_cli("pack", self.file, "-o", pack)[0], 0)
        self.assertEqual(self.run_cli("verify", pack)[0], 0)
        with zipfile.ZipFile(pack) as archive:
            self.assertIn("report.html", archive.namelist())
        status, _, err = self.run_cli("pack", self.file, "--study", "x", "-o", pack)
        self.assertEqual(status, 2)
        self.assertIn("goes with a lab book", err)

    def test_a_report_is_written(self):
        page = self.folder / "r.html"
        self.assertEqual(self.run_cli("report", self.file, "-o", page)[0], 0)
        self.assertIn("Force", page.read_text(encoding="utf-8"))
        status, _, err = self.run_cli("report", self.file, "-o", self.folder / "r.doc")
        self.assertEqual(status, 2)
        self.assertIn("is written as .html, .pdf, .svg, .png, .md", err)
        self.assertEqual(self.run_cli("report", self.file, "-o", self.folder / "no" / "r.html")[0], 2)

    def test_a_card_is_one_picture_that_names_what_was_found_and_nobody(self):
        with self.book.reading() as connection:
            run = load_study(connection, 1).runs[0]
        operations.edit_run(self.book, run_id=run.id, code=run.code, operator="Ines Vale")
        study = self.study()
        self.book.close()
        drawn = self.folder / "card.svg"
        self.assertEqual(self.run_cli("report", self.shed, "-o", drawn)[0], 0)
        root = ElementTree.parse(drawn).getroot()
        self.assertEqual(root.get("viewBox"), "0 0 1200 675")
        said = " ".join(item.text for item in root.iter() if item.text)
        self.assertIn(study.question, said)
        self.assertIn("Force, 0.3 mm against 0.2 mm: −", said)
        self.assertIn("Rests on 7 prints, 1 machine, 1 piece", said)
        self.assertNotIn("Ines", said)

    def test_what_cannot_stand_is_told_so_in_every_form(self):
        # Pieces of the two arms on other machines throughout: the machine could be the cause.
        operations.add_machine(self.book, name="Tarn")
        with self.book.reading() as connection:
            study = load_study(connection, 1)
        for run in study.runs:
            if run.arm_id == study.change.id:
                operations.edit_run(self.book, run_id=run.id, code=run.code, machine_id=2)
        self.book.close()
        for ending in ("html", "svg", "md"):
            path = self.folder / f"void.{ending}"
            self.assertEqual(self.run_cli("report", self.shed, "-o", path)[0], 0)
            self.assertIn("This cannot stand.", path.read_text(encoding="utf-8").replace("\n", " "), ending)
        drawn = (self.folder / "void.svg").read_text(encoding="utf-8")
        self.assertIn("Cannot stand: Print time", drawn)

    def test_tables_leave_as_markdown(self):
        page = self.folder / "t.md"
        self.assertEqual(self.run_cli("report", self.file, "-o", page)[0], 0)
        lines = page.read_text(encoding="utf-8").splitlines()
        runs = lines[lines.index("## Every run") + 2 :]
        self.assertEqual(len(runs), 2 + len(self.study().runs))
        self.assertEqual({line.count(" | ") for line in runs}, {runs[0].count(" | ")})

    def test_noise_floors_of_a_workshop_are_told(self):
        self.book.close()
        status, out, _ = self.run_cli("known", self.shed, "--noise", "--response", "Force", "--json")
        self.assertEqual(status, 0)
        (floor,) = json.loads(out)
        self.assertEqual((floor["machine"], floor["df"], floor["studies"]), ("Marlow", 1, 1))
        self.assertIn("Repeatability limit:", self.run_cli("known", self.shed, "--noise")[1])
        self.assertEqual(self.run_cli("known", self.shed, "--noise", "--factor", "x")[0], 2)

    def test_which_study_of_a_lab_book_must_be_said(self):
        operations.add_study(self.book, name="Another")
        self.book.close()
        status, _, err = self.run_cli("tradeoff", self.shed)
        self.assertEqual(status, 2)
        self.assertIn("holds 2 studies; say which with --study: Another; Trial", err)
        self.assertIn("no study “Third”", self.run_cli("tradeoff", self.shed, "--study", "Third")[2])
        self.assertIn("two arms at least", self.run_cli("tradeoff", self.shed, "--study", "Another")[2])
        self.assertEqual(self.run_cli("tradeoff", self.shed, "--study", "1")[0], 0)

    def test_a_lab_book_is_backed_up_and_put_back(self):
        self.book.close()
        folder = self.folder / "backups"
        self.assertEqual(self.run_cli("backup", self.shed, "-o", folder)[0], 0)
        (backup,) = folder.iterdir()
        status, out, _ = self.run_cli("restore", backup, "-o", self.folder / "again")
        self.assertEqual(status, 0)
        self.assertIn("1 study", out)
        status, _, err = self.run_cli("restore", backup, "-o", self.folder / "again")
        self.assertEqual(status, 2)
        self.assertIn("not empty", err)
        self.assertEqual(self.run_cli("backup", self.folder / "nowhere", "-o", folder)[0], 2)
        self.assertEqual(self.run_cli("backup", self.shed, "-o", folder, "--keep", "0")[0], 2)
