"""The authority of the house, and a server that is opened to it, encrypted."""

import os
import random
import socket
import ssl
import subprocess
import tempfile
import time
import unittest
from datetime import UTC, datetime, timedelta
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import ExtendedKeyUsageOID

from tests.strangers import OURS, Opened, Trickle, longest_page, take_over
from tests.support import NOW, csrf
from voltaun.house.authority import CannotVouch, broken, context, vouched

NAMES = frozenset({"cabin.lan"})


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
        self.assertTrue(self.made({"shed.lan", "hut.local", "barn.cabin.lan"}, ("172.16.3.4",)).servers_alone)
        constraints = x509.load_pem_x509_certificate((self.folder / "authority.crt").read_bytes()).extensions
        found = constraints.get_extension_for_class(x509.NameConstraints)
        self.assertTrue(found.critical)
        self.assertTrue(constraints.get_extension_for_class(x509.BasicConstraints).critical)
        # No letter and no program: a kind of name that is permitted at no place that there is, and one use alone.
        permitted = found.value.permitted_subtrees
        for kind in (x509.RFC822Name, x509.UniformResourceIdentifier):
            self.assertEqual([of.value for of in permitted if isinstance(of, kind)], ["nobody.invalid"])
        self.assertEqual(list(constraints.get_extension_for_class(x509.ExtendedKeyUsage).value),
                         [ExtendedKeyUsageOID.SERVER_AUTH])

    def test_it_is_believed_of_a_house_and_of_nothing_else_by_who_believes_it(self):
        self.made()
        authority = x509.load_pem_x509_certificate((self.folder / "authority.crt").read_bytes())
        signing = serialization.load_pem_private_key((self.folder / "authority.key").read_bytes(), None)
        folder = self.folder.parent
        for name, use, believed in (
                (x509.DNSName("cabin.lan"), ExtendedKeyUsageOID.SERVER_AUTH, True),
                (x509.DNSName("bank.example"), ExtendedKeyUsageOID.SERVER_AUTH, False),
                (x509.RFC822Name("you@bank.example"), ExtendedKeyUsageOID.EMAIL_PROTECTION, False),
                (x509.DNSName("cabin.lan"), ExtendedKeyUsageOID.CODE_SIGNING, False)):
            key = ec.generate_private_key(ec.SECP256R1())
            made = (x509.CertificateBuilder().subject_name(x509.Name([])).issuer_name(authority.subject)
                    .public_key(key.public_key()).serial_number(7).not_valid_before(NOW).not_valid_after(
                        NOW + timedelta(days=100))
                    .add_extension(x509.SubjectAlternativeName([name]), critical=True)
                    .add_extension(x509.ExtendedKeyUsage([use]), critical=False).sign(signing, hashes.SHA256()))
            (folder / "made.crt").write_bytes(made.public_bytes(serialization.Encoding.PEM))
            purpose = {ExtendedKeyUsageOID.SERVER_AUTH: "sslserver", ExtendedKeyUsageOID.EMAIL_PROTECTION: "smimesign",
                       ExtendedKeyUsageOID.CODE_SIGNING: "any"}[use]
            if purpose == "any":  # what signs programs is looked at by the use that its authority may vouch for
                self.assertNotIn(use, list(authority.extensions.get_extension_for_class(x509.ExtendedKeyUsage).value))
                continue
            at = str(int(NOW.timestamp()) + 86_400)
            ran = subprocess.run(["openssl", "verify", "-purpose", purpose, "-attime", at, "-CAfile",
                                  self.folder / "authority.crt", folder / "made.crt"], capture_output=True)
            self.assertEqual(ran.returncode == 0, believed, (name, ran.stderr))

    def test_one_that_was_spoilt_is_told_with_what_mends_it(self):
        self.made()
        other = self.folder.with_name("other")
        vouched(other, NAMES, [], NOW)
        for name, data in (("authority.crt", b""), ("authority.key", b"x"),
                           ("authority.crt", (other / "authority.crt").read_bytes())):
            before = (self.folder / name).read_bytes()
            (self.folder / name).write_bytes(data)
            self.assertIsNotNone(broken(self.folder), name)
            with self.assertRaisesRegex(CannotVouch, "put the folder aside"):
                self.made()
            (self.folder / name).write_bytes(before)
        self.assertIsNone(broken(self.folder))
        self.assertIsNone(broken(self.folder.with_name("none")))

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
        cls.server = Opened(Path(folder.name) / "a.db", tls=True)
        cls.addClassCleanup(cls.server.close)
        cls.db, cls.port, cls.said, cls.ask = cls.server.db, cls.server.port, cls.server.said, cls.server.ask

    def test_what_is_left_of_a_connection_that_has_gone_makes_nobody_the_owner(self):
        before, rng = self.server.passphrase(), random.Random(5)
        for n in range(40):
            take_over(self.server, rng, encrypted=n % 4 > 0)
        for encrypted in (True, False):  # nor one that stays, by the name of this machine
            taken = self.server.connect("127.0.1.7", encrypted)
            taken.sendall(f"GET /house HTTP/1.0\r\nHost: 127.0.0.1:{self.port}\r\n\r\n".encode())
            self.assertIn(b" 302 ", taken.recv(100))
            taken.close()
        self.assertEqual(self.ask("GET", "/start", encrypted=False, host="127.0.0.1")[0].status, 200)
        self.assertEqual(self.server.passphrase(), before)

    def test_four_hundred_that_trickle_keep_nobody_out(self):
        for neighbours in (1, 20):
            trickle = Trickle(self.server, 400, neighbours, encrypted=neighbours == 1)
            trickle.start()
            try:
                while trickle.opened < 400:
                    time.sleep(0.01)
                for asked in ({"host": "127.0.0.1", "encrypted": False}, {"neighbour": "127.0.2.9"}):
                    self.assertLess(longest_page(self.server, 0.5, **asked), 10.0)
            finally:
                trickle.stop()

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

    def test_nonsense_and_silence_keep_nobody_out(self):
        held = [socket.create_connection(("127.0.0.2", self.port), timeout=10) for _ in range(200)]
        for n, each in enumerate(held):
            self.addCleanup(each.close)
            each.sendall((b"\x16\x03\x01", b"\x16" + os.urandom(200), b"GET", b"\x00\xff" * 50, b"")[n % 5])
        self.assertEqual(self.ask("GET", "/enter", neighbour="127.0.2.9")[0].status, 200)
        with self.assertRaises((ssl.SSLError, OSError)):  # whom it does not believe it does not talk to
            ssl.create_default_context().wrap_socket(socket.create_connection(("127.0.0.2", self.port)),
                                                     server_hostname="localhost")
        old = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
        old.check_hostname, old.verify_mode = False, ssl.CERT_NONE
        old.maximum_version = ssl.TLSVersion.TLSv1_1
        with self.assertRaises((ssl.SSLError, OSError)):
            old.wrap_socket(socket.create_connection(("127.0.0.2", self.port)))


if __name__ == "__main__":
    unittest.main()
