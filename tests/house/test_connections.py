"""Connections: whom each is with, how long it may take and how many one may hold; a small application behind them."""

import json
import re
import socket
import ssl
import tempfile
import threading
import time
import unittest
from contextlib import suppress
from pathlib import Path
from unittest import mock

from cryptography import x509
from waitress import wasyncore

from tests.support import NOW
from voltaun.house import connections
from voltaun.house.addresses import HERE
from voltaun.house.authority import context, vouched
from voltaun.house.connections import Terms, server

LONG = 600_000


def application(environ, start):
    """Says who asks; or how much came; or much."""
    start("200 OK", [("Content-Type", "text/plain")])
    if environ["PATH_INFO"] == "/much":
        return [b"m" * 50_000] * 100
    if environ["REQUEST_METHOD"] == "POST":
        return [str(sum(len(piece) for piece in iter(lambda: environ["wsgi.input"].read(65_536), b""))).encode()]
    return [json.dumps([environ["REMOTE_ADDR"], environ.get(HERE), environ["wsgi.url_scheme"],
                        environ["PATH_INFO"]]).encode()]


class ConnectionsCase(unittest.TestCase):
    constants = {}

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.made = vouched(Path(folder.name) / "tls", frozenset(), [], NOW)
        self.encrypted = context(self.made.certificate, self.made.key)
        self.trusting = ssl.create_default_context(cafile=str(self.made.authority))
        for name, value in self.constants.items():
            patched = mock.patch.object(connections, name, value)
            patched.start()
            self.addCleanup(patched.stop)
        self.server = server(application, Terms(lambda cookies: "known" in cookies, self.encrypted), "0.0.0.0", 0, 4)
        self.port = self.server.effective_port
        running = threading.Thread(target=self.server.run, daemon=True)
        running.start()
        self.addCleanup(running.join, 10)
        self.addCleanup(self.server.task_dispatcher.shutdown)
        self.addCleanup(lambda: self.server.trigger.pull_trigger(lambda: wasyncore.close_all(self.server._map)))

    def connect(self, to="127.0.0.2", neighbour="127.0.1.5", encrypted=False):
        taken = socket.create_connection((to, self.port), timeout=20, source_address=(neighbour, 0))
        self.addCleanup(taken.close)
        if encrypted:
            taken = self.trusting.wrap_socket(taken, server_hostname="localhost")
            self.addCleanup(taken.close)
        return taken

    @staticmethod
    def all_of(taken):
        """All that comes until the other side ends it."""
        got = b""
        try:
            while piece := taken.recv(65_536):
                got += piece
        except ConnectionError:
            pass
        return got

    def open_of(self, made):
        """How many of these are not ended yet."""
        time.sleep(0.2)
        count = 0
        for each in made:
            each.settimeout(0.01)
            try:
                count += bool(each.recv(1))
            except TimeoutError:
                count += 1
            except OSError:
                pass
        return count

    def told(self, taken, path="/", headers=""):
        taken.sendall(f"GET {path} HTTP/1.0\r\nHost: 127.0.0.1\r\n{headers}\r\n".encode())
        return json.loads(self.all_of(taken).partition(b"\r\n\r\n")[2])


class Whom(ConnectionsCase):
    def test_only_the_loopback_to_the_loopback_is_here_whatever_is_said(self):
        for encrypted, scheme in ((False, "http"), (True, "https")):
            for neighbour, to, here in (("127.0.0.1", "127.0.0.1", True), ("127.0.1.5", "127.0.0.1", False),
                                        ("127.0.0.1", "127.0.0.2", False), ("127.0.1.5", "127.0.0.2", False)):
                for headers in ("", "voltaun.here: 1\r\n",
                                "X-Forwarded-For: 127.0.0.1\r\nX-Forwarded-Proto: https\r\n"):
                    told = self.told(self.connect(to, neighbour, encrypted), headers=headers)
                    self.assertEqual(told, [neighbour, here, scheme, "/"], headers)

    def test_pipelined_ones_are_answered_in_order_by_the_peer_of_their_connection(self):
        for encrypted in (False, True):
            taken = self.connect(encrypted=encrypted)
            ones = [f"GET /{n} HTTP/1.1\r\nHost: x\r\n\r\n" for n in range(40)]
            taken.sendall("".join(ones).encode() + b"GET /last HTTP/1.0\r\n\r\n")
            told = [json.loads(each) for each in re.findall(r'\["[^]]+\]', self.all_of(taken).decode())]
            self.assertEqual(told, [["127.0.1.5", False, "https" if encrypted else "http", f"/{n}"]
                                    for n in (*range(40), "last")])

    def test_large_ones_come_through_whole_both_ways_encrypted_too(self):
        for encrypted in (False, True):
            taken = self.connect(encrypted=encrypted)
            taken.sendall(f"POST / HTTP/1.0\r\nContent-Length: {LONG}\r\n\r\n".encode() + b"x" * LONG)
            self.assertEqual(self.all_of(taken).partition(b"\r\n\r\n")[2], str(LONG).encode())
            slow = self.connect(encrypted=encrypted)
            slow.sendall(b"GET /much HTTP/1.0\r\n\r\n")
            time.sleep(0.2)  # it is not read at first: more than the two sides hold between them waits
            self.assertEqual(len(self.all_of(slow).partition(b"\r\n\r\n")[2]), 5_000_000)

    def test_a_stranger_sends_two_megabytes_and_who_came_in_more(self):
        for neighbour, to, cookie, size, code in (
                ("127.0.1.5", "127.0.0.2", "", 2_000_000, b"200"), ("127.0.1.5", "127.0.0.2", "", 2_000_001, b"413"),
                ("127.0.1.5", "127.0.0.2", "Cookie: known\r\n", 2_000_001, b"200"),
                ("127.0.0.1", "127.0.0.1", "", 2_000_001, b"200")):
            taken = self.connect(to, neighbour)
            taken.sendall(f"POST / HTTP/1.0\r\n{cookie}Content-Length: {size}\r\n\r\n".encode())
            with suppress(ConnectionError):
                taken.sendall(b"x" * size if code == b"200" else b"")
            self.assertIn(code, taken.recv(12), (neighbour, cookie))

    def test_the_certificate_goes_on_while_it_runs(self):
        before = x509.load_pem_x509_certificate(self.made.certificate.read_bytes()).serial_number
        again = vouched(self.made.certificate.parent, frozenset(), ["192.168.7.5"], NOW)
        self.encrypted.load_cert_chain(again.certificate, again.key)
        shown = x509.load_der_x509_certificate(self.connect(encrypted=True).getpeercert(binary_form=True))
        self.assertNotEqual(shown.serial_number, before)

    def test_nonsense_ends_its_own_connection_alone(self):
        for nonsense in (b"\x16\x03\x01\x02\x00" + b"\x01" * 600, b"\x00\xff" * 500 + b"\r\n\r\n", b"\x16" * 9000):
            taken = self.connect()
            taken.sendall(nonsense)
            self.assertNotIn(b"200 OK", self.all_of(taken))
        self.assertEqual(self.told(self.connect())[0], "127.0.1.5")


