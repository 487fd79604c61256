"""The authority of the house, and the front that takes encryption off, on a real server."""

import http.client
import os
import socket
import ssl
import subprocess
import sys
import tempfile
import threading
import unittest
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest import mock

from cryptography import x509

from tests.support import NOW, ROOT, csrf, environment, free_port
from voltaun.database import connection, house
from voltaun.house import front as front_module
from voltaun.house import passphrases
from voltaun.house.authority import CannotVouch, context, vouched
from voltaun.house.front import Front, Peers

NAMES, OURS = frozenset({"cabin.lan"}), "lantern plum river stove"


class Authority(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name) / "tls"

    def made(self, names=NAMES, addresses=("192.168.7.5",), now=NOW):
        return vouched(self.folder, frozenset(names), list(addresses), now)

    def server(self):
        return x509.load_pem_x509_certificate((self.folder / "server.crt").read_bytes())

    def test_it_is_made_once_for_its_owner_alone_and_used_again(self):
        first = self.made()
        before = {path.name: path.read_bytes() for path in self.folder.iterdir()}
        self.assertEqual(self.made(), first)
        self.assertEqual({path.name: path.read_bytes() for path in self.folder.iterdir()}, before)
        self.assertEqual({path.stat().st_mode & 0o777 for path in self.folder.iterdir()}, {0o600})
        self.assertEqual(self.folder.stat().st_mode & 0o777, 0o700)
        self.assertRegex(first.mark, r"^([0-9A-F]{4}-){3}[0-9A-F]{4}$")
        context(first.certificate, first.key)

    def test_what_it_says_of_the_server_is_renewed_in_time_and_for_another_address(self):
        authority, serial = self.made().authority.read_bytes(), self.server().serial_number
        ends = self.server().not_valid_after_utc
        self.made(now=ends - timedelta(days=31))
        self.assertEqual(self.server().serial_number, serial)
        self.made(now=ends - timedelta(days=29))
        self.assertNotEqual(serial := self.server().serial_number, 0)
        self.assertGreater(self.server().not_valid_after_utc, ends)
        self.assertLessEqual(self.server().not_valid_after_utc - self.server().not_valid_before_utc,
                             timedelta(days=397))
        self.made(addresses=("192.168.7.5", "10.0.0.9"))
        self.assertNotEqual(self.server().serial_number, serial)
        for spoilt in (b"", b"-----BEGIN CERTIFICATE-----\nnonsense\n-----END CERTIFICATE-----\n"):
            (self.folder / "server.crt").write_bytes(spoilt)
            self.made()
            self.assertGreater(self.server().serial_number, 0)
        self.assertEqual(self.made().authority.read_bytes(), authority)

    def test_it_may_vouch_for_houses_and_for_nothing_in_the_wide_world(self):
        self.made()
        for names, addresses in (({"bank.example"}, ()), ({"cabin.lan.example"}, ()), ((), ("203.0.113.9",))):
            with self.assertRaisesRegex(CannotVouch, "may not vouch for"):
                self.made(names, addresses)
        self.made({"shed.lan", "hut.local", "barn.cabin.lan"}, ("172.16.3.4",))
        constraints = x509.load_pem_x509_certificate((self.folder / "authority.crt").read_bytes()).extensions
        found = constraints.get_extension_for_class(x509.NameConstraints)
        self.assertTrue(found.critical)
        self.assertTrue(constraints.get_extension_for_class(x509.BasicConstraints).critical)

    def test_an_address_of_its_own_beyond_houses_is_taken_when_it_is_made(self):
        self.made((), ("203.0.113.9",))
        self.assertIn("203.0.113.9", str(self.server().extensions.get_extension_for_class(
            x509.SubjectAlternativeName).value.get_values_for_type(x509.IPAddress)[-1]))

    def test_a_dead_clock_makes_none_that_has_ended_already(self):
        self.made(now=datetime(1970, 1, 3, tzinfo=UTC))
        self.assertGreater(self.server().not_valid_after_utc, datetime(2027, 6, 1, tzinfo=UTC))
        serial = self.server().serial_number
        self.made()
        self.assertEqual(self.server().serial_number, serial)


