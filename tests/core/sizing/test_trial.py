"""An option tried on: the rig, what is known of it, and the days ahead with it."""

import unittest
from dataclasses import replace

from tests.core.outlook.test_outlook import log_of
from tests.support import rig, sun_of
from voltaun.core.learned.account import Learned
from voltaun.core.learned.capacity_fit import Estimate, Held
from voltaun.core.outlook.ask import Ask, known
from voltaun.core.outlook.outlook import outlook
from voltaun.core.rig.bank import charge_limit, effective_energy, rated_energy
from voltaun.core.rig.parts import Bank
from voltaun.core.sizing.suns import own_plane_of
from voltaun.core.sizing.trial import Added, known_with, with_added


class Tried(unittest.TestCase):
    def test_the_bank_and_the_array_grow_by_what_is_printed(self):
        of = rig(bank=replace(rig().bank, tested_energy_wh=9000.0, charge_limit_w=2000.0))
        more = with_added(of, [Added(2)], 1)
        # A string of 12 V × 400 Ah × 2 is 9600 Wh more; the test's 9000 and the maker's 2000 W grow with it.
        self.assertEqual((rated_energy(more.bank), effective_energy(more).wh), (19_200, 18_600))
        self.assertEqual(charge_limit(more), 4000)
        self.assertEqual([array.rated_w for array in more.arrays], [1800])
        self.assertEqual(with_added(of, [], 0), of)
        # A rig without panels has them towards the equator, or where it was typed; beside them stands the one W that
        # its years were reckoned with.
        bare = rig(arrays=())
        (first,) = with_added(bare, [Added(2, 440.0)], 0).arrays
        self.assertEqual((first.rated_w, first.tilt_deg, first.azimuth_deg), (881, 42, 0))
        own = with_added(bare, [Added(2, 440.0, own_plane_of(80, 90))], 0).arrays[-1]
        self.assertEqual((own.rated_w, own.tilt_deg, own.azimuth_deg), (880, 80, 90))
        self.assertEqual(with_added(bare, [Added(0, 440.0)], 1).arrays, ())
        station = rig(bank=Bank(rated_energy_wh=1000, pack_wh=(500.0,)))
        self.assertEqual(rated_energy(with_added(station, [], 1).bank), 3000)

    def test_what_the_log_shows_of_the_bank_grows_with_it(self):
        log = log_of(40)
        told = known(rig(), log, None, log[-1].at)
        held = Held(Estimate(8000.0, 7800.0, 8200.0), Estimate(0.0, 0.0, 0.0), 30, 60.0, 1.0)
        told = replace(told, learned=Learned(told.learned.use, told.learned.share, held))
        grown = known_with(rig(), told, 1).learned.held.energy_wh
        self.assertEqual((grown.estimate, grown.low, grown.high), (17_600.0, 17_400.0, 17_800.0))
        self.assertIs(known_with(rig(), told, 0), told)

    def test_the_days_ahead_as_if_it_stood_there(self):
        log, of = log_of(40, use_wh=2600), rig()
        told = known(of, log, sun_of(of), log[-1].at)
        def ahead(tried):
            return outlook(Ask(tried, told, sun_of(tried), log[-1].at, 5, futures=500))
        plain, more = ahead(of), ahead(with_added(of, [Added(4)], 0))
        # Twice the panels bring twice the sun where the bank has room for it.
        self.assertGreater(more.days[0].dusk_soc.p50, plain.days[0].dusk_soc.p50 + 0.05)
        larger = ahead(with_added(of, [], 1))
        self.assertAlmostEqual(larger.present.energy_wh / plain.present.energy_wh, 2.0, delta=0.2)


if __name__ == "__main__":
    unittest.main()
