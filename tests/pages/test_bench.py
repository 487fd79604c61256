import re
from dataclasses import replace
from datetime import date, datetime, timedelta

from icalendar import Calendar

from tests.core.bench.test_bench import marks, meter
from tests.pages.test_pages import PagesCase
from tests.support import NOW, readings, sun_of, table
from voltaun.core.bench.runs import INSTRUMENTS, Run
from voltaun.core.learned.account import reckon
from voltaun.core.rig.parts import Bank, Engine, Generator, Load, Mains, SolarArray, Stay
from voltaun.core.sky.clear_sky import plane_key
from voltaun.database import bench, clearsky, rigs
from voltaun.database import readings as kept_readings
from voltaun.database.connection import transaction
from voltaun.pages.bench import trial_log

FREEZER = Load("Freezer", 900, "ac", running_w=120, evidence="label")


class BenchCase(PagesCase):
    def setUp(self):
        super().setUp()
        self.save(loads=(FREEZER, Load("Lamp", 100, "dc", evidence="guess")))

    def save(self, **parts):
        with transaction(self.db):
            rigs.save(self.db, self.kept(), replace(self.kept().rig, **parts), NOW)

    def kept(self):
        return rigs.get(self.db, self.rig_id)

    def begin(self, run):
        with transaction(self.db):
            return bench.begin(self.db, self.rig_id, run, NOW)

    def run_now(self, run_id=1):
        return bench.get(self.db, self.rig_id, run_id)

    def show(self, run_id=1, query=""):
        return self.client.get(f"/1/bench/runs/{run_id}{query}").text

    def press(self, path, run_id=1, follow=True, **data):
        kept = self.run_now(run_id)
        return self.post(f"/1/bench/runs/{run_id}/{path}", {"version": kept.version} | data, follow_redirects=follow)

    def read(self, run_id=1, at="2026-11-24T20:00", **data):
        return self.press("marks", run_id, at=at, **data)


class Starting(BenchCase):
    def test_each_instrument_starts_in_two_taps_but_for_what_only_a_person_knows(self):
        page = self.client.get("/1/bench").text
        for instrument, typed in (("meter", {}), ("drawdown", {"soc": "96"}), ("capacity", {}),
                                  ("inverter", {"ac_w": "0", "dc_w": "18"}), ("harvest", {})):
            link = re.search(rf'href="(/1/bench/new\?instrument={instrument}[^"]*)"', page)[1].replace("&amp;", "&")
            form = self.client.get(link).text
            stands = dict(re.findall(r'name="(\w+)" type="text" value="([^"]*)"', form))
            stands |= {name: value for value, name in re.findall(r'value="([^"]*)" [^>]*name="(\w+)"', form)}
            fields = dict(re.findall(r'id="(at|wh|soc)"[^>]*value="([^"]*)"', form)) | stands
            subject = {"meter": "Freezer", "harvest": "Roof"}.get(instrument, "")
            answer = self.post("/1/bench/new", fields | {"instrument": instrument, "subject": subject} | typed)
            self.assertEqual(answer.status_code, 303, (instrument, fields, answer.text[-900:]))
        runs = bench.runs(self.db, 1)
        self.assertEqual({each.run.instrument for each in runs}, {*INSTRUMENTS} - {"label", "hydrometer"})
        self.assertEqual({len(each.run.marks) for each in runs}, {1})

    def test_a_label_is_kept_and_applied_at_once(self):
        answer = self.post("/1/bench/new", {"instrument": "label", "subject": "Kettle", "side": "ac", "basis": "label",
                                            "watts": "230 V x 9 A", "hours_a_day": "10 min", "standby_w": "1"},
                           follow_redirects=True)
        self.shows("The label says 369 Wh a day", answer.text)
        self.shows("Applied on 25 November", answer.text)
        self.assertEqual(self.kept().rig.loads[-1], Load("Kettle", 368.8, "ac", running_w=2070, evidence="label"))
        self.press("take-back")
        self.assertEqual([load.name for load in self.kept().rig.loads], ["Freezer", "Lamp"])

    def test_a_label_beside_a_meter_run_puts_nothing_aside(self):
        self.save(loads=(replace(FREEZER, evidence="metered"),))
        self.post("/1/bench/new", {"instrument": "label", "subject": "Freezer", "side": "ac", "basis": "label",
                                   "yearly_wh": "500 kWh"})
        self.assertEqual(self.kept().rig.loads[0].daily_wh, 900)
        self.begin(meter((0, 48), (0, 1400)))
        self.shows("The label says 2.0 times what the meter shows", self.show())
        page = self.client.get("/1/bench").text
        self.assertIn("<td>kept", page)

    def test_bad_input_is_refused_beside_its_field_and_stays_typed(self):
        label = {"instrument": "label", "side": "ac", "basis": "label"}
        for data, words in (({"instrument": "meter", "wh": "-5"}, "0 or more"),
                            ({"instrument": "meter", "wh": "60 W"}, "W is a rate"),
                            ({"instrument": "meter", "at": "2026-11-26T08:00", "wh": "0"}, "not after now"),
                            ({"instrument": "drawdown", "soc": "140"}, "between 0 and 100"),
                            ({"instrument": "drawdown"}, "nothing to keep"),
                            ({"instrument": "meter", "wh": "0", "conditions": "x" * 600}, "500"),
                            (label | {"subject": "A"}, "Found too little"),
                            (label | {"subject": "A", "watts": "60", "hours_a_day": "30"}, "24"),
                            (label | {"basis": "guess", "daily_wh": "5"}, "such as Kettle")):
            with self.subTest(words):
                answer = self.post("/1/bench/new", {"at": "2026-11-24T20:00", "subject": ""} | data)
                self.assertEqual(answer.status_code, 422)
                self.shows(words, answer.text)
        self.assertEqual(bench.runs(self.db, 1), [])
        for path in ("new", "new?instrument=scales", "runs/9", "runs/x"):
            self.assertEqual(self.client.get(f"/1/bench/{path}").status_code, 404, path)