class Encrypted(unittest.TestCase):
    """A server that is opened to the house, encrypted; 127.0.0.2 is the neighbour's way to it."""

    @classmethod
    def setUpClass(cls):
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.db, cls.port = Path(folder.name) / "a.db", free_port()
        connection.prepare(cls.db)
        with house.opened(cls.db, create=True) as file:
            house.set_passphrase(file, house.OWNER, passphrases.hashed(OURS))
        cls.process = subprocess.Popen(
            [sys.executable, "-m", "voltaun", "serve", "--db", cls.db, "--port", str(cls.port), "--house", "--tls",
             "--no-browser"], cwd=ROOT, env=environment(), text=True, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
        cls.addClassCleanup(cls.process.communicate)
        cls.addClassCleanup(cls.process.kill)
        cls.said = cls.process.stdout.readline()
        while "the mark of the certificate" not in cls.said:
            cls.said += cls.process.stdout.readline()
        cls.trusting = ssl.create_default_context(cafile=f"{cls.db}.tls/authority.crt")

    def ask(self, method, path, encrypted=True, host="127.0.0.2", body=None, headers=(), called=None):
        """The answer and its text, asked by an address of this machine."""
        taken = socket.create_connection((host, self.port), timeout=30)
        if encrypted:
            taken = self.trusting.wrap_socket(taken, server_hostname="localhost")
        asked = http.client.HTTPConnection(host, self.port)
        asked.sock = taken
        self.addCleanup(asked.close)
        asked.request(method, path, body, dict(headers) | {"Host": f"{called or host}:{self.port}"})
        answer = asked.getresponse()
        return answer, answer.read().decode("utf-8", "replace")

    def test_a_neighbour_comes_in_encrypted_and_gets_nothing_in_the_clear(self):
        at_door, page = self.ask("GET", "/enter")
        cookie = at_door.headers["Set-Cookie"]
        self.assertIn("Secure", cookie)
        self.assertEqual(at_door.status, 200)
        form = f"csrf_token={csrf(page)}&passphrase={OURS.replace(' ', '+')}"
        sent = {"Content-Type": "application/x-www-form-urlencoded", "Cookie": cookie.partition(";")[0],
                "Referer": f"https://127.0.0.2:{self.port}/enter"}
        came, _ = self.ask("POST", "/enter", body=form, headers=sent)
        self.assertEqual(came.status, 303)
        session = {"Cookie": came.headers["Set-Cookie"].partition(";")[0]}
        self.assertEqual(self.ask("GET", "/house", headers=session)[0].status, 200)
        for method, code in (("GET", 302), ("POST", 403)):
            answer, text = self.ask(method, "/house", encrypted=False, headers=session)
            self.assertEqual((answer.status, "passphrase" in text), (code, False), method)
        self.assertEqual(self.ask("GET", "/1/log?day=x", encrypted=False)[0].headers["Location"],
                         f"https://127.0.0.2:{self.port}/1/log?day=x")
        self.assertEqual(self.ask("POST", "/enter", encrypted=False, body=form, headers=sent)[0].status, 403)

    def test_what_leads_there_is_told_in_the_clear_and_is_the_certificate(self):
        answer, page = self.ask("GET", "/authority", encrypted=False)
        self.assertIn(self.said.rpartition("certificate is ")[2].strip(". \n"), page)
        self.assertEqual(answer.status, 200)
        _, given = self.ask("GET", "/authority.crt", encrypted=False)
        self.assertEqual(given, Path(f"{self.db}.tls/authority.crt").read_text())
        self.assertNotIn("PRIVATE", given)

    def test_this_machine_is_as_before_and_a_neighbour_does_not_pass_for_it(self):
        for encrypted in (False, True):
            answer, _ = self.ask("GET", "/start", encrypted=encrypted, host="127.0.0.1")
            self.assertEqual(answer.status, 200, encrypted)
            self.assertEqual("Secure" in answer.headers["Set-Cookie"], encrypted)
        # By another name than this machine's own it is not this machine that asks, whatever it says of itself.
        told = {"X-Forwarded-For": "127.0.0.1"}
        self.assertEqual(self.ask("GET", "/start", headers=told)[0].status, 302)
        self.assertEqual(self.ask("GET", "/start", host="127.0.0.1", called="127.0.0.2")[0].status, 302)

    def test_large_things_come_through_whole_both_ways(self):
        _, page = self.ask("GET", "/start", host="127.0.0.1")
        body = b"x" * 3_000_000
        answer, _ = self.ask("POST", "/start/archive", host="127.0.0.1", body=body)
        self.assertEqual(answer.status, 400)  # without a mark; it was read to its end
        plain, encrypted = (self.ask("GET", "/static/app.css", encrypted=way)[1] for way in (False, True))
        self.assertEqual(plain, encrypted)
        self.assertEqual(plain, (ROOT / "voltaun" / "static" / "app.css").read_text(encoding="utf-8"))

    def test_nonsense_and_silence_keep_nobody_out(self):
        held = [socket.create_connection(("127.0.0.2", self.port), timeout=10) for _ in range(200)]
        for n, each in enumerate(held):
            self.addCleanup(each.close)
            each.sendall((b"\x16\x03\x01", b"\x16" + os.urandom(200), b"GET", b"\x00\xff" * 50, b"")[n % 5])
        self.assertEqual(self.ask("GET", "/enter")[0].status, 200)
        with self.assertRaises((ssl.SSLError, OSError)):  # whom it does not believe it does not talk to
            ssl.create_default_context().wrap_socket(socket.create_connection(("127.0.0.2", self.port)),
                                                     server_hostname="localhost")
        old = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
        old.check_hostname, old.verify_mode = False, ssl.CERT_NONE
        old.maximum_version = ssl.TLSVersion.TLSv1_1
        with self.assertRaises((ssl.SSLError, OSError)):
            old.wrap_socket(socket.create_connection(("127.0.0.2", self.port)))


class FrontAlone(unittest.TestCase):
    def test_who_it_is_from_is_told_by_the_port_and_by_nothing_else(self):
        seen = []
        of = Peers(lambda environ, start: seen.append((environ["REMOTE_ADDR"], environ["wsgi.url_scheme"])) or [])
        of.known[4000] = "192.168.7.9", True
        for address, port in (("127.0.0.1", "4000"), ("127.0.0.1", "4001"), ("10.0.0.1", "4000"), ("127.0.0.1", "")):
            of({"REMOTE_ADDR": address, "REMOTE_PORT": port, "wsgi.url_scheme": "http"}, None)
        self.assertEqual(seen, [("192.168.7.9", "https"), ("127.0.0.1", "http"), ("10.0.0.1", "http"),
                                ("127.0.0.1", "http")])

    def test_the_certificate_goes_on_while_it_runs_and_what_is_wrong_with_it_ends_nothing(self):
        with (tempfile.TemporaryDirectory() as folder, socket.create_server(("127.0.0.1", 0)) as behind,
              mock.patch.object(front_module, "RENEWED_EVERY_S", 0.05), self.assertLogs("voltaun", "WARNING")):
            made, asked = vouched(Path(folder) / "tls", frozenset(), [], NOW), []
            used = context(made.certificate, made.key)
            before = x509.load_pem_x509_certificate(made.certificate.read_bytes()).serial_number

            def renew():
                asked.append(1)
                if len(asked) == 1:
                    raise OSError("no room")
                again = vouched(Path(folder) / "tls", frozenset(), ["192.168.7.5"], NOW)
                used.load_cert_chain(again.certificate, again.key)
                renewed.set()
            renewed = threading.Event()
            listening = socket.create_server(("127.0.0.1", 0))
            front = Front(listening, behind.getsockname()[1], used, {}, renew)
            front.start()
            self.addCleanup(front.stop)
            self.assertTrue(renewed.wait(20))
            trusting = ssl.create_default_context(cafile=str(made.authority))
            with trusting.wrap_socket(socket.create_connection(listening.getsockname()),
                                      server_hostname="localhost") as talking:
                shown = x509.load_der_x509_certificate(talking.getpeercert(binary_form=True))
            self.assertNotEqual(shown.serial_number, before)
            front.stop()

    def test_it_stops_with_connections_open_and_forgets_them(self):
        with tempfile.TemporaryDirectory() as folder, socket.create_server(("127.0.0.1", 0)) as behind:
            made = vouched(Path(folder) / "tls", frozenset(), [], NOW)
            listening, known = socket.create_server(("127.0.0.1", 0)), {}
            front = Front(listening, behind.getsockname()[1], context(made.certificate, made.key), known)
            address = listening.getsockname()
            front.start()
            held = socket.create_connection(address)
            held.sendall(b"GET")
            passed, came_from = behind.accept()
            self.assertEqual(passed.recv(10), b"GET")
            self.assertEqual(known, {came_from[1]: ("127.0.0.1", False)})
            front.stop()
            self.assertFalse(front.is_alive())
            self.assertEqual(known, {})
            self.assertEqual((held.recv(10), passed.recv(10)), (b"", b""))
            for each in (held, passed):
                each.close()
            with self.assertRaises(OSError):
                socket.create_connection(address, timeout=2).close()


if __name__ == "__main__":
    unittest.main()
