"""The day's plan on Today and the card on the wall."""

import html
import json
import re
from dataclasses import replace
from datetime import timedelta
from unittest import mock

from tests.pages.test_outlook import OutlookCase
from tests.support import environment, rig, voltaun
from voltaun.core.log.reading import Reading
from voltaun.core.rig.parts import Load, SolarArray, SpillThing
from voltaun.database import archive, dayplan, plans, rigs
from voltaun.database.connection import transaction
from voltaun.database.readings import everything

PUMP = Load("Pump", 300, "dc", 400, pattern=("window", 9, 16, 0.75), usual_start=15.0)


class PlanCase(OutlookCase):
    """A rig with a pump and a spill list, read at seven in the morning."""

    def setUp(self):
        super().setUp()
        kept = rigs.get(self.db, 1)
        self.rig = replace(kept.rig, loads=(*kept.rig.loads, PUMP,
                                            Load("Kettle", 200, "ac", 1500, pattern=("hours", 18, 22)),
                                            Load("Freezer", 500, "ac", 80, priority="essential")),
                           spill_list=(SpillThing("Second bank", 100, 200),))
        self.at = everything(self.db, 1)[-1].reading.at + timedelta(minutes=30)  # at half past seven in the morning
        with transaction(self.db):
            rigs.save(self.db, kept, self.rig, self.at)
        clock = mock.patch.dict("os.environ", environment(self.at))
        clock.start()
        self.addCleanup(clock.stop)
        self.day = self.at.astimezone(self.rig.zone).date()

    def read(self, soc=0.9):
        self.keep(Reading(self.at, soc=soc))

    def today(self, query=""):
        return " ".join(html.unescape(self.client.get(f"/1/today{query}").text).split())

    def do(self, doing, name="Pump", **more):
        told = {"name": name, "day": self.day.isoformat(), "doing": doing}
        return self.post("/1/plan", told | more).status_code


