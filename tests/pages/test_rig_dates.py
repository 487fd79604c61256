"""The rig's page and its days: a change since a day, panels added, what stood before, a step that nobody explained."""

import re
import unittest
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

from tests.core.learned.test_bank_step import log as bank_log
from tests.core.learned.test_use_step import log as use_log
from tests.core.learned.test_yield_step import CHANGED, log
from tests.pages.test_pages import PagesCase, standing
from tests.support import NOW, rig
from voltaun.core.rig.bank import effective_energy
from voltaun.core.rig.parts import Load
from voltaun.database import asking, readings, rigs
from voltaun.database.connection import transaction
from voltaun.database.monitors import put_setting
from voltaun.pages.figures import strip
from voltaun.pages.rig.steps import _with_watts


class DatesCase(PagesCase):
    def kept(self):
        return rigs.get(self.db, 1)

    def keep(self, **changes):
        kept = self.kept()
        with transaction(self.db):
            rigs.save(self.db, kept, replace(kept.rig, **changes), datetime(2026, 11, 1, tzinfo=UTC))

    def part(self, key, **typed):
        """Send a part as its form stands, with some of it typed otherwise."""
        page = self.client.get(f"/1/rig?part={key}").text
        form = page[page.index('id="part"'):page.index("Leave it as it was")]
        data = dict(re.findall(r'<input(?=[^>]*type="(?:text|hidden)")[^>]*name="(\w+)"[^>]*value="([^"]*)"', form))
        for select in re.findall(r"<select.*?</select>", form, re.DOTALL):
            chosen = re.search(r'<option selected value="([^"]*)"', select) or re.search(r'value="([^"]*)"', select)
            data[re.search(r'name="(\w+)"', select)[1]] = chosen[1] if chosen else ""
        return self.post(f"/1/rig/parts/{key}", data | {"version": self.kept().version} | typed, follow_redirects=True)


