import math
import re
import unittest

import numpy as np

from oddtwin.core.quantities import (
    QuantityError,
    capitalized,
    comma_is_decimal,
    convert,
    decimals_for,
    format_clock,
    format_digits,
    format_minutes,
    format_number,
    format_p,
    format_reading,
    format_signed,
    half_way,
    number_in,
    parse_number,
    parse_quantity,
    write_decimals_with,
)


class Decimals(unittest.TestCase):
    def test_all_numbers_for_people_have_the_sign_of_the_place(self):
        self.addCleanup(write_decimals_with, ".")
        for sign, comma in ((",", True), (".", False)):
            write_decimals_with(sign)
            self.assertIs(comma_is_decimal(), comma)
            told = [format_number(-2.5), format_number(2.0, 2), format_reading(0.125), format_signed(1.5, 1)]
            told += [format_digits(0.0123, 2), format_p(0.0123), format_p(0.0001), format_number(3.0)]
            wanted = ["−2.5", "2.00", "0.125", "+1.5", "0.012", "0.012", "< 0.001", "3"]
            self.assertEqual(told, [text.replace(".", sign) for text in wanted])

    def test_so_many_digits_and_no_powers_of_ten(self):
        told = [format_digits(value, 2) for value in (0.0, 0.0123, 9.99, 42.4, 99.6, 100.0, 2345.0, -1e6)]
        self.assertEqual(told, ["0", "0.012", "10", "42", "100", "100", "2300", "−1000000"])

    def test_another_sign_is_refused(self):
        with self.assertRaisesRegex(ValueError, "a point or a comma"):
            write_decimals_with(" ")