class OnToday(PlanCase):
    def test_a_line_is_ticked_moved_dropped_and_put_back(self):
        self.read()
        self.assertRegex(self.today(), r'class="clock">\d+:\d\d</span> Pump, 45 min\.')
        self.assertEqual(self.do("done"), 303)
        self.assertRegex(self.today(), r"Pump: done\.")
        self.assertNotRegex(self.today(), r"Pump, 45 min\.")
        self.assertEqual(dayplan.marks(self.db, 1, self.day).done, {self.day: ("Pump",)})
        self.do("open")
        self.do("move", begin="9:30")
        self.assertRegex(self.today(), r'class="clock">9:30</span> Pump, 45 min\.')
        self.assertIn("Back to the plan", self.today())
        self.assertIn("Pump from 9:30", self.today())  # on the strip
        self.do("drop")
        self.assertRegex(self.today(), r"Pump: not on this day\.")
        self.do("back")
        self.assertRegex(self.today(), r"Pump, 45 min\.")
        self.assertEqual(dayplan.marks(self.db, 1, self.day).moved, {})

    def test_the_entry_stands_once_with_a_plan_and_without(self):
        self.read()
        for hours, planned in ((0, True), (30, False)):
            with mock.patch.dict("os.environ", environment(self.at + timedelta(hours=hours))):
                page = self.today()
            self.assertEqual((page.count('id="entry"'), 'id="plan-title"' in page), (1, planned))

    def test_every_third_hour_stands_under_the_picture(self):
        self.read()
        page = self.today()
        figure = page[page.index('hours-figure'):]
        hours = re.findall(r">(\d+):00</text>", figure[:figure.index("</svg>")])
        self.assertIn("12", hours)
        self.assertEqual([hour for hour in hours if int(hour) % 3], [])

    def test_another_turn_of_a_hand_aimed_panel_is_weighed(self):
        self.read()
        self.assertNotIn("once more brings", self.today())
        fold = SolarArray("Fold", 200, 1, aimed_per_day=1)
        with transaction(self.db):
            rigs.save(self.db, rigs.get(self.db, 1), replace(self.rig, arrays=(*self.rig.arrays, fold)), self.at)
        # Sun is to spare that day, and another turn brings less than that.
        self.assertIn("Turning Fold once more gains nothing today: sun is spilt as it is.", self.today())
        with mock.patch("voltaun.pages.today.views.planning.spilt_of", return_value=0.0):
            self.assertRegex(self.today(), r"<li>Turning Fold once more brings about \d+ Wh today\.</li>")
        with (mock.patch("voltaun.pages.today.views.another_turn", return_value=4.0),
              mock.patch("voltaun.pages.today.views.planning.spilt_of", return_value=0.0)):
            self.assertIn("Turning Fold once more brings next to nothing today.", self.today())

    def test_what_is_no_line_of_it_is_refused_and_a_wrong_time_changes_nothing(self):
        self.read()
        self.assertEqual([self.do("done", "Boat"), self.do("fly"), self.do("done", day="soon")], [400, 400, 400])
        self.assertEqual(self.do("move", begin="noon"), 303)
        self.shows("Nothing was moved: found 'noon'", self.today())
        self.assertEqual(dayplan.marks(self.db, 1, self.day).moved, {})

    def test_a_load_left_off_by_plan_is_not_on_it(self):
        self.read()
        with transaction(self.db):
            plans.add(self.db, 1, plans.Plan("leave_off", self.day, self.day, name="Pump"), self.at)
        self.assertNotRegex(self.today(), r"Pump, 45 min")

    def test_tonight_in_things_and_a_load_typed_on_the_spot(self):
        self.read(0.97)
        with transaction(self.db):
            for n in range(1, 5):
                plans.give_sky(self.db, 1, self.day + timedelta(days=n), self.day, "clear")
        page = self.today()
        allowed = re.search(r"you may use about ([\d.]+) (k?)Wh more than usual", page)
        wh = float(allowed[1]) * (1000 if allowed[2] else 1)
        self.assertRegex(page, r"Any one of these: .*Pump \d+ times")
        self.shows("Yes: it takes", self.today(f"?watts={wh / 4:.0f}&side=dc&for=1"))
        self.shows("Not so long:", self.today(f"?watts={wh:.0f}&side=dc&for=3"))
        self.shows("No: the inverter gives", self.today("?watts=99999&side=ac&for=1"))
        wrong = self.today("?watts=many&for=1")
        self.shows("Found 'many'", wrong)
        self.shows('value="many"', wrong)

    def test_it_goes_out_as_a_calendar_with_one_event_a_load_and_day(self):
        self.read()
        events = []
        for begin in ("9:30", "11:00"):
            self.do("move", begin=begin)
            text = self.client.get("/1/plan.ics").text
            self.assertEqual(text.count("BEGIN:VEVENT"), 1)
            self.assertIn("SUMMARY:Pump", text)
            events.append((re.search(r"UID:(\S+)", text)[1], re.search(r"DTSTART:(\S+)", text)[1]))
        self.assertEqual(events[0][0], events[1][0])  # moved, it takes the old one's place
        self.assertNotEqual(events[0][1], events[1][1])

    def test_it_waits_until_an_old_level_is_read(self):
        with mock.patch.dict("os.environ", environment(self.at + timedelta(hours=20))):
            page = self.today()
        self.shows("The plan of the day waits until the level is read.", page)
        self.assertNotIn("by the clock", page)

    def test_page_and_command_say_the_same(self):
        self.read(0.5)
        page = self.today()
        got = json.loads(voltaun("today", "--db", self.path, "--rig", self.rig.name, "--json", now=self.at).stdout)
        for said in (*got["headline"], *got["advice"], *got["plan"]):
            self.shows(re.sub(r"^\d+:\d\d ", "", said), page)


    def test_marks_go_through_an_archive(self):
        self.do("done")
        self.do("move", begin="10:15")
        first = archive.rig_archive(self.db, 1)
        with transaction(self.db):
            rigs.remove(self.db, 1, self.at)
            again = archive.add_rig(self.db, json.loads(json.dumps(first)))
        self.assertEqual(archive.rig_archive(self.db, again), first)
        self.assertEqual(dayplan.marks(self.db, again, self.day).moved, {self.day: {"Pump": 10.25}})


class OnTheWall(PlanCase):
    def test_levels_fall_from_line_to_line_and_things_have_their_names(self):
        page = " ".join(html.unescape(self.client.get("/1/card?month=12").text).split())
        self.shows(f"{self.rig.name}: December", page)
        levels = [int(of) for of in re.findall(r"<th>(\d+) %", page)]
        self.assertEqual(levels, sorted(levels, reverse=True))
        self.shows("Run a generator outdoors", page)
        self.shows("Ask: ____", page)
        self.assertRegex(page, r"Only what must run: [^.]*Freezer")

    def test_nothing_is_said_where_no_use_is_known(self):
        with transaction(self.db):
            number = rigs.add(self.db, replace(rig(), name="Bare", loads=()))
        self.shows("No card yet.", self.client.get(f"/{number}/card").text)
        self.assertEqual(self.client.get("/1/card?month=99").status_code, 200)