class Since(DatesCase):
    def test_blank_is_a_correction_and_a_day_a_change_that_can_be_taken_back(self):
        self.part("arrays-0", panels="6")
        self.assertEqual((self.kept().rig.arrays[0].panels, self.kept().rig.dated), (6, False))
        page = self.part("arrays-0", panels="8", changed_on="20 Sep 2026").text
        kept = self.kept().rig
        self.assertEqual((kept.arrays[0].panels, kept.arrays[0].from_day), (8, date(2026, 9, 20)))
        self.assertEqual([(of.group, of.part.panels, of.part.until_day) for of in kept.former],
                         [("arrays", 6, date(2026, 9, 19))])
        self.shows("Before: Roof, 6 × 300 W, until 19 Sep 2026.", self.client.get("/1/rig/parts").text)
        self.shows("It is there since 20 Sep 2026.", self.client.get("/1/rig?part=arrays-0").text)
        # A figure put right afterwards keeps the day.
        self.part("arrays-0", tilt_deg="40")
        self.assertEqual((self.kept().rig.arrays[0].from_day, len(self.kept().rig.former)), (date(2026, 9, 20), 1))
        self.post(re.search(r'action="(/1/rig/undo/\d+)"', page)[1])  # saved again since
        self.assertEqual(len(self.kept().rig.former), 1)
        self.post("/1/rig/forget", {"number": 0})
        self.assertEqual((self.kept().rig.former, self.post("/1/rig/forget", {"number": 3}).status_code), ((), 400))

    def test_a_part_that_went_and_one_that_came(self):
        self.keep(loads=(Load("Old fridge", 900, "dc"),))
        self.post("/1/rig/parts/loads-0", {"version": self.kept().version, "remove": "yes", "changed_on": "2026-10-01"})
        self.part("loads-new", name="New fridge", daily_wh="400", changed_on="2026-10-01")
        kept = self.kept().rig
        self.assertEqual([(load.name, load.from_day) for load in kept.loads], [("New fridge", date(2026, 10, 1))])
        self.assertEqual([of.part.name for of in kept.former], ["Old fridge"])
        self.assertEqual([[load.name for load in kept.on(day).loads] for day in (date(2026, 9, 30), date(2026, 10, 1))],
                         [["Old fridge"], ["New fridge"]])

    def test_another_bank_and_another_inverter(self):
        self.part("bank", unit_capacity_ah="200", changed_on="2026-10-01")
        self.part("inverter", continuous_w="3000", there="y", changed_on="2026-10-02")
        kept = self.kept().rig
        self.assertEqual([of.group for of in kept.former], ["bank", "inverter"])
        self.assertEqual(kept.on(date(2026, 9, 1)).bank.unit_capacity_ah, rig().bank.unit_capacity_ah)
        self.shows("until 30 Sep 2026", self.client.get("/1/rig").text)

    def test_panels_are_whole_and_some(self):
        for count in ("1.5", "0"):
            self.shows("Found no whole panels", self.post("/1/rig/more", {
                "array": "Roof", "count": count, "day": "1 May 2026"}, follow_redirects=True).text)
        self.assertFalse(self.kept().rig.dated)

    def test_a_day_that_cannot_be_stays_typed_with_what_is_wrong(self):
        for typed, words in (("3/4/2026", "can be read as"), ("soon", "a day. Write it as 2 Oct 2026"),
                             ("1 Jan 2031", "a day up to today"), ("<b>", "Found")):
            answer = self.part("arrays-0", panels="8", changed_on=typed)
            self.assertEqual((answer.status_code, self.kept().rig.dated), (422, False), typed)
            self.shows(words, answer.text)
            self.assertNotIn("<b>", answer.text)

    def test_panels_more_as_one_step(self):
        no_day = {"array": "Roof", "count": "2", "day": ""}
        self.shows("Nothing was changed. Found no day", self.post("/1/rig/more", no_day, follow_redirects=True).text)
        self.shows("Roof: 2 panels more since 20 Sep 2026.", self.post(
            "/1/rig/more", {"array": "Roof", "count": "2", "day": "20 Sep 2026"}, follow_redirects=True).text)
        self.assertEqual([self.kept().rig.on(day).arrays[0].panels for day in (date(2026, 9, 19), date(2026, 9, 20))],
                         [4, 6])
        self.post("/1/rig/more", {"array": "Roof", "count": "-6", "day": "1 Nov 2026"})
        self.assertEqual(self.kept().rig.arrays, ())
        self.assertEqual(self.client.get("/1/rig").status_code, 200)  # with nothing but what was there
        self.assertEqual(self.client.get("/1/outlook").status_code, 200)
        self.assertEqual(self.post("/1/rig/more", {"array": "Wall", "count": "2"}).status_code, 400)

    def test_the_strip_marks_the_day(self):
        self.post("/1/rig/more", {"array": "Roof", "count": "2", "day": "20 Nov 2026"})
        with mock_columns() as seen:
            self.client.get("/1/today")
        self.assertEqual(seen[-1][date(2026, 11, 20)], ("changed: Roof",))


def mock_columns():
    from contextlib import contextmanager
    from unittest import mock

    @contextmanager
    def seen():
        found, real = [], strip.columns

        def columns(*args, **more):
            found.append(args[7])
            return real(*args, **more)
        with mock.patch.object(strip, "columns", columns):
            yield found
    return seen()


class AsPeopleWriteIt(DatesCase):
    def test_places_and_panels_in_words(self):
        self.part("place", latitude="42.1 S", longitude="147,3 E")
        self.part("arrays-0", azimuth_deg="north-east", tilt_deg="1 in 3")
        kept = self.kept().rig
        self.assertEqual((kept.place.latitude, kept.place.longitude), (-42.1, 147.3))
        self.assertEqual((kept.arrays[0].azimuth_deg, kept.arrays[0].tilt_deg), (45.0, 18.4))
        self.add(temp_c="60 °F", soc="50")
        self.assertEqual(self.log()[-1].temp_c, 15.6)
        self.shows("expected degrees, 0 = north", self.part("arrays-0", azimuth_deg="400").text)

    def test_how_panels_face_is_drawn_as_it_is_typed(self):
        page = self.client.get("/1/rig?part=arrays-0").text
        self.shows("Roof: 30° from level, facing north", page)
        form = standing(page[page.index('id="part"'):page.index("Leave it as it was")])
        typed = self.post("/1/rig/parts/arrays-0/follows", form | {"azimuth_deg": "NE", "tilt_deg": "1 in 3"}).text
        self.shows("Roof: 18° from level, facing north-east", typed)
        self.assertNotIn("facing", self.post("/1/rig/parts/arrays-0/follows", form | {"azimuth_deg": "400"}).text)
        self.assertNotIn("facing-title", self.part("arrays-0", azimuth_deg="400").text)
        self.assertNotIn("facing-title", self.client.get("/1/rig?part=bank").text)