class MeterRun(BenchCase):
    def test_a_whole_run_with_a_reset_a_slip_and_an_applied_finding(self):
        self.begin(meter((0,), (0,)))
        self.shows("There is one reading yet", self.show())
        self.read(at="2026-11-03T19:10", wh="700")
        self.read(at="2026-11-04T19:10", wh="90")
        page = self.read(at="2026-11-05T19:10", wh="790").text
        self.shows("Something does not fit: found 90 Wh after 700 Wh", page)
        self.shows("Some time between: leave that out", page)
        self.hides("Apply to the rig", page)
        self.assertEqual(self.press("apply").request.path, "/1/bench/runs/1")
        self.assertEqual(self.kept().rig.loads[0], FREEZER)
        page = self.press("marks/2", reset="yes").text
        self.shows("takes 700 Wh a day, give or take 10 %", page)
        self.shows("set back", page)
        page = self.press("marks/3", at="2026-11-05T19:10", wh="810").text
        self.shows("takes 710 Wh a day", page)
        page = self.press("apply").text
        self.shows("Applied; the rig reckons with it now.", page)
        self.assertEqual((self.kept().rig.loads[0].daily_wh, self.kept().rig.loads[0].evidence), (710, "metered"))
        self.shows("meter run</a>", self.client.get("/1/rig/figures").text)
        self.shows(f"The rig: {FREEZER.name} Wh a day", self.client.get("/1/log/changed").text)
        self.shows("It was applied already, on 25 November", self.press("apply").text)
        self.shows("Taken back", self.press("take-back").text)
        self.assertEqual(self.kept().rig.loads[0], FREEZER)
        self.shows("nothing was taken back", self.press("take-back").text)

    def test_half_an_hour_of_a_meter_asks_how_much_of_a_day_it_is(self):
        self.post("/1/bench/new", {"instrument": "meter", "subject": "Heating pad", "side": "ac",
                                   "at": "2026-11-24T18:00", "wh": "0"})
        page = self.read(at="2026-11-24T18:30", wh="150").text
        self.shows("Heating pad took 150 Wh in 30 min: 300 W.", page)
        self.shows("Until it is said below, it counts nowhere.", page)
        self.hides("Apply to the rig", page)
        self.press("apply")
        self.assertNotIn("Heating pad", [load.name for load in self.kept().rig.loads])
        for typed, words in (({"a_day": "25 h"}, "24 h at the most"), ({"a_day": ""}, "Found nothing"),
                             ({"times": "lots"}, "a number"), ({"times": "49"}, "24 h at the most")):
            page = self.press("often", **typed).text
            self.shows(words, page)
            for text in typed.values():
                self.shows(f'value="{text}"', page)
        page = self.press("often", times="3").text
        self.shows("Heating pad takes 450 Wh a day", page)
        self.shows("1 h 30 a day", page)
        load = next(load for load in self.kept().rig.loads if load.name == "Heating pad")
        self.assertEqual((load.daily_wh, load.evidence), (450, "spot"))
        self.shows("Taken back", self.press("take-back").text)
        self.assertNotIn("Heating pad", [load.name for load in self.kept().rig.loads])

    def test_bad_readings(self):
        self.begin(meter((0, 24), (0, 700)))
        for data, words in (({}, "nothing to keep"), ({"wh": "-1"}, "0 or more"), ({"wh": "lots"}, "an amount of"),
                            ({"wh": "800", "ambient_c": "200"}, "from -60 to 80"),
                            ({"wh": "1", "at": ""}, "Found nothing"),
                            ({"wh": "800", "at": "2026-11-03T19:10"}, "another reading of this run")):
            with self.subTest(words):
                answer = self.read(**data)
                self.assertIn(answer.status_code, (409, 422))
                self.shows(words, answer.text)
        self.assertEqual(len(self.run_now().run.marks), 2)

    def test_taken_out_and_brought_back(self):
        self.begin(meter((0, 24, 48), (0, 700, 1400)))
        page = self.press("marks/1", remove="yes").text
        self.assertEqual(len(self.run_now().run.marks), 2)
        undo = re.search(r'action="(/1/bench/undo/\d+)"', page)[1]
        self.shows("Taken back", self.post(undo, follow_redirects=True).text)
        self.assertEqual(len(self.run_now().run.marks), 3)
        self.shows("nothing was taken back", self.post(undo, follow_redirects=True).text)
        self.assertEqual(self.press("marks/7", remove="yes").status_code, 404)

    def test_two_windows_on_the_same_run(self):
        self.begin(meter((0, 24), (0, 700)))
        version = self.run_now().version
        self.press("noted", conditions="lid open")
        for path, data in (("marks/1", {"at": "2026-11-03T19:10", "wh": "9"}), ("state", {"state": "abandoned"}),
                           ("apply", {}), ("noted", {"conditions": "shut"})):
            answer = self.post(f"/1/bench/runs/1/{path}", data | {"version": version}, follow_redirects=True)
            self.shows("changed meanwhile", answer.text)
        self.assertEqual((self.run_now().run.conditions, self.run_now().state), ("lid open", "open"))

    def test_abandoned_and_taken_up_again(self):
        self.begin(meter((0, 24), (0, 700)))
        self.shows("Abandoned", self.press("state", state="abandoned").text)
        self.shows("no finding to apply", self.press("apply").text)
        self.shows("Apply to the rig", self.press("state", state="open").text)

    def test_a_counter_set_to_nought_right_after_a_reading_counts_all_that_flowed(self):
        self.begin(meter((0, 24, 47), (0, 700, 690)))
        page = self.press("marks/2", reset="then").text
        # 700 Wh and 690 in 47 hours; left out, the second would be lost.
        self.shows("Noted: it was set to zero right after the reading before.", page)
        self.shows("takes 710 Wh a day", page)

    def test_a_run_time_may_be_hours_and_minutes_and_counters_show_all_digits(self):
        self.begin(meter((0,), (0,)))
        self.read(at="2026-11-03T19:10", wh="12.34 kWh", run_hours="8 h 20")
        self.assertEqual(self.run_now().run.marks[1].run_minutes, 500)
        self.shows("12\u202f340 Wh", self.show())
        self.read(at="2026-11-04T19:10", wh="24.68 kWh", run_hours="1000")
        self.assertEqual(self.run_now().run.marks[2].run_minutes, 1000)

    def test_pairs_within_a_minute(self):
        self.begin(Run("inverter", marks=marks((0,), ac_w=(0,), dc_w=(18,))))
        for ac, dc in ((90, 118), (900, 1018), (900, 1018)):
            self.read(ac_w=str(ac), dc_w=str(dc), at="2026-11-24T20:00")
        self.assertEqual([mark.ac_w for mark in self.run_now().run.marks], [0, 90, 900])  # the last was sent twice

    def test_one_finding_is_in_use_and_an_older_one_is_used_again(self):
        self.begin(meter((0, 24), (0, 700)))
        self.begin(meter((0, 24), (0, 900)))
        self.press("apply", 1)
        self.shows("the rig reckons with it", self.show(1))
        self.press("apply", 2)
        older, newer = self.show(1), self.show(2)
        self.hides("the rig reckons with it", older)
        self.shows("another figure is in its place since", older)
        self.shows("Use this one again", older)
        self.shows("the rig reckons with it", newer)
        bench_page = self.client.get("/1/bench").text
        self.shows("in use", bench_page)
        self.shows("Use it again", bench_page)
        self.press("apply", 1)  # the seasonal switch: one action
        self.assertEqual(self.kept().rig.loads[0].daily_wh, 700)
        self.hides("the rig reckons with it", self.show(2))
        self.press("take-back", 1)
        self.assertEqual(self.kept().rig.loads[0].daily_wh, 900)
        # Changed by hand it is nobody's, and either can be used again.
        self.save(loads=(replace(self.kept().rig.loads[0], daily_wh=500), *self.kept().rig.loads[1:]))
        self.shows("Apply to the rig", self.show(1))
        self.shows("Use this one again", self.show(2))

    def test_an_abandoned_run_counts_no_more(self):
        self.begin(meter((0, 24), (0, 700)))
        self.press("apply")
        self.shows("Abandoned; the rig has its figures of before.", self.press("state", state="abandoned").text)
        self.assertEqual(self.kept().rig.loads[0], FREEZER)
        self.assertEqual(self.run_now().state, "abandoned")

    def test_what_is_beyond_belief_is_asked_about(self):
        self.begin(meter((0, 24), (0, 0.7)))
        page = self.show()
        self.shows("That would be 1 Wh a day, next to nothing. Is it right?", page)
        self.assertEqual(self.post("/1/bench/runs/1/apply", {"version": self.run_now().version},
                                   follow_redirects=True).status_code, 200)
        self.assertEqual(self.kept().rig.loads[0], FREEZER)
        self.shows("takes 700 Wh a day", self.press("kwh").text)
        self.press("apply")
        self.assertEqual(self.kept().rig.loads[0].daily_wh, 700)
        self.begin(meter((0, 24), (0, 0.5)))
        self.press("apply", 2, sure="yes")
        self.assertEqual(self.kept().rig.loads[0].daily_wh, 0.5)
        given = {"instrument": "label", "subject": "Odd", "side": "ac", "basis": "label", "daily_wh": "90 kWh"}
        answer = self.post("/1/bench/new", given)
        self.assertEqual(answer.status_code, 422)
        self.shows("as much as several houses take. Is it right?", answer.text)
        self.assertEqual(self.post("/1/bench/new", given | {"sure": "yes"}).status_code, 303)

    def test_a_fresh_user_meters_what_is_not_listed_yet(self):
        self.save(loads=())
        self.shows("What is on it?", self.client.get("/1/bench/new?instrument=meter").text)
        answer = self.post("/1/bench/new", {"instrument": "meter", "subject": "", "at": "2026-11-23T08:00", "wh": "0"})
        self.assertEqual(answer.status_code, 422)
        self.shows("Found no name", answer.text)
        self.post("/1/bench/new", {"instrument": "meter", "subject": "Fridge box", "side": "dc", "wh": "0",
                                    "at": "2026-11-23T08:00"})
        self.read(at="2026-11-24T08:00", wh="480")
        self.press("noted", subject="Fridge", side="dc")
        self.press("apply")
        self.assertEqual(self.kept().rig.loads[-1], Load("Fridge", 480, "dc", evidence="metered"))
        page = self.press("noted", subject="Cold box", side="dc")
        self.assertEqual(page.status_code, 422)
        self.shows("take the finding back first", page.text)

    def test_what_a_thing_takes_while_it_does_nothing(self):
        self.begin(meter((0, 24), (0, 212), low_w=(None, 3), peak_w=(None, 1100)))
        self.shows("72 Wh a day while it does nothing, 140 Wh for its use", self.show())
        self.shows("Switched off between uses it takes about 72 Wh less a day.", self.show())
        self.begin(meter((0, 24), (0, 1212), low_w=(None, 3), peak_w=(None, 1100)))
        self.hides("Switched off", self.show(2))

    def test_more_read_after_it_was_applied(self):
        self.begin(meter((0, 24), (0, 700)))
        self.press("apply")
        self.shows("It says something else by now", self.read(at="2026-11-05T08:10", wh="2000").text)

    def test_a_reading_sent_twice_is_kept_once(self):
        self.begin(meter((0,), (0,)))
        self.read(wh="700")
        self.shows("kept already", self.read(wh="700").text)
        self.assertEqual(len(self.run_now().run.marks), 2)


