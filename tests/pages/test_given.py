"""What stands there for small devices, and what they bring: each by a token that can do only that."""

import re
from dataclasses import replace
from datetime import timedelta

from tests.pages.test_house import OUT, HouseCase
from tests.support import NOW, csrf, readings
from voltaun.core.bench.round import Round, Slot
from voltaun.database import bench, house, rigs, samples
from voltaun.database.connection import transaction
from voltaun.pages.door import GIVEN, mark_of

PATHS = {"look": ("today.json", "outlook.json", "plan.json"), "calendar": ("calendar.ics",),
         "samples": ("samples.csv",), "readings": ("readings.csv",)}


class Given(HouseCase):
    def setUp(self):
        super().setUp()
        self.keep(*readings(*[{"soc": 0.6, "use_wh": 1200.0, "solar_wh": 1500.0}] * 12, start=NOW.replace(day=12)))
        self.device = self.phone("192.168.7.40")

    def token(self, may, rig=1):
        page = self.client.post("/house/tokens", data={"csrf_token": self.mark(), "may": may, "rig": rig})
        self.assertEqual(page.status_code, 200)
        return re.search(r'house-token">([\w-]+)<', page.text)[1], page.text

    def ask(self, path, token="", body=None, **options):
        headers = {"Authorization": f"Bearer {token}"} if token else {}
        if body is None:
            return self.device.get(path, base_url=OUT, headers=headers, **options)
        return self.device.post(path, base_url=OUT, headers=headers, data=body, **options)

    def test_each_token_does_its_own_thing_with_its_own_rig_and_nothing_else(self):
        with transaction(self.db):
            rigs.add(self.db, replace(self.rig, name="Barn"))
        self.assertEqual(set(GIVEN.values()), set(PATHS))
        for may in PATHS:
            token, _ = self.token(may)
            for rig in (1, 2):
                for other, paths in PATHS.items():
                    for path in paths:
                        body = "" if other in ("samples", "readings") else None
                        answer = self.ask(f"/{rig}/{path}", token, body)
                        self.assertEqual(answer.status_code == 401, (may, 1) != (other, rig), (may, rig, path))
            for path in ("/1/today", "/1/log", "/house", "/1/log.csv"):
                self.assertEqual(self.ask(path, token).status_code, 302, path)
        for nobody in ("", "forged", "x" * 5000):
            self.assertEqual(self.ask("/1/today.json", nobody).status_code, 401)
        self.assertEqual(self.client.get("/1/today.json").status_code, 401)  # on this machine there is the command
        self.assertEqual(self.came_in().get("/1/today.json", base_url=OUT).status_code, 401)

    def test_what_stands_there_is_told_in_the_shapes_of_the_commands(self):
        token, page = self.token("look")
        self.assertIn("/1/today.json", page)
        day = self.ask("/1/today.json", token).json
        self.assertLessEqual({"rig", "needs_doing", "headline", "advice", "plan", "day"}, set(day))
        self.assertEqual(day["rig"], "Test rig")
        looked = self.ask("/1/outlook.json", token).json
        self.assertLessEqual({"as_of", "soc", "now", "days", "advice", "chance_below_everyday_floor"}, set(looked))
        plan = self.ask("/1/plan.json", token).json
        self.assertEqual((plan["soc"], plan["sentences"]), (day["day"]["soc"], day["plan"]))
        self.assertIn(f"{plan['soc'] * 100:.0f} %", self.client.get("/1/today").text)  # one figure of now

    def test_a_calendar_has_its_key_in_its_address(self):
        token, page = self.token("calendar")
        self.assertIn(f"calendar.ics?key={token}", page)
        answer = self.device.get(f"/1/calendar.ics?key={token}", base_url=OUT)
        self.assertIn("BEGIN:VCALENDAR", answer.text)
        self.assertNotIn("BEGIN:VEVENT", answer.text)
        with transaction(self.db):
            slot = Slot("Kettle", "AC 1", NOW + timedelta(days=1), NOW + timedelta(days=2))
            bench.keep_round(self.db, 1, Round(NOW, 1, 0, (slot,)))
        answer = self.device.get(f"/1/calendar.ics?key={token}", base_url=OUT)
        self.assertIn("SUMMARY:Meter AC 1: Kettle", answer.text)
        look, _ = self.token("look")
        self.assertEqual(self.device.get(f"/1/today.json?key={look}", base_url=OUT).status_code, 401)

    def test_samples_and_readings_are_taken_whole_or_not_at_all(self):
        token, _ = self.token("samples")
        rows = "at,soc_percent,watts\n" + "".join(f"2026-11-24T1{n // 6}:{n % 6}0Z,{60 - n * 0.1:.1f},-100\n"
                                                  for n in range(18))
        first = self.ask("/1/samples.csv", token, rows)
        self.assertEqual(first.json.get("added"), 18, first.json)
        self.assertEqual(self.ask("/1/samples.csv", token, rows).json["added"], 0)  # sent again
        self.assertEqual(self.ask("/1/samples.csv", token, "at,watts\n2026-11-24T19:00Z,many\n").status_code, 422)
        wrong = self.ask("/1/samples.csv", token, "at,watts\n2026-11-24T19:10Z,-100\n2026-11-24T19:20Z,900000\n")
        self.assertEqual(wrong.status_code, 409)
        self.assertEqual(self.ask("/1/samples.csv", token, "x" * 2_100_000).status_code, 413)
        self.assertEqual(samples.span(self.db, 1)[1], int(NOW.replace(hour=12, minute=50).timestamp()))
        token, page = self.token("readings")
        self.assertIn("--data-binary @readings.csv", page)
        count = len(self.log())
        for body, code in (("read_at,soc_percent\n2026-11-24T19:00Z,61\n", 200),
                           ("read_at,soc_percent\n2026-11-24T19:00Z,61\n", 200),
                           ("read_at,soc_percent\n2026-11-24T19:00Z,12\n", 409),
                           ("read_at,soc_percent\n2026-11-24T19:30Z,61\n2026-11-24T19:40Z,610\n", 422)):
            self.assertEqual(self.ask("/1/readings.csv", token, body).status_code, code, body)
        self.assertEqual((len(self.log()), self.log()[-1].soc), (count + 1, 0.61))

    def test_it_is_shown_once_listed_and_taken_away(self):
        token, page = self.token("look")
        self.assertEqual(page.count(token), 2)
        listed = self.client.get("/house").text
        self.assertNotIn(token, listed)
        self.assertNotIn(token.encode(), house.file_of(self.path).read_bytes())
        self.assertIn(mark_of(token).encode(), house.file_of(self.path).read_bytes())
        self.assertIn("never", listed)
        self.ask("/1/today.json", token)
        self.assertIn("just now", self.client.get("/house").text)
        number = re.search(r"/house/tokens/(\d+)", listed)[1]
        self.assertEqual(self.client.post(f"/house/tokens/{number}", data={"csrf_token": self.mark()}).status_code, 303)
        self.assertEqual(self.ask("/1/today.json", token).status_code, 401)
        for wrong in ({"may": "all", "rig": 1}, {"may": "look", "rig": 9}, {}):
            answer = self.client.post("/house/tokens", data={"csrf_token": self.mark()} | wrong)
            self.assertEqual(answer.status_code, 400)
        guest = self.came_in("otter maple ferry cedar")
        mark = csrf(guest.get("/1/today", base_url=OUT).text)
        self.assertEqual(guest.post("/house/tokens", base_url=OUT, data={"csrf_token": mark, "may": "look", "rig": 1}
                                    ).status_code, 403)

    def test_marks_of_a_session_are_asked_for_as_before_everywhere_else(self):
        for path in ("/1/readings", "/house/tokens", "/1/away", "/ground"):
            self.assertEqual(self.client.post(path, data={"soc": "61"}).status_code, 400, path)