class TypedQuantities(unittest.TestCase):
    def test_times_as_they_are_typed_at_the_printer(self):
        for text, minutes in (
            ("1h37", 97),
            ("1 h 37 min", 97),
            ("97 min", 97),
            ("97", 97),
            ("1:37", 97),
            ("1:37:30", 97.5),
            ("1.5 h", 90),
            ("1,5h", 90),
            ("90 s", 1.5),
            ("2h 5m 30s", 125.5),
            ("1d 2h", 26 * 60),
            ("3 hours", 180),
            ("45 mins.", 45),
        ):
            with self.subTest(text):
                self.assertAlmostEqual(parse_quantity(text, "min"), minutes, places=9)

    def test_times_in_another_wanted_unit(self):
        self.assertAlmostEqual(parse_quantity("1h30", "h"), 1.5)
        self.assertAlmostEqual(parse_quantity("2 min", "s"), 120)

    def test_masses_and_lengths_convert_exactly(self):
        # International yard and pound agreement (1959): 1 lb = 0.45359237 kg, 1 in = 25.4 mm.
        for text, unit, value in (
            ("12,5 g", "g", 12.5),
            ("12.5", "g", 12.5),
            ("3 oz", "g", 3 * 28.349523125),
            ("3 lb", "g", 3 * 453.59237),
            ("1.2 kg", "g", 1200),
            ("1.2 KG", "G", 1200),
            ("250 mg", "g", 0.25),
            ("1 in", "mm", 25.4),
            ("20 µm", "mm", 0.02),
            ("20 um", "mm", 0.02),
            ("-0.1 mm", "mm", -0.1),
            ("−0.1 mm", "mm", -0.1),
            ("2 cm", "mm", 20),
        ):
            with self.subTest(text):
                self.assertAlmostEqual(parse_quantity(text, unit), value, places=9)

    def test_units_of_no_family_are_taken_only_as_themselves(self):
        self.assertEqual(parse_quantity("11.8 N", "N"), 11.8)
        self.assertEqual(parse_quantity("5 %", "%"), 5)
        self.assertEqual(parse_quantity("7", ""), 7)
        with self.assertRaises(QuantityError):
            parse_quantity("11.8 N", "mm")
        with self.assertRaises(QuantityError):
            parse_quantity("5 g", "")

    def test_what_is_no_quantity_is_refused_with_a_sentence(self):
        for text, unit in (
            ("", "g"),
            ("   ", "min"),
            ("abc", "g"),
            ("nan", "g"),
            ("inf", "min"),
            ("1e400", "g"),
            ("5e12", "g"),
            ("--5", "g"),
            ("1.2.3", "g"),
            ("٣", "g"),
            ("5 min", "g"),
            ("37 1h", "min"),
            ("1h37h", "min"),
            ("1:75", "min"),
            ("-5 min", "min"),
            ("5 g", "min"),
            ("12 5", "g"),
        ):
            with self.subTest(text), self.assertRaises(QuantityError) as caught:
                parse_quantity(text, unit)
            self.assertGreater(len(str(caught.exception)), 15)

    def test_a_long_wrong_text_is_shortened_in_the_sentence(self):
        with self.assertRaises(QuantityError) as caught:
            parse_quantity("x" * 5000, "g")
        self.assertLess(len(str(caught.exception)), 120)

    def test_plain_numbers(self):
        self.assertEqual(parse_number(" 12,50 "), 12.5)
        self.assertEqual(parse_number(".5"), 0.5)
        self.assertEqual(parse_number("1e3"), 1000)

    def test_thousands_and_decimals_apart_by_two_signs_are_read_as_they_are_meant_everywhere(self):
        for text in ("1.250,5", "1,250.5", "1 250,5", "1\u202f250.5", "1'250.5", "1\u2019250,5"):
            with self.subTest(text):
                self.assertEqual(parse_number(text), 1250.5)
                self.assertEqual(parse_quantity(f"{text} g", "g"), 1250.5)
        self.assertEqual(parse_number("-1.234.567,25"), -1234567.25)
        for text in ("1.250,5,1", "1.25,50.1", "1.2500,5", "12,50.5"):
            with self.subTest(text), self.assertRaises(QuantityError):
                parse_number(text)
        self.assertEqual(parse_number("1000000000"), 1e9)
        with self.assertRaisesRegex(QuantityError, "too large"):
            parse_number("1000000001")
        with self.assertRaisesRegex(QuantityError, f"“{'x' * 40}”"):
            parse_number("x" * 40)
        with self.assertRaisesRegex(QuantityError, f"“{'x' * 39}…”"):
            parse_number("x" * 41)
        with self.assertRaisesRegex(QuantityError, "type 1250000 if that is meant"):
            parse_number("1.250.000")
        with self.assertRaisesRegex(QuantityError, "can be 1.25 or 1250"):
            parse_number("1,250")

    def test_only_the_sign_that_is_in_doubt_is_asked_about_in_times_and_lengths_alike(self):
        for number, decimal, unit in (("85,125", ".", "min"), ("85.125", ",", "min"), ("1.250", ",", "mm")):
            doubted = "," if decimal == "." else "."
            for text in (number, f"{number} {unit}"):
                with self.subTest(text):
                    small, large = number.replace(doubted, decimal).rstrip("0"), number.replace(doubted, "")
                    with self.assertRaisesRegex(QuantityError, re.escape(f"can be {small} or {large};")):
                        parse_quantity(text, unit, doubted)
                    value = float(number.replace(",", "."))
                    self.assertEqual(parse_quantity(text, unit, decimal), value)
                    self.assertEqual(parse_quantity(text, unit, ""), value)
        self.assertEqual(parse_quantity("2 h 3,125 min", "min", "."), 123.125)

    def test_conversion_between_families_is_refused(self):
        with self.assertRaises(ValueError):
            convert(1, "g", "mm")
        self.assertAlmostEqual(convert(1, "h", "min"), 60)


class NumbersInNames(unittest.TestCase):
    def test_the_first_number_of_a_name_with_its_sign(self):
        for name, value in (
            ("45°", 45.0), ("z 12,5 mm", 12.5), ("-0.05 mm", -0.05), ("−0.05 mm", -0.05), ("+3", 3.0),
            ("mix-2", 2.0), ("0-60", 0.0), ("at -10 °C", -10.0), ("rim", None), ("", None), ("−", None),
        ):  # fmt: skip
            with self.subTest(name):
                self.assertEqual(number_in(name), value)

    def test_half_way_between_two_names_is_written_as_the_first(self):
        for one, two, middle in (
            ("0.2 mm", "0.3 mm", "0.25 mm"), ("0,2 mm", "0,3mm", "0,25 mm"), ("60 °C", "50 °c", "55 °C"),
            ("−0.05", "0.05", "0"), ("-0.1 mm", "-0.05 mm", "-0.075 mm"), ("mix 1", "mix 2", "mix 1.5"),
            ("0.2", "0.3 mm", "0.25"), ("0.2 mm", "0.3", "0.25 mm"), (" 1", "2 ", "1.5"),
            ("0.1", "0.2000001", "0.15"), ("1,250 mm/s²", "1,500 mm/s²", "1,375 mm/s²"),
            ("1,200", "1,300", "1,250"), ("1,000", "3,000", "2,000"),
        ):  # fmt: skip
            with self.subTest(one):
                self.assertEqual(half_way(one, two), middle)

    def test_where_nothing_lies_half_way(self):
        for one, two in (
            ("200 µm", "0.3 mm"), ("15 %", "20 mm/s"), ("mix 1", "cup 2"), ("rim", "2"), ("2", "rim"),
            ("0.2 mm", "0.20 mm"), ("", ""), ("900", "1,250"), ("1,250", "2000"), ("1,250", "1,255"),
        ):  # fmt: skip
            with self.subTest(one):
                self.assertIsNone(half_way(one, two))


