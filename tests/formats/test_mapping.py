import json
import unittest

from tests.support import rig
from voltaun.core.instants import zone
from voltaun.core.learned.account import reckon
from voltaun.formats import FileFaults
from voltaun.formats.guessing import guess, is_dense, order_of
from voltaun.formats.log_csv import read_log
from voltaun.formats.loose import kind_of, meant
from voltaun.formats.mapping import COUNTED, SAMPLES, Column, Mapping, read_mapping
from voltaun.formats.questions import open_questions
from voltaun.formats.tables import not_a_table, number_of
from voltaun.formats.translating import Grounds
from voltaun.formats.when import (
    DAY_FIRST,
    MONTH_FIRST,
    TwoWays,
    month_end,
    read_clock,
    read_day,
    read_when,
    without_year,
)

HOBART = zone("Australia/Hobart")

SHEET = """Datum;Uhrzeit;Ladestand %;Ertrag kWh;Verbrauch (kWh);Wetter;Bemerkung
24.11.2026;19:30;82,5;2,15;1,9;Sonne;
25.11.2026;20:00;74;0,35;2,05;Regen;=2+3
26.11.2026;;;;;;
27.11.2026;7:15 pm;1.000,5;;;
"""


class Whens(unittest.TestCase):
    def test_as_people_and_spreadsheets_write_them(self):
        for text in ("2026-11-24T19:30", "2026-11-24 19:30:00", "24.11.26 19:30", "24.11.2026 19.30",
                     "24/11/2026 7:30 pm",
                     "11/24/2026 7:30 PM", "24 Nov 2026 19h30", "Nov 24, 2026 7:30 p.m.", "24-Nov-2026 19:30",
                     "2026/11/24 19:30"):
            self.assertEqual(f"{read_when(text):%Y-%m-%d %H:%M}", "2026-11-24 19:30", text)
        self.assertEqual(f"{read_when('2026-11-24T19:30+11:00'):%z}", "+1100")

    def test_what_can_be_read_two_ways_is_not_guessed(self):
        with self.assertRaises(TwoWays) as two:
            read_day("3/11/2026")
        self.assertEqual((two.exception.first.month, two.exception.second.month), (11, 3))
        for typed in ("12/5/2026", "5/12/2026"):
            with self.assertRaises(TwoWays):
                read_day(typed)
        self.assertEqual((read_day("3/11/2026", DAY_FIRST).month, read_day("3/11/2026", MONTH_FIRST).month), (11, 3))
        self.assertEqual((read_day("3.11.2026").month, read_day("5/5/26").isoformat()), (11, "2026-05-05"))
        self.assertEqual((order_of(["3/4/2026", "13/4/2026"]), order_of(["3/4/2026", "4/13/26"]), order_of(["3/4/26"])),
                         (DAY_FIRST, MONTH_FIRST, ""))

    def test_hours(self):
        for text, shown in (("13:40", "13:40"), ("1:40 pm", "13:40"), ("13.40", "13:40"), ("7 am", "07:00"),
                            ("12 am", "00:00"), ("12:05 pm", "12:05"), ("20h", "20:00"), ("7 Uhr", "07:00")):
            self.assertEqual(f"{read_clock(text):%H:%M}", shown)
        for text in ("24:00", "1340", "13", "²:00", "13 pm", "12:60", "", "noon", "24h", "h"):
            self.assertIsNone(read_clock(text), text)