class Parts(BenchCase):
    def test_agm_chosen_late_has_the_floors_of_agm_and_comes_back(self):
        self.save(bank=Bank("lfp", 12.8, 100), not_yet_told=("bank",))
        page = self.client.get(self.keep_part("bank", chemistry="agm", unit_voltage_v="12").location).text
        self.shows("With another chemistry follow: everyday floor 50 %, hard floor 20 %, charge efficiency 85 %.", page)
        self.hides("stands in", page)
        bank = self.kept().rig.bank
        self.assertEqual((bank.everyday_floor, bank.hard_floor, bank.charge_efficiency), (0.5, 0.2, 0.85))
        undo = re.search(r'action="(/1/rig/undo/\d+)"', page)[1]
        self.post(undo)
        self.assertEqual((self.kept().rig.bank.everyday_floor, self.kept().rig.not_yet_told), (0.2, ("bank",)))

    def test_a_part_as_it_stands_changes_nothing_and_any_figure_of_it_alone(self):
        self.save(vehicles=(Engine("Ute", 320, 13.2, 10),), generators=(Generator("Set", 900, 0.7),),
                  mains=(Mains("Post", 500),), places=(Stay(date(2026, 10, 1), "North", -41.0, 146.0),))
        before = self.kept().rig
        for key in ("place", "bank", "inverter", "arrays-0", "vehicles-0", "generators-0", "mains-0", "places-0",
                    "loads-0", "loads-1"):
            self.assertEqual(self.keep_part(key).status_code, 303, key)
            self.assertEqual(self.kept().rig, before, key)
        for key, typed, of in (
                ("bank", {"everyday_floor": "30", "soc_from": "display"},
                 lambda rig: (rig.bank.everyday_floor, rig.soc_from)),
                ("inverter", {"idle_w": "12", "use_side": "ac"}, lambda rig: (rig.inverter.idle_w, rig.use_side)),
                ("place", {"name": "Hut", "latitude": "-41"}, lambda rig: (rig.name, rig.place.latitude)),
                ("arrays-0", {"tilt_deg": "45", "panels": "5"},
                 lambda rig: (rig.arrays[0].tilt_deg, rig.arrays[0].panels)),
                ("loads-1", {"daily_wh": "150", "name": "Big lamp"},
                 lambda rig: (rig.loads[1].daily_wh, rig.loads[1].name))):
            was = self.kept().rig
            self.assertEqual(self.keep_part(key, **typed).status_code, 303, key)
            self.assertNotEqual(of(self.kept().rig), of(was))
        self.assertEqual([of.name for of in self.kept().rig.loads], ["Freezer", "Big lamp"])
        self.assertEqual(self.kept().rig.arrays[0].panels, 5)

    def test_one_is_added_with_two_or_three_figures_taken_out_and_brought_back(self):
        page = self.client.get("/1/rig?part=arrays-new").text
        form = page[page.index('id="part"'):page.index("Leave it as it was")]
        self.assertEqual(form.count('class="cell'), 4)  # two or three figures, and since when
        self.keep_part("arrays-new", name="Wall", panel_w="200", panels="2")
        self.assertEqual((self.kept().rig.arrays[1].name, self.kept().rig.arrays[1].rated_w), ("Wall", 400))
        page = self.post("/1/rig/parts/arrays-1", {"version": self.kept().version, "remove": "yes"},
                         follow_redirects=True).text
        self.assertEqual(len(self.kept().rig.arrays), 1)
        said = page[page.index("Wall is taken out."):]
        self.post(re.search(r'action="(/1/rig/undo/\d+)"', said)[1])
        self.assertEqual(len(self.kept().rig.arrays), 2)

    def test_what_is_wrong_stands_beside_its_field_and_stays_typed(self):
        answer = self.keep_part("bank", hard_floor="60")
        self.assertEqual(answer.status_code, 422)
        self.shows("at most the everyday floor", answer.text)
        self.shows('value="60"', answer.text)
        self.assertEqual(self.keep_part("arrays-0", panel_w="lots").status_code, 422)
        self.assertEqual(self.keep_part("loads-new", name="", daily_wh="5").status_code, 422)
        self.assertEqual(self.keep_part("loads-new", name="Lamp", daily_wh="5").status_code, 422)  # twice the same name
        self.assertEqual(self.keep_part("loads-0", version="0").status_code, 409)
        for key in ("loads-9", "wings-0", "loads-x", "loads-"):
            self.assertEqual(self.post(f"/1/rig/parts/{key}").status_code, 404)
            self.assertEqual(self.client.get(f"/1/rig?part={key}").status_code, 200)

    def test_its_limits_and_where_each_figure_came_from(self):
        self.save(vehicles=(Engine("Ute", 320, 13.2, 10),))
        self.begin(meter((0, 24), (0, 700)))
        self.press("apply")
        self.shows("from the bench", self.client.get("/1/rig?part=loads-0").text)
        new = self.client.get("/1/rig?part=loads-new").text
        self.assertNotIn("from the bench", new)  # a load that is new has no figures of the others
        self.shows("2 h in 9-16", new)
        self.assertRegex(new, r'name="pattern" placeholder="always"')
        for name, typed, runs in (("Fence", "", "always"), ("Wash", "1 h in 9-17", ("window", 9, 17, 1))):
            self.keep_part("loads-new", name=name, daily_wh="120", pattern=typed)
            self.assertEqual(next(each for each in self.kept().rig.loads if each.name == name).pattern, runs)
        page = self.client.get("/1/rig?part=vehicles-0").text
        self.shows("no low-voltage cut-off", page[page.index('id="part"'):page.index("Leave it as it was")])
        self.assertEqual(page.count("<input") < 30, True)  # no wall of fields


