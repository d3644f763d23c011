"""Sentences in the language of the reader, and the catalogues that translate them."""

import importlib.util
import math
import re
import string
import unittest
from datetime import date, datetime
from enum import StrEnum
from gettext import GNUTranslations, NullTranslations
from pathlib import Path

from oddtwin.core import language
from oddtwin.core.calibrate import JOBS
from oddtwin.core.language import dated, is_plain, mark, plainly, shown, speak, spoken, tr, trn
from oddtwin.core.quantities import capitalized, format_list, format_number, write_decimals_with

ROOT = Path(__file__).parent.parent.parent
spec = importlib.util.spec_from_file_location("catalogue", ROOT / "scripts" / "catalogue.py")
catalogue = importlib.util.module_from_spec(spec)
spec.loader.exec_module(catalogue)


class Upside(NullTranslations):
    """A language in which every sentence stands in brackets, and three are more than one."""

    def gettext(self, message):
        return f"[{message}]"

    def ngettext(self, one, many, count):
        return f"[{one}]" if count == 1 else f"[{many} of {min(count, 3)}]"

    def info(self):
        return {"language": "xx"}


class Missing(NullTranslations):
    """What stands behind a catalogue, so that a sentence it lacks is nothing and not English."""

    def gettext(self, message):
        return ""

    def ngettext(self, one, many, count):
        return ""


class Kind(StrEnum):
    PART = mark("part")


class Speaking(unittest.TestCase):
    def setUp(self):
        self.addCleanup(speak, NullTranslations())
        self.addCleanup(write_decimals_with, ".")

    def test_english_is_what_stands_in_the_code(self):
        self.assertEqual(tr("{n} of {m}", n=1, m=2), "1 of 2")
        self.assertEqual(trn("print", "prints", 1), "print")
        self.assertEqual(trn("print", "prints", 0), "prints")
        self.assertEqual(trn("degree", "degrees", 2.5), "degrees")
        self.assertEqual([trn("day", "days", count) for count in (math.inf, math.nan, -1)], ["days"] * 3)
        self.assertEqual(spoken(), "en")

    def test_no_text_is_no_text_in_any_language(self):
        speak(Upside())
        self.assertEqual((tr(""), shown("")), ("", ""))

    def test_days_of_the_week_are_those_of_the_language_and_the_rest_of_a_moment_stays(self):
        moment = datetime(2026, 11, 27, 14, 5)
        self.assertEqual(
            tr("{at:%a %Y-%m-%d %H:%M}, {at:%A}, {at}", at=moment), f"Fri 2026-11-27 14:05, Friday, {moment}"
        )
        speak(Upside())
        self.assertEqual(dated(moment, "%a %H:%M"), "[Fri] 14:05")
        self.assertEqual(dated(date(2026, 11, 29), "%A"), "[Sunday]")
        with plainly():
            self.assertEqual(dated(moment, "%A"), "Friday")

    def test_a_sentence_without_values_is_no_template(self):
        self.assertEqual(tr("a {brace} that stays"), "a {brace} that stays")

    def test_codes_and_marked_texts_are_translated_in_a_sentence_and_names_are_not(self):
        speak(Upside())
        told = tr(
            "{kind} {word} {name} {count:.1f}", kind=Kind.PART, word=mark("worse"), name="part", count=2
        )
        self.assertEqual(told, "[[part] [worse] part 2.0]")
        self.assertEqual(shown(Kind.PART), "[part]")
        self.assertEqual(shown("part"), "part")
        self.assertEqual(capitalized(mark("part")), "[part]")
        self.assertEqual(format_list([mark("part"), "part"]), "[part], part")
        self.assertEqual(trn("pair", "pairs", 4), "[pairs of 3]")
        self.assertEqual(spoken(), "xx")

    def test_a_marked_text_is_kept_and_looked_up_as_it_stands(self):
        self.assertEqual({mark("flow"): 1}["flow"], 1)
        self.assertEqual(Kind("part"), Kind.PART)
        self.assertIs(type(Kind.PART.value), str)

    def test_what_is_for_programs_is_english_with_points_wherever_it_is_written(self):
        speak(Upside())
        write_decimals_with(",")
        with plainly():
            self.assertTrue(is_plain())
            self.assertEqual(tr("worse") + format_number(1.25, 2), "worse1.25")
        self.assertEqual(tr("worse") + format_number(1.25, 2), "[worse]1,25")
        with self.assertRaises(ZeroDivisionError), plainly():
            _ = 1 / 0
        self.assertFalse(is_plain())

    def test_nothing_is_marked_that_tr_would_not_find(self):
        self.assertIsInstance(mark("text"), language.Marked)
        self.assertEqual(tr(mark("text")), "text")


