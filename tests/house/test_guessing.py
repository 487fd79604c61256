"""Passphrases, codes and guesses, without a server."""

import unittest
from unittest import mock

from voltaun.house import addresses, passphrases
from voltaun.house.codes import LASTS_S, Codes, Open, shown
from voltaun.house.guesses import ADDRESSES, Guesses


class Passphrases(unittest.TestCase):
    def test_four_words_or_twelve_letters_and_not_all_the_same(self):
        for good in ("one two six ten", "correcthorse", "Zwölf Boxkämpfer", passphrases.made_up()):
            self.assertIsNone(passphrases.fault(good), good)
        for bad, words in (("", "found 0 letters"), ("two of us", "expected 4 words"), ("elevenchars", "found 11"),
                           ("a" * 40, "hardly any different"), ("a b a b a b", "hardly"), ("x" * 201, "at most 200")):
            self.assertIn(words, passphrases.fault(bad) or "", bad)
            with self.assertRaises(ValueError):
                passphrases.hashed(bad)

    def test_it_opens_however_a_phone_writes_it_and_nothing_else_does(self):
        kept = passphrases.hashed("lantern plum river stove")
        self.assertTrue(kept.startswith("scrypt:"))
        self.assertNotIn("plum", kept)
        self.assertNotEqual(kept, passphrases.hashed("lantern plum river stove"))  # salted
        for typed, right in ((" Lantern  plum river Stove\n", True), ("lantern plum river stov", False),
                             ("lantern plum river stoves", False), ("", False), ("x" * 10_000, False)):
            self.assertEqual(passphrases.opens(typed, [None, kept]), [False, right], typed[:30])

    def test_all_that_are_kept_are_looked_at_whatever_was_typed(self):
        with mock.patch.object(passphrases, "check_password_hash", return_value=True) as looked:
            passphrases.opens("no", ["one", "two"])
        self.assertEqual([call.args[0] for call in looked.call_args_list], ["one", "two"])

    def test_made_up_ones_are_five_words_of_many(self):
        self.assertGreater(len(set(passphrases.WORDS)) ** 5, 2 ** 40)
        self.assertEqual(len(set(passphrases.WORDS)), len(passphrases.WORDS))
        self.assertGreater(len({passphrases.made_up() for _ in range(50)}), 49)
        self.assertEqual(len(passphrases.made_up().split()), 5)