class UsualThings(BenchCase):
    def test_they_are_ticked_listed_and_taken_back(self):
        page = self.client.get("/1/bench/usual").text
        for words in ("Keeping warm", "Fuel heater's fan".replace("'", "&#39;"), "6.00 kWh – 18.0 kWh", "of your bank"):
            self.shows(words.replace("of your bank", "Of your bank"), page)
        page = self.post("/1/bench/usual", {"name": ["Fridge box", "Router", "Spaceship"]}, follow_redirects=True).text
        self.shows("2 things are listed, each a guess until it is metered.", page)
        self.assertEqual([load.name for load in self.kept().rig.loads], ["Freezer", "Lamp", "Fridge box", "Router"])
        self.assertEqual(self.kept().rig.loads[2], Load("Fridge box", 425, "dc", 45, 90, evidence="guess"))
        self.shows("Nothing was picked", self.post("/1/bench/usual", {"name": "Router"}, follow_redirects=True).text)
        self.post(re.search(r'action="(/1/rig/undo/\d+)"', page)[1])
        self.assertEqual(len(self.kept().rig.loads), 2)

    def test_a_name_alone_is_a_first_guess(self):
        self.post("/1/bench/new", {"instrument": "label", "subject": "fridge box", "side": "ac", "basis": "label"})
        self.assertEqual(self.kept().rig.loads[-1], Load("fridge box", 425, "dc", 45, evidence="guess"))


