"""Opened to the house: who gets what, by every address there is."""

import os
import re
from contextlib import contextmanager
from datetime import timedelta
from html import unescape
from unittest import mock

from waitress.adjustments import Adjustments
from waitress.utilities import RequestEntityTooLarge
from werkzeug.security import generate_password_hash

from tests.pages.test_pages import PagesCase
from tests.support import NOW, csrf, readings, voltaun
from voltaun import clock
from voltaun.core.outlook.plans import GeneratorRule
from voltaun.database import backup, beside, dayplan, house, plans, settings
from voltaun.database.connection import transaction
from voltaun.database.house import LOOK_ONLY, OWNER
from voltaun.house import connections, passphrases
from voltaun.house.addresses import HERE
from voltaun.pages import create_app
from voltaun.pages.door import LOOKED_AT, OPEN, SENT_TO_LOOK, House, came_in, mark_of

OUT = "http://127.0.0.2:8140"
"""Another address of this machine: by it one is a neighbour."""
OURS, GUESTS = "lantern plum river stove", "otter maple ferry cedar"
PHONE = "Mozilla/5.0 (Linux; Android 15) Mobile"


class HouseCase(PagesCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        # Looked at in an instant here: how long a guess takes is `passphrases`' own matter.
        cls.hashes = {who: generate_password_hash(passphrases.tidied(typed), method="scrypt:512:8:1")
                      for who, typed in ((OWNER, OURS), (LOOK_ONLY, GUESTS))}

    def setUp(self):
        super().setUp()
        self.house = House(8140)
        self.app = create_app(self.path, self.house)
        self.client = self.app.test_client()
        self.client.environ_base |= {HERE: True}  # as the server says of this machine's own loopback
        with self.file() as file:
            for who, hashed in self.hashes.items():
                house.set_passphrase(file, who, hashed)
        self.keep(*readings({"soc": 0.5}, {"soc": 0.6, "solar_wh": 2000.0}))

    def file(self):
        return house.opened(self.path, create=True)

    def phone(self, address="192.168.7.20"):
        """A device of the house that has not come in."""
        client = self.app.test_client()
        client.environ_base |= {"REMOTE_ADDR": address, "HTTP_USER_AGENT": PHONE}
        return client

    def enter(self, phone, passphrase=OURS, **more):
        mark = csrf(phone.get("/enter", base_url=OUT).text)
        return phone.post("/enter", base_url=OUT, data={"csrf_token": mark, "passphrase": passphrase} | more)

    def came_in(self, passphrase=OURS):
        phone = self.phone()
        self.assertEqual(self.enter(phone, passphrase).status_code, 303)
        return phone

    @contextmanager
    def later(self, by):
        with mock.patch.object(clock, "now", return_value=NOW + by):
            yield


class EveryAddress(HouseCase):
    def sessions(self):
        """A device for each way of not being let in, and one that may look only."""
        self.enter(gone := self.phone())
        with self.file() as file:
            (newest,) = house.devices(file)
            house.let_out(file, newest.id)
        other = create_app(self.path.with_name("other.db"), House(8140))
        theirs = other.test_client()
        with house.opened(self.path.with_name("other.db"), create=True) as file:
            house.set_passphrase(file, OWNER, self.hashes[OWNER])
        self.app, ours = other, self.app
        self.enter(theirs)
        self.app = ours
        name = self.app.config["SESSION_COOKIE_NAME"]
        stolen, forged = self.phone(), self.phone()
        stolen.set_cookie(name, theirs.get_cookie(other.config["SESSION_COOKIE_NAME"], domain="127.0.0.2").value,
                          domain="127.0.0.2")
        forged.set_cookie(name, "eyJkb29yIjoieCJ9.aaaaaa.forged", domain="127.0.0.2")
        return {"none": self.phone(), "forged": forged, "of another server": stolen, "let out": gone,
                "look only": self.came_in(GUESTS)}

    def test_nobody_gets_what_is_not_theirs(self):
        table, counted = {}, 0
        for name, phone in self.sessions().items():
            for rule in self.app.url_map.iter_rules():
                path = re.sub(r"<(?:int:)?(\w+)>", lambda of: "1", rule.rule).replace("/static/1", "/static/app.js")
                path = re.sub(r"<path:\w+>", "app.js", path)
                for method in sorted(rule.methods):
                    if rule.endpoint in OPEN:
                        continue
                    answer = phone.open(path, method=method, base_url=OUT)
                    counted += 1
                    table.setdefault((name, method), set()).add(answer.status_code)
                    may = name == "look only" and rule.endpoint in LOOKED_AT and (
                        method in ("GET", "HEAD") or rule.endpoint in SENT_TO_LOOK)
                    if not may:
                        self.assertIn(answer.status_code, (302, 401, 403), (name, method, path))
                        self.assertNotIn("Test rig", answer.text, (name, method, path))
                        if answer.status_code == 302:
                            self.assertTrue(answer.location.startswith("/enter?next="), (name, path))
                    elif method == "GET":
                        self.assertLess(answer.status_code, 400, (name, path))
        self.assertGreater(counted, 900)
        self.assertEqual({codes for (name, method), codes in table.items() for codes in codes
                          if name != "look only" and method == "POST"}, {401})
        self.assertEqual(self.log()[-1].soc, 0.6)
        for phone in (self.phone(), self.came_in(GUESTS)):  # nor does it tell what there is
            told = {phone.get(path, base_url=OUT).status_code for path in ("/1/rig", "/99/rig", "/nowhere")}
            self.assertEqual(len(told), 1)

    def test_who_looks_sees_today_with_nothing_to_send(self):
        page = self.came_in(GUESTS).get("/1/today", base_url=OUT).text
        main = page.partition("<main")[2]
        self.assertIn("Test rig", page)
        self.assertNotIn('method="post"', main)
        self.assertNotIn("/house", page)
        self.assertNotIn('href="/1/log', page)
        self.assertEqual(re.findall(r'data-key="\d"', page), ['data-key="1"'])
        self.assertIn('method="post"', self.came_in().get("/1/today", base_url=OUT).text.partition("<main")[2])

    def test_who_looks_is_led_nowhere_that_refuses(self):
        guest = self.came_in(GUESTS)
        for start in ("/1/today", "/1/card", "/"):
            page = guest.get(start, base_url=OUT).text
            for way in set(re.findall(r'(?:href|hx-get|data-ask|src)="(/[^"#]*)', page)):
                answer = guest.get(unescape(way), base_url=OUT)
                self.assertLess(answer.status_code, 400, (start, way))
                answer.close()

    def test_an_odd_address_of_a_stranger_is_an_address_like_any(self):
        self.app.config["PROPAGATE_EXCEPTIONS"] = False
        for encrypted in (False, True):
            self.house.encrypted = encrypted
            for odd in ("/\r\nX: y", "/1/today\n", "/\x85\xff", "/%", "//[", "/\\evil"):
                for query in ("", "\xff\xfe", "next=\xed\xa0\x80", "next=\r\nX: y", "a=%ff"):
                    answer = self.phone().open(environ_overrides={"PATH_INFO": odd, "QUERY_STRING": query},
                                               base_url=OUT)
                    self.assertIn(answer.status_code, (302, 404), (odd, query))
                    self.assertNotIn("\n", answer.headers["Location"] if answer.status_code == 302 else "")

    def test_the_owner_on_a_phone_may_do_all(self):
        phone = self.came_in()
        page = phone.get("/1/today", base_url=OUT)
        kept = phone.post("/1/readings", base_url=OUT, data={"csrf_token": csrf(page.text), "at": "2026-11-24T19:00",
                                                            "soc": "71"})
        self.assertEqual(kept.status_code, 303)
        self.assertEqual(self.log()[-1].soc, 0.71)
        cookie = page.headers["Set-Cookie"]  # renewed at each use
        for part in ("HttpOnly", "SameSite=Lax", f"Max-Age={30 * 86_400}"):
            self.assertIn(part, cookie)
        self.assertNotIn("Expires=", cookie)  # by a dead clock that would be over at once

    def test_what_was_typed_stays_where_a_device_was_let_out_meanwhile(self):
        phone = self.came_in()
        mark = csrf(phone.get("/1/today", base_url=OUT).text)
        with self.file() as file:
            house.let_out(file, house.devices(file)[0].id)
        told = phone.post("/1/readings", base_url=OUT, data={"csrf_token": mark, "soc": "71", "note": "cold"})
        self.assertEqual(told.status_code, 401)
        self.assertIn("note: cold", told.text)
        self.assertEqual(phone.post("/1/readings", base_url=OUT, headers={"HX-Request": "true"}, data={
            "csrf_token": mark, "soc": "71"}).text.partition(".")[0], "Who is it?")


class TwoAtOnce(HouseCase):
    def test_an_open_page_sees_that_another_device_kept_something(self):
        phone = self.came_in()
        mark = re.search(r'data-seen="(\w{16})" data-ask="/1/seen"', self.client.get("/1/today").text)[1]

        def asked():
            return self.client.get("/1/seen").text
        self.assertEqual(asked(), mark)
        token = csrf(phone.get("/1/today", base_url=OUT).text)

        def does(path, **sent):
            self.assertEqual(phone.post(path, base_url=OUT, data={"csrf_token": token} | sent).status_code, 303, path)
        seen = {mark}
        for path, sent in (("/1/readings", {"at": "2026-11-24T19:00", "soc": "59"}),
                           ("/1/outlook/plans", {"kind": "guests", "first": "2026-11-27", "amount": "1.5"})):
            does(path, **sent)
            self.assertNotIn(asked(), seen, path)
            seen.add(asked())
        day = NOW.date()
        with transaction(self.db):
            dayplan.set_done(self.db, self.rig_id, day, "Wash", True)
        for of in (lambda: (dayplan.set_done(self.db, self.rig_id, day, "Wash", False),
                            dayplan.set_done(self.db, self.rig_id, day, "Pump", True)),  # as many as before
                   lambda: dayplan.move(self.db, self.rig_id, day, "Wash", 13.0),
                   lambda: dayplan.move(self.db, self.rig_id, day, "Wash", 14.0),
                   lambda: plans.give_sky(self.db, self.rig_id, day, day, "clear"),
                   lambda: plans.give_sky(self.db, self.rig_id, day, day, "storm"),
                   lambda: plans.keep_rule(self.db, self.rig_id, GeneratorRule(0.25, 0.6), NOW),
                   lambda: plans.keep_rule(self.db, self.rig_id, GeneratorRule(0.26, 0.6), NOW),
                   lambda: settings.put(self.db, "units", "customary")):
            seen.add(asked())
            with transaction(self.db):
                of()
            self.assertNotIn(asked(), seen)
            self.client.get("/1/today")  # to look at a page changes nothing
            self.assertEqual(asked(), asked())
        self.assertEqual(len(asked()), 16)
        part = self.client.get("/1/today", headers={"HX-Request": "true"}).text
        self.assertIn(f'data-seen="{asked()}"', part)
        self.assertEqual(self.came_in(GUESTS).get("/1/seen", base_url=OUT).status_code, 403)
        self.house.port = None  # alone on its machine nobody asks
        self.assertNotIn("data-seen", self.client.get("/1/today").text)

    def test_the_clock_of_a_device_is_compared_where_the_machine_has_its_own(self):
        phone = self.came_in()
        self.assertNotIn("data-now", phone.get("/1/today", base_url=OUT).text)  # it is fixed here
        with mock.patch.dict("os.environ"):
            os.environ.pop("VOLTAUN_NOW")
            with mock.patch.object(clock, "now", return_value=NOW):
                self.assertIn(f'data-now="{int(NOW.timestamp())}"', phone.get("/1/today", base_url=OUT).text)
                self.assertNotIn("data-now", self.client.get("/1/today").text)


class Door(HouseCase):
    def test_it_opens_to_the_passphrase_and_leads_on_to_this_place_only(self):
        phone = self.phone()
        self.assertEqual(phone.get("/1/outlook?days=3", base_url=OUT).location, "/enter?next=/1/outlook?days%3D3")
        self.assertEqual(self.enter(phone, next="/1/outlook?days=3").location, "/1/outlook?days=3")
        self.assertEqual(self.enter(self.phone(), next="//evil.example/").location, "/")
        wrong = self.enter(self.phone(), "lantern plum river stov", name="x")
        self.assertEqual(wrong.status_code, 401)
        self.assertIn("That is not the passphrase.", wrong.text)
        self.assertEqual(self.phone().post("/enter", base_url=OUT, data={"passphrase": OURS}).status_code, 400)

    def test_what_is_secret_is_not_shown_again_where_something_is_wrong(self):
        phone = self.phone()
        stale = phone.post("/enter", base_url=OUT, data={"csrf_token": "stale", "passphrase": OURS, "name": "Ana"})
        self.assertIn("name: Ana", stale.text)
        mark = csrf(phone.get("/enter", base_url=OUT).text)
        wrong = phone.post("/enter", base_url=OUT, data={"csrf_token": mark, "passphrase": GUESTS + " x"})
        owner = self.client.post("/house/passphrase", data={"passphrase": OURS, "passphrase_now": OURS})
        for answer in (stale, wrong, owner):
            self.assertGreaterEqual(answer.status_code, 400)
            self.assertNotRegex(answer.text, "lantern|otter")

    def test_a_session_ends_thirty_days_after_it_was_last_used_and_not_before(self):
        phone = self.came_in()
        for days in (29, 58, 87):
            with self.later(timedelta(days=days)):
                self.assertEqual(phone.get("/1/today", base_url=OUT).status_code, 200, days)
        with self.later(timedelta(days=118)):
            self.assertEqual(phone.get("/1/today", base_url=OUT).status_code, 302)
        phone = self.came_in()
        for by in (-20_000, 5):  # a board without a battery for its clock, and once it is set
            with self.later(timedelta(days=by)):
                self.assertEqual(phone.get("/1/rig", base_url=OUT).status_code, 200, by)
        with mock.patch("itsdangerous.timed.time.time", return_value=86_400.0):
            self.assertEqual(phone.get("/1/rig", base_url=OUT).status_code, 200)
            lately = self.came_in()
        self.assertEqual(lately.get("/1/rig", base_url=OUT).status_code, 200)

    def test_it_begins_a_session_of_its_own_and_keeps_no_token(self):
        phone = self.phone()
        phone.get("/enter", base_url=OUT)
        name = self.app.config["SESSION_COOKIE_NAME"]
        with phone.session_transaction(base_url=OUT) as before:
            before["door"] = before["other"] = "planted"
        self.enter(phone)
        with phone.session_transaction(base_url=OUT) as after:
            token = after["door"]
            self.assertNotIn("other", after)
        self.assertNotEqual(token, "planted")
        self.assertGreaterEqual(len(token), 43)
        kept = house.file_of(self.path).read_bytes()
        self.assertNotIn(token.encode(), kept)
        self.assertIn(mark_of(token).encode(), kept)
        self.assertEqual(house.file_of(self.path).stat().st_mode & 0o777, 0o600)
        self.assertTrue(phone.get_cookie(name, domain="127.0.0.2"))

    def test_guessing_has_to_wait_and_is_told_to_the_owner_alone(self):
        phone, codes = self.phone("192.168.7.66"), []
        with mock.patch.object(passphrases, "check_password_hash", return_value=False) as looked:
            for _ in range(7):
                codes.append(self.enter(phone, "some guess at it").status_code)
        self.assertEqual((codes, looked.call_count), ([401] * 5 + [429] * 2, 10))
        waits = self.enter(phone)  # the right one is not looked at either
        self.assertEqual(waits.status_code, 429)
        self.assertRegex(waits.headers["Retry-After"], r"^\d+$")
        told = "5 times in the last day a wrong passphrase was typed, from 192.168.7.66."
        self.assertIn(told, self.client.get("/1/today").text)
        self.assertNotIn("wrong passphrase", self.came_in(GUESTS).get("/1/today", base_url=OUT).text)
        with self.later(timedelta(days=2)):
            self.assertNotIn("wrong passphrase", self.client.get("/1/today").text)

    def test_the_right_one_forgives_what_a_hand_slipped_on_before(self):
        typed = ["a slip of a hand"] * 4 + [OURS]
        self.assertEqual([self.enter(self.phone("192.168.7.66"), each).status_code for each in typed * 3],
                         [401, 401, 401, 401, 303] * 3)

    def test_a_code_lets_one_device_in_once(self):
        self.client.post("/house/code", data={"csrf_token": self.mark()})
        page = self.client.get("/house").text
        code = re.search(r'house-code">([A-Z2-9]{4}-[A-Z2-9]{4})<', page)[1]
        self.assertIn("<svg", page)
        first, second = self.phone(), self.phone()
        for phone, answer in ((first, 303), (second, 401)):
            at_door = phone.get(f"/enter?code={code.replace('-', '')}", base_url=OUT)
            self.assertIn("This code lets one device in.", at_door.text)
            sent = phone.post("/enter", base_url=OUT, data={"csrf_token": csrf(at_door.text), "code": code,
                                                            "name": "Ana"})
            self.assertEqual(sent.status_code, answer)
        self.assertEqual(first.get("/1/log", base_url=OUT).status_code, 200)
        self.assertIn("<th>Ana</th>", self.client.get("/house").text)
        self.client.post("/house/code", data={"csrf_token": self.mark(), "who": "look only"})
        code = re.search(r'house-code">([^<]+)<', self.client.get("/house").text)[1]
        looks = self.phone()
        self.enter(looks, "", code=code)
        self.assertEqual([looks.get(path, base_url=OUT).status_code for path in ("/1/today", "/1/log")], [200, 403])

    def test_only_addresses_and_names_of_its_own_are_answered(self):
        self.house.names = frozenset({"cabin.lan"})
        phone = self.came_in()
        for host, code in (("127.0.0.2:8140", 302), ("cabin.lan:8140", 302), ("CABIN.lan:8140", 302),
                           ("evil.example:8140", 400), ("203.0.113.9:8140", 400), ("127.0.0.2:80", 400),
                           ("127.0.0.2", 400), ("", 400)):
            self.assertEqual(self.phone().get("/1/today", headers={"Host": host}).status_code, code, host)
        for headers, code in (({"Origin": "http://127.0.0.3:8140"}, 403), ({"Origin": OUT}, 401),
                              ({"Sec-Fetch-Site": "cross-site"}, 403)):
            self.assertEqual(self.phone().post("/1/readings", base_url=OUT, headers=headers).status_code, code, headers)
        self.house.port = None  # not opened: the loopback's own names only, as ever
        self.assertEqual(phone.get("/1/today", base_url=OUT).status_code, 400)

    def test_this_machine_is_open_unless_asked_to_be_shut_and_nobody_passes_for_it(self):
        self.assertEqual(self.client.get("/1/today").status_code, 200)
        neighbour = self.phone()
        self.assertEqual(neighbour.get("/1/today").status_code, 302)  # who calls it localhost from elsewhere
        for name in ("X-Forwarded-For", "Forwarded", "Via"):
            self.assertEqual(self.client.get("/1/today", headers={name: "10.0.0.1"}).status_code, 302, name)
        self.client.post("/house/here", data={"csrf_token": self.mark(), "asked": "yes"})
        self.assertEqual(self.client.get("/1/today").status_code, 302)
        self.assertEqual(self.client.post("/enter", data={"csrf_token": csrf(self.client.get("/enter").text),
                                                          "passphrase": OURS}).status_code, 303)
        self.assertIn("asked for on this machine too", self.client.get("/house").text)
        self.client.post("/house/here", data={"csrf_token": csrf(self.client.get("/house").text), "asked": "no"})
        self.assertEqual(self.client.get("/1/today").status_code, 200)

    def test_without_a_passphrase_nobody_comes_in(self):
        phone = self.phone()
        mark = csrf(phone.get("/enter", base_url=OUT).text)
        house.file_of(self.path).unlink()
        self.assertIn("This is not open yet.", phone.get("/enter", base_url=OUT).text)
        sent = phone.post("/enter", base_url=OUT, data={"csrf_token": mark, "passphrase": ""})
        self.assertEqual(sent.status_code, 401)
        self.assertEqual(self.client.get("/1/today").status_code, 200)
        self.assertEqual(self.post("/house/here", {"asked": "yes"}).status_code, 422)
        self.assertFalse(house.file_of(self.path).exists())


class LetOut(HouseCase):
    def number(self, name):
        with self.file() as file:
            return next(of.id for of in house.devices(file) if of.name == name)

    def code(self, maker, base_url=OUT):
        mark = csrf(maker.get("/house", base_url=base_url).text)
        maker.post("/house/code", base_url=base_url, data={"csrf_token": mark})
        return re.search(r'class="house-code">([^<]+)<', maker.get("/house", base_url=base_url).text)[1]

    def token(self, maker, name, base_url=OUT):
        page = maker.get("/house", base_url=base_url).text
        page = maker.post("/house/tokens", base_url=base_url, data={"csrf_token": csrf(page), "may": "look", "rig": "1",
                                                                   "name": name}).text
        return re.search(r"Bearer ([\w-]{20,})", page)[1]

    def opens(self, token):
        answer = self.phone().get("/1/today.json", base_url=OUT, headers={"Authorization": f"Bearer {token}"})
        return answer.status_code != 401

    def test_what_a_lost_phone_made_and_let_in_goes_with_it(self):
        lost, mine = self.phone(), self.phone()
        self.assertEqual([self.enter(lost, name="lost").status_code, self.enter(mine, name="mine").status_code],
                         [303, 303])
        second, third = self.phone(), self.phone()
        self.enter(second, "", code=self.code(lost), name="second")
        self.enter(third, "", code=self.code(second), name="third")
        tokens = {who: self.token(maker, who) for who, maker in (("lost", lost), ("third", third), ("mine", mine))}
        here = self.token(self.client, "here", "http://localhost")
        left = self.code(third)
        self.assertEqual([self.opens(of) for of in (*tokens.values(), here)], [True] * 4)
        told = self.post(f"/house/devices/{self.number('lost')}", follow_redirects=True).text
        self.shows("2 that came in by its codes went with it. Its tokens open nothing any more: lost, third.", told)
        self.assertEqual([self.opens(of) for of in (*tokens.values(), here)], [False, False, True, True])
        self.assertEqual([of.get("/1/today", base_url=OUT).status_code for of in (lost, second, third, mine)],
                         [302, 302, 302, 200])
        self.assertEqual(self.enter(self.phone(), "", code=left).status_code, 401)
        self.assertEqual(self.enter(self.phone(), "", code=self.code(mine)).status_code, 303)

    def test_a_new_passphrase_asks_which_tokens_stay(self):
        phone = self.came_in()
        tokens = [self.token(phone, "shelf"), self.token(phone, "lamp"),
                  self.token(self.client, "wall", "http://localhost")]
        page = self.client.get("/house").text
        stay = re.findall(r'name="stays" value="(\d+)"( checked)?> (\w+)', page)
        self.assertEqual([(checked, name) for _, checked, name in stay],
                         [("", "shelf"), ("", "lamp"), (" checked", "wall")])  # not what another device made
        self.post("/house/passphrase", {"passphrase": "candle orchard canvas sauna", "passphrase_now": OURS,
                                        "stays": [stay[0][0], stay[2][0]]})
        self.assertEqual([self.opens(of) for of in tokens], [True, False, True])
        self.post("/house/passphrase", {"who": "look only", "passphrase": "otter otter maple ferry",
                                        "passphrase_now": "candle orchard canvas sauna"})
        self.assertTrue(self.opens(tokens[0]))  # the guests' is no matter of theirs
        ran = voltaun("passphrase", "--db", self.path, input="window pebble cedar mango")
        self.assertIn("These tokens open nothing any more: shelf, wall.", ran.stdout)
        self.assertEqual([self.opens(of) for of in tokens], [False] * 3)


class Broken(HouseCase):
    """The list of who may come in, spoilt: nobody comes in by it, the log goes on, and it is said what mends it."""

    def test_the_log_goes_on_without_a_house(self):
        phone = self.came_in()
        for spoilt in (b"", b"not a database at all" * 300, b"SQLite format 3\0" + b"\0" * 5000):
            house.file_of(self.path).write_bytes(spoilt)
            self.assertEqual(self.client.get("/1/today").status_code, 200)
            self.assertIn("list of who may come in is broken", self.client.get("/house").text)
            self.assertEqual(phone.get("/1/today", base_url=OUT).status_code, 302)
            self.assertIn("This is not open yet.", phone.get("/enter", base_url=OUT).text)
            checked = voltaun("check", "--db", self.path, check=4)
            self.assertIn("found no list of who may come in", checked.stdout)
            self.assertIn("`voltaun passphrase` makes it anew", checked.stdout)
            self.assertIn("beside the log, which is whole", checked.stderr)
            self.assertIn("voltaun passphrase", voltaun("serve", "--house", "--db", self.path, check=2).stderr)
        voltaun("passphrase", "--db", self.path, input=OURS, check=0)
        self.assertIn("All is whole.", voltaun("check", "--db", self.path, check=0).stdout)
        self.assertEqual(house.file_of(self.path).with_name("test.db.house-damaged-1").read_bytes(), spoilt)
        self.assertEqual(self.enter(self.phone()).status_code, 303)

    def test_one_of_the_first_releases_goes_on_with_all_that_is_in_it(self):
        phone = self.came_in()
        with self.file() as file:
            file.executescript("""ALTER TABLE device DROP COLUMN by; ALTER TABLE token DROP COLUMN by;
                                  PRAGMA user_version = 0""")
        self.assertEqual(phone.get("/1/today", base_url=OUT).status_code, 200)
        self.assertIsNone(house.broken(self.path))

    def test_it_comes_to_be_whole_or_not_at_all(self):
        path = house.file_of(self.path)
        path.unlink()
        for fails in ("sqlite3.connect", "voltaun.database.house.in_place"):
            with mock.patch(fails, side_effect=OSError(28, "No space left")), self.assertRaises(OSError):
                self.file().__enter__()
            self.assertFalse(path.exists())
            self.assertEqual(list(path.parent.glob("*.house*")), [])
        with self.file() as file:
            self.assertIsNone(house.passphrase(file, OWNER))

    def test_a_key_that_is_none_is_told_and_made_anew(self):
        key = beside.key_of(self.path)
        before = key.read_text()
        for spoilt in ("", before[:20], "z" * 64):
            key.write_text(spoilt)
            self.assertIn("found no key of sessions", voltaun("check", "--db", self.path, check=4).stdout)
        create_app(self.path)
        self.assertEqual(voltaun("check", "--db", self.path, check=0).stdout, "All is whole.\n")
        self.assertNotEqual(key.read_text(), before)
        self.assertEqual(key.stat().st_mode & 0o777, 0o600)


class Owner(HouseCase):
    def test_who_has_to_wait_is_told_so_and_not_that_it_is_wrong(self):
        sent = {"passphrase": "candle orchard canvas sauna", "passphrase_now": "a wrong one here"}
        for _ in range(5):
            self.assertIn("another passphrase than the one in use", self.post("/house/passphrase", sent).text)
        told = self.post("/house/passphrase", sent | {"passphrase_now": OURS}).text
        self.assertIn("Too many wrong tries", told)
        self.assertNotIn("another passphrase than the one in use", told)

    def test_another_passphrase_lets_all_out_and_wants_the_old_one_from_everybody(self):
        phone, guest = self.came_in(), self.came_in(GUESTS)
        mark = csrf(phone.get("/house", base_url=OUT).text)

        def change(**sent):
            return phone.post("/house/passphrase", base_url=OUT, data={"csrf_token": mark} | sent).status_code
        self.assertEqual(change(passphrase="candle orchard canvas sauna"), 422)
        self.assertEqual(change(passphrase="candle orchard canvas sauna", passphrase_now="a wrong one here"), 422)
        for sent in ({}, {"passphrase_now": "a wrong one here"}):  # at the machine too
            self.assertEqual(self.post("/house/passphrase", {"passphrase": "candle orchard canvas sauna"} | sent
                                       ).status_code, 422)
        self.assertEqual(change(passphrase="short", passphrase_now=OURS), 422)
        self.assertEqual(change(passphrase=GUESTS, passphrase_now=OURS), 422)  # that one is the guests'
        self.assertEqual(change(passphrase="candle orchard canvas sauna", passphrase_now=OURS), 303)
        for of in (phone, guest):
            self.assertEqual(of.get("/1/today", base_url=OUT).status_code, 302)
        self.assertEqual(self.enter(self.phone(), OURS).status_code, 401)
        self.assertEqual(self.enter(self.phone(), "candle orchard canvas sauna").status_code, 303)

    def test_guests_are_let_in_and_out_without_touching_the_owners(self):
        phone, guest = self.came_in(), self.came_in(GUESTS)
        self.assertEqual(self.post("/house/passphrase", {"who": "look only", "remove": "yes",
                                                           "passphrase_now": OURS}).status_code, 303)
        self.assertEqual([of.get("/1/today", base_url=OUT).status_code for of in (phone, guest)], [200, 302])
        self.assertEqual(self.enter(self.phone(), GUESTS).status_code, 401)
        self.assertEqual(self.post("/house/passphrase", {"remove": "yes"}).status_code, 422)  # the owner's stays
        self.assertEqual(self.enter(self.phone()).status_code, 303)

    def test_a_device_is_listed_let_out_and_leaves(self):
        phone = self.came_in()
        page = self.client.get("/house").text
        self.assertIn("<th>A phone</th><td>do all</td>", re.sub(r"\n\s*", "", page))
        number = re.search(r"/house/devices/(\d+)", page)[1]
        self.assertEqual(self.post(f"/house/devices/{number}").status_code, 303)
        self.assertEqual(self.post(f"/house/devices/{number}").status_code, 404)
        self.assertEqual(phone.get("/1/today", base_url=OUT).status_code, 302)
        phone = self.came_in()
        name = self.app.config["SESSION_COOKIE_NAME"]
        stolen = self.phone()
        stolen.set_cookie(name, phone.get_cookie(name, domain="127.0.0.2").value, domain="127.0.0.2")
        self.assertEqual(stolen.get("/1/today", base_url=OUT).status_code, 200)
        phone.post("/leave", base_url=OUT, data={"csrf_token": csrf(phone.get("/1/today", base_url=OUT).text)})
        self.assertEqual(stolen.get("/1/today", base_url=OUT).status_code, 302)  # its copy is worth nothing now

    def test_putting_an_old_copy_back_lets_nobody_in_again(self):
        copy = self.path.with_name("old.db")
        backup.backup(self.db, copy)
        for text in (copy.read_bytes(), self.client.get("/1/archive.json").data):
            self.assertNotIn(self.hashes[OWNER].encode(), text)
            self.assertNotIn(b"scrypt", text)

    def test_a_stranger_fills_no_disk(self):
        phone, guest = self.came_in(), self.phone()
        guest.get("/enter", base_url=OUT)  # a session that has not come in
        name = self.app.config["SESSION_COOKIE_NAME"]

        def may(of):
            return came_in(self.app, f"a=b; {name}={of.get_cookie(name, domain='127.0.0.2').value}")
        self.assertEqual((may(phone), may(guest)), (True, False))
        self.assertFalse(came_in(self.app, ""))
        self.assertFalse(came_in(self.app, f"{name}=forged.forged.forged"))
        with self.later(timedelta(days=31)):
            self.assertFalse(may(phone))
        for known, length, error in ((False, 2_000_001, True), (False, 2_000_000, False), (True, 2_000_001, False)):
            shared = Adjustments()
            parser = connections._Parser(lambda cookies, known=known: known, shared)
            parser.received(f"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: {length}\r\n\r\n".encode())
            self.assertEqual(isinstance(parser.error, RequestEntityTooLarge), error, (known, length))
            self.assertEqual(shared.max_request_body_size, Adjustments().max_request_body_size)  # of all others
        parser = connections._Parser(lambda cookies: False, Adjustments())
        parser.received(b"POST / HTTP/1.1\r\nHost: x\r\nTransfer-Encoding: chunked\r\n\r\n")
        for _ in range(50):
            if not parser.completed:
                parser.received(b"c350\r\n" + b"x" * 50_000 + b"\r\n")
        self.assertIsInstance(parser.error, RequestEntityTooLarge)

    def test_memory_and_file_stay_small_whoever_comes(self):
        with self.file() as file:
            for n in range(130):
                house.let_in(file, f"mark {n}", OWNER, "x" * 300, NOW + timedelta(seconds=n))
            for n in range(700):
                house.note_wrong(file, f"10.0.0.{n}" * 20, NOW)
            self.assertEqual((len(house.devices(file)), sum(n for _, n in house.wrong_since(file, NOW))), (100, 500))
            for n in range(130):  # guests put no owner out
                house.let_in(file, f"guest {n}", LOOK_ONLY, "x" * 300, NOW + timedelta(days=1))
            for who in (OWNER, LOOK_ONLY):
                self.assertEqual(sum(of.who == who for of in house.devices(file)), 100, who)
            self.assertEqual(house.devices(file)[0].name, "x" * 80)
            self.assertIsNone(house.device(file, "mark 3", NOW))
