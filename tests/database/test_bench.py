import json
import random
import sqlite3
from dataclasses import replace
from datetime import date, timedelta

from tests.core.bench.test_bench import START, marks, meter
from tests.support import NOW, DatabaseCase, rig
from voltaun.core.bench.findings import changes, find
from voltaun.core.bench.round import doubts, lay_out
from voltaun.core.bench.runs import INSTRUMENTS, Mark, Run
from voltaun.core.rig.parts import Bank, Engine, Generator, Load, Mains, SolarArray, Stay
from voltaun.database import archive, bench, connection, rigs
from voltaun.database.connection import transaction

FREEZER = Load("Freezer", 900, "ac", running_w=120, evidence="label")
RUN = meter((0, 24, 48), (0, 700, 1400), run_minutes=(0, None, 840), ambient_c=(14, None, 15))


class BenchCase(DatabaseCase):
    def setUp(self):
        super().setUp()
        with transaction(self.db):
            self.rig_id = rigs.add(self.db, replace(self.rig, name="Shed", loads=(FREEZER,)))

    def rig_now(self):
        return rigs.get(self.db, self.rig_id)

    def begin(self, run=RUN):
        with transaction(self.db):
            run_id = bench.begin(self.db, self.rig_id, run, NOW)
        return bench.get(self.db, self.rig_id, run_id)

    def apply(self, kept, now=NOW):
        rig_now = self.rig_now()
        set_to = changes(kept.run, rig_now.rig, find(kept.run, rig_now.rig))
        with transaction(self.db):
            bench.apply(self.db, rig_now, kept, kept.version, set_to, now)
        return bench.get(self.db, self.rig_id, kept.id)

    def take_back(self, kept):
        with transaction(self.db):
            bench.take_back(self.db, self.rig_now(), kept, kept.version, NOW)


class Runs(BenchCase):
    def test_there_and_back(self):
        rng = random.Random(1)
        names = ("wh", "run_minutes", "soc", "volts", "ah", "ac_wh", "other_wh", "dc_w", "ac_w", "peak_w", "low_w")
        for n in range(20):
            noted = tuple(Mark(START + timedelta(hours=hour), reset=rng.random() < 0.2, note="Ünd",
                               cells=tuple(rng.choices((1.2, 1.265), k=rng.randint(0, 3))),
                               **{name: rng.random() for name in rng.sample(names, 4)})
                          for hour in range(rng.randint(0, 6)))
            run = Run(rng.choice(INSTRUMENTS), f"Thing {n}", "dc", noted, True, "as it is", 3.0, True, "spot", 60.0,
                      3.0, 0.5, 2.0, 1000.0, 20.0)
            kept = self.begin(run)
            self.assertEqual(kept.run, run)
            run = replace(run, warm=False, watts=61.0, hours_a_day=4.0, duty=0.6, standby_w=3.0, daily_wh=21.0)
            with transaction(self.db):
                bench.change(self.db, kept, kept.version, run, NOW)
            self.assertEqual(bench.get(self.db, self.rig_id, kept.id).run, run)
        self.assertEqual(len(bench.runs(self.db, self.rig_id)), 20)
        self.assertEqual(bench.runs(self.db, 1), [])

    def test_the_file_refuses_what_cannot_be(self):
        kept = self.begin()
        for column, value in (("soc", 1.5), ("wh", -1), ("ambient_c", 500), ("reset", 2), ("at", "yesterday")):
            with self.assertRaises(sqlite3.IntegrityError):
                self.db.execute(f"UPDATE bench_mark SET {column} = ? WHERE run_id = ?", (value, kept.id))
        with self.assertRaises(sqlite3.IntegrityError):
            self.db.execute("UPDATE bench_run SET applied_at = 'now' WHERE id = ?", (kept.id,))

    def test_a_change_is_taken_back_whole_and_only_the_last_one(self):
        kept = self.begin()
        with transaction(self.db):
            changed = replace(RUN, marks=RUN.marks[:2], warm=True)
            first = bench.change(self.db, kept, kept.version, changed, NOW, "abandoned")
        changed = bench.get(self.db, self.rig_id, kept.id)
        self.assertEqual((changed.state, len(changed.run.marks), changed.run.warm), ("abandoned", 2, True))
        with self.assertRaises(bench.RunChanged), transaction(self.db):
            bench.change(self.db, kept, kept.version, RUN, NOW)
        with transaction(self.db):
            bench.undo(self.db, self.rig_id, first, NOW)
        back = bench.get(self.db, self.rig_id, kept.id)
        self.assertEqual((back.run, back.state, back.begun_at), (RUN, "open", kept.begun_at))
        with self.assertRaises(bench.RunChanged), transaction(self.db):
            bench.undo(self.db, self.rig_id, first, NOW)
        for rig_id, change_id in ((self.rig_id, 999), (1, first)):
            with self.assertRaises(LookupError), transaction(self.db):
                bench.undo(self.db, rig_id, change_id, NOW)