class OfTheSun(BenchCase):
    def logged(self):
        return [(each.reading.soc, each.reading.solar_wh) for each in kept_readings.everything(self.db, 1)]

    def test_what_it_counts_stands_in_the_log_and_follows_it(self):
        self.post("/1/bench/new", {"instrument": "harvest", "subject": "Roof", "soc": "54", "at": "2026-11-23T08:00"})
        self.read(at="2026-11-23T11:00", wh="900")
        said = self.read(at="2026-11-23T14:00", wh="2100", soc="71").text + self.show()
        self.shows("it stands in the log too", said)
        self.shows("It stands in the log, which learns from it", said)
        self.assertEqual(self.logged(), [(0.54, None), (None, 900.0), (0.71, 1200.0)])
        self.press("marks/1", at="2026-11-23T11:00", wh="1000")
        self.assertEqual(self.logged(), [(0.54, None), (None, 1000.0), (0.71, 1100.0)])
        # What a hand wrote down meanwhile counts from there: of the sun since then the trial tells nothing.
        self.add(at="2026-11-23T12:30", soc="60", solar_wh="500")
        self.press("marks/2", at="2026-11-23T14:00", wh="2100", soc="72")
        self.assertEqual(self.logged(), [(0.54, None), (None, 1000.0), (0.6, 500.0), (0.72, None)])
        self.press("state", state="abandoned")
        self.assertEqual(self.logged(), [(0.6, 500.0)])

    def test_of_one_array_among_several_it_does_not(self):
        self.save(arrays=(*self.rig.arrays, SolarArray("Wall", 200, 2, 80, 0)))
        self.post("/1/bench/new", {"instrument": "harvest", "subject": "Roof", "wh": "0", "at": "2026-11-23T08:00"})
        self.read(at="2026-11-23T11:00", wh="900")
        self.assertEqual(self.logged(), [])
        self.shows("is learned from the log. There is nothing to apply", self.show())

    def test_a_counter_that_fell_tells_nothing_and_one_begins_at_nought(self):
        run = Run("harvest", "Roof", marks=marks((0, 2, 4, 6), wh=(None, 300, 100, 250)))
        self.assertEqual([(each.solar_wh) for each in trial_log._sun(run, []).values()], [None, 300, 150])


class OfTheUsualSet(BenchCase):
    def levels(self):
        return [(each.reading.soc, each.reading.solar_wh) for each in kept_readings.everything(self.db, 1)]

    def test_its_levels_are_readings_and_follow_it(self):
        self.post("/1/bench/new", {"instrument": "drawdown", "subject": "", "soc": "94", "at": "2026-11-23T08:00"})
        self.read(at="2026-11-23T20:00", soc="88")
        self.shows("it stands in the log too", self.show() + self.read(at="2026-11-24T08:00", soc="81").text)
        # What stood before the first is not known; after it nothing came in.
        self.assertEqual(self.levels(), [(0.94, None), (0.88, 0.0), (0.81, 0.0)])
        page = self.press("marks/2", at="2026-11-24T08:00", soc="80").text
        self.assertEqual(self.levels()[2], (0.80, 0.0))
        undo = re.search(r'action="(/1/bench/undo/\d+)"', page)[1]
        self.post(undo)
        self.assertEqual(self.levels()[2], (0.81, 0.0))
        self.press("marks/1", reset="yes")  # in what is left out something may have come in: it counts nowhere
        self.assertEqual(self.levels(), [(0.94, None), (0.88, None), (0.81, 0.0)])
        self.press("marks/1", reset="no")
        self.press("state", state="abandoned")
        self.assertEqual(self.levels(), [])
        self.press("state", state="open")
        self.assertEqual(len(self.levels()), 3)
        self.press("marks/0", remove="y")
        self.assertEqual(self.levels(), [(0.88, None), (0.81, 0.0)])

    def learned(self):
        rig, kept = self.kept().rig, [each.reading for each in kept_readings.everything(self.db, 1)]
        return reckon(rig, kept, sun_of(rig)).learned

    def test_what_is_left_out_is_no_use_of_a_day(self):
        """A fridge that started warm, and then a heater in the night: neither is what the house uses."""
        # What counts falls 0.333 % of 9.60 kWh an hour.
        hours, levels = (0, 2, 4, 13, 14, 23, 32), (0.96, 0.90, 0.84, 0.81, 0.73, 0.70, 0.67)
        self.post("/1/bench/new", {"instrument": "drawdown", "subject": "", "soc": "96", "at": "2026-11-23T08:00",
                                   "leave_out_hours": "4 h"})
        begin = datetime(2026, 11, 23, 8, tzinfo=self.rig.zone)
        for hour, level in zip(hours[1:], levels[1:], strict=True):
            self.read(at=f"{begin + timedelta(hours=hour):%Y-%m-%dT%H:%M}", soc=f"{level * 100:g}")
        self.press("marks/4", reset="yes")
        self.shows("a day", self.show())

        self.assertAlmostEqual(self.learned().use.mean, 9600 * 24 * 0.09 / 27 - 2 * 24, delta=1)  # less the BMS
        self.shows("720 Wh", self.client.get("/1/today").text)
        # The panels were off meanwhile: that is no word on the sky.
        self.assertEqual(self.learned().share.days, 0)
        self.press("marks/4", reset="no")
        self.assertGreater(self.learned().use.mean, 1400)
        self.press("noted", leave_out_hours="0 h")
        self.assertGreater(self.learned().use.mean, 2000)

    def test_a_stretch_left_out_at_a_reading_without_a_level_is_left_out_too(self):
        run = Run("drawdown", marks=tuple(replace(mark, reset=n == 1) for n, mark in enumerate(
            marks((0, 6, 12, 24), soc=(0.9, None, 0.8, 0.7)))))
        with transaction(self.db):
            trial_log.follow(self.db, self.rig_id, Run("drawdown"), run, NOW)
        self.assertEqual([each.reading.answer for each in kept_readings.everything(self.db, 1)], ["", "reset", ""])

    def test_what_a_hand_wrote_stays_and_one_load_alone_tells_nothing_of_a_day(self):
        self.keep(*readings({"soc": 0.5, "note": "mine"}, start=NOW - timedelta(hours=36)))
        when = f"{(NOW - timedelta(hours=36)).astimezone(self.rig.zone):%Y-%m-%dT%H:%M}"
        self.post("/1/bench/new", {"instrument": "drawdown", "subject": "", "soc": "94", "at": when})
        self.assertEqual(self.levels(), [(0.5, None)])
        self.press("state", state="abandoned")
        self.assertEqual(self.levels(), [(0.5, None)])
        self.post("/1/bench/new", {"instrument": "drawdown", "subject": "Lamp", "soc": "94", "at": "2026-11-24T08:00"})
        # Where the bank stands is in the log, what a lamp alone took of it is not booked.
        self.read(run_id=2, soc="80")
        self.assertEqual([each.reading.answer for each in kept_readings.everything(self.db, 1)][1:], ["", "reset"])
        self.press("state", run_id=2, state="abandoned")
        self.assertEqual(len(self.levels()), 1)