class HardlyMeant(DatesCase):
    def test_it_is_asked_beside_its_field_before_it_is_kept(self):
        asked = self.part("inverter", idle_w="170", there="y")
        self.assertEqual(asked.status_code, 422)
        self.shows("170 W idle are 4.08 kWh a day. Is that with nothing on?", asked.text)
        self.assertEqual(self.kept().rig.inverter.idle_w, 18)
        sure = re.search(r'name="sure" value="([^"]*)"', asked.text)[1]
        # What was corrected is kept without a word; another figure is asked about although one was sure of the first.
        self.shows("is kept", self.part("inverter", idle_w="17", there="y").text)
        self.assertEqual(self.part("bank", standby_w="60", sure=sure).status_code, 422)
        self.shows("is kept", self.part("inverter", idle_w="170", there="y", sure=sure).text)
        # Once it stands it is not asked about again.
        self.shows("is kept", self.part("inverter", efficiency="90", there="y").text)

    def test_what_a_change_makes_odd_elsewhere_is_said_too(self):
        asked = self.part("place", latitude="42.02")
        self.shows("The time zone lies on the other side of the equator", asked.text)
        self.shows("Roof: It faces away from the sun. There 180 is towards it", asked.text)


class Stepped(unittest.TestCase):
    def test_only_the_array_that_is_named_is_changed(self):
        roof = rig().arrays[0]  # 4 × 300 W
        of = rig(arrays=(roof, replace(roof, name="Wall")))
        since = _with_watts(of, of.arrays[1], 600, CHANGED, since=True)
        self.assertEqual([(each.name, each.panels) for each in since.arrays], [("Roof", 4), ("Wall", 2)])
        self.assertEqual([each.panels for each in since.on(CHANGED - timedelta(days=1)).arrays], [4, 4])
        until = _with_watts(of, of.arrays[1], 600, CHANGED, since=False)
        self.assertEqual([each.panels for each in until.on(CHANGED).arrays], [4, 4])
        self.assertEqual(sorted(each.panels for each in until.on(CHANGED - timedelta(days=1)).arrays), [2, 4])


class Unexplained(DatesCase):
    def setUp(self):
        super().setUp()
        with transaction(self.db):
            readings.add_many(self.db, 1, log(days=325))

    def asked(self):
        return "Were panels added?" in self.client.get("/1/today").text

    def test_it_is_asked_and_answered_with_the_panels_of_before(self):
        page = self.client.get("/1/outlook").text
        self.shows("the sun brings twice as much as before", page)
        self.shows('name="count" size="6" value="600"', page)
        self.shows("changed on 1 May 2026", self.post("/1/rig/step", {
            "answer": "yes", "array": "Roof", "count": "600", "day": "1 May 2026"}, follow_redirects=True).text)
        self.assertEqual([self.kept().rig.on(day).arrays[0].panels for day in (date(2026, 4, 30), CHANGED)], [2, 4])
        self.assertFalse(self.asked())

    def test_one_panel_of_all_the_watts_is_halved_in_watts(self):
        self.keep(arrays=(replace(rig().arrays[0], panel_w=1200, panels=1),))
        self.shows('name="count" size="6" value="600"', self.client.get("/1/outlook").text)
        self.post("/1/rig/step", {"answer": "yes", "array": "Roof", "count": "600", "day": "1 May 2026"})
        rated = [self.kept().rig.on(day).arrays[0].rated_w for day in (date(2026, 4, 30), CHANGED)]
        self.assertEqual(rated, [600, 1200])
        self.assertFalse(self.asked())

    def test_no_is_remembered(self):
        self.assertTrue(self.asked())
        self.post("/1/rig/step", {"answer": "no"})
        self.assertFalse(self.asked())
        self.shows("no such step", self.post("/1/rig/step", {"answer": "no"}, follow_redirects=True).text)

    def test_odd_answers_change_nothing(self):
        for sent, words in (({"count": "many", "day": "1 May 2026"}, "Nothing was changed"),
                            ({"count": "2", "day": ""}, "Found no day"),
                            ({"count": "-5", "day": "1 May 2026"}, "Nothing was changed")):
            self.shows(words, self.post("/1/rig/step", {"answer": "yes", "array": "Roof"} | sent,
                                        follow_redirects=True).text)
        self.assertEqual(self.post("/1/rig/step", {"answer": "yes", "array": "No"}).status_code, 400)
        self.assertFalse(self.kept().rig.dated)