class HowLong(ConnectionsCase):
    constants = {"HEAD_S": 0.5, "BODY_S": 1.0, "BODY_BYTES_A_S": 1000.0}

    def test_a_head_a_handshake_and_a_body_have_a_time(self):
        held = {}
        for begins in (b"", b"GET / HTTP/1.1\r\nX: ", b"\x16\x03\x01\x02\x00",
                       b"POST / HTTP/1.1\r\nContent-Length: 90000\r\n\r\n",
                       b"GET / HTTP/1.1\r\nHost: x\r\n\r\nGET / HTTP/1.1\r\nX: "):
            for neighbour, to in (("127.0.1.5", "127.0.0.2"), ("127.0.0.1", "127.0.0.1")):
                taken = self.connect(to, neighbour)
                taken.sendall(begins)
                taken.settimeout(0.01)
                held[taken] = begins
        for _ in range(100):  # each sends a little on, and is ended all the same
            held = {taken: begins for taken, begins in held.items() if not self.ended(taken, begins)}
            if not held:
                return
            time.sleep(0.05)
        self.fail(f"goes on: {list(held.values())}")

    @staticmethod
    def ended(taken, begins):
        try:
            taken.sendall(b"a" if begins else b"")
            while taken.recv(1000):
                pass
        except TimeoutError:
            return False
        except OSError:
            pass
        return True

    def test_what_comes_at_a_pace_is_waited_for(self):
        taken = self.connect()
        taken.sendall(b"POST / HTTP/1.0\r\nContent-Length: 30000\r\n\r\n")
        for _ in range(30):  # 3 s, where 1.5 are given to who sends nothing
            taken.sendall(b"x" * 1000)
            time.sleep(0.1)
        self.assertTrue(self.all_of(taken).endswith(b"30000"))


class HowMany(ConnectionsCase):
    constants = {"OF_ONE_ADDRESS": 5, "STRANGERS": 12, "ITS_TIME_S": 0.0}

    def held(self, count, neighbour, to="127.0.0.2"):
        made = []
        for _ in range(count):
            taken = self.connect(to, neighbour)
            taken.sendall(b"GET / HTTP/1.1\r\nX: ")
            made.append(taken)
        self.told(self.connect("127.0.0.1", "127.0.0.1"))  # they have been taken by now
        return made

    def test_who_holds_most_gives_one_up_and_this_machine_is_never_among_them(self):
        first = self.held(8, "127.0.1.1")
        self.assertEqual([self.open_of(first[:3]), self.open_of(first[3:])], [0, 5])  # the oldest went
        second, third = self.held(5, "127.0.1.2"), self.held(2, "127.0.1.3")
        self.assertEqual([self.open_of(each) for each in (first, second, third)], [5, 5, 2])
        fourth = self.held(3, "127.0.1.4")
        self.assertEqual([self.open_of(third), self.open_of(fourth)], [2, 3])
        self.assertEqual(self.open_of(first) + self.open_of(second), 7)
        here = self.held(20, "127.0.0.1", "127.0.0.1")
        self.assertEqual(self.open_of(here), 20)
        self.assertEqual(self.told(self.connect(neighbour="127.0.1.9"))[0], "127.0.1.9")


class HowFast(ConnectionsCase):
    constants = {"OF_ONE_ADDRESS": 3, "STRANGERS": 6, "ITS_TIME_S": 60.0}

    def test_who_holds_most_is_refused_and_who_holds_few_is_not(self):
        held = [self.connect(neighbour="127.0.1.1") for _ in range(3)]
        self.assertEqual(self.told(self.connect("127.0.0.1", "127.0.0.1"))[0], "127.0.0.1")
        self.assertEqual(self.all_of(self.connect(neighbour="127.0.1.1")), b"")  # a fourth is ended at once
        held += [self.connect(neighbour="127.0.1.2") for _ in range(3)]
        self.assertEqual(self.told(self.connect(neighbour="127.0.1.3"))[0], "127.0.1.3")  # one of theirs went for it
        self.assertEqual(self.open_of(held), 5)


if __name__ == "__main__":
    unittest.main()
