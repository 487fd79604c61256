import io
import unittest

import numpy as np

from voltaun.core.instants import zone
from voltaun.formats import FileFaults
from voltaun.formats.mapping import SAMPLES, Column, Mapping
from voltaun.formats.samples_csv import PIECE, Told, looks_like_samples, pieces

HOBART = zone("Australia/Hobart")


def read(text, mapping=None, told=None):
    data = text if isinstance(text, bytes) else text.encode()
    return list(pieces(io.BytesIO(data), HOBART, mapping, told or Told()))


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
        piece, = read("Time,SOC,Weather\n2026-11-01T10:00Z,81.5,fine\n", Mapping(
            SAMPLES, columns={"Time": Column("at"), "SOC": Column("soc_percent")}), told)
        self.assertEqual(piece.soc.tolist(), [0.815])
        self.assertIn("Weather", told.warnings[0])
        with self.assertRaisesRegex(FileFaults, "mapping of at: found 'When'"):
            read("Time,watts\n2026-11-01T10:00Z,1\n", Mapping(SAMPLES, columns={"When": Column("at")}))

    def test_units_signs_and_epochs(self):
        piece, = read("ts;mA;kW;into\n1793527200000;-1500;0,25;2\n", Mapping(SAMPLES, columns={
            "ts": Column("at", "epoch ms"), "mA": Column("amps", "mA", -1.0), "kW": Column("watts", "kW"),
            "into": Column("charge_wh", "Ah")}, volts=12.5))
        self.assertEqual((piece.at[0], piece.amps[0], piece.watts[0], piece.charge_wh[0]), (1793527200, 1.5, 250, 25))

    def test_times_as_they_come(self):
        same = [1793527200, 1793527260]  # 21:00 in Hobart, and a minute later
        for text in ("at,volts\r2026-11-01T10:00:00Z,26\r2026-11-01T10:01:00Z,26\r",
                     "at,volts\r\n2026-11-01T10:00:00Z,26\r\n2026-11-01T10:01:00Z,26\r\n",
                     "at,volts\n2026-11-01T10:00:00Z,26\n2026-11-01T21:01:00,26\n",  # an offset here, none there
                     "at,volts\n2026-11-01T21:00,26\n2026-11-01T10:01Z,26\n",
                     "at,volts\n01.11.2026 21:00,26\n1 Nov 2026 9:01 pm,26\n"):
            piece, = read(text)
            self.assertEqual((piece.at.tolist(), piece.volts.tolist()), (same, [26, 26]), text)
        self.assertEqual(read("at,volts\n"), [])
        for odd in ("now", "today", "0001-01-01", "0001-01-01T00:00", "²:00", "3/11/2026 10:00", "9" * 5000):
            with self.assertRaisesRegex(FileFaults, "line 3, column at"):
                read(f"at,volts\n2026-11-01T10:00Z,26\n{odd},26\n")

    def test_twenty_thousand_columns_are_refused_at_once(self):
        with self.assertRaisesRegex(FileFaults, "columns or more"):
            read("at," + ",".join(f"c{n}" for n in range(20_000)) + "\n")

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
