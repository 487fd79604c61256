"""Thousands of odd inputs: each is taken or refused in words, and none brings anything down."""

import copy
import io
import json
import random
import unittest
from datetime import timedelta

from tests.pages.test_pages import PagesCase
from tests.support import NOW, readings, rig
from voltaun.core.bench.runs import INSTRUMENTS
from voltaun.core.instants import zone
from voltaun.core.learned.account import reckon
from voltaun.core.rig import loads as demand
from voltaun.core.rig.fields import RigFaults
from voltaun.demo.honey_house import RIG
from voltaun.formats import FileFaults
from voltaun.formats.log_csv import COLUMNS, read_log
from voltaun.formats.rig_file import read_rig, rig_document, rig_from, write_rig

ODD = ("", "0", "1", "-1", "1e9", "1e400", "nan", "inf", "140", "1,5", "1,200", "9" * 60, "8" * 500, "0x10", "١٢", "5%",
       "2026-11-01T19:00Z", "2026-11-01 19:00+25:00", "0001-01-01T00:00", "9999-12-31T23:59", "2026-02-30T10:00", "T",
       "12:99", "24:00", "7:5", "clear", "ü", "\x00", "'", '"', ";", "<b>", "60 W", "A x", "5 A x 5 A", "in", "25-26",
       "2 h in 9-10", "always", "Mars", "lfp", "units", "on")
ODD_JSON = (None, 0, -1, 1e308, float("inf"), float("nan"), "x", "", [], {}, True, [1, 2, 3], 10 ** 400, 1.5, 12,
            {"hours": [5, 5]}, {"hours": [0, 24]}, {"window": [22, 4], "run_hours": 8})


class Files(unittest.TestCase):
    def test_logs(self):
        rng, hobart, taken = random.Random(5), zone("Australia/Hobart"), 0
        for _ in range(1000):
            columns = rng.sample([*COLUMNS, "x", "use_basis"], rng.randint(1, 8))
            columns += ["read_at"] * ("read_at" not in columns)
            rows = [[rng.choice(ODD) if rng.random() < 0.15 else f"2026-10-{rng.randint(1, 28):02d}T10:00"
                     if name == "read_at" else "5" for name in columns[:rng.randint(1, 9)]] for _ in range(3)]
            comma = rng.choice(",;")
            text = "\n".join(comma.join(row) for row in (columns, *rows))
            try:
                log = read_log(text.encode(), hobart, rng.choice((None, NOW)))
            except FileFaults as faults:
                self.assertTrue(faults.faults and all(fault.expected for fault in faults.faults))
                continue
            taken += 1
            reckon(rig(), log.readings, None)
        self.assertGreater(taken, 30)

    def test_a_row_that_ends_before_its_time(self):
        with self.assertRaisesRegex(FileFaults, "line 2, column read_at: found nothing"):
            read_log(b"soc_percent,read_at\n50\n", zone("Australia/Hobart"))

    def test_rigs(self):
        rng, taken = random.Random(6), 0
        base = rig_document(RIG)
        places = [path for path in _paths(base) if path]
        for _ in range(1000):
            document = copy.deepcopy(base)
            *folders, name = rng.choice(places)
            at = document
            for folder in folders:
                at = at[folder]
            at[name] = copy.deepcopy(rng.choice(ODD_JSON))
            try:
                made = rig_from(document)
            except RigFaults as faults:
                self.assertTrue(all(fault.path and fault.expected for fault in faults.faults))
                continue
            taken += 1
            self.assertAlmostEqual(demand.hourly_shape(made, 6).sum(), 1)
            self.assertEqual(read_rig(write_rig(made)), made)
        self.assertGreater(taken, 50)
        self.assertEqual(json.loads(write_rig(RIG))["voltaun_rig"], 1)