class Guessing(unittest.TestCase):
    def test_five_are_free_and_then_the_wait_doubles(self):
        of = Guesses()
        self.assertEqual([of.begin("10.0.0.7", 0.0) for _ in range(6)], [0.0] * 5 + [2.0])
        self.assertEqual((of.begin("10.0.0.7", 1.9), of.begin("10.0.0.7", 2.0), of.begin("10.0.0.7", 2.1)),
                         (2.0 - 1.9, 0.0, 2.0 + 4.0 - 2.1))
        self.assertEqual(of.begin("10.0.0.8", 2.1), 0.0)  # another one is not kept waiting by it
        of = Guesses()
        now = 0.0
        for _ in range(30):
            now += of.begin("10.0.0.7", now)
        self.assertEqual(of.begin("10.0.0.7", now - 1e-6) > 0, True)
        self.assertLessEqual(of.begin("10.0.0.7", now), 900.0)  # a quarter of an hour at most

    def test_ten_thousand_guesses_in_an_hour_get_fewer_than_a_hundred_looked_at(self):
        for name, address in (("one address", lambda n: "10.0.0.7"),
                              ("a new one each", lambda n: f"10.0.{n >> 8}.{n & 255}"),
                              ("a network of IPv6", lambda n: f"fd00::{n:x}")):
            of = Guesses()
            looked_at = sum(of.begin(address(n), n * 0.36) == 0.0 for n in range(10_000))
            self.assertLess(looked_at, 100, name)
            self.assertGreater(looked_at, 4, name)
        self.assertLessEqual(len(of._tried), 1)  # of IPv6 a whole network is one

    def test_who_knows_one_passphrase_gets_no_more_guesses_at_another(self):
        of, looked_at = Guesses(), 0
        for n in range(10_000):  # four wrong, then the right one, which forgives them
            if of.begin("10.0.0.7", n * 0.36) == 0.0:
                looked_at += n % 5 != 4
                if n % 5 == 4:
                    of.right("10.0.0.7")
        self.assertLess(looked_at, 100)

    def test_wrong_ones_are_forgotten_one_by_one_as_it_rests(self):
        of = Guesses()
        for n in range(7):
            of.begin("10.0.0.7", 1000.0 * n)  # a slip each quarter of an hour never waits
            self.assertEqual(of.begin("10.0.0.8", 0.0) > 0, n > 4)
        self.assertEqual(of.begin("10.0.0.7", 7000.0), 0.0)
        self.assertEqual(of.begin("10.0.0.8", 100.0), 0.0)  # the sixth: 4 s more
        self.assertEqual(of.begin("10.0.0.8", 100.0), 4.0)
        # After six wrong ones four quarters of an hour leave two: three more are free, and the fourth waits 2 s.
        self.assertEqual([of.begin("10.0.0.8", 3700.0) for _ in range(4)], [0.0, 0.0, 0.0, 2.0])

    def test_right_ones_cost_nothing_and_many_addresses_no_memory(self):
        of = Guesses()
        for n in range(500):
            self.assertEqual(of.begin("10.0.0.7", float(n)), 0.0)
            of.right("10.0.0.7")
        for n in range(50 * 3000):
            of.begin(f"10.{n >> 16}.{n >> 8 & 255}.{n & 255}", n * 60.0)
        self.assertEqual(len(of._tried), ADDRESSES)
        self.assertEqual(Guesses().begin("not an address" * 100, 0.0), 0.0)


class OneTimeCodes(unittest.TestCase):
    def test_each_is_good_once_for_ten_minutes_and_for_whom_it_was_made(self):
        codes = Codes()
        owner, guest = codes.make("owner", 0.0), codes.make("look only", 1.0)
        self.assertEqual(codes.newest(1.0), (guest, Open("look only", 1.0 + LASTS_S, None)))
        self.assertEqual(codes.take(f" {shown(owner).lower()} ", 599.9).who, "owner")
        self.assertIsNone(codes.take(owner, 599.9))
        self.assertIsNone(codes.take(guest, 601.0))
        self.assertIsNone(codes.newest(601.0))
        again = codes.make("owner", 700.0)
        codes.clear()
        self.assertIsNone(codes.take(again, 700.0))
        self.assertIsNone(codes.take("", 700.0))
        by = {maker: codes.make("owner", 700.0, maker) for maker in (1, 2, None)}
        codes.clear({1})
        self.assertEqual([codes.take(by[maker], 700.0) is None for maker in (1, 2, None)], [True, False, False])
        made = [codes.make("owner", 800.0) for _ in range(25)]
        self.assertEqual([codes.take(each, 800.0) is None for each in made], [True] * 5 + [False] * 20)


class Addresses(unittest.TestCase):
    def test_only_addresses_of_this_machine_are_ours(self):
        for host, ours in (("127.0.0.1", True), ("127.0.0.2", True), ("203.0.113.77", False), ("0.0.0.0", False),
                           ("224.0.0.1", False), ("localhost", False), ("cabin.lan", False), ("", False), ("1", False),
                           ("127.1", False), ("[::1]", False), ("127.0.0.1 ", False), ("٣.1.1.1", False)):
            self.assertEqual(addresses.is_ours(host), ours, host)
        for each in addresses.own_addresses():
            self.assertTrue(addresses.is_ours(each), each)
            self.assertFalse(each.startswith("127."), each)


if __name__ == "__main__":
    unittest.main()
