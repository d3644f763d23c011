"""Tidy readings as text: what is accepted, what is refused and where, and the round trip."""

import random
import unittest
from dataclasses import replace

from oddtwin.core.readings import (
    COLUMNS,
    Combine,
    Reading,
    ResponseKind,
    Source,
    TableError,
    read_table,
    write_table,
)
from tests.builders import pairs


class Reads(unittest.TestCase):
    def test_a_plain_table(self):
        rows = read_table("arm,value,response,unit,pair\nA,12.5,Mass,g,1\nB,11,Mass,g,1\n")
        self.assertEqual([row.arm for row in rows], ["A", "B"])
        self.assertEqual(rows[0], Reading("A", 12.5, "Mass", "g", "1", source=Source.IMPORT))

    def test_semicolons_tabs_decimal_commas_and_a_byte_order_mark(self):
        for text in (
            "arm;value;unit\nA;12,5;g\n",
            "arm\tvalue\tunit\nA\t12,5 g\tg\n",
            '\ufeffarm,value,unit\nA,"12,5",g\n',
            "Arm , Value,UNIT\r\nA,12.5,g\r\n",
        ):
            with self.subTest(text):
                self.assertEqual(read_table(text)[0].value, 12.5)

    def test_columns_in_any_order_unknown_ones_and_empty_lines(self):
        rows = read_table("weather,value,arm\nsunny,3,A\n\n,,\nrain,4,B\n")
        self.assertEqual([(row.arm, row.value) for row in rows], [("A", 3), ("B", 4)])

    def test_units_are_brought_to_the_first_one(self):
        rows = read_table("arm,value,unit\nA,90,min\nB,1.5,h\nB,1h15,min\n")
        self.assertEqual([(row.value, row.unit) for row in rows], [(90, "min"), (90, "min"), (75, "min")])

    def test_grades_by_number_and_word(self):
        rows = read_table("arm,value,type,zone\nA,2,grade,rim\nA,Ruined,grade,rib\nB,none,grade,rim\n")
        self.assertEqual([row.value for row in rows], [2, 4, 0])
        self.assertIs(rows[0].kind, ResponseKind.GRADE)

    def test_set_aside_in_words_and_flags(self):
        text = "arm,value,set_aside\nA,1,\nA,1,no\nA,1,0\nA,1,yes\nA,,came loose\n"
        self.assertEqual(
            [row.set_aside for row in read_table(text)], ["", "", "", "no reason given", "came loose"]
        )

    def test_an_empty_value_says_that_there_is_no_reading(self):
        self.assertIsNone(read_table("arm,value,run\nA,,r1\n")[0].value)

    def test_cells_that_are_missing_at_the_end_of_a_line_are_empty(self):
        self.assertEqual(read_table("arm,value,machine\nA,1\n")[0].machine, "")


class Refuses(unittest.TestCase):
    def check(self, text, line, column, *words):
        with self.subTest(text[:60]), self.assertRaises(TableError) as caught:
            read_table(text)
        self.assertEqual((caught.exception.line, caught.exception.column), (line, column))
        for word in words:
            self.assertIn(word, str(caught.exception))

    def test_with_line_and_column(self):
        self.check("arm,value\nA,1\nA,abc\n", 3, "value", "abc")
        self.check("arm,value\nA,nan\n", 2, "value")
        self.check("arm,value\nA,1e999\n", 2, "value")
        self.check("arm,value\n,3\n", 2, "arm", "missing")
        self.check("arm,reading\nA,3\n", 1, "value", "header")
        self.check("value\n3\n", 1, "arm")
        self.check("", 1, "arm")
        self.check("arm,value\n", 1, "", "no readings")
        self.check("arm,arm,value\nA,B,1\n", 1, "arm", "twice")
        self.check("arm,value,type\nA,1,colour\n", 2, "type", "quantity or deviation")
        self.check("arm,value,type\nA,5,grade\n", 2, "value", "none, trace")
        self.check("arm,value,type\nA,1,grade\nA,2,number\n", 3, "type", "further up")
        self.check("arm,value,unit\nA,1,g\nA,2,mm\n", 3, "unit", "mm")
        self.check("arm,value,combine\nA,1,sum\nA,1,mean\n", 3, "combine")
        self.check("arm,value,combine\nA,1,median\n", 2, "combine", "mean or sum or worst")
        self.check("arm,value,day\nA,1,yesterday\n", 2, "day", "2026-03-09")
        self.check("arm,value\nA,1,2,3\n", 2, "", "4 cells")

    def test_lines_are_counted_as_an_editor_counts_them(self):
        self.check('arm,value,zone\nA,1,"two\nlines"\nA,x,z\n', 4, "value")

    def test_broken_quotes_and_enormous_cells(self):
        self.check('arm,value\nA,"1\nB,2\n', 2, "")
        self.check("arm,value\nA," + "9" * 200_000 + "\n", 2, "")

    def test_noise_never_raises_anything_else(self):
        random.seed(5)
        signs = 'arm,value;\n\t"AB01.-,é\x00\u202f' + "'"
        for _ in range(2000):
            text = "arm,value,type,unit\n" + "".join(random.choices(signs, k=random.randrange(40)))
            try:
                read_table(text)
            except TableError as error:
                self.assertGreaterEqual(error.line, 1)


class RoundTrip(unittest.TestCase):
    def test_everything_comes_back(self):
        rows = [
            *pairs(
                [0.1 + 0.2, -5.0], [1 / 3, 7.0], response="Mass", unit="g", machine="M,1", piece='the "ring"'
            ),
            Reading(
                "A",
                3.0,
                "Stringing",
                pair="1",
                run="a1",
                zone="rim\nlower",
                kind=ResponseKind.GRADE,
                set_aside="fell; over",
                spool="lot 7",
                day="2026-03-09",
            ),
            Reading("B", None, "Waste", "g", run="b9", combine=Combine.SUM),
        ]
        self.assertEqual(read_table(write_table(rows)), rows)

    def test_a_text_that_begins_blank_comes_back(self):
        item = replace(Reading("A", 1.0), zone="  lip", run="'\t1")
        (again,) = read_table(write_table([item]))
        self.assertEqual((again.zone, again.run), ("  lip", "'\t1"))
        # Blanks that somebody typed after a comma are no part of the text.
        self.assertEqual(read_table("arm,pair,value\n A,  1, 2\n")[0].pair, "1")

    def test_the_header_names_all_columns(self):
        self.assertEqual(
            write_table([]).strip().split(","),
            [name for name in COLUMNS if name not in ("low", "high", "position")],
        )
