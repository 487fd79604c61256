"""Readings that were typed out of reach: each is kept once, beside others, and read as of when it was typed."""

import random
import sqlite3
import uuid
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from unittest import mock

from tests.pages.test_house import OUT, HouseCase
from tests.pages.test_pages import PagesCase
from tests.support import NOW, csrf, readings
from voltaun import clock
from voltaun.database import readings as kept
from voltaun.database import settings
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
        for n, typed in enumerate(("", "nonsense", "2026-11-24T05:00", (NOW + timedelta(minutes=4)).isoformat())):
            self.send(typed=typed, soc=str(55 - n))  # a phone that says nothing of its clock, or is a little ahead
            self.assertLessEqual(self.newest().at, NOW + timedelta(minutes=BESIDE))
        self.assertEqual(len(self.log()), 2 + 4 + 4)

    def test_a_clock_that_is_off_is_asked_about_when_it_is_sent(self):
        # Typed at 16:00 in truth, sent at 7:00 next morning (NOW), by a phone whose clock is off by so much.
        for n, off in enumerate((timedelta(days=-1), timedelta(days=-61), timedelta(minutes=-6), timedelta(hours=3),
                                 datetime(1970, 3, 1, tzinfo=UTC) - NOW, timedelta(days=365 * 50))):
            typed, sending = TYPED + off, (NOW + off).isoformat()
            code, told = self.send(typed=typed, clock=sending, soc=str(40 + n))
            self.assertEqual((code, told["state"], len(self.log())), (409, "asked", 2 + n), off)
            self.assertIn("it is Wed 25 Nov 2026, 07:00 here. When was it?", told["words"][0])
            self.assertEqual(told["choices"][0], [{"by": "here"}, "Keep it at Tue 24 Nov 2026, 16:00"])
            self.assertEqual(len(told["choices"]), 2 if typed < NOW else 1)  # what lies ahead is no choice
            self.assertEqual(self.send(self.given, typed, clock=sending, by="here", soc=str(40 + n))[0], 200)
        self.assertEqual([(of.at - TYPED, round(of.soc * 100)) for of in self.log()[2:]],
                         [(timedelta(minutes=n), 40 + n) for n in range(6)])
        off = timedelta(hours=-2)  # the phone's is believed where that is said
        _, told = self.send(typed=TYPED + off, clock=(NOW + off).isoformat(), by="phone", soc="39")
        self.assertEqual((told["state"], self.log()[2].at), ("kept", TYPED + off))
        # With its day and hour typed there is nothing to ask.
        off = timedelta(days=-3)
        typed, sending = TYPED + off, (NOW + off).isoformat()
        self.assertEqual(self.send(typed=typed, clock=sending, at="2026-11-24 14:20", soc="40")[0], 200)

    def test_a_phone_that_was_put_right_since_is_asked_by_what_it_had_shown(self):
        base = self.log()[-1].at
        for typed, choices in ((base - timedelta(hours=1), 1), (NOW + timedelta(hours=1), 0),
                               (NOW - timedelta(days=61), 1), (datetime(1970, 1, 2, tzinfo=UTC), 1)):
            code, told = self.send(typed=typed, clock=NOW.isoformat(), base=base.isoformat(), soc="61")
            self.assertEqual((code, told["state"], len(told["choices"]), len(self.log())), (409, "asked", choices, 2))
            self.assertIn("which can hardly be. Change its time.", told["words"][0])
        for typed in ("0001-01-01T00:00:00+14:00", "9999-12-31T23:59:59-14:00", "0001-06-01T00:00:00+00:00"):
            code, told = self.send(typed=typed, soc="61")
            self.assertEqual((code, told["state"]), (422, "refused"), typed)
            self.assertEqual(self.send(clock=typed, soc="61")[0], 422, typed)
        for at in ("0001-01-01 10:00", "9999-12-31 23:59"):
            code, told = self.send(at=at, soc="61")
            self.assertEqual((code, told["words"][0][:5]), (422, "Found"), at)

    def test_a_changed_one_is_a_change_of_the_one_that_was_kept(self):
        self.send(soc="57")  # and the answer is lost
        given = self.given
        self.assertEqual(self.send(given, soc="47")[1], {"state": "kept", "words": []})  # not said to be changed
        code, told = self.send(given, soc="47", changed="yes")
        self.assertEqual((code, told["words"]), (200, ["It was level 57 % in the log until now."]))
        self.assertEqual([of.soc for of in self.log()[2:]], [0.47])
        self.assertEqual(self.send(given, soc="47", changed="yes")[1]["words"], [])
        self.assertEqual(self.send(given, soc="46", at="15:30", changed="yes")[0], 200)
        self.assertEqual([(of.at, of.soc) for of in self.log()[2:]], [(TYPED - timedelta(minutes=30), 0.46)])
        self.client.post("/1/undo/3", data={"csrf_token": self.mark()})
        self.assertEqual(self.log()[-1].soc, 0.47)

    def edit(self, **fields):
        with transaction(self.db):
            last = kept.everything(self.db, self.rig_id)[-1]
            kept.edit(self.db, self.rig_id, last.id, last.version, replace(last.reading, **fields), NOW)

    def test_where_both_sides_changed_it_it_is_asked_which_is_right(self):
        self.send(soc="57")
        given = self.given
        self.edit(soc=0.52)
        self.assertEqual(self.send(given, soc="57")[1]["words"],
                         ["The log holds another one now: Tue 24 Nov 2026, 16:00, level 52 %."])
        code, told = self.send(given, soc="47", changed="yes")
        self.assertEqual((code, told["state"], self.newest().soc), (409, "asked", 0.52))
        mine, theirs = told["choices"]
        self.assertEqual(self.send(given, soc="47", changed="yes", **theirs[0])[1]["state"], "kept")
        self.assertEqual(self.newest().soc, 0.52)
        self.edit(soc=0.51)  # while one thought about it
        self.assertEqual(self.send(given, soc="47", changed="yes", **mine[0])[0], 409)
        _, told = self.send(given, soc="47", changed="yes")
        self.assertEqual(self.send(given, soc="47", changed="yes", **told["choices"][0][0])[0], 200)
        self.assertEqual([of.soc for of in self.log()[2:]], [0.47])
        with transaction(self.db):
            last = kept.everything(self.db, self.rig_id)[-1]
            kept.remove(self.db, self.rig_id, last.id, last.version, NOW)
        self.assertEqual(self.send(given, soc="47")[1]["words"], ["It was kept, and removed from the log since."])
        _, told = self.send(given, soc="45", changed="yes")
        self.assertEqual([of[0] for of in told["choices"]], [{"over": "anew"}, {"over": "log"}])
        self.assertEqual(self.send(given, soc="45", changed="yes", over="log")[0], 200)
        self.assertEqual(len(self.log()), 2)
        self.assertEqual(self.send(given, soc="45", changed="yes", over="anew")[0], 200)
        self.assertEqual(self.send(given, soc="45", changed="yes", over="anew")[0], 200)
        self.assertEqual([of.soc for of in self.log()[2:]], [0.45])

    def test_one_put_beside_keeps_its_minute_when_it_is_changed(self):
        self.send(soc="61")
        self.send(soc="58")
        self.send(self.given, soc="48", changed="yes")
        self.assertEqual([(of.at.minute, of.soc) for of in self.log()[2:]], [(0, 0.61), (1, 0.48)])

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
        with mock.patch.object(kept, "sent", side_effect=[None, kept.Sent(None, True)]):  # another try came just now
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
        self.assertEqual(self.send(self.given, soc="61", solar_wh="90000", **told["choices"][0][0])[1]["state"], "kept")
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
        self.assertIn(f'data-away="{settings.identity(self.db)}"', page)
        self.assertIn("away.js", page)
        guest = self.came_in("otter maple ferry cedar")
        self.assertNotIn("data-away", guest.get("/1/today", base_url=OUT).text)
        mark = csrf(guest.get("/1/today", base_url=OUT).text)
        sent = guest.post("/1/away", base_url=OUT, data={"csrf_token": mark, "sent": str(uuid.uuid4()), "soc": "61"})
        self.assertEqual(sent.status_code, 403)
        self.assertEqual(self.phone().get("/away/mark", base_url=OUT).status_code, 302)
