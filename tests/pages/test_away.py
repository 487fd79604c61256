"""Readings that were typed out of reach: each is kept once, beside others, and read as of when it was typed."""

import random
import sqlite3
import uuid
from datetime import UTC, datetime, timedelta
from unittest import mock

from tests.pages.test_house import OUT, HouseCase
from tests.pages.test_pages import PagesCase
from tests.support import NOW, csrf, readings
from voltaun import clock
from voltaun.database import readings as kept
from voltaun.database.connection import transaction

TYPED = datetime(2026, 11, 24, 5, 0, tzinfo=UTC)  # 16:00 in Hobart


class AwayCase(PagesCase):
    def setUp(self):
        super().setUp()
        self.keep(*readings({"soc": 0.6}, {"soc": 0.7, "solar_wh": 2000.0}, start=TYPED - timedelta(days=2)))
        self.token = self.client.get("/away/mark").json["mark"]

    def send(self, mark=None, typed=TYPED, **fields):
        self.given = mark or str(uuid.uuid4())
        told = self.client.post("/1/away", data={
            "csrf_token": self.token, "sent": self.given, "at": "now",
            "typed": typed if isinstance(typed, str) else typed.isoformat()} | fields)
        return told.status_code, told.json

    def newest(self):
        return self.log()[-1]


