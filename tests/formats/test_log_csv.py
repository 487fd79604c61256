import random
import unittest
from datetime import UTC, datetime
from unittest import mock

from tests.support import NOW, random_rig, readings, rig, sun_of
from voltaun.core.instants import zone
from voltaun.core.learned.account import reckon
from voltaun.formats import FileFaults, log_csv
from voltaun.formats.log_csv import read_log, write_log
from voltaun.formats.mapping import COUNTED, Column, Mapping

HOBART = zone("Australia/Hobart")


def read(text, now=NOW):
    return read_log(text if isinstance(text, bytes) else text.encode(), HOBART, now)


class BadFiles(unittest.TestCase):
    def refused(self, text, *words, now=NOW):
        with self.assertRaises(FileFaults) as caught:
            read(text, now)
        for word in words:
            self.assertIn(word, str(caught.exception))
        return caught.exception

    def test_every_fault_by_line_and_column(self):
        faults = self.refused(
            "read_at,soc_percent,solar_wh,sky,temp_c,full_at\n"
            "2026-11-01T19:00,140,2000,clear,,\n"
            "2026-11-02T19:00,80,-5,sunny,,\n"
            "not a date,80,,,,\n"
            "2026-11-03T19:00,x,,,900,25:99\n"
            "2026-11-04,80,,,,\n"
            "2026-11-05T19:00,80,nan,,,2026-11-06T10:00\n",
            "line 2, column soc_percent: found '140', expected a percent from 0 to 100",
            "line 3, column solar_wh: found '-5'", "line 3, column sky: found 'sunny', expected one of clear",
            "line 4, column read_at", "line 5, column soc_percent", "line 5, column temp_c", "line 5, column full_at",
            "line 6, column read_at", "line 7, column solar_wh", "line 7, column full_at")
        self.assertEqual(len(faults.faults), 10)

    def test_reading_in_the_future(self):
        late = "read_at,soc_percent\n2026-11-25T19:00,80\n"
        self.refused(late, "line 2, column read_at", "not after now, 2026-11-25 07:00")
        self.assertEqual(len(read(late, now=None).readings), 1)

    def test_what_is_no_log(self):
        self.refused(b"", "empty")
        self.refused(b"  \n \n", "empty")
        self.refused(b"read_at,soc_percent\n\x00\x01\x02", "binary")
        self.refused(bytes(range(1, 256)) * 20, "UTF-8")
        self.refused("a,b,c\n1,2,3\n", "read_at")
        self.refused("read_at,soc_percent\n2026-11-01T19:00,80,3,4\n", "4 fields")
        self.refused("read_at,note,note\n2026-11-01T19:00,a,b\n", "column twice")
        self.refused('read_at,note\n2026-11-01T19:00,"never closed\n', "broken row")

    def test_latin_1_is_refused_where_it_stands(self):
        self.refused("read_at,note\n2026-11-01T19:00,kühl\n".encode("latin-1"), "line 2, character 19", "0xFC")

    def test_fifty_megabytes_of_junk_are_refused_briefly(self):
        junk = b"read_at,soc_percent\n" + b"junk,junk\n" * 5_000_000
        text = str(self.refused(junk, "line 2, column read_at", "more"))
        self.assertLess(len(text), 100_000)
        self.refused(random.Random(1).randbytes(50_000_000), "expected")

    def test_two_readings_at_an_instant(self):
        self.refused("read_at,soc_percent\n2026-11-01T19:00,80\n2026-11-01T19:00,70\n",
                     "line 3, column read_at: found another reading at the instant of line 2")


class GoodFiles(unittest.TestCase):
    def test_semicolons_decimal_commas_bom_and_columns_in_any_order(self):
        log = read("\ufeffsolar_wh;read_at;soc_percent;note\n1234,5;2026-11-01T19:00;80,5;ja; \n".replace("ja; ", "ja"))
        self.assertEqual((log.readings[0].solar_wh, log.readings[0].soc), (1234.5, 0.805))
        plain = read("read_at,soc_percent\r\n2026-11-01T19:00+11:00,80\r\n\r\n")
        self.assertEqual(plain.readings[0].at, datetime(2026, 11, 1, 8, tzinfo=UTC))

    def test_unknown_columns_are_left_out_and_named(self):
        extra = ",".join(f"extra{n}" for n in range(198))
        log = read(f"read_at,soc_percent,{extra}\n2026-11-01T19:00,80{',1' * 198}\n")
        self.assertEqual(len(log.readings), 1)
        self.assertIn("extra0", log.warnings[0])
        self.assertIn("186 more", log.warnings[0])

    def test_out_of_order_and_repeated_rows(self):
        log = read("read_at,soc_percent\n2026-11-03T19:00,80\n2026-11-01T19:00,70\n2026-11-03T19:00,80\n")
        self.assertEqual([reading.soc for reading in log.readings], [0.7, 0.8])
        self.assertIn("order of time", log.warnings[0])
        self.assertIn("taken once", log.warnings[1])

    def test_times_that_come_twice_or_never_take_the_later_offset(self):
        log = read("read_at,soc_percent\n2026-04-05T02:30,80\n2026-10-04T02:30,70\n")
        self.assertEqual([reading.at for reading in log.readings],
                         [datetime(2026, 4, 4, 16, 30, tzinfo=UTC), datetime(2026, 10, 3, 15, 30, tzinfo=UTC)])
        self.assertIn("comes twice", log.warnings[0])
        self.assertIn("skipped", log.warnings[1])

    def test_full_at_as_a_clock_time_is_the_last_one_before(self):
        log = read("read_at,full_at\n2026-11-02T19:00,13:40\n2026-11-03T07:00,17:00\n")
        self.assertEqual([reading.full_at for reading in log.readings],
                         [datetime(2026, 11, 2, 2, 40, tzinfo=UTC), datetime(2026, 11, 2, 6, 0, tzinfo=UTC)])


    def test_notes_and_instants_are_taken_as_the_log_keeps_them(self):
        log = read('read_at,note\n2026-11-01T19:00:05.7,"wet\nand  cold"\n')
        self.assertEqual((log.readings[0].note, log.readings[0].at.microsecond), ("wet and cold", 0))
        with self.assertRaisesRegex(FileFaults, "line 2, column note: found 2001 letters"):
            read("read_at,note\n2026-11-01T19:00," + "x" * 2001 + "\n")
        with self.assertRaisesRegex(FileFaults, "another reading at the instant"):
            read("read_at,soc_percent\n2026-11-01T19:00:05.7,50\n2026-11-01T19:00:05.2,51\n")


