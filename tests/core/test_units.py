import unittest

from voltaun.core.rig.mains import mains_volts
from voltaun.core.units import QuantityError, parse, taken_as_rate
from voltaun.words.units import show_duration, show_energy, show_percent, show_power


class Longest(unittest.TestCase):
    def test_a_text_without_end_is_refused_unread(self):
        self.assertEqual(parse("1" + " " * 70 + "Wh", "energy"), 1)
        with self.assertRaisesRegex(QuantityError, "found 81 letters"):
            parse("1" * 81, "energy")


class Parsing(unittest.TestCase):
    def test_eighty_letters_are_read_yet(self):
        self.assertEqual(parse("7" + 79 * " ", "number"), 7)
        self.assertRaises(QuantityError, parse, "7" + 80 * " ", "number")

    def test_quantities_as_they_come(self):
        for text, kind, expected in (
                ("1.2 kWh", "energy", 1200), ("640", "energy", 640), ("52 Ah", "energy", 52 * 25.6),
                ("4.5 A x 6 h", "energy", 4.5 * 6 * 25.6), ("4,5A×6h", "energy", 4.5 * 6 * 25.6),
                ("60 W x 20 min", "energy", 20), ("10 240 Wh", "energy", 10240), ("0,125 kWh", "energy", 125),
                ("38%", "percent", 0.38), ("38", "percent", 0.38), ("12 V * 4 A", "power", 48),
                ("0.9 kW", "power", 900), ("9 h 40", "duration", 9 + 40 / 60), ("1:30", "duration", 1.5),
                ("25 min", "duration", 25 / 60), ("2 days", "duration", 48), ("5120 Wh", "charge", 200),
                ("\u22123", "number", -3), (".5", "number", 0.5)):
            with self.subTest(text):
                self.assertAlmostEqual(parse(text, kind, volts=25.6), expected)

    def test_what_does_not_fit_is_refused_with_what_was_expected(self):
        for text, kind, word in (
                ("60 W", "energy", "W is a rate"), ("140", "percent", "between 0 and 100"),
                ("-3%", "percent", "between 0 and 100"), ("1,200", "energy", "two ways"),
                ("52 furlongs", "energy", "'furlongs'"), ("", "energy", "nothing"), ("1e5", "energy", "energy"),
                ("nan", "energy", "energy"), ("inf", "number", "number"), ("--4", "energy", "energy"),
                ("4 A x", "energy", "energy"), ("9" * 400, "energy", "energy"), ("<script>", "energy", "energy"),
                ("-20", "energy", "0 or more"), ("1 h 75", "duration", "hours")):
            with self.subTest(text), self.assertRaises(QuantityError) as caught:
                parse(text, kind, low=0, volts=12)
            self.assertIn(word, str(caught.exception))
            self.assertTrue(caught.exception.example)

    def test_ah_need_a_bank_voltage(self):
        with self.assertRaisesRegex(QuantityError, "no bank voltage"):
            parse("52 Ah", "energy")


    def test_a_rate_of_a_rate_is_the_rate(self):
        for text in ("60 W/h", "60w/h", "0.06 kW / h", "60 watts per hour", "60 W/hour"):
            self.assertAlmostEqual(parse(text, "power"), 60)
            self.assertTrue(taken_as_rate(text))
        self.assertFalse(taken_as_rate("60 Wh"))
        for text, kind in (("60 W/h", "energy"), ("60 Wh/h", "power"), ("60 A/h", "current")):
            self.assertRaises(QuantityError, parse, text, kind)

    def test_the_sockets_of_a_country(self):
        for zone, volts in (("America/Denver", 120), ("Asia/Tokyo", 120), ("Australia/Hobart", 230),
                            ("America/Argentina/Ushuaia", 230), ("Etc/UTC", 230)):
            self.assertEqual(mains_volts(zone), volts, zone)


class Printing(unittest.TestCase):
    def test_figures_for_people(self):
        self.assertEqual([show_energy(wh) for wh in (0, 640, 994.6, 2150, 12_667, -180, -0.2, None)],
                         ["0 Wh", "640 Wh", "995 Wh", "2.15 kWh", "12.7 kWh", "\u2212180 Wh", "0 Wh", "—"])
        self.assertEqual([show_duration(h) for h in (0.4, 9 + 40 / 60, 47, 53.2)],
                         ["24 min", "9 h 40", "47 h", "2 days 5 h"])
        self.assertEqual((show_power(1448.8), show_percent(0.745), show_percent(None)), ("1\u202f449 W", "74 %", "—"))
        self.assertEqual([show_power(w) for w in (9994, 12_345)], ["9\u202f994 W", "12.3 kW"])