class Mapped(unittest.TestCase):
    def test_numbers_with_either_decimal_mark(self):
        for text, decimal, value in (("2,15", ",", 2.15), ("1.850,5", ",", 1850.5), ("1,850.5", ".", 1850.5),
                                     ("1 850", ".", 1850), ("-3,5", ",", -3.5), ("82 %", ".", 82),
                                     ("2.1 kWh", ".", 2.1),
                                     ("", ".", None), ("x", ".", None), ("1e5", ".", None), ("²", ".", None)):
            self.assertEqual(number_of(text, decimal), value, text)

    def test_a_sheet_is_guessed_asked_about_and_read(self):
        found = guess(SHEET)
        self.assertEqual({theirs: (column.of, column.unit) for theirs, column in found.columns.items()}, {
            "Datum": ("date", ""), "Uhrzeit": ("time", ""), "Ladestand %": ("soc_percent", ""),
            "Ertrag kWh": ("solar_wh", "kWh"), "Verbrauch (kWh)": ("use_wh", "kWh"), "Wetter": ("sky", ""),
            "Bemerkung": ("note", "")})
        self.assertEqual((found.separator, found.decimal), (";", ","))
        self.assertEqual([(each.kind, each.about) for each in open_questions(found, SHEET)],
                         [("sky", ("Regen", "Sonne"))])
        told = Mapping(**(vars(found) | {"sky": {"sonne": "clear", "regen": "overcast"}, "hour": "12:00"}))
        self.assertEqual(open_questions(told, SHEET), [])
        self.assertEqual(read_mapping(json.dumps(told.document())), told)
        with self.assertRaises(FileFaults) as faults:
            read_log(SHEET.encode(), HOBART, mapping=told)
        self.assertEqual(str(faults.exception),
                         "line 5, column soc_percent: found '1000.5', expected a percent from 0 to 100")
        log = read_log(SHEET.replace("1.000,5", "61").encode(), HOBART, mapping=told).readings
        self.assertEqual([(f"{each.at.astimezone(HOBART):%d %H:%M}", each.soc, each.solar_wh, each.use_wh, each.sky)
                          for each in log], [("24 19:30", 0.825, 2150, 1900, "clear"), ("25 20:00", 0.74, 350, 2050,
                                             "overcast"), ("26 12:00", None, None, None, None),
                                             ("27 19:15", 0.61, None, None, None)])
        self.assertEqual(log[1].note, "=2+3")

    def test_units_signs_and_levels_in_amp_hours(self):
        text = "when|Ah left|Ah used|°F|drove min\n2026-11-24 19:30|100|-40|50|90\n"
        mapping = Mapping(columns={"when": Column("read_at"), "Ah left": Column("soc_percent", "Ah"),
                                   "Ah used": Column("use_wh", "Ah", -1), "°F": Column("temp_c", "°F"),
                                   "drove min": Column("vehicle_hours", "min")}, separator="|")
        reading, = read_log(text.encode(), HOBART, mapping=mapping, grounds=Grounds(25.6, 400)).readings
        self.assertEqual((reading.soc, reading.use_wh, reading.temp_c, reading.vehicle_hours), (0.25, 1024, 10, 1.5))
        with self.assertRaisesRegex(FileFaults, "column Ah left: found '100'"):
            read_log(text.encode(), HOBART, mapping=mapping, grounds=Grounds(25.6, None))

    def test_days_without_a_time_and_days_two_ways_are_asked_about(self):
        text = "Day,SOC\n3/11/2026,80\n4/11/2026,70\n"
        found = guess(text)
        self.assertEqual([each.kind for each in open_questions(found, text)], ["dates", "hour"])
        with self.assertRaisesRegex(FileFaults, "line 2, the day and time: found '3/11/2026', which can be read"):
            read_log(text.encode(), HOBART, mapping=Mapping(**(vars(found) | {"hour": "19:00"})))
        told = Mapping(**(vars(found) | {"hour": "7 pm", "dates": DAY_FIRST}))
        log = read_log(text.encode(), HOBART, mapping=told).readings
        self.assertEqual([f"{each.at.astimezone(HOBART):%Y-%m-%d %H:%M}" for each in log],
                         ["2026-11-03 19:00", "2026-11-04 19:00"])
        self.assertEqual([each.kind for each in open_questions(Mapping(), "a,b\n1,2\n")], ["at"])

    def test_cells_as_people_leave_them_are_asked_about_once_a_kind(self):
        text = ("Date,Time,SOC,Sun Wh\n2026-11-03,morning,n/a,2100\n2026-11-04,evening,about 40,-\n"
                "2026-11-05,19:30,40 ±2,~350\n2026-11-06,noon,74?,1850 Wh\n")
        found = guess(text)
        self.assertEqual([(each.kind, each.about) for each in open_questions(found, text)], [
            ("hours", ("morning", "evening", "noon")), ("blank", ("n/a", "-")),
            ("about", ("about 40", "40 ±2", "74?", "~350"))])
        with self.assertRaisesRegex(FileFaults, "column SOC: found 'n/a', expected a number"):
            read_log(text.encode(), HOBART, mapping=found)
        told = Mapping(**(vars(found) | {"loose": ("blank", "about", "hours")}))
        self.assertEqual(open_questions(told, text), [])
        self.assertEqual(read_mapping(json.dumps(told.document())), told)
        log = read_log(text.encode(), HOBART, mapping=told).readings
        self.assertEqual([(f"{each.at.astimezone(HOBART):%d %H:%M}", each.soc, each.solar_wh) for each in log],
                         [("03 07:00", None, 2100), ("04 19:00", 0.4, None), ("05 19:30", 0.4, 350),
                          ("06 12:00", 0.74, 1850)])
        with self.assertRaisesRegex(FileFaults, "loose"):
            read_mapping('{"voltaun_mapping": 1, "loose": ["all"]}')
        for exact in ("2,150", "82 %", "2.1 kWh", "-3.5", "1 850", "nobody", "40 to 50"):
            self.assertIsNone(kind_of(exact, True, False), exact)
        self.assertIsNone(kind_of("about 40", False, False))  # a note may say so
        self.assertEqual(meant("2026-11-04 Evening", False, True, ("hours",)), "2026-11-04 19:00")

    def test_sums_of_days_that_were_left_out_are_not_spread_over_them(self):
        rows = [f"2026-11-{n:02d},0.6,2.0,1.9\n" for n in (1, 2, 3, 7, 8, 9)]
        text = "Date,SOC,Sun kWh,Used kWh\n" + "".join(rows)
        found = Mapping(**(vars(guess(text)) | {"hour": "19:00"}))
        self.assertEqual([(each.kind, each.about) for each in open_questions(found, text)], [("sums", ("7 Nov 2026",))])
        whole = "Date,SOC,Sun kWh\n" + "".join(f"2026-11-{n:02d},0.6,2.0\n" for n in (1, 2, 3, 4))
        for other in (whole, whole.replace("Sun kWh", "Remark")):
            asked = open_questions(Mapping(**(vars(guess(other)) | {"hour": "19:00"})), other)
            self.assertEqual(asked, [])

        def use(sums):
            told = Mapping(**(vars(found) | {"sums": sums}))
            self.assertEqual(open_questions(told, text), [])
            self.assertEqual(read_mapping(json.dumps(told.document())), told)
            log = read_log(text.encode(), HOBART, mapping=told).readings
            return len(log), reckon(rig(arrays=()), log, None).learned.use.mean
        # Five sums of 1900 Wh, each of a day; or the fourth of them of four days.
        of_the_day, since = use("of the day"), use("since the row before")
        self.assertEqual((of_the_day[0], since[0]), (7, 6))
        self.assertAlmostEqual(of_the_day[1], 1900, delta=1)
        self.assertAlmostEqual(since[1], 5 * 1900 / 8, delta=1)

    def test_days_of_a_month_and_days_without_a_year(self):
        for text, last in (("2026-02", "2026-02-28"), ("2028/2", "2028-02-29"), ("December 2026", "2026-12-31")):
            self.assertEqual(month_end(text).isoformat(), last)
        for text, day in (("24 Nov", (11, 24)), ("Nov 24th", (11, 24)), ("24.11.", (11, 24))):
            self.assertEqual(without_year(text), day)
        for text in ("2026-13", "Smarch 2026", "24 Smarch", "24/11", "24", "2026-02-03"):
            with self.assertRaises(ValueError):
                month_end(text)
            with self.assertRaises(ValueError):
                without_year(text)
        mapping = Mapping(columns={"d": Column("read_at")}, year=2025, hour="20h")
        text = "d\n24 Nov\n2 Dec 21:00\n30 Nov\n1 Jan\n28 Dec\n"  # a row that is late by days begins no other year
        log = read_log(text.encode(), HOBART, mapping=mapping).readings
        days = [f"{each.at.astimezone(HOBART):%Y-%m-%d %H}" for each in log]
        self.assertEqual(days, ["2025-11-24 20", "2025-11-30 20", "2025-12-02 21", "2026-01-01 20", "2026-12-28 20"])

    def test_a_counter_is_asked_about_and_one_that_was_set_back_is_left_blank(self):
        def asked(*shown):
            text = "Date,Sun kWh\n" + "".join(f"2026-11-{n:02d} 19:00,{wh}\n" for n, wh in enumerate(shown, 1))
            return [each.kind for each in open_questions(guess(text), text)]
        for shown in ((1204.2, 1206.1, 1207), (2.1, 3.9, 6, 6, 8.2, 9.1)):
            self.assertEqual(asked(*shown), ["counter"])
        for shown in ((2.1, 3.9, 6), (1.9, 2.05, 2.15), (62.4, 84.2, 101), (2.1, 1.9, 2.4, 2.2, 2.6, 2.1),
                      (2, 2, 2, 2, 2, 2), (1204.2, 1206.1),
                      (2.1, 3.9, 1, 4, 5, 6)):
            self.assertEqual(asked(*shown), [])
        mapping = Mapping(columns={"d": Column("read_at"), "s": Column("solar_wh", "kWh"), "u": Column("use_wh")},
                          sums=COUNTED)
        rows = ("24,10,", "25,12.5,100", "26,0.5,180", "27,,200", "28,2,260")
        text = "d,s,u\n" + "".join(f"2026-11-{row}\n".replace(",", " 19:00,", 1) for row in rows)
        log = read_log(text.encode(), HOBART, mapping=mapping)
        self.assertEqual([(each.solar_wh, each.use_wh) for each in log.readings],
                         [(None, None), (2500, None), (None, 80), (None, 20), (1500, 60)])
        self.assertEqual([words for words in log.warnings if "counter" in words],
                         ["2026-11-26 19:00: the counter of solar_wh reads less than in the row before, so it is left "
                          "blank there"])

    def test_what_its_cells_tell_where_the_header_does_not(self):
        found = guess("who,b,SOC\nme,2026-11-03 19:00,60\nyou,2026-11-04 19:00,61\n").columns
        self.assertEqual([(theirs, column.of) for theirs, column in found.items()],
                         [("SOC", "soc_percent"), ("b", "read_at")])
        for sun, unit in (("20,30", ""), ("2.5,30", "kWh"), ("2.5,2000", "")):
            text = "Date,Sun\n" + "".join(f"2026-11-{n:02d} 19:00,{wh}\n" for n, wh in enumerate(sun.split(","), 1))
            self.assertEqual(guess(text).columns["Sun"].unit, unit)
        # Two rows of one instant that no column tells apart are a fault, and no question of rigs.
        text = "date,level,mood\n2026-11-03 19:00,60,good\n2026-11-03 19:00,61,good\n2026-11-04 19:00,61,bad\n"
        self.assertEqual(open_questions(guess(text), text), [])

    def test_what_is_no_legal_answer_is_refused_by_its_path(self):
        whole = {"voltaun_mapping": 1, "zone": "UTC", "year": 2025, "only": {"system": "hut"}, "sums": COUNTED}
        told = read_mapping(json.dumps(whole))
        self.assertEqual((told.zone, told.year, told.only, told.sums), ("UTC", 2025, {"system": "hut"}, COUNTED))
        self.assertEqual(read_mapping(json.dumps(told.document())), told)
        for path, wrong in (("zone", "Mars"), ("year", "2025"), ("year", 1066), ("year", True), ("only", ["hut"]),
                            ("only", {"a": "b", "c": "d"}), ("only", {"a": 5})):
            with self.assertRaisesRegex(FileFaults, f"^{path}: found"):
                read_mapping(json.dumps(whole | {path: wrong}))

    def test_what_is_written_by_other_programs_says_what_to_do(self):
        for start, what in ((b"PK\x03\x04" + b"x" * 40, "a spreadsheet file (xlsx or ods)"),
                            (b'{"at": 1}\n{"at": 2}\n', "JSON lines"), (b'{\n "voltaun_archive": 1}', None),
                            (b"a,b\n1,2\n", None), (b'{"a": {}}', None), (b"", None)):
            self.assertEqual(not_a_table(start), what)

    def test_one_fault_in_line_after_line_is_one_line(self):
        text = "Date,SOC\n" + "".join(f"2026-11-{n:02d} 19:00,full\n" for n in range(1, 21)) + "2026-11-25 19:00,x\n"
        with self.assertRaises(FileFaults) as faults:
            read_log(text.encode(), HOBART, mapping=guess(text))
        self.assertEqual(str(faults.exception).split("\n"), [
            "line 2, column SOC: found 'full', expected a number (%), and so 19 times more",
            "line 22, column SOC: found 'x', expected a number (%)"])

    def test_a_minute_export_in_thousandths_with_seconds_since_1970(self):
        found = guess("ts,Vbat mV,I mA,SOC\n1764547200,25600,-1200,74\n1764547260,25590,-1210,74\n", SAMPLES)
        self.assertEqual([(column.of, column.unit) for column in found.columns.values()],
                         [("at", "epoch s"), ("volts", "mV"), ("amps", "mA"), ("soc_percent", "")])
        minutes = "ts,Vbat mV,SOC\n" + "".join(f"{1764547200 + 60 * n},25600,74\n" for n in range(20))
        for text, dense in ((minutes, True), (minutes.replace("00,25600", "99,25600"), True), (minutes[:200], False),
                            ("Date,SOC\n" + "".join(f"{n:02d}.11.2026 19:00,74\n" for n in range(1, 21)), False),
                            ("Time,SOC\n" + "".join(f"2026-11-03 19:{n:02d},74\n" for n in range(1, 21)), True),
                            ("a,b\n" + "1,2\n" * 20, False)):
            self.assertEqual(is_dense(text), dense, text[:60])
        self.assertEqual(guess("Datum;Uhr;Stand\n3.11.2026;19:00;74\n").columns["Uhr"].of, "time")
        # A column of small numbers is no time, whatever its name has in it.
        self.assertNotIn("run time", guess("date,run time,SOC\n2026-11-03 19:00,3,74\n").columns)

    def test_a_word_that_is_none_of_ours_is_left_out_and_said(self):
        mapping = Mapping(columns={"when": Column("read_at"), "sky": Column("sky")}, sky={"sonne": "clear"})
        log = read_log(b"when,sky\n2026-11-24 19:30,Sonne\n2026-11-25 19:30,Fog\n", HOBART, mapping=mapping)
        self.assertEqual([each.sky for each in log.readings], ["clear", None])
        self.assertEqual([words for words in log.warnings if "sky" in words], ["sky words left out: Fog"])

    def test_levels_up_to_a_whole_one_are_fractions(self):
        for full, unit in (("1.0", "fraction"), ("1.01", ""), ("100", "")):
            self.assertEqual(guess(f"Date,SOC\n2026-11-03,0.4\n2026-11-04,{full}\n").columns["SOC"].unit, unit)