class UnexplainedBank(DatesCase):
    def setUp(self):
        super().setUp()
        with transaction(self.db):
            readings.add_many(self.db, 1, bank_log(4800.0, 9600.0, days=327))

    def answer(self, **typed):
        return self.post("/1/rig/bank-step", {"answer": "yes", "count": "4800", "day": "1 Mar 2026"} | typed,
                         follow_redirects=True).text

    def test_it_is_asked_and_answered_with_the_bank_of_before(self):
        page = self.client.get("/1/outlook").text
        self.shows("the bank holds twice as much as before", page)
        self.shows("Were batteries added?", page)
        self.shows("Wh of the bank before", page)
        self.shows("The bank was changed on 1 Mar 2026.", self.answer())
        of = self.kept().rig
        self.assertEqual([effective_energy(of.on(date(2026, *day))).wh for day in ((2, 28), (3, 1))], [4800, 9600])
        self.hides("as much as before", self.client.get("/1/today").text)

    def test_where_the_rig_has_the_bank_of_before_the_one_of_now_is_asked_for(self):
        self.keep(bank=replace(rig().bank, unit_capacity_ah=200))  # 4800 Wh
        page = self.client.get("/1/today").text
        self.shows("Wh of the bank now", page)
        self.shows('name="count" size="6" value="9600"', page)
        self.answer(count="9600")
        of = self.kept().rig
        self.assertEqual([of.on(day).bank.parallel for day in (date(2026, 2, 28), date(2026, 3, 1))], [1, 2])

    def test_no_is_remembered_and_says_nothing_of_the_panels(self):
        self.shows("Noted. The log is reckoned with the bank as it stands.", self.answer(answer="no"))
        self.hides("as much as before", self.client.get("/1/today").text)
        told = asking.explained_steps(self.db, 1)
        self.assertEqual((told.sun, len(told.bank)), ((), 1))
        self.shows("no such step", self.answer())

    def test_odd_answers_change_nothing(self):
        for typed in ({"count": "0"}, {"count": "many"}, {"day": "1 Mar 1200"}, {"day": ""}):
            self.shows("Nothing was changed", self.answer(**typed))
        self.assertFalse(self.kept().rig.dated)


class UnexplainedUse(DatesCase):
    def test_it_is_asked_until_it_is_said_to_stay(self):
        told = use_log()
        with transaction(self.db):
            readings.add_many(self.db, 1, [replace(of, at=of.at + (NOW - told[-1].at)) for of in told])
        page = self.client.get("/1/today").text
        self.assertRegex(" ".join(page.split()), r"Since about \d+ Oct 2026 more is used: [34].\d kWh a day instead")
        self.shows("Is something new?", page)
        self.shows("The days ahead count the use as it is.", self.post("/1/rig/use-step", follow_redirects=True).text)
        self.hides("more is used", self.client.get("/1/outlook").text)
        with transaction(self.db):
            put_setting(self.db, 1, "explained_use_steps", ["nonsense", 3])
            put_setting(self.db, 1, "explained_bank_steps", 3)  # as another's archive may have it
        self.shows("more is used", self.client.get("/1/outlook").text)

    def test_without_one_nothing_is_kept(self):
        self.shows("no such step", self.post("/1/rig/use-step", follow_redirects=True).text)
        self.assertEqual(asking.explained_steps(self.db, 1).use, ())