class WhileItRuns(BenchCase):
    """A trial under way: Today knows of it, and a level is kept once and seen by both."""

    def test_a_level_kept_on_today_is_the_trials(self):
        self.post("/1/bench/new", {"instrument": "drawdown", "subject": "Lamp", "soc": "90", "at": "2026-11-24T08:00"})
        self.shows("Drawdown trial: Lamp", self.client.get("/1/today").text)
        self.post("/1/readings", {"at": "2026-11-24T16:00", "soc": "80", "note": "heater was on"})
        page = self.show()
        self.shows("In the log", page)
        self.shows("80 % now", page)  # 10 points of 9600 Wh in 8 h
        self.shows("120 W so far", page)
        self.assertEqual(len(self.run_now().run.marks), 1)
        self.shows("120 W so far", self.client.get("/1/bench").text)  # one run, one finding, wherever it stands
        # Its note says that something was on, so that stretch may be left out, in the log as it stands there.
        self.shows("says “heater was on”", page)
        reading = [each for each in kept_readings.everything(self.db, 1) if each.reading.note == "heater was on"][0]
        self.post(f"/1/readings/{reading.id}/answer", {"answer": "reset", "version": reading.version})
        self.shows("before it left out", self.show())
        self.hides("120 W so far", self.show())
        # Charged again it is over: what the log says then is no more of the trial.
        self.post("/1/readings", {"at": "2026-11-24T18:00", "soc": "95"})
        self.hides("95 %", self.show())

    def test_at_the_cut_off_the_log_has_what_the_display_says_or_nothing(self):
        for n, typed in enumerate(({}, {"soc": "8"}), 1):
            at = f"2026-11-2{n}T08:00"
            self.post("/1/bench/new", {"instrument": "capacity", "wh": "0", "soc": "100", "at": at})
            self.read(run_id=n, at=at.replace("08", "18"), wh="9000", **typed)
            self.press("noted", run_id=n, cut_off="y")
        self.assertEqual([each.soc for each in self.log()], [1.0, 0.0, 1.0, 0.08])

    def test_what_was_applied_goes_on_saying_what_it_said(self):
        self.post("/1/bench/new", {"instrument": "capacity", "wh": "0", "soc": "100", "at": "2026-11-24T08:00"})
        self.post("/1/readings", {"at": "2026-11-24T16:00", "soc": "93"})
        page = self.read(at="2026-11-24T16:10", wh="4000").text
        self.shows("In the log", page)
        self.read(at="2026-11-24T18:00", wh="5000", soc="40")
        self.press("apply")
        self.assertEqual(len(self.run_now().run.marks), 4)
        self.hides("It says something else by now", self.show())
        self.assertAlmostEqual(self.kept().rig.bank.tested_energy_wh, 5000 / 0.6, delta=1)


class OtherInstruments(BenchCase):
    def test_a_stretch_is_left_out_of_a_drawdown_and_counted_again(self):
        self.begin(Run("drawdown", marks=marks((0, 6, 12, 14, 20), soc=(0.96, 0.90, 0.84, 0.88, 0.82))))
        self.shows("Did something charge before the reading of", self.show())
        page = self.press("marks/3", reset="yes").text
        self.shows("The bank falls 24.0 % a day", page)
        # The fan lies on both sides of the line: its two edges half-way, the one drawn there and the other back.
        fan, line = ([float(y) for y in re.findall(r"[\d.]+ ([\d.]+)", re.search(
            rf'<path d="M([^"]+)" class="{kind}"', page)[1])] for kind in ("fan-outer", "level level-ahead"))
        self.assertTrue(fan[12] + 5 < line[12] < fan[-13] - 5, (fan, line))
        self.shows("before it left out", page)
        self.shows("Count the stretch before it", self.show(query="?edit=3"))
        self.hides("Leave out the stretch", self.show(query="?edit=0"))
        self.shows("Leave out the stretch before it", self.show(query="?edit=1"))
        self.shows("Something does not fit", self.press("marks/3", reset="no").text)

    def test_their_sentences_and_pictures(self):
        level = Run("drawdown", "Lamp", "dc", marks((0, 12, 24, 36), soc=(0.96, 0.88, 0.81, 0.73)), warm=True)
        capacity = Run("capacity", marks=marks((0, 20), wh=(0, 8800), ac_wh=(0, 7600), volts=(26, 23)), cut_off=True)
        pairs = Run("inverter", marks=marks((0, 1, 2), ac_w=(0, 90, 900), dc_w=(18, 118, 1018)))
        sun = Run("harvest", "Roof", marks=marks((16, 19), wh=(0, 900), dc_w=(400, 250)))
        for run_id, (run, words, picture) in enumerate((
                (level, "a day: 3 days 12 h from 73 % to the everyday floor", "meets the everyday floor after"),
                (capacity, "The bank gives 8.80 kWh, give or take 2 %: 92 % of what is printed.", "Energy counted"),
                (pairs, "It takes 18 W with nothing on, and passes 90 % of the rest.", "begins at 18 W"),
                (sun, "Roof brought 900 Wh in 3 h; such a day brings about", "Energy counted")), 1):
            self.begin(run)
            page = self.show(run_id)
            self.shows(words, page)
            self.shows(picture, page)
        self.shows("nothing to apply", page)
        self.shows("under a usual one", page)
        self.shows("leave out the first hours", self.show(1))
        self.hides("leave out the first hours, which", self.press("noted", 1, leave_out_hours="12 h", warm="y").text)
        asked = self.show(1, "?from=50")
        self.shows("48 h (", asked)  # 30 points to the everyday floor at the 0.626 % an hour of the later readings
        self.shows("expected a percent between 0 and 100", self.show(1, "?from=lots"))
        self.press("apply", 3)
        self.assertEqual((self.kept().rig.inverter.idle_w, self.kept().rig.inverter.efficiency), (18.0, 0.9))
        self.press("apply", 2)
        self.assertEqual(self.kept().rig.bank.tested_energy_wh, 8800)
        self.shows("8.80 kWh as tested", self.client.get("/1/rig").text)

    def test_the_cells_of_a_flooded_bank(self):
        self.hides("Read the cells", self.client.get("/1/bench").text)
        self.assertEqual(self.client.get("/1/bench/new?instrument=hydrometer").status_code, 404)
        self.save(bank=Bank("flooded", 6, 220, 4, 2))
        self.shows("Read the cells", self.client.get("/1/bench").text)
        new = self.client.get("/1/bench/new?instrument=hydrometer").text
        self.shows("The acid burns", new)
        first = {"instrument": "hydrometer", "at": "2026-11-23T08:00", "ambient_c": "25"}
        self.shows("expected 1.000 to 1.400 for each cell", self.post("/1/bench/new", first | {"cells": "1.2 3"}).text)
        self.shows("at least one figure", self.post("/1/bench/new", first | {"cells": "", "ambient_c": ""}).text)
        self.post("/1/bench/new", first | {"cells": "1265 1,250 1.262"})
        self.assertEqual(self.run_now().run.marks[0].cells, (1.265, 1.25, 1.262))
        self.hides("0.015 on", self.show(1))  # how far they came apart is told of two readings and more
        page = self.read(cells="1.260 1.225 1.262", ambient_c="25").text
        self.shows("The bank stands at about 75 % by its weakest cell, number 2; the cells are 0.037 apart.", page)
        self.shows("Cell 2 was the weakest each time, and they have come further apart", page)
        self.shows("0.015 on 23 Nov, 0.037 on", page)
        self.shows("1.225 to 1.262", page)
        self.shows("As a level it goes into the log: 75 %.", page)
        self.shows("number 2 is the weakest", page)
        self.hides("Apply to the rig", page)
        self.shows("found 2 cells, expected 3 as before", self.press("marks/1", at="2026-11-24T20:00",
                                                                    cells="1.26 1.225").text)

    def test_what_cannot_be_says_which_reading(self):
        for run_id, (run, words) in enumerate((
                (Run("drawdown", marks=marks((0, 5, 9), soc=(0.9, 0.8, 0.85))), "85 % after 80 %"),
                (Run("capacity", marks=marks((0, 9), wh=(0, 500), ac_wh=(0, 600)), cut_off=True), "expected less"),
                (Run("inverter", marks=marks((0, 1), ac_w=(0, 500), dc_w=(18, 480))), "expected less AC than DC"),
                (Run("harvest", "Roof", marks=marks((0, 3), wh=(900, 100))), "a counter that rises")), 1):
            self.begin(run)
            page = self.show(run_id)
            self.shows(words, page)
            self.shows("Correct", page)
            self.hides("Apply to the rig", page)
            self.shows("look at it", self.client.get("/1/bench").text)