class Findings(BenchCase):
    def test_applied_once_traceable_and_taken_back(self):
        before = self.rig_now().rig
        kept = self.apply(self.begin())
        self.assertEqual(kept.applied_at, NOW)
        load, = self.rig_now().rig.loads
        self.assertEqual((load.daily_wh, load.evidence, load.running_w), (700, "metered", 100))
        origin = rigs.origins(self.db, self.rig_now())["loads", "Freezer", "daily_wh"]
        self.assertEqual((origin.run_id, origin.instrument, origin.at), (kept.id, "meter", NOW))
        with self.assertRaises(bench.AlreadyApplied):
            self.apply(kept)
        self.take_back(kept)
        self.assertEqual(self.rig_now().rig, before)
        self.assertEqual(rigs.origins(self.db, self.rig_now()), {})
        with self.assertRaises(LookupError):
            self.take_back(bench.get(self.db, self.rig_id, kept.id))

    def test_an_earlier_finding_is_the_origin_again(self):
        first = self.apply(self.begin())
        second = self.apply(self.begin(meter((0, 24, 48), (0, 800, 1600))), NOW + timedelta(days=9))
        self.take_back(second)
        self.assertEqual(self.rig_now().rig.loads[0].daily_wh, 700)
        origin = rigs.origins(self.db, self.rig_now())["loads", "Freezer", "daily_wh"]
        self.assertEqual((origin.run_id, origin.at), (first.id, NOW))

    def test_what_was_changed_since_is_not_overwritten(self):
        kept = self.apply(self.begin())
        now = self.rig_now()
        with transaction(self.db):
            rigs.save(self.db, now, replace(now.rig, loads=(replace(now.rig.loads[0], daily_wh=650),)), NOW)
        with self.assertRaises(bench.FigureChanged):
            self.take_back(kept)
        self.assertEqual(self.rig_now().rig.loads[0].daily_wh, 650)
        origins = rigs.origins(self.db, self.rig_now())
        self.assertIsNone(origins["loads", "Freezer", "daily_wh"].run_id)  # typed now
        self.assertEqual(origins["loads", "Freezer", "evidence"].run_id, kept.id)

    def test_a_new_load_goes_again_when_it_is_taken_back(self):
        kept = self.apply(self.begin(Run("label", "Kettle", watts=2200, hours_a_day=0.25)))
        self.assertEqual([load.name for load in self.rig_now().rig.loads], ["Freezer", "Kettle"])
        self.take_back(kept)
        self.assertEqual([load.name for load in self.rig_now().rig.loads], ["Freezer"])

    def test_half_an_applying_leaves_nothing(self):
        kept = self.begin(Run("inverter", marks=marks((0, 1), ac_w=(0, 900), dc_w=(20, 1020))))
        before = self.rig_now()
        with self.assertRaises(bench.RunChanged), transaction(self.db):
            rigs.save(self.db, before, replace(before.rig, name="Half"), NOW)
            bench.apply(self.db, self.rig_now(), kept, kept.version + 1, {("inverter", "idle_w"): 20.0}, NOW)
        self.assertEqual(self.rig_now(), before)