class Catalogues(unittest.TestCase):
    """Every language is complete: what the program says stands in it, and nothing that it says no more."""

    @classmethod
    def setUpClass(cls):
        cls.said = catalogue.collected()

    def setUp(self):
        self.files = sorted(catalogue.LANGUAGES.glob("*/LC_MESSAGES/oddtwin.mo"))

    def test_there_is_german(self):
        self.assertIn("de", [file.parent.parent.name for file in self.files])

    def test_all_that_a_calibration_asks_for_stands_in_the_catalogue(self):
        for job in JOBS:
            asked = [one.says for one in (*job.columns, *job.options)]
            for text in (job.title, job.do, *job.cautions, *asked):
                self.assertIn(text, self.said, job.name)

    def test_every_sentence_has_a_translation_with_the_same_values(self):
        self.assertGreater(len(self.said), 3000)
        for file in self.files:
            with self.subTest(file.parent.parent.name), file.open("rb") as source:
                known = GNUTranslations(source)
                known.add_fallback(Missing())
                holes = {}
                for message, place in self.said.items():
                    for text, told in _translated(known, message):
                        self.assertTrue(told.strip() or not text.strip(), f"{place}: {text}")
                        if _holes(told) - _holes(text):
                            holes[text] = told
                        # A blank at an end joins two sentences.
                        self.assertEqual(text[-1:] == " ", told[-1:] == " ", f"{place}: {text!r} {told!r}")
                self.assertEqual(holes, {})

    def test_what_is_edited_is_what_the_program_reads(self):
        for file in self.files:
            with self.subTest(file.parent.parent.name), file.open("rb") as source:
                known = GNUTranslations(source)
                known.add_fallback(Missing())
                edited = file.with_suffix(".po").read_text(encoding="utf-8")
                self.assertNotIn('msgstr ""\n\n', edited)
                found = {text for message in self.said for _, text in _translated(known, message)}
                written = {
                    _unquoted(part)
                    for part in re.findall(r"^msgstr(?:\[\d\])? (.+?)\n(?!\")", edited, re.M | re.S)
                }
                self.assertEqual({text for text in found if text not in written}, set())

    def test_nothing_is_left_of_what_is_said_no_more(self):
        told = {
            part for message in self.said for part in ([message] if isinstance(message, str) else message)
        }
        for file in self.files:
            with self.subTest(file.parent.parent.name):
                edited = file.with_suffix(".po").read_text(encoding="utf-8")
                ids = re.findall(r"^msgid(?:_plural)? (.+?)\n(?!\")", edited, re.M | re.S)
                self.assertEqual({_unquoted(one) for one in ids} - told - {""}, set())


def _translated(known, message):
    if isinstance(message, str):
        return [(message, known.gettext(message))]
    one, many = message
    return [(one, known.ngettext(one, many, 1)), (many, known.ngettext(one, many, 2))]


def _holes(text):
    return {name for _, name, _, _ in string.Formatter().parse(text) if name}


def _unquoted(text):
    parts = re.findall(r'"((?:[^"\\]|\\.)*)"', text)
    return "".join(parts).replace('\\"', '"').replace("\\n", "\n").replace("\\\\", "\\")


if __name__ == "__main__":
    unittest.main()
