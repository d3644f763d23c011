"""Reports that are painted: pages as PDF, and the card as PNG."""

import re
import unittest
from dataclasses import replace
from importlib.util import find_spec
from xml.etree import ElementTree

from PIL import Image

from oddtwin.core.judgement import analyse
from oddtwin.store.exchange import write_study
from oddtwin.ui.app import make_application
from oddtwin.ui.forms import FORMS, told_in_form
from oddtwin.ui.widgets.report_pages import report_pdf
from tests.cases import InBook
from tests.test_cli import Command


class Painted(InBook, Command):
    def setUp(self):
        super().setUp()
        self.planned(pairs=3, twins=1)
        self.print_all()
        self.file = self.folder / "study.json"
        self.file.write_text(write_study(self.study()), encoding="utf-8")

    def test_a_card_is_painted(self):
        path = self.folder / "card.png"
        self.assertEqual(self.run_cli("report", self.file, "-o", path)[0], 0)
        with Image.open(path) as image:
            self.assertEqual(image.size, (1200, 675))
            colours = image.convert("RGB").getcolors(1200 * 675)
        self.assertGreater(len(colours), 20)

    @unittest.skipUnless(find_spec("pypdf"), "pypdf comes with requirements-dev.txt")
    def test_a_report_on_paper_can_be_read_back(self):
        """Read by the library pypdf, which had no part in writing it."""
        import pypdf

        for paper, size in (("A4", (595, 842)), ("Letter", (612, 792))):
            path = self.folder / f"{paper}.pdf"
            self.assertEqual(self.run_cli("report", self.file, "-o", path, "--paper", paper)[0], 0)
            read = pypdf.PdfReader(path)
            self.assertEqual(read.metadata.title, "Trial")
            pages = [page.extract_text() for page in read.pages]
            self.assertEqual(tuple(round(float(side)) for side in read.pages[0].mediabox[2:]), size)
            for number, text in enumerate(pages, 1):
                self.assertIn(f"{number} / {len(pages)}", " ".join(text.split()))
            whole = " ".join(" ".join(pages).split())
            for heading in ("What was found", "What could make it wrong", "Every run"):
                self.assertIn(heading, whole)
            for run in self.study().runs:
                self.assertIn(run.code, whole)
            # Drawings stay drawings: nothing of this report is a picture of dots.
            self.assertFalse(any(page.images for page in read.pages))

    def test_hostile_names_steer_nothing(self):
        make_application()
        study = self.study()
        for name in (
            "<b>x</b> & <svg onload=1>",
            "\u202egnp.exe",
            "tab\tand\nline",
            "\x00\x07nul",
            "| a | # `b`",
            "A" * 400,
        ):
            arms = tuple(replace(arm, name=f"{name}{number}") for number, arm in enumerate(study.arms))
            named = replace(study, name=name, question=name, arms=arms)
            analysis = analyse(named)
            with self.subTest(name=name[:20]):
                for form in FORMS:
                    told = told_in_form(form, named, analysis)
                    self.assertTrue(told)
                    if isinstance(told, str):
                        self.assertFalse(set("\u202e\x00\x07") & set(told), form)
                ElementTree.fromstring(told_in_form("svg", named, analysis))
                self.assertNotIn("<svg onload", told_in_form("html", named, analysis))
                rows = told_in_form("md", named, analysis).split("## Every run")[1].strip().splitlines()
                self.assertEqual(len({len(re.findall(r"(?<!\\)\|", row)) for row in rows}), 1, rows[:3])

    def test_a_study_without_prints_is_told_too(self):
        make_application()
        study = replace(self.study(), runs=(), readings=(), blocks=(), plan=None)
        for form in FORMS:
            self.assertTrue(told_in_form(form, study, analyse(study)), form)
        self.assertIn("Nothing was measured yet.", told_in_form("svg", study, analyse(study)))

    @unittest.skipUnless(find_spec("pypdf"), "pypdf comes with requirements-dev.txt")
    def test_no_heading_stands_alone_at_the_foot_of_a_page(self):
        import pypdf

        make_application()
        for lines in range(40, 60):
            text = "".join(f"<p>line {number}</p>" for number in range(lines))
            path = self.folder / "long.pdf"
            path.write_bytes(report_pdf(f"{text}<h2>Heading</h2><p>What follows.</p>", "Long"))
            pages = [" ".join(page.extract_text().split()) for page in pypdf.PdfReader(path).pages]
            (page,) = [page for page in pages if "Heading" in page]
            self.assertIn("What follows.", page, f"after {lines} lines")

    @unittest.skipUnless(find_spec("pypdf"), "pypdf comes with requirements-dev.txt")
    def test_a_row_of_a_table_is_whole_on_one_page_below_its_head_and_nothing_is_lost(self):
        import pypdf

        make_application()
        words = "word " * 90
        rows = "".join(f"<tr><td>row {k}</td><td>from{k}a {words} to{k}z</td></tr>" for k in range(9))
        table = f"<table><thead><tr><th>First</th><th>Second</th></tr></thead><tbody>{rows}</tbody></table>"
        for lines in range(40, 56):
            text = "".join(f"<p>line{number}l</p>" for number in range(lines))
            path = self.folder / "table.pdf"
            path.write_bytes(report_pdf(f"{text}<h2>Figures</h2>{table}<p>Between.</p>{table}", "Rows"))
            pages = [" ".join(page.extract_text().split()) for page in pypdf.PdfReader(path).pages]
            whole = " ".join(pages)
            with self.subTest(lines=lines):
                for k in range(lines):
                    self.assertIn(f"line{k}l", whole)
                self.assertIn("Between.", whole)
                for k in range(9):
                    self.assertEqual(whole.count(f"to{k}z"), 2)
                    for page in pages:
                        self.assertEqual(page.count(f"from{k}a"), page.count(f"to{k}z"), f"row {k}")
                for page in pages:
                    self.assertEqual("Second" in page, "row" in page)
                    self.assertTrue("Figures" not in page or "from0a" in page)


if __name__ == "__main__":
    unittest.main()