class Round(BenchCase):
    def test_laid_out_ticked_off_and_taken_out_as_a_calendar(self):
        answer = self.post("/1/bench/round", {"ac_meters": "1", "dc_meters": "1", "begin": "2026-11-25T08:00"},
                           follow_redirects=True)
        self.shows("Wed 25 Nov 08:00", answer.text)
        ics = self.client.get("/1/bench/round.ics")
        self.assertEqual(ics.mimetype, "text/calendar")
        events = Calendar.from_ical(ics.data).walk("VEVENT")
        self.assertEqual({str(event["SUMMARY"]) for event in events}, {"Meter AC 1: Freezer", "Meter DC 1: Lamp"})
        self.assertEqual({event.end - event.start for event in events}, {timedelta(days=1)})
        self.hides("✓ metered", answer.text)
        run = meter((0, 30), (0, 900))
        late = tuple(replace(mark, at=mark.at + timedelta(days=25)) for mark in run.marks)
        self.begin(replace(run, marks=late))
        self.shows("✓ metered", self.client.get("/1/bench").text)

    def test_without_a_meter_the_round_stays(self):
        self.post("/1/bench/round", {"ac_meters": "1", "dc_meters": "0", "begin": "2026-11-24T08:00"})
        slots = bench.measuring_round(self.db, 1).slots
        answer = self.post("/1/bench/round", {"ac_meters": "0", "dc_meters": "0", "begin": "2026-11-24T08:00"})
        self.assertEqual(answer.status_code, 422)
        self.shows("Found no meter", answer.text)
        self.assertEqual((bench.measuring_round(self.db, 1).slots, bool(slots)), (slots, True))

    def test_odd_counts_are_refused(self):
        good = {"ac_meters": "1", "dc_meters": "0", "begin": "2026-11-25T08:00"}
        for data in ({"ac_meters": "many"}, {"ac_meters": "99"}, {"dc_meters": "1.5"}, {"begin": "?"}, {"begin": ""}):
            answer = self.post("/1/bench/round", good | data)
            self.assertEqual(answer.status_code, 422, data)
        self.assertIsNone(bench.measuring_round(self.db, 1))