class WrittenNumbers(unittest.TestCase):
    def test_two_digits_of_the_uncertainty_are_shown(self):
        # The advice of JCGM 100:2008, 7.2.6 (from memory).
        for uncertainty, decimals in ((12.0, 0), (1.2, 1), (0.12, 2), (0.0012, 4), (1e-12, 6), (0, 2)):
            with self.subTest(uncertainty):
                self.assertEqual(decimals_for(uncertainty), decimals)
        self.assertEqual(decimals_for(math.inf), 2)

    def test_signs(self):
        self.assertEqual(format_signed(-1.234, 2), "−1.23")
        self.assertEqual(format_signed(1.234, 1), "+1.2")
        self.assertEqual(format_signed(-0.001, 1), "0.0")
        self.assertEqual(format_signed(0.001, 1), "0.0")
        self.assertEqual(format_signed(math.inf, 1), "+∞")
        self.assertEqual(format_signed(0.5, 1), "+0.5")
        self.assertEqual((format_number(math.inf), format_number(-math.inf)), ("∞", "−∞"))

    def test_numbers_without_trailing_noise(self):
        self.assertEqual(format_number(12.50), "12.5")
        self.assertEqual(format_number(123456.7), "123457")
        # Four digits below ten thousand, every whole one above.
        self.assertEqual((format_number(9876.5), format_number(12345.6)), ("9877", "12346"))
        self.assertEqual(format_number(-3), "−3")

    def test_half_way_is_told_alike_whatever_the_last_bits_are(self):
        for half, told in ((0.0625, "0.063"), (-0.0625, "−0.063"), (0.0615, "0.062"), (2.0005, "2.001")):
            for value in (np.nextafter(half, 0), half, np.nextafter(half, 2 * half)):
                self.assertEqual(format_number(value, 3), told)
        self.assertEqual([format_minutes(half) for half in (2.5, 3.5)], ["3\u202fmin", "4\u202fmin"])
        self.assertEqual([format_p(half) for half in (0.0125, 0.0135)], ["0.013", "0.014"])
        self.assertEqual(
            {decimals_for(one) for one in (np.nextafter(0.1, 0), 0.1, np.nextafter(0.1, 1))}, {2}
        )

    def test_a_sentence_begins_with_a_large_letter(self):
        self.assertEqual(
            [capitalized(text) for text in ("layer height", "aB", "")], ["Layer height", "AB", ""]
        )

    def test_readings_come_back_as_they_were_typed(self):
        for text in ("123.456", "0.0125", "1234567", "19.98", "0", "12345678"):
            self.assertEqual(format_reading(parse_number(text)), text)
        self.assertEqual(format_reading(-0.25), "−0.25")

    def test_durations_and_p_values(self):
        self.assertEqual(format_minutes(97).replace("\u202f", " "), "1 h 37 min")
        self.assertEqual(format_minutes(60).replace("\u202f", " "), "1 h")
        self.assertEqual(format_minutes(9.6).replace("\u202f", " "), "10 min")
        self.assertEqual(format_clock(5825), "1:37:05")
        self.assertEqual(format_clock(-3), "0:00:00")
        self.assertEqual(format_p(0.00001), "< 0.001")
        self.assertEqual(format_p(0.0312), "0.031")
        self.assertEqual(format_p(None), "–")
