import io
import unittest

import numpy as np

from voltaun.core.instants import zone
from voltaun.formats import FileFaults
from voltaun.formats.samples_csv import PIECE, Told, looks_like_samples, pieces

HOBART = zone("Australia/Hobart")


def read(text, mapping=None, told=None):
    data = text if isinstance(text, bytes) else text.encode()
    return list(pieces(io.BytesIO(data), HOBART, mapping or {}, told or Told()))


class SamplesFile(unittest.TestCase):
    def test_any_subset_semicolons_offsets_and_seconds(self):
        for text in ("at,watts\n2026-11-01T10:00:00Z,5\n2026-11-01T10:01:00Z,-6.5\n",
                     "﻿watts;at\n5;2026-11-01T21:00:00\n-6,5;2026-11-01T21:01:00\n",
                     "at,watts\n2026-11-01T21:00:00+11:00,5\n2026-11-01T21:01+11:00,-6.5\n",
                     "at,watts\n1793527200,5\n1793527260,-6.5\n"):
            piece, = read(text)
            self.assertEqual(piece.at.tolist(), [1793527200, 1793527260], text)
            self.assertEqual(piece.watts.tolist(), [5, -6.5])
            self.assertTrue(np.isnan(piece.soc).all())

    def test_a_mapping_and_what_is_left_out(self):
        told = Told()
        piece, = read("Time,SOC,Weather\n2026-11-01T10:00Z,81.5,fine\n", {"at": "Time", "soc_percent": "SOC"}, told)
        self.assertEqual(piece.soc.tolist(), [0.815])
        self.assertIn("Weather", told.warnings[0])
        with self.assertRaisesRegex(FileFaults, "mapping of at: found 'When'"):
            read("Time,watts\n2026-11-01T10:00Z,1\n", {"at": "When"})

    def test_a_clock_that_repeats_an_hour_takes_the_later_offset(self):
        told = Told()
        piece, = read("at,watts\n2026-04-05T02:30:00,1\n", told=told)
        self.assertEqual(piece.at.tolist(), [1775320200])  # 02:30 at UTC+10
        self.assertIn("twice", told.warnings[0])

    def test_faults_name_line_column_found_and_expected(self):
        for text, words in (
                ("at,watts\n2026-11-01T10:00Z,5\n2026-11-01T10:01Z,many\n", "line 3, column watts: found 'many'"),
                ("at,soc_percent\n2026-11-01T10:00Z,140\n", "line 2, column soc_percent: found '140', expected a "
                 "number from 0 to 100"),
                ("at,watts\nyesterday,5\n", "line 2, column at: found 'yesterday'"),
                ("at,watts\n2026-11-01T10:00Z,5,6,7\n", "expected rows of 2 columns"),
                ("watts\n5\n", "a column `at`"), ("at,colour\n2026-11-01T10:00Z,red\n", "at least one of"),
                ("", "a column `at`"), (b"\xff\xfe\x00", "no UTF-8"),
                ("at,watts\n2026-11-01T10:00Z,nan\n", "found 'nan'"), ("at,watts\n2026-11-01T10:00Z,1e400\n", "1e400"),
                ("at,charge_wh\n2026-11-01T10:00Z,-5\n", "from 0 to 1e+12")):
            with self.assertRaises(FileFaults) as caught:
                read(text)
            self.assertIn(words, str(caught.exception), text)

    def test_lines_are_counted_on_through_the_pieces(self):
        rows = "".join(f"{1793527200 + 60 * n},5\n" for n in range(PIECE + 10))
        told = Told()
        self.assertEqual([len(piece) for piece in read("at,watts\n" + rows, told=told)], [PIECE, 10])
        self.assertEqual(told.rows, PIECE + 10)
        with self.assertRaisesRegex(FileFaults, f"line {PIECE + 12}, column watts"):
            read("at,watts\n" + rows + "1793527200,x\n")

    def test_told_apart_from_a_log(self):
        self.assertTrue(looks_like_samples("at,volts"))
        self.assertFalse(looks_like_samples("read_at,volts"))