class Away(AwayCase):
    def test_now_is_when_it_was_typed_and_not_when_it_was_sent(self):
        for at in ("now", "15:30", "yesterday 20:00", "2026-11-24 14:00"):
            code, told = self.send(at=at, soc="61")
            self.assertEqual((code, told), (200, {"state": "kept", "words": []}), at)
        zone = self.rig.zone
        found = [each.at.astimezone(zone) for each in self.log()[-4:]]
        self.assertEqual([(at.day, at.hour, at.minute) for at in found],
                         [(23, 20, 0), (24, 14, 0), (24, 15, 30), (24, 16, 0)])
        for n, typed in enumerate(("", "nonsense", "2026-11-24T05:00", (NOW + timedelta(days=3)).isoformat())):
            self.send(typed=typed, soc=str(55 - n))  # a phone whose clock is ahead, or that says nothing of it
            self.assertLessEqual(self.newest().at, NOW + timedelta(minutes=BESIDE))
        self.assertEqual(len(self.log()), 2 + 4 + 4)

    def test_on_a_machine_whose_clock_is_dead_the_phones_is_believed(self):
        with mock.patch.object(clock, "now", return_value=datetime(1970, 1, 1, 0, 5, tzinfo=UTC)):
            self.assertEqual(self.send(soc="61")[1]["state"], "kept")
        self.assertEqual(self.newest().at, TYPED)

    def test_sent_again_it_is_kept_once_whatever_was_lost(self):
        rng, marks = random.Random(7), [str(uuid.uuid4()) for _ in range(12)]
        for n, mark in enumerate(marks):
            for _ in range(rng.randint(1, 4)):
                self.assertEqual(self.send(mark, TYPED + timedelta(minutes=5 * n), soc=str(50 + n))[1]["state"], "kept")
        self.assertEqual([each.soc for each in self.log()[2:]], [(50 + n) / 100 for n in range(12)])
        # Cut off between the reading and its mark, neither is there, and the next time both are.
        with mock.patch.object(kept, "note_sent", side_effect=sqlite3.OperationalError("disk I/O error")):
            self.app.config["PROPAGATE_EXCEPTIONS"] = False
            code, _ = self.send(soc="61", typed=TYPED + timedelta(hours=2))
        self.assertEqual((code, len(self.log())), (500, 14))
        self.assertEqual(self.send(self.given, TYPED + timedelta(hours=2), soc="61")[0], 200)
        self.assertEqual(len(self.log()), 15)
        with mock.patch.object(kept, "was_sent", side_effect=[False, True]):  # another try of it was just taken in
            self.assertEqual(self.send(self.given, TYPED + timedelta(hours=3), soc="60")[1]["state"], "kept")
        self.assertEqual(len(self.log()), 15)
        # What was removed since does not come back.
        with transaction(self.db):
            last = kept.everything(self.db, self.rig_id)[-1]
            kept.remove(self.db, self.rig_id, last.id, last.version, NOW)
        self.send(self.given, TYPED + timedelta(hours=2), soc="61")
        self.assertEqual(len(self.log()), 14)

    def test_another_one_of_its_minute_is_put_beside_not_over(self):
        self.send(soc="61")
        self.assertEqual(self.send(soc="61"), (200, {"state": "kept", "words": []}))  # the same one, by another device
        self.assertEqual(len(self.log()), 3)
        code, told = self.send(soc="58")
        self.assertEqual(code, 200)
        self.assertEqual(told["words"], ["Another reading stands at 24 Nov 2026 16:00 already; this one is kept beside "
                                         "it, at 16:01."])
        self.assertEqual([each.soc for each in self.log()[-2:]], [0.61, 0.58])

    def test_that_another_one_came_between_is_said(self):
        base = self.log()[-1].at.isoformat()
        self.send(typed=TYPED - timedelta(hours=1), soc="65")
        self.assertIn("Meanwhile one of 24 Nov 2026 15:00 was kept", self.send(base=base, soc="61", solar_wh="300")[1][
            "words"][0])
        later = TYPED + timedelta(hours=1)
        self.assertEqual(self.send(base=base, typed=later, soc="60")[1]["words"], [])  # without Wh nothing is counted
        self.assertEqual(self.send(base="nonsense", typed=later + timedelta(minutes=9), solar_wh="10")[1]["words"], [])

    def test_what_is_wrong_is_said_and_what_is_odd_is_asked(self):
        code, told = self.send(soc="740")
        self.assertEqual((code, told["state"]), (422, "refused"))
        self.assertIn("expected", told["words"][0])
        self.assertEqual(self.send()[1]["words"][0][:21], "Found nothing to keep")
        code, told = self.send(soc="61", solar_wh="90000")
        self.assertEqual((code, told["state"], len(self.log())), (409, "asked", 2))
        self.assertEqual(self.send(self.given, soc="61", solar_wh="90000", sure=told["sure"])[1]["state"], "kept")
        for mark in ("x", "", "0" * 36, "'; DROP TABLE sent --"):
            self.assertEqual(self.send(mark or "-", soc="61")[0], 400)
        self.assertEqual(self.client.post("/1/away", data={"soc": "61"}).status_code, 400)  # without the session's mark
        self.assertEqual(len(self.log()), 3)

    def test_an_archive_does_not_need_the_marks_and_the_page_says_from_when_it_is(self):
        self.send(soc="61")
        self.assertNotIn(self.given, self.client.get("/1/archive.json").text)
        page = self.client.get("/away").text
        self.assertIn("the last reading is of Tue 24 Nov 2026, 16:00: 61 % then. It may have gone on since.", page)
        self.assertNotIn('value="24 Nov', page)
        self.assertEqual(self.client.get("/sw.js").headers["Service-Worker-Allowed"], "/")


BESIDE = 30


class OfAPhone(HouseCase):
    def test_only_devices_keep_the_page_and_guests_send_nothing(self):
        self.assertNotIn("data-away", self.client.get("/1/today").text)
        phone = self.came_in()
        page = phone.get("/1/today", base_url=OUT).text
        self.assertIn(f'data-away="{self.app.config["SESSION_COOKIE_NAME"]}"', page)
        self.assertIn("away.js", page)
        guest = self.came_in("otter maple ferry cedar")
        self.assertNotIn("data-away", guest.get("/1/today", base_url=OUT).text)
        mark = csrf(guest.get("/1/today", base_url=OUT).text)
        sent = guest.post("/1/away", base_url=OUT, data={"csrf_token": mark, "sent": str(uuid.uuid4()), "soc": "61"})
        self.assertEqual(sent.status_code, 403)
        self.assertEqual(self.phone().get("/away/mark", base_url=OUT).status_code, 302)
