import json
import os
import re
import subprocess
import sys
import tempfile
import unittest
from contextlib import suppress
from dataclasses import replace
from datetime import date
from pathlib import Path
from unittest import mock

from click.testing import CliRunner

from tests.support import NOW, ROOT, environment, rig, voltaun
from voltaun.cli.main import COMMANDS, main
from voltaun.core.rig.parts import Bank, Engine, Load, SolarArray
from voltaun.demo.honey_house import RIG
from voltaun.formats.rig_file import write_rig

LOG = "read_at,soc_percent,solar_wh\n2026-11-01T19:00,82,\n2026-11-02T20:30,74,2150\n"

PRICES = "name,kind,size,price,weight_kg,area_m2\nPanel,panel,300,150,17,1.6\nUnit,battery,4800,1100,45,\n"


class Commands(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.db = self.folder / "kept.db"

    def file(self, name, text):
        path = self.folder / name
        path.write_text(text, encoding="utf-8")
        return path

    def answer(self, *arguments):
        return json.loads(voltaun(*arguments, "--json", check=0).stdout)

    def long_log(self):
        rows = [f"2026-{9 + n // 30:02d}-{n % 30 + 1:02d}T19:{n % 60:02d},{50 + n % 30},{2000 + 37 * n % 2500},2400"
                for n in range(80)]
        return self.file("long.log.csv", "read_at,soc_percent,solar_wh,use_wh\n" + "\n".join(rows) + "\n")


class WithoutDatabase(Commands):
    def test_ledger_worked_example(self):
        got = self.answer("ledger", "--rig-file", self.file("a.rig.json", write_rig(rig())),
                          "--log", self.file("a.log.csv", LOG))
        interval, = got["intervals"]
        self.assertEqual(round(interval["use_wh"], 1), 2808.7)
        self.assertEqual((interval["stored_change_wh"], interval["hours"], interval["use_basis"], interval["capped"]),
                         (-768.0, 25.5, "reckoned", False))
        self.assertLessEqual({"start", "end", "hours", "soc_start", "soc_end", "stored_change_wh", "solar_wh",
                              "vehicle_wh", "generator_wh", "mains_wh", "harvest_basis", "use_wh", "use_basis",
                              "unexplained_wh", "capped", "spilt_wh"}, set(interval))
        self.assertEqual(round(got["learned"]["use_wh_per_day"]["mean"]), 2643)
        self.assertEqual(set(got["learned"]), {"use_wh_per_day", "solar_share", "effective_energy_wh", "hidden_draw_w"})

    def test_the_clear_sky_of_a_rig_is_made_once(self):
        rig_file, log = self.file("a.rig.json", write_rig(rig())), self.file("a.log.csv", LOG)
        command = ["ledger", "--rig-file", rig_file, "--log", log, "--json"]
        with mock.patch.dict(os.environ, {"XDG_DATA_HOME": str(self.folder / "data")}):
            first = voltaun(*command, check=0).stdout
            kept, = (self.folder / "data" / "voltaun" / "clear-sky").iterdir()
            self.assertEqual(kept.stat().st_size, 4 * 365 * 48)
            script = ("import sys; sys.argv = ['voltaun', *sys.argv[1:]]\nfrom voltaun.cli.main import main\n"
                      "try:\n    main()\nfinally:\n    print('pvlib' in sys.modules, file=sys.stderr)")
            again = subprocess.run([sys.executable, "-c", script, *command], cwd=ROOT, capture_output=True, text=True,
                                   check=True)
            self.assertEqual((again.stdout, again.stderr.split()[-1]), (first, "False"))
            kept.write_bytes(b"torn")
            self.assertEqual(voltaun(*command, check=0).stdout, first)

    def test_additions_worked_example(self):
        agm = rig(bank=Bank("agm", 12, 120, 2, 1), arrays=(SolarArray("Roof", 410, 2, 30, 0),))
        sheet = self.answer("additions", "--rig-file", self.file("b.rig.json", write_rig(agm)), "--use-wh", 1900,
                            "--reserve-days", 3, "--recovery-days", 4, "--peak-sun-hours", 3.6, "--bank-temp", 12.5)
        got = sheet["worksheet"]
        self.assertEqual([round(got[name], 1) for name in ("bank_energy_wh", "bank_ah", "units", "array_w", "panels",
                                                           "controller_a")], [12666.7, 527.8, 10, 1448.8, 4, 85.4])
        self.assertEqual([(option["part"], option["add"]) for option in sheet["options"]],
                         [("units", 8), ("panels", 2)])

    def test_additions_simulated_same_seed_same_bytes(self):
        given = ("additions", "--rig-file", self.file("c.rig.json", write_rig(rig())), "--log", self.long_log(),
                 "--panels", 1, "--strings", 1, "--years", 4, "--prices", self.file("p.csv", PRICES), "--budget", 500,
                 "--sky-habit", "winter=2/3/5", "--json")
        first, again = voltaun(*given, "--seed", 3, check=0).stdout, voltaun(*given, "--seed", 3, check=0).stdout
        self.assertEqual(first, again)
        self.assertNotEqual(first, voltaun(*given, "--seed", 4, check=0).stdout)
        got = json.loads(first)["simulation"]
        self.assertEqual((got["years"], got["weather_from"], got["target_short_days"]), (4, ["log", "habit"], 3.0))
        self.assertEqual([(each["panels_added"], each["strings_added"], each["price"]) for each in got["choices"]],
                         [(0, 0, 0.0), (1, 0, 150.0), (0, 1, 2200.0), (1, 1, 2350.0)])
        self.assertEqual([bool(each["ruled_out"]) for each in got["choices"]], [False, False, True, True])
        self.assertLessEqual({"days_below_everyday_floor", "days_unserved", "unserved_wh", "spilt_wh",
                              "generator_hours", "generator_litres", "longest_below_days", "as_recorded", "log_again",
                              "weight_kg", "roof_m2", "unbeaten"}, set(got["choices"][0]))
        self.assertEqual(set(got["choices"][0]["days_below_everyday_floor"]), {"mean", "p10", "p50", "p90"})
        # Without any of its options there is the worksheet alone.
        self.assertNotIn("simulation", json.loads(voltaun(*given[:5], "--json", check=0).stdout))
        self.assertIn("in a usual year", voltaun(*given[:-1], check=0).stdout)

    @unittest.skipIf(sys.platform == "win32", "no terminal to be made here")
    def test_progress_is_told_to_who_watches_and_to_nobody_else(self):
        command = ["additions", "--rig-file", self.file("a.rig.json", write_rig(rig())), "--log", self.long_log(),
                   "--years", "3", "--panels", "1", "--strings", "0"]
        quiet = voltaun(*command, check=0)
        self.assertEqual(quiet.stderr, "")
        for more, told in (([], True), (["--quiet"], False)):
            ours, theirs = os.openpty()
            ran = subprocess.run([sys.executable, "-m", "voltaun", *map(str, command), *more], cwd=ROOT, stderr=theirs,
                                 stdout=subprocess.PIPE, text=True, env=environment(), check=True)
            os.close(theirs)
            said = b""
            with suppress(OSError):  # how a terminal that nobody writes to any more ends
                while piece := os.read(ours, 4096):
                    said += piece
            os.close(ours)
            self.assertEqual(b"Years of weather: 0 %\rYears of weather: " in said, told, said)
            self.assertEqual(ran.stdout, quiet.stdout)
            self.assertEqual(said[-1:], b"\r" if told else b"")  # the line is wiped at its end

    def test_notes_are_said_unless_it_is_to_be_quiet(self):
        command = ["import", self.file("n.rig.json", write_rig(rig())), "--db"]
        self.assertIn("nothing stood there", voltaun(*command, self.folder / "one.db", check=0).stderr)
        self.assertEqual(voltaun(*command, self.folder / "two.db", "-q", check=0).stderr, "")

    def test_additions_with_measures_products_and_a_plane_of_its_own(self):
        of = replace(rig(), vehicles=(Engine("Ute", 320),), loads=(Load("Fridge", 620, "dc"),))
        prices = ("name,kind,size,price,weight_kg,area_m2,for\nOne 300,panel,300,150,17,1.6,\n"
                  "Other,load,300,500,,,Fridge\nMore,charger,600,310,,,Ute\n")
        got = self.answer("additions", "--rig-file", self.file("m.rig.json", write_rig(of)), "--log", self.long_log(),
                          "--panels", 1, "--strings", 0, "--years", 3, "--prices", self.file("m.csv", prices),
                          "--measure", "drive:Ute hours=1 every=2", "--measure", "tilt:Roof degrees=70 months=6-7",
                          "--own-plane", "60/0")["simulation"]["choices"]
        self.assertEqual([(each["panels_added"], each["measures"], each["bought"], each["price"]) for each in got],
                         [(0, [], [], 0.0), (1, [], [], 150.0), (0, ["Other"], ["Other"], 500.0),
                          (0, ["More", "drive:Ute hours=1 every=2"], ["More"], 310.0),
                          (1, ["Other"], ["Other"], 650.0),
                          (0, ["drive:Ute hours=1 every=2"], [], None),
                          (0, ["tilt:Roof degrees=70 months=6-7"], [], 0.0)])
        brought = [each["brought_wh"]["mean"] for each in got]
        self.assertEqual((brought[:3], brought[5]), ([0.0] * 3, 320.0 * 183))

    def test_additions_on_two_planes_at_once(self):
        prices = "name,kind,size,price\nLarge,panel,400,250\nSmall,panel,200,60\n"
        own = self.file("t.rig.json", write_rig(rig()))
        got = self.answer("additions", "--rig-file", own, "--log", self.long_log(), "--panels", 2,
                          "--strings", 0, "--years", 3, "--prices", self.file("t.csv", prices),
                          "--panel", "Large", "--measure", "tilt:Roof degrees=70 months=6", "--second-panel", "Small",
                          "--second-plane", "80/0")["simulation"]["choices"]
        two = [each for each in got if each["second_panels_added"]]
        self.assertEqual({each["measures"][0] for each in two}, {"second-spot"})
        self.assertEqual([(each["panels_added"], each["second_panels_added"], each["price"]) for each in two],
                         [(0, 1, 60.0), (1, 1, 310.0), (0, 2, 120.0)])
        self.assertTrue(all(each["second_panels_added"] == 0 for each in got if not each["measures"]))

    def test_outlook_same_seed_same_bytes(self):
        given = ("outlook", "--rig-file", self.file("c.rig.json", write_rig(rig())), "--log", self.long_log(), "--json")
        first, again = voltaun(*given, "--seed", 3, check=0).stdout, voltaun(*given, "--seed", 3, check=0).stdout
        self.assertEqual(first, again)
        got = json.loads(first)
        self.assertEqual(len(got["days"]), 10)
        self.assertLessEqual({"date", "solar_wh", "solar_to_date_wh", "dawn_soc", "dusk_soc",
                              "chance_below_everyday_floor", "chance_below_hard_floor"}, set(got["days"][0]))
        early = json.loads(voltaun(*given, "--as-of", "2026-10-20T12:00", "--sky", "2026-10-21=storm", check=0).stdout)
        self.assertTrue(early["as_of"].startswith("2026-10-20T12:00"))
        self.assertLess(early["days"][0]["solar_wh"]["p50"], early["days"][1]["solar_wh"]["p10"])

    def test_text_for_people(self):
        files = ("--rig-file", self.file("d.rig.json", write_rig(rig())), "--log", self.long_log())
        self.assertIn("of power without any charging", voltaun("outlook", *files, check=0).stdout)
        self.assertIn("reckoned, not read", voltaun("ledger", *files, check=0).stdout)
        self.assertIn("Planning figures", voltaun("additions", *files, check=0).stdout)

    def test_the_plan_has_the_shape_of_the_contract_and_the_chance_of_the_outlook(self):
        pump = Load("Pump", 300, "dc", 400, pattern=("window", 9, 16, 0.75))
        files = ("--rig-file", self.file("d.rig.json", write_rig(rig(loads=(pump,)))), "--log", self.long_log())
        at = ("--as-of", "2026-11-19T08:00")
        got = self.answer("plan", *files, *at)
        self.assertEqual(set(got), {"as_of", "date", "soc", "stale", "hours", "full_at", "chance_full", "placed",
                                    "unplaced", "until", "may_spend_wh", "must_spare_wh", "trade",
                                    "chance_below_everyday_floor", "spill_list", "ration", "sentences"})
        late = self.answer("plan", *files)
        looked = self.answer("outlook", *files)
        self.assertEqual((late["chance_below_everyday_floor"], late["soc"]),
                         (looked["advice"]["chance"], looked["soc"]))
        self.assertEqual(late["may_spend_wh"] > 0, late["must_spare_wh"] == 0)
        self.assertEqual([of["load"] for of in late["placed"]], ["Pump"])
        self.assertEqual(self.answer("plan", *files, "--done", "Pump")["placed"], [])
        self.assertIn("--done: found 'Boat', expected one of the loads: Pump",
                      voltaun("plan", *files, "--done", "Boat", check=2).stderr)
        self.assertTrue(got["stale"] or got["hours"])

    def test_the_card_is_a_page_by_itself_with_nothing_from_elsewhere(self):
        fridge = Load("<b>Fridge</b>", 600, "dc", 60, priority="essential")
        files = ("--rig-file", self.file("d.rig.json", write_rig(rig(loads=(fridge,)))), "--log", self.long_log())
        page = voltaun("card", *files, "--month", 6, check=0).stdout
        for words in ("Test rig: June", "Level at dusk", "Only what must run: &lt;b&gt;Fridge&lt;/b&gt;",
                      "Made from the log"):
            self.assertIn(words, page)
        self.assertNotIn("http", page)
        out = self.folder / "card.html"
        self.assertEqual(voltaun("card", *files, "--month", 6, "-o", out, check=0).stdout, "")
        self.assertEqual(out.read_text(encoding="utf-8"), page)
        self.assertIn("No such file", voltaun("card", *files, "-o", self.folder / "no" / "card.html", check=2).stderr)

    def test_today_in_ten_lines_ends_three_when_something_needs_doing(self):
        files = ("--rig-file", self.file("d.rig.json", write_rig(rig())), "--log")
        calm = self.file("calm.log.csv", "read_at,soc_percent,solar_wh,use_wh\n" + "\n".join(
            f"2026-11-{n:02d}T19:00,95,4000,900" for n in range(1, 21)) + "\n")
        low = self.file("low.log.csv", "read_at,soc_percent,solar_wh,use_wh\n" + "\n".join(
            f"2026-11-{n:02d}T19:00,24,900,2400" for n in range(1, 21)) + "\n")
        for log, needed in ((calm, False), (low, True)):
            answer = self.answer("today", *files, log)
            self.assertEqual(answer["needs_doing"], needed)
            told = voltaun("today", *files, log, "--exit-code", check=3 if needed else 0).stdout
            self.assertLessEqual(len(told.strip().split("\n")), 10)
            self.assertIn(answer["headline"][0], told)
            voltaun("today", *files, log, check=0)
        self.assertIn("expected both or neither", voltaun("today", "--log", calm, check=2).stderr)

    def test_a_terminal_of_few_letters_shows_what_it_can(self):
        self.assertEqual("−5 – 7 … é’".encode("ascii", errors="plainly"), b"-5 - 7 ... ?'")
        self.assertEqual("12 × 3 “é”".encode("latin-1", errors="plainly"), '12 × 3 "é"'.encode("latin-1"))

    def test_bad_input_exits_2_with_a_clear_line(self):
        good = self.file("e.rig.json", write_rig(rig()))
        for arguments, words in (
                (("ledger", "--rig-file", self.file("f.json", "{}"), "--log", self.file("f.csv", LOG)), "voltaun_rig"),
                (("ledger", "--rig-file", good, "--log", self.file("g.csv", "read_at\nx\n")), "line 2, column read_at"),
                (("ledger", "--rig-file", self.file("later.json", write_rig(rig(arrays=(replace(
                    rig().arrays[0], from_day=date(2199, 1, 1)),)))), "--log",
                  self.file("l.csv", LOG)), "a day up to today"),
                (("ledger", "--rig-file", good, "--log", self.folder / "none.csv"), "none.csv"),
                (("outlook", "--rig-file", good, "--log", self.file("h.csv", "read_at,soc_percent\n")), "no reading"),
                (("outlook", "--rig-file", good, "--log", self.file("i.csv", LOG), "--sky", "tomorrow=wet"), "--sky"),
                (("outlook", "--rig-file", good, "--log", self.file("j.csv", LOG), "--as-of", "later"), "--as-of"),
                (("additions", "--rig-file", good), "use a day"),
                (("backtest", "--rig-file", good, "--log", self.file("k.csv", LOG), "--days", "1,31"), "from 1 to 30"),
                (("additions", "--rig-file", good, "--use-wh", "-5"), "more than 0"),
                (("additions", "--rig-file", good, "--log", self.long_log(), "--sky-habit", "winter=2"), "=2/3/5"),
                (("additions", "--rig-file", good, "--log", self.long_log(), "--weather", good), "expected"),
                (("additions", "--rig-file", good, "--log", self.long_log(), "--prices",
                  self.file("odd.csv", PRICES + "A,panel,1,-5,,\n")), "line 4: found price -5"),
                (("additions", "--rig-file", good, "--log", self.long_log(), "--roof-m2", "0"), "roof-m2"),
                (("additions", "--rig-file", good, "--log", self.long_log(), "--measure", "fly:Ute"),
                 "the measure 'fly'"),
                (("additions", "--rig-file", good, "--log", self.long_log(), "--measure", "drive:Ute hours=1 every=2"),
                 "expected what the rig has"),
                (("additions", "--rig-file", good, "--log", self.long_log(), "--own-plane", "steep"), "such as 60/0"),
                (("additions", "--rig-file", good, "--log", self.long_log(), "--own-plane", "95/0"), "such as 60/0"),
                (("additions", "--rig-file", good, "--log", self.long_log(), "--panel", "None such"), "--panel"),
                (("additions", "--rig-file", good, "--log", self.long_log(), "--second-plane", "Barn"), "or an array"),
                (("additions", "--rig-file", good, "--log", self.long_log(), "--prices", self.file("p.csv", PRICES),
                  "--second-panel", "Panel"), "without --second-plane"),
                (("serve", "--host", "0.0.0.0"), "--house opens it")):
            with self.subTest(words):
                done = voltaun(*arguments)
                self.assertEqual((done.returncode, done.stdout), (2, ""))
                self.assertIn(words, done.stderr)
                self.assertNotIn("Traceback", done.stderr)


class Conventions(Commands):
    def commands(self):
        for name in COMMANDS:
            command = main.get_command(None, name)
            yield name, command
            for under in getattr(command, "commands", {}).values():
                yield name, under

    def test_every_option_says_what_it_is_and_no_help_is_cut(self):
        for name, command in self.commands():
            for option in command.params:
                self.assertTrue(option.param_type_name == "argument" or option.help, (name, option.opts))
            self.assertLess(len(command.short_help or command.help), 64, name)
        self.assertNotIn("...", voltaun("--help", check=0).stdout.partition("Commands:")[2])

    def test_options_stand_in_groups_each_once(self):
        said = voltaun("additions", "--help", check=0).stdout
        for option in main.get_command(None, "additions").params:
            self.assertEqual(len(re.findall(rf"^ +(?:-\w, )?{option.opts[0]}\b", said, re.M)), 1, option.opts)
        years, had = said.index("\nYears of weather:"), said.index("\nWhat may be had:")
        self.assertTrue(years < said.index("  --weather") < had < said.index("  --budget"))

    def test_what_went_wrong_is_one_line_of_one_style(self):
        rig_file = self.file("g.rig.json", write_rig(RIG))
        voltaun("import", rig_file, "--db", self.db, "-q", check=0)
        for given, words in ((["--bogus"], "--bogus"), (["dance"], "dance"), (["ledger"], "--rig-file"),
                             (["ledger", "--rig-file", self.folder / "none"], "does not exist"),
                             (["additions", "--rig-file", rig_file, "--years", "many"], "many"),
                             (["backup", self.folder, "--db", self.db], "found a folder"),
                             (["today", "--rig", "None such", "--db", self.db], "None such"),
                             (["check", "--db", rig_file], "g.rig.json"),
                             (["standin", "monitor", "--manner", "odd"], "odd")):
            ran = voltaun(*given)
            self.assertNotEqual((ran.returncode, ran.stderr.count("\n")), (0, 0), given)
            self.assertRegex(ran.stderr, rf"\Avoltaun: [^\n]*{re.escape(words)}[^\n]*\n\Z")
        self.assertEqual(voltaun("dance").returncode, 2)
        self.assertIn("voltaun additions --help", voltaun("additions", "--odd").stderr)

    def test_every_command_and_every_code_stands_in_the_docs(self):
        told = (ROOT / "docs" / "commands.md").read_text(encoding="utf-8")
        for name in COMMANDS:
            self.assertIn(f"`{name}`", told)

    def test_standard_input_and_output_are_a_dash(self):
        rig_file = self.file("g.rig.json", write_rig(RIG))
        env = {"VOLTAUN_NOW": NOW.isoformat()}
        told = CliRunner().invoke(main, ["ledger", "--rig-file", rig_file, "--log", "-", "--json"], input=LOG, env=env)
        self.assertEqual(len(json.loads(told.stdout)["intervals"]), 1, told.stderr)
        voltaun("import", rig_file, "--db", self.db, check=0)
        told = CliRunner().invoke(main, ["import", "-", "--db", str(self.db)], input=LOG, env=env)
        self.assertIn("2 readings added", told.stdout)
        wrong = CliRunner().invoke(main, ["import", "-", "--db", str(self.db)], input=LOG.replace("74", "740"), env=env)
        self.assertEqual(wrong.exit_code, 2)
        self.assertRegex(wrong.stderr, "standard input.*line 3")
        self.assertEqual(voltaun("export", "--db", self.db, "-o", "-", check=0).stdout,
                         voltaun("export", "--db", self.db, check=0).stdout)

    def test_into_a_pipe_it_is_utf_8_whatever_the_locale(self):
        voltaun("import", self.file("g.rig.json", write_rig(RIG)), "--db", self.db, check=0)
        noted = LOG.replace("solar_wh", "solar_wh,note").replace("2150", "2150,Kůň − 5 °C")
        voltaun("import", self.file("g.log.csv", noted), "--db", self.db, check=0)
        for locale in ("cp1252", "ascii", "latin-1"):
            done = subprocess.run([sys.executable, "-m", "voltaun", "export", "--db", self.db], cwd=ROOT,
                                  env=environment() | {"PYTHONIOENCODING": locale, "PYTHONUTF8": "0"},
                                  capture_output=True, check=True)
            self.assertIn("Kůň − 5 °C", done.stdout.decode("utf-8"), locale)

    def test_a_damaged_file_is_code_4(self):
        voltaun("import", self.file("g.rig.json", write_rig(RIG)), "--db", self.db, check=0)
        voltaun("check", "--db", self.db, check=0)
        voltaun("check", "--db", self.folder / "none.db", check=2)
        with open(self.db, "r+b") as damaged:
            damaged.seek(8192)
            damaged.write(b"x" * 8192)
        self.assertIn("fault", voltaun("check", "--db", self.db, check=4).stderr)


class WithDatabase(Commands):
    def test_import_and_export_of_rig_and_log(self):
        rig_file = self.file("g.rig.json", write_rig(RIG))
        voltaun("import", rig_file, "--db", self.db, check=0)
        log = self.file("g.log.csv", LOG)
        first = self.answer("import", log, "--db", self.db)
        again = self.answer("import", log, "--db", self.db)
        self.assertEqual((first["added"], again["added"], again["same"]), (2, 0, 2))
        self.assertEqual(voltaun("export", "--as", "rig", "--db", self.db, check=0).stdout, write_rig(RIG))
        out = self.folder / "out.csv"
        voltaun("export", "--db", self.db, "-o", out, check=0)
        exported = out.read_text()
        self.assertIn("reckoned,read", exported)
        self.assertEqual(self.answer("import", out, "--db", self.db)["same"], 2)

    def test_a_file_that_is_all_in_doubt_is_not_looked_through_to_its_end(self):
        voltaun("import", self.file("g.rig.json", write_rig(RIG)), "--db", self.db, check=0)
        hours = [f"2026-{1 + n // 336:02d}-{1 + n // 12 % 28:02d}T{2 * (n % 12):02d}:00,{(20, 90)[n % 2]},1,1\n"
                 for n in range(1200)]
        log = self.file("odd.csv", "read_at,soc_percent,solar_wh,use_wh\n" + "".join(hours))
        said = voltaun("import", log, "--db", self.db, check=2).stderr
        self.assertIn("and 980 more at least", said)
        self.assertEqual(len(re.findall(r"^2026-", said, re.M)), 20)
        few = self.file("few.csv", "read_at,soc_percent,solar_wh,use_wh\n" + "".join(hours[:60]))
        self.assertRegex(voltaun("import", few, "--db", self.db, check=2).stderr, r"and \d+ more\n")

    def test_faults_and_differences_import_nothing(self):
        voltaun("import", self.file("g.rig.json", write_rig(RIG)), "--db", self.db, check=0)
        voltaun("import", self.file("a.csv", LOG), "--db", self.db, check=0)
        before = voltaun("export", "--db", self.db, check=0).stdout
        for text, words in ((LOG.replace("74", "140") + "2026-13-01T00:00,5,5\n", "line 4, column read_at"),
                            (LOG.replace("74", "75") + "2026-11-03T20:00,70,100\n", "--differing keep"),
                            (LOG + "2027-01-01T00:00,50,1\n", "not after now"), ("\ufeff", "empty")):
            done = voltaun("import", self.file("bad.csv", text), "--db", self.db, check=2)
            self.assertIn(words, done.stderr)
            self.assertEqual(voltaun("export", "--db", self.db, check=0).stdout, before)
        done = voltaun("import", self.file("c.csv", LOG.replace("74", "75")), "--differing", "replace", "--db", self.db,
                       check=0)
        self.assertIn("1 replaced", done.stdout)

    def test_a_sheet_of_another_shape_and_figures_that_are_asked_about(self):
        voltaun("import", self.file("r.json", write_rig(rig())), "--db", self.db, check=0)
        sheet = self.file("s.csv", "Tag;Stand;kWh\n3/11/2026;82,5;2,1\n4/11/2026;74;0,3\n5/11/2026;70;900\n")
        mapping = self.file("m.json", json.dumps({
            "voltaun_mapping": 1, "separator": ";", "decimal": ",", "dates": "day first", "hour": "19:00",
            "columns": {"Tag": "read_at", "Stand": "soc_percent", "kWh": {"as": "solar_wh", "unit": "kWh"}}}))
        asked = voltaun("import", sheet, "--map", mapping, "--db", self.db, check=2).stderr
        self.assertIn("900 kWh of sun in 24 h: a clear sky could bring 9.94 kWh there", asked)
        self.assertIn("--sure", asked)
        self.assertEqual(voltaun("export", "--db", self.db, check=0).stdout.count("\n"), 1)
        told = self.answer("import", sheet, "--map", mapping, "--sure", "--db", self.db)
        self.assertEqual(told["added"], 3)
        self.assertIn("2026-11-03T19:00:00+11:00,82.5,,2100", voltaun("export", "--db", self.db, check=0).stdout)
        bad = self.file("b.json", '{"voltaun_mapping": 1, "columns": {"Tag": "when"}}')
        self.assertIn("columns.Tag", voltaun("import", sheet, "--map", bad, "--db", self.db, check=2).stderr)

    def test_which_rig_is_asked(self):
        log = self.file("a.csv", LOG)
        self.assertIn("found nothing there", voltaun("import", log, "--db", self.db, check=2).stderr)
        self.assertFalse(self.db.exists())
        for each in (RIG, rig(name="Second")):
            voltaun("import", self.file("r.json", write_rig(each)), "--db", self.db, check=0)
        self.assertIn("'Second'", voltaun("import", log, "--db", self.db, check=2).stderr)
        voltaun("import", log, "--rig", "Second", "--db", self.db, check=0)
        changed = self.file("r.json", write_rig(rig(name="Second", use_side="ac")))
        self.assertIn("--differing", voltaun("import", changed, "--db", self.db, check=2).stderr)

    def test_the_file_lives_in_the_data_folder_unless_told_otherwise(self):
        home = self.folder / "home"
        with mock.patch.dict(os.environ, {"XDG_DATA_HOME": str(home)}):
            voltaun("import", self.file("g.rig.json", write_rig(RIG)), check=0, now=NOW)
        self.assertTrue((home / "voltaun" / "voltaun.db").exists())