class Large(unittest.TestCase):
    """Rows of a device, each ten minutes apart; here a file of more than four rows is large."""

    HEAD = "read_at,soc_percent,solar_wh,use_wh,generator_hours,sky,note,events,full_at\n"

    def joined(self, *rows, mapping=None):
        with mock.patch.object(log_csv, "LARGE_ROWS", 4):
            return read_log((self.HEAD + "\n".join(rows) + "\n").encode(), HOBART, NOW, mapping)

    def test_rows_of_the_same_hours_are_one_reading(self):
        log = self.joined("2026-11-01T00:10Z,60,100,30,0.5,clear,one,water,", "2026-11-01T00:20Z,61,50,20,0.25,,,,",
                          "2026-11-01T02:59:59Z,,25,,0,,two,equalised;water,2026-11-01T02:30Z",
                          "2026-11-01T03:00Z,64,7,5,,mixed,,,", "2026-11-01T06:00Z,63,0,4,,,,,")
        first, second, third = log.readings
        self.assertEqual((first.at.isoformat(), first.soc, first.solar_wh, first.use_wh, first.generator_hours),
                         ("2026-11-01T02:59:59+00:00", 0.61, 175, None, 0.75))
        self.assertEqual((first.sky, first.note, set(first.events), first.full_at.hour),
                         ("clear", "one; two", {"equalised", "water"}, 2))
        self.assertEqual((second.solar_wh, second.use_wh, second.generator_hours, second.sky), (7, 5, None, "mixed"))
        self.assertEqual((third.soc, third.use_wh), (0.63, 4))
        self.assertIn("5 rows are joined into 3 readings, one for each 3 hours", log.warnings[0])

    def test_nothing_of_a_log_by_hand_is_joined(self):
        rows = [f"2026-11-0{n}T0{hour}:00Z,6{n},10,5,,,,," for n in (1, 2) for hour in (0, 1)]
        log = self.joined(*rows[:3])
        self.assertEqual((len(log.readings), log.warnings), (3, []))
        self.assertEqual(len(self.joined(*rows, "2026-11-03T00:00Z,60,1,1,,,,,").readings), 3)

    def test_what_is_no_row_of_it_is_still_refused_and_told(self):
        rows = [f"2026-11-01T00:{n}0Z,60,10,5,,,,," for n in range(5)]
        with self.assertRaisesRegex(FileFaults, "line 7, column read_at: found another reading at the instant"):
            self.joined(*rows, "2026-11-01T00:40Z,61,10,5,,,,,")
        with self.assertRaisesRegex(FileFaults, "line 7, column soc_percent"):
            self.joined(*rows, "2026-11-01T00:50Z,610,10,5,,,,,")

    def test_counters_come_to_what_they_show_last(self):
        columns = {"read_at": Column("read_at"), "solar_wh": Column("solar_wh")}
        rows = [f"2026-11-01T0{n // 6}:{n % 6}0Z,60,{1000 + 5 * n},5,,,,," for n in range(24)]
        log = self.joined(*rows, mapping=Mapping(columns=columns, sums=COUNTED))
        self.assertEqual([reading.solar_wh for reading in log.readings], [None, 30.0])  # from 2:50 to 3:50


class ThereAndBack(unittest.TestCase):
    def test_exported_reckoned_figures_are_reckoned_again_not_believed(self):
        for use_side in ("dc", "ac"):
            of = rig(use_side=use_side)
            log = readings({"soc": 0.5}, {"soc": 0.6, "solar_wh": 3000, "note": 'a "quoted",\nnote'},
                           {"soc": 0.6, "use_wh": 1800.25}, {"soc": 0.55})
            account = reckon(of, log, sun_of(of))
            text = write_log(of, log, account.intervals)
            self.assertIn(",reckoned,read\n", text)
            self.assertIn(",read,reckoned\n", text)
            again = read(text).readings
            self.assertEqual([(r.at, r.soc, r.solar_wh, r.use_wh) for r in again],
                             [(r.at, r.soc, r.solar_wh, r.use_wh) for r in log])
            second = write_log(of, again, reckon(of, again, sun_of(of)).intervals)
            self.assertEqual(second, text)

    def test_random_logs_survive(self):
        rng = random.Random(9)
        of = random_rig(rng)
        log = readings(*({"soc": rng.randint(0, 100) / 100, "solar_wh": round(rng.uniform(0, 9000), 1),
                          "generator_hours": 1.25, "sky": "mixed", "temp_c": -3.5, "volts": 25.6}
                         for _ in range(50)), hours=19.5)
        self.assertEqual(read(write_log(of, log, []), now=None).readings, log)
