"""What hangs on a choice follows it, unless it was set by hand."""

import unittest
from dataclasses import replace

from tests.support import rig
from voltaun.core.rig.changes import following
from voltaun.core.rig.parts import Bank, Generator, Place
from voltaun.words.rig import follows_words


def bank(chemistry, everyday=None, hard=None, efficiency=None):
    return Bank(chemistry, 12, 100, 1, 1, everyday_floor=everyday, hard_floor=hard, charge_efficiency=efficiency)


def figures(of):
    return of.bank.everyday_floor, of.bank.hard_floor, of.bank.charge_efficiency


class Following(unittest.TestCase):
    def follow(self, before, chemistry, **typed):
        stands = rig(bank=before)
        made = rig(bank=replace(before, chemistry=chemistry, **typed))
        return following(stands, made)

    def test_floors_and_efficiency_are_those_of_the_chemistry(self):
        for old, new, expected in (("lfp", "agm", (0.5, 0.2, 0.85)), ("agm", "lfp", (0.2, 0.1, 0.95)),
                                   ("lfp", "flooded", (0.5, 0.2, 0.80)), ("agm", "gel", (0.5, 0.3, 0.85))):
            self.assertEqual(figures(self.follow(bank(old), new)), expected, (old, new))

    def test_a_depth_that_was_chosen_stays_that_depth(self):
        # Long life: 40 % of lithium, 70 % of lead; full use 10 and 30 %.
        self.assertEqual(figures(self.follow(bank("lfp", 0.4), "agm")), (0.7, 0.2, 0.85))
        self.assertEqual(figures(self.follow(bank("agm", 0.3), "lfp")), (0.1, 0.1, 0.95))

    def test_what_was_set_by_hand_stays(self):
        self.assertEqual(figures(self.follow(bank("lfp", 0.25, 0.15, 0.9), "agm")), (0.25, 0.15, 0.9))
        self.assertEqual(figures(self.follow(bank("lfp"), "agm", everyday_floor=0.6)), (0.6, 0.2, 0.85))
        self.assertEqual(figures(self.follow(bank("lfp"), "lfp", everyday_floor=0.5)), (0.5, 0.1, 0.95))
        # A floor of one's own below the new hard floor: nothing follows, and the rig's own faults say what is wrong.
        self.assertEqual(figures(self.follow(bank("lfp", 0.15), "gel")), (0.15, 0.1, 0.95))

    def test_it_is_said(self):
        made = self.follow(bank("lfp"), "agm")
        typed = rig(bank=replace(bank("lfp"), chemistry="agm"))
        self.assertEqual(follows_words(typed, made), "With another chemistry follow: everyday floor 50 %, "
                                                     "hard floor 20 %, charge efficiency 85 %.")
        self.assertEqual(follows_words(typed, typed), "")

    def test_what_was_not_set_yet_is_once_its_part_is_another(self):
        before = rig(bank=bank("lfp"), not_yet_told=("place", "bank", "sources"))
        for changed, left in (({"bank": bank("agm")}, ("place", "sources")),
                              ({"place": Place(-41.0, 147.0, "Australia/Hobart")}, ("bank", "sources")),
                              ({"generators": (Generator("Set", 900),)}, ("place", "bank")),
                              ({"name": "x"}, ("place", "bank", "sources"))):
            self.assertEqual(following(before, replace(before, **changed)).not_yet_told, left)


if __name__ == "__main__":
    unittest.main()