class RigChanges(BenchCase):
    RICH = rig(
        name="Rich",
        bank=Bank("lfp", rated_energy_wh=2000, pack_wh=(1000, 1000), charge_limit_w=900, solar_input_w=500),
        arrays=(SolarArray("Fold", 120, 2, controller_limit_a=20, aimed_per_day=3, hours_out=6),
                SolarArray("Roof", 300, 2, 30, 0, tuple(0.5 + n / 24 for n in range(12)))),
        vehicles=(Engine("Ute", 320, 13.2, 10, 400, 0.88, 12.3),), generators=(Generator("Set", 900, 0.7, 2000, 1.9),),
        mains=(Mains("Town", 300, True),), loads=(replace(FREEZER, pattern=("window", 8, 20, 3), months=(1, 2)),),
        places=(Stay(date(2026, 10, 3), "Orchard", -42.7, 147.1, 60, 0.9),))

    def test_everything_there_and_back_and_undone(self):
        with transaction(self.db):
            change = rigs.save(self.db, self.rig_now(), self.RICH, NOW)
        self.assertEqual(self.rig_now().rig, self.RICH)
        with transaction(self.db):
            rigs.undo(self.db, self.rig_id, change, NOW)
        self.assertEqual(self.rig_now().rig, replace(self.rig, name="Shed", loads=(FREEZER,)))
        with self.assertRaises(rigs.RigChanged), transaction(self.db):
            rigs.undo(self.db, self.rig_id, change, NOW)
        with self.assertRaises(LookupError), transaction(self.db):
            rigs.undo(self.db, 1, change, NOW)
        with transaction(self.db):
            again = rigs.save(self.db, self.rig_now(), replace(self.rig, name="Bare", inverter=None), NOW)
            rigs.save(self.db, self.rig_now(), self.RICH, NOW)
        with self.assertRaises(rigs.RigChanged), transaction(self.db):
            rigs.undo(self.db, self.rig_id, again, NOW)

    def test_a_rich_rig_goes_through_its_file(self):
        from voltaun.formats.rig_file import read_rig, write_rig
        self.assertEqual(read_rig(write_rig(self.RICH)), self.RICH)

    def test_the_round_is_kept(self):
        laid = lay_out(doubts(self.rig_now().rig, 11), 2, 1, NOW, NOW)
        with transaction(self.db):
            bench.keep_round(self.db, self.rig_id, laid)
        self.assertEqual(bench.measuring_round(self.db, self.rig_id), laid)
        self.assertIsNone(bench.measuring_round(self.db, 1))