class RigPage(BenchCase):
    def test_the_diagram_draws_every_part_and_what_is_over(self):
        self.save(arrays=(SolarArray("Roof <b>", 300, 4, controller_limit_w=900),), generators=(Generator("Set", 900),))
        page = self.client.get("/1/rig").text
        drawing = re.search(r'<svg viewBox="0 0 1000.*?</svg>', page, re.S)[0]
        for words in ("Roof &lt;b&gt;", "Freezer", "Lamp", "Set", "Inverter", "12 V 400 Ah, 2 in series",
                      'href="?part=arrays-0#part"', "over its controller: 900 W", "wire-over"):
            self.shows(words, drawing)
        self.assertEqual(drawing.count('class="cell-box"'), 2)
        self.shows("Panels in series can carry dangerous DC", page)

    def test_a_station_is_drawn_with_its_packs(self):
        self.save(bank=Bank("lfp", rated_energy_wh=2000, pack_wh=(1000, 1000)))
        drawing = re.search(r'<svg viewBox="0 0 1000.*?</svg>', self.client.get("/1/rig").text, re.S)[0]
        self.shows("Station and 2 packs", drawing)
        self.assertEqual(drawing.count('class="cell-box"'), 3)

    def test_a_depth_is_set_with_one_action_and_taken_back(self):
        self.shows("Long life", self.client.get("/1/rig").text)
        page = self.post("/1/rig/depth", {"policy": "long life"}, follow_redirects=True).text
        self.assertEqual(self.kept().rig.bank.everyday_floor, 0.40)
        undo = re.search(r'action="(/1/rig/undo/\d+)"', page)[1]
        self.shows("Taken back", self.post(undo, follow_redirects=True).text)
        self.assertEqual(self.kept().rig.bank.everyday_floor, 0.20)
        self.shows("nothing was taken back", self.post(undo, follow_redirects=True).text)
        self.assertEqual(self.post("/1/rig/depth", {"policy": "reckless"}).status_code, 400)

    def test_a_fixed_array_is_asked_about_and_a_moved_one_reckoned_where_it_stands_today(self):
        self.shows("What would aiming Roof by hand bring?", self.client.get("/1/rig").text)
        page = self.client.get("/1/rig?aim=Roof").text
        self.shows("as it is fixed", page)
        self.save(places=(Stay(date(2027, 1, 1), "North", 60.0, 10.0),))
        # A place that is still to come changes nothing of today's.
        later = self.client.get("/1/rig?aim=Roof").text
        told = re.search(r"Aiming the Roof[^.]*\.", page)[0]
        self.shows(told, later)

    def test_a_portable_array_says_what_aiming_gains(self):
        self.save(arrays=(SolarArray("Fold", 120, 2, aimed_per_day=2),))
        page = self.client.get("/1/rig").text
        self.assertRegex(page, r"Aiming the Fold in November, under a mean sky: 1 × a day [\d.]+ k?Wh, 2 × a day")
        brought = [float(wh) for wh in re.findall(r"\(\+(\d+) Wh\)", page)]  # by the second turn, and by the third
        self.assertEqual(brought, sorted(brought, reverse=True))

    def test_one_that_is_fixed_stands_out_as_long_when_it_is_aimed(self):
        fixed = SolarArray("Shed", 120, 2, 30, 0)
        self.save(arrays=(fixed,))
        aimed = sum(clearsky.aimed_tables(self.db, self.kept().rig, fixed, range(2), date(2026, 11, 24))[1])
        place = self.kept().rig.place
        self.assertAlmostEqual(aimed, sum(table(plane_key(place, replace(fixed, aimed_per_day=1, hours_out=15)))))
        self.shows("as it is fixed", self.client.get("/1/rig?aim=Shed").text)

    def test_packs_and_volts_in_a_reading(self):
        self.save(bank=Bank("agm", 12, 110, 1, 2), soc_from="volts", arrays=())
        self.assertEqual(self.add(soc="70 80").status_code, 303)
        reading, = self.log()
        self.assertEqual((round(reading.soc, 3), reading.pack_socs), (0.75, (0.7, 0.8)))
        self.shows("packs are 10 points apart", self.client.get("/1/today").text)
        self.shows('value="70 80"', self.client.get("/1/log?edit=1").text)
        self.shows("one for each of the 2 packs that your bank on Rig has", self.add(
            at="2026-11-24T20:30", soc="70 80 90").text)
        self.add(at="2026-11-24T20:30", volts="12.45")
        self.shows("60 %", self.client.get("/1/log").text)
        self.assertIsNone(kept_readings.everything(self.db, 1)[-1].reading.soc)

    def test_a_rig_that_moves(self):
        self.keep(*readings(*({"soc": 0.5, "solar_wh": 900} for _ in range(20)), start=NOW - timedelta(days=25)))
        stay = {"name": "Orchard", "from_day": "2026-11-10", "latitude": "-42.7", "longitude": "147",
                "shade_factor": "0.8"}
        answer = self.keep_part("places-new", **stay)
        self.assertEqual(answer.status_code, 303)
        self.assertEqual(self.kept().rig.places, (Stay(date(2026, 11, 10), "Orchard", -42.7, 147.0, 0, 0.8),))
        for page in ("today", "log", "rig", "outlook", "additions"):
            self.assertEqual(self.client.get(f"/1/{page}").status_code, 200, page)
        for wrong, words in (({"from_day": "soon"}, "a day. Write it as 2 Oct 2026"),
                             ({"from_day": ""}, "Found nothing, expected a day such as 2026-10-02"),
                             ({"latitude": "95"}, "−90 (south)"), ({"shade_factor": "3"}, "1")):
            answer = self.keep_part("places-0", **wrong)
            self.assertEqual(answer.status_code, 422)
            self.shows(words, answer.text)

    def test_an_input_in_watts_and_a_socket_of_the_house(self):
        self.keep_part("vehicles-new", name="Ute", charge_w="320", input_v="13.2", input_a="132 W")
        self.assertEqual(self.kept().rig.vehicles, (Engine("Ute", 320, 13.2, 10),))
        self.keep_part("vehicles-0", input_v="", input_a="120 W")
        self.assertEqual(self.kept().rig.vehicles, (Engine("Ute", 320, 12, 10),))
        self.assertEqual(self.keep_part("vehicles-0", input_a="12 Wh").status_code, 422)
        self.shows("230 V x 1.1 A", self.client.get("/1/bench/new?instrument=label").text)
        self.post("/units", {"mains": "120"})
        self.shows("120 V x 1.1 A", self.client.get("/1/bench/new?instrument=label").text)
        self.post("/units", {"mains": "999"})
        self.shows("120 V", self.client.get("/1/sums").text)
        self.post("/1/bench/new", {"instrument": "label", "subject": "Lamp 2", "watts": "60 W/h", "hours_a_day": "2",
                                   "side": "ac", "basis": "label"})
        self.shows("60 W/h was taken as 60 W: W is the rate, Wh the amount.", self.client.get("/1/bench").text)

    def test_every_new_figure_goes_through_its_part(self):
        for key, typed in (
                ("vehicles-new", {"name": "Ute", "charge_w": "320"}),
                ("vehicles-0", {"input_v": "13.2", "input_a": "10 A", "converter_efficiency": "90",
                                "cut_off_v": "12.3"}),
                ("mains-new", {"name": "Town", "charge_w": "300"}), ("mains-0", {"carried": "y"}),
                ("bank", {"charge_limit_w": "2 kW"}),
                ("arrays-0", {"controller_limit_a": "20", "aimed_per_day": "2", "hours_out": "6 h"}),
                ("generators-new", {"name": "Set", "charge_w": "900"}),
                ("generators-0", {"fuel_price": "1.9", "continuous_w": "1 kW"})):
            self.assertEqual(self.keep_part(key, **typed).status_code, 303, key)
        made = self.kept().rig
        self.assertEqual(made.vehicles, (Engine("Ute", 320, 13.2, 10, None, 0.9, 12.3),))
        self.assertEqual(made.mains, (Mains("Town", 300, True),))
        self.assertEqual(made.generators, (Generator("Set", 900, None, 1000, 1.9),))
        self.assertEqual(made.bank.charge_limit_w, 2000)
        self.assertEqual((made.arrays[0].aimed_per_day, made.arrays[0].hours_out), (2, 6))
        self.shows("held to 119 W by its input", self.client.get("/1/rig").text)
        station = self.keep_part("bank", kind="station", rated_energy_wh="2 kWh", pack_wh="1 kWh; 500")
        self.assertEqual(station.status_code, 303)
        self.assertEqual(self.kept().rig.bank.packs, (2000, 1000, 500))
        self.shows("Found", self.keep_part("bank", pack_wh="lots").text)