class Pages(PagesCase):
    FIELDS = ("at", "soc", "solar_wh", "use_wh", "sky", "full_at", "volts", "temp_c", "note", "version")
    SUMS = {"run": ("watts", "side", "soc", "floor"), "full": ("soc", "goal", "watts"), "wiring": ("series", "volts"),
            "charges": ("battery", "passes"), "amps": ("amps", "ac", "dc"), "drop": ("area", "length")}

    BENCH = ("at", "wh", "soc", "dc_w", "ac_w", "run_minutes", "ambient_c", "note", "conditions", "leave_out_hours",
             "cut_off", "version", "subject", "basis", "watts", "hours_a_day", "yearly_wh", "begin", "ac_meters")

    def typed(self, rng, mark):
        """Some fields of the bench with odd things in them, others as they may be."""
        good = {"at": f"2026-10-{rng.randint(1, 28):02d}T10:{rng.randint(0, 59):02d}", "wh": str(rng.randint(0, 900)),
                "soc": str(rng.randint(1, 100)), "version": "1", "side": "ac", "ac_w": "50",
                "dc_w": str(rng.randint(1, 90))}
        return good | {name: rng.choice(ODD) for name in rng.sample(self.BENCH, 4)} | {"csrf_token": mark}

    LATER = ("kind", "amount", "first", "last", "load", "name", "day", "sky", "start", "stop", "from_hour", "to_hour",
             "litres", "none", "address", "every", "hours", "forget", "apply", "answer", "version", "back", "r0-at",
             "r0-soc", "r1-at", "r1-solar_wh", "r1-note", "map-at", "zone", "year", "only",
             "only-column", "sums", "loose")

    def test_nor_the_logs_parts_and_the_outlook(self):
        self.keep(*readings(*({"soc": 0.5 + n / 100, "solar_wh": 900} for n in range(30)),
                            start=NOW - timedelta(days=30)))
        rng, mark = random.Random(8), self.mark()
        self.app.config["PROPAGATE_EXCEPTIONS"] = False
        likely = ("guests", "drive", "2026-11-26", "2026-11-27", "clear", "energy", "reset", "40", "1.5", "7 19",
                  "http://127.0.0.1:9", "http://127.0.0.1:99999999")
        for _ in range(12):
            typed = {name: rng.choice(ODD + likely * 3) for name in rng.sample(self.LATER, 9)} | {"csrf_token": mark}
            asked = {name: rng.choice(ODD + likely) for name in (
                "use", "off", "generator", "drive", "on", "until", "day", "month", "a_first", "a_last", "b_first",
                "b_last")}
            answers = [self.client.post(f"/1/{path}", data=typed) for path in (
                "outlook/plans", "outlook/rule", "outlook/sky", "log/grid", "log/taught", "readings/1/answer",
                "outlook/plans/1", "outlook/forecast", "log/monitor")]
            answers += [self.client.get(f"/1/{path}", query_string=asked) for path in (
                "outlook", "log/compare", "log/monitor")]
            answers += [self.client.post("/1/log/samples", data=typed | {
                "file": (io.BytesIO(rng.choice(ODD).encode()), "x")}, content_type="multipart/form-data")]
            for answer in answers:
                self.assertLess(answer.status_code, 500, (typed, asked, answer.request.url))

    def test_no_input_brings_a_page_down(self):
        self.keep(*readings({"soc": 0.5}, {"soc": 0.6, "solar_wh": 900}))
        rng, mark = random.Random(7), self.mark()
        self.app.config["PROPAGATE_EXCEPTIONS"] = False
        for n in range(30):
            typed = {name: rng.choice(ODD) for name in rng.sample(self.FIELDS, 5)} | {"csrf_token": mark}
            if n % 2:
                typed["at"] = f"2026-10-{rng.randint(1, 28):02d}T10:{rng.randint(0, 59):02d}"
            key = rng.choice(tuple(self.SUMS))
            answers = [self.client.post("/1/readings", data=typed), self.client.post("/1/readings/1", data=typed),
                       self.client.get("/1/log", query_string={"day": rng.choice(ODD), "edit": rng.choice(ODD)}),
                       self.client.get("/1/sums", query_string={"of": key} | {name: rng.choice(ODD)
                                                                             for name in self.SUMS[key]}),
                       self.client.post("/1/bench/new", data=self.typed(rng, mark) | {
                           "instrument": rng.choice(INSTRUMENTS)}),
                       self.client.post(f"/1/bench/runs/{rng.randint(1, 9)}/marks", data=self.typed(rng, mark)),
                       self.client.post(f"/1/bench/runs/{rng.randint(1, 9)}/marks/0", data=self.typed(rng, mark)),
                       self.client.post(f"/1/bench/runs/{rng.randint(1, 9)}/noted", data=self.typed(rng, mark)),
                       self.client.get(f"/1/bench/runs/{rng.randint(1, 9)}", query_string={"edit": rng.choice(ODD)}),
                       self.client.post("/1/bench/round", data=self.typed(rng, mark)),
                       self.client.get("/1/additions", query_string={name: rng.choice(ODD) for name in (
                           "use_wh_per_day", "reserve_days", "bank_temp_c", "design_month", "panel_w")})]
            for answer in answers:
                self.assertLess(answer.status_code, 500, (typed, answer.request.url))
        for page in ("today", "log", "bench", "outlook", "log.csv"):
            self.assertEqual(self.client.get(f"/1/{page}").status_code, 200)


def _paths(document, at=()):
    """Where every value of a document stands."""
    yield at
    parts = {dict: lambda: document.items(), list: lambda: enumerate(document)}.get(type(document), tuple)()
    for name, part in parts:
        yield from _paths(part, (*at, name))