class Older(BenchCase):
    def test_a_file_of_the_first_release_is_brought_up_to_date_with_all_that_is_in_it(self):
        old = self.path.with_name("old.db")
        first = connection.migrations()[:1]
        self.addCleanup(setattr, connection, "migrations", connection.migrations)
        newest, connection.migrations = connection.migrations, lambda: first
        connection.prepare(old)
        db = connection.connect(old)
        self.addCleanup(db.close)
        db.executescript("""
            INSERT INTO rig (id, name, latitude, longitude, elevation_m, timezone, use_side, soc_from)
                VALUES (1, 'Old', -42, 147, 0, 'Australia/Hobart', 'dc', 'shunt');
            INSERT INTO bank VALUES (1, 'lfp', 12.8, 200, 2, 2, NULL, NULL, 0.2, 0.1, 0.95, 2);
            INSERT INTO solar_array VALUES (1, 0, 'Roof', 330, 6, 30, 0, '0.95', NULL);
            INSERT INTO charger VALUES (1, 'vehicle', 0, 'Ute', 320, NULL);
            INSERT INTO reading (rig_id, at, soc) VALUES (1, '2026-11-01T08:00:00Z', 0.5);""")
        connection.migrations = newest
        connection.prepare(old)
        kept = rigs.get(db, 1).rig
        self.assertEqual(kept.arrays, (SolarArray("Roof", 330, 6, 30, 0, 0.95),))
        self.assertEqual(kept.vehicles, (Engine("Ute", 320),))
        from voltaun.database import readings
        self.assertEqual([each.reading.soc for each in readings.everything(db, 1)], [0.5])

    def test_runs_of_before_the_hydrometer_keep_all_that_points_to_them(self):
        old = self.path.with_name("old.db")
        newest = connection.migrations
        self.addCleanup(setattr, connection, "migrations", newest)
        connection.migrations = lambda: newest()[:9]
        connection.prepare(old)
        db = connection.connect(old)
        self.addCleanup(db.close)
        db.executescript("""
            INSERT INTO rig (id, name, latitude, longitude, elevation_m, timezone, use_side, soc_from, not_yet_told)
                VALUES (1, 'Old hut', -42, 147, 0, 'Australia/Hobart', 'dc', 'shunt', '[]');
            INSERT INTO bank (rig_id, chemistry, unit_voltage_v, unit_capacity_ah, series, parallel, everyday_floor,
                              hard_floor, charge_efficiency, standby_w)
                VALUES (1, 'lfp', 12.8, 200, 2, 2, 0.2, 0.1, 0.95, 2);
            INSERT INTO load VALUES (1, 0, 'Freezer', 900, 'ac', 90, NULL, 'wanted', '"always"', '[1, 2, 3]', 'guess');
            INSERT INTO charger (rig_id, source, position, name, charge_w, fuel_l_per_hour)
                VALUES (1, 'generator', 0, 'Set', 900, 0.7);""")
        before = {"state": "open", "begun_at": "2026-11-02T08:10:00Z",
                  "run": {"instrument": "meter", "subject": "Freezer", "side": "ac", "warm": 0,
                          "conditions": "lid shut", "leave_out_hours": 0.0, "cut_off": 0, "basis": "label",
                          "watts": None, "hours_a_day": None, "duty": None, "yearly_wh": None, "daily_wh": None},
                  "marks": [{"at": "2026-11-02T08:10:00Z", "wh": 0.0, "reset": 0, "note": ""}]}
        db.executescript("""
            INSERT INTO bench_run (id, rig_id, instrument, subject, side, begun_at, version)
                VALUES (7, 1, 'meter', 'Freezer', 'ac', '2026-11-02T08:10:00Z', 2);
            INSERT INTO bench_mark (run_id, at, wh)
                VALUES (7, '2026-11-02T08:10:00Z', 0), (7, '2026-11-03T08:10:00Z', 700);
            INSERT INTO figure_origin (rig_id, path, value, at, run_id)
                VALUES (1, '["loads", "Freezer", "daily_wh"]', '900.0', '2026-11-03T09:00:00Z', 7);""")
        db.execute("INSERT INTO bench_change VALUES (3, 7, '2026-11-03T08:10:00Z', 2, ?)", (json.dumps(before),))
        connection.migrations = newest
        connection.prepare(old)
        self.assertEqual([mark.wh for mark in bench.get(db, 1, 7).run.marks], [0.0, 700.0])
        self.assertEqual(rigs.origins(db, rigs.get(db, 1))["loads", "Freezer", "daily_wh"].run_id, 7)
        self.assertEqual(rigs.get(db, 1).rig.generators, (Generator("Set", 900, 0.7),))
        self.assertEqual(db.execute("PRAGMA foreign_key_check").fetchall(), [])
        # What was noted of it before it was changed came before a label's standby and the cells; it can be read all
        # the same, from an archive too, and taken back.
        with transaction(self.db):
            brought = archive.add_rig(self.db, archive.rig_archive(db, 1) | {"rig": {
                **archive.rig_archive(db, 1)["rig"], "name": "Brought"}})
        self.assertEqual(len(bench.runs(self.db, brought)), 1)
        with transaction(db):
            bench.undo(db, 1, 3, NOW)
        self.assertEqual(bench.get(db, 1, 7).run, Run("meter", "Freezer", marks=(Mark(START, wh=0.0),),
                                                      conditions="lid shut"))
        with self.assertRaises(sqlite3.IntegrityError):  # and foreign keys hold again
            db.execute("INSERT INTO bench_mark (run_id, at) VALUES (99, '2026-11-02T08:10:00Z')")
