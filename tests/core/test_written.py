"""What people write that is no quantity."""

import unittest

from voltaun.core.units import QuantityError
from voltaun.core.written import celsius, degrees, facing, label, leaning


class Labels(unittest.TestCase):
    def test_in_the_many_ways_in_which_they_are_copied(self):
        for text, told in (
                ("8 batteries of 6 V 350 Ah, in strings of 4", (6, 350, 4, 2)),
                ("8 batteries of 6 V 350 Ah in 2 strings of 4", (6, 350, 4, 2)),
                ("6V 350Ah x8, strings of 4", (6, 350, 4, 2)), ("8 x 6 V 350 Ah, 4 in series", (6, 350, 4, 2)),
                ("8 of 6V 350Ah 2 in parallel", (6, 350, 4, 2)), ("4S2P 3,2 V 280 Ah", (3.2, 280, 4, 2)),
                ("2x100Ah 12V", (12, 100, 1, 2)), ("2 × 12.8 V 200 Ah", (12.8, 200, 1, 2)), ("12V 7Ah", (12, 7, 1, 1)),
                ("4 in series 12 V 100 Ah", (12, 100, 4, 1))):
            found = label(text)
            self.assertEqual(tuple(found[name] for name in (
                "unit_voltage_v", "unit_capacity_ah", "series", "parallel")), told, text)
            self.assertNotIn("chemistry", found)

    def test_stations_packs_and_what_it_is_made_of(self):
        self.assertEqual(label("station of 1.024 kWh"), {"rated_energy_wh": 1024})
        self.assertEqual(label("2048 Wh + 2048 Wh"), {"rated_energy_wh": 2048, "pack_wh": [2048]})
        for text, chemistry in (("12V 100Ah lead", "flooded"), ("agm 12 V 100 Ah", "agm"),
                                ("12.8 V 200 Ah LiFePO4", "lfp"), ("lithium 12.8 V 200 Ah", "lfp")):
            self.assertEqual(label(text)["chemistry"], chemistry)

    def test_what_is_not_read_whole_is_refused_and_how_they_are_joined_is_asked(self):
        for text, words in (("8 batteries of 6 V 350 Ah", "how they are joined"), ("some batteries", "labels say"),
                            ("0 x 12 V 100 Ah", "one battery or more"), ("12 V", "labels say"), ("", "labels say"),
                            ("8 batteries of 6 V 350 Ah, in strings of 3", "strings of 3"),
                            ("12 V 100 Ah and a 2 kWh station", "labels say"), ("2 x 2 kWh", "one station"),
                            ("12 V 100 Ah for the boat", "labels say"), ("9" * 400, "labels say")):
            with self.assertRaises(QuantityError, msg=text) as refused:
                label(text)
            self.assertIn(words, str(refused.exception))


class Directions(unittest.TestCase):
    def test_words_of_the_compass_and_slopes(self):
        self.assertEqual([facing(text) for text in ("north", "NE", "south-west", "S", "SSW", "westward", "up", "")],
                         [0.0, 45.0, 225.0, 180.0, 202.5, 270.0, None, None])
        self.assertEqual([leaning(text) for text in ("flat", "upright", "1 in 3", "4/12", "1:1", "30", "steep")],
                         [0.0, 90.0, 18.4, 18.4, 45.0, None, None])

    def test_degrees_of_a_place_and_of_warmth(self):
        self.assertEqual([degrees(text) for text in ("48.2 N", "W 70.5°", "-5", "16,4 w", "x")],
                         [("48.2", 1), ("70.5", -1), ("-5", 1), ("16,4", -1), ("x", 1)])
        self.assertEqual([celsius(text) for text in ("60 °F", "15C", "-4", "60F", "12 °", "warm")],
                         [("60", "f"), ("15", "c"), ("-4", ""), ("60", "f"), ("12", ""), ("warm", "")])
