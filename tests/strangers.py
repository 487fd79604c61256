"""Strangers on the house's network, against a real server: what a neighbour tries, in the clear and encrypted.

An address of the loopback other than its first stands for another machine: 127.0.0.2 is the way in from the house, and
127.0.1.n are the neighbours.
"""

import http.client
import random
import socket
import ssl
import struct
import subprocess
import sys
import threading
import time
from contextlib import contextmanager, suppress
from pathlib import Path

from tests.support import ROOT, environment, free_port
from voltaun.database import connection, house
from voltaun.house import passphrases

OURS, THEIRS = "lantern plum river stove", "stolen+stolen+taken+over"
WAY_IN = "127.0.0.2"


class Opened:
    """A server that is opened to the house."""

    def __init__(self, db: Path, tls: bool, house_first=True) -> None:
        self.db, self.port, self.tls = db, free_port(), tls
        if house_first:
            connection.prepare(db)
            with house.opened(db, create=True) as file:
                house.set_passphrase(file, house.OWNER, passphrases.hashed(OURS))
        self.process = subprocess.Popen(
            [sys.executable, "-m", "voltaun", "serve", "--db", db, "--port", str(self.port), "--house", "--no-browser",
             *(["--tls"] if tls else [])], cwd=ROOT, env=environment(), text=True, stdout=subprocess.PIPE,
            stderr=subprocess.PIPE)
        self.said = ""
        while "phones in the house" not in self.said or tls and "the mark of the certificate" not in self.said:
            line = self.process.stdout.readline()
            if not line:
                raise RuntimeError(self.said + self.process.stderr.read())
            self.said += line
            if not tls and "It is not encrypted" in line:
                break
        self.trusting = ssl.create_default_context(cafile=f"{db}.tls/authority.crt") if tls else None

    def close(self) -> None:
        self.process.kill()
        self.process.communicate()

    def connect(self, neighbour=None, encrypted=None, to=WAY_IN, patience=30.0):
        """A connection of a neighbour, or of whoever stands at the machine by way of 127.0.0.1."""
        taken = socket.create_connection((to, self.port), timeout=patience,
                                         source_address=(neighbour, 0) if neighbour else None)
        if self.tls if encrypted is None else encrypted:
            return self.trusting.wrap_socket(taken, server_hostname="localhost")
        return taken

    def ask(self, method, path, encrypted=None, host=WAY_IN, body=None, headers=(), called=None, neighbour=None):
        """The answer and its text."""
        asked = http.client.HTTPConnection(host, self.port)
        asked.sock = self.connect(neighbour, encrypted, host)
        try:
            asked.request(method, path, body, dict(headers) | {"Host": f"{called or host}:{self.port}"})
            answer = asked.getresponse()
            return answer, answer.read().decode("utf-8", "replace")
        finally:
            asked.close()

    def passphrase(self):
        """What is kept of the owner's passphrase."""
        with house.opened(self.db) as file:
            return house.passphrase(file, house.OWNER)


@contextmanager
def opened(db: Path, tls: bool):
    """A server that is opened to the house, and ended."""
    server = Opened(db, tls)
    try:
        yield server
    finally:
        server.close()


def take_over(server: Opened, rng: random.Random, encrypted: bool) -> None:
    """Pipelined requests by which a stranger would set the passphrase, on a connection that is then cut off: whatever
    is forgotten of a connection that has gone is not to make its requests this machine's."""
    form = f"passphrase={THEIRS}&passphrase_now=".encode()
    one = (f"POST /house/passphrase HTTP/1.1\r\nHost: 127.0.0.1:{server.port}\r\nContent-Type: "
           f"application/x-www-form-urlencoded\r\nContent-Length: {len(form)}\r\n\r\n").encode() + form
    first = f"GET /enter HTTP/1.1\r\nHost: 127.0.0.1:{server.port}\r\n\r\n".encode()
    with suppress(OSError):
        taken = server.connect(f"127.0.1.{rng.randint(1, 250)}", encrypted)
        taken.sendall(first * rng.randint(0, 3) + one * rng.randint(1, 8))
        time.sleep(rng.choice((0, 0, 0.001, 0.005, 0.02)))
        taken.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, struct.pack("ii", 1, 0))  # cut off, not ended
        taken.close()


class Trickle(threading.Thread):
    """So many connections that send a byte now and then, of one neighbour or of many; a third in their heads, a third
    in bodies, a third say nothing. What is closed is opened again, as fast as it goes."""

    def __init__(self, server: Opened, count: int, neighbours: int, encrypted: bool) -> None:
        super().__init__(daemon=True)
        self._server, self._neighbours, self._over = server, neighbours, threading.Event()
        self._encrypted, self._count, self.refused, self.opened = encrypted, count, 0, 0

    def run(self) -> None:
        open_ = []
        while not self._over.is_set():
            open_ = [of for of in open_ if self._goes_on(of)]
            while len(open_) < self._count and not self._over.is_set():
                try:
                    open_.append(self._begin(self.opened))
                    self.opened += 1
                except OSError:
                    self.refused += 1
                    break
            self._over.wait(0.2)
        for of in open_:
            of.close()

    def _begin(self, n: int):
        taken = socket.create_connection((WAY_IN, self._server.port), timeout=2.0,
                                         source_address=(f"127.0.1.{1 + n % self._neighbours}", 0))
        begins = (b"GET / HTTP/1.1\r\nX: ", b"POST /enter HTTP/1.1\r\nContent-Length: 900000\r\n\r\n", b"")[n % 3]
        taken.sendall(b"\x16\x03\x01\x02" if self._encrypted else begins)
        taken.setblocking(False)
        return taken

    @staticmethod
    def _goes_on(taken) -> bool:
        try:
            taken.send(b"a")
            if taken.recv(1, socket.MSG_PEEK):
                return True
        except BlockingIOError:
            return True
        except OSError:
            pass
        taken.close()
        return False

    def stop(self) -> None:
        self._over.set()
        self.join(30)


def longest_page(server: Opened, seconds: float, **asked) -> float:
    """How long the longest of the owner's pages took, s, asked one after the other for so long."""
    longest, until = 0.0, time.monotonic() + seconds
    while time.monotonic() < until:
        begun = time.monotonic()
        answer, _ = server.ask("GET", "/enter", **asked)
        assert answer.status == 200 or answer.status == 302, answer.status
        longest = max(longest, time.monotonic() - begun)
        time.sleep(0.05)
    return longest
