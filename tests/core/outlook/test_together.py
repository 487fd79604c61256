"""Several systems together: what one could give another, by a worked number."""

import unittest
from dataclasses import replace
from datetime import timedelta

from tests.support import NOW, readings, rig
from voltaun.core.log.ledger import intervals
from voltaun.core.outlook.autonomy import Drain
from voltaun.core.outlook.present import Middle, Present
from voltaun.core.outlook.together import Stands, carried, fed
from voltaun.core.rig.parts import Bank, Inverter, Mains

FULL = rig(name="Full", bank=Bank("lfp", 12, 400, 2, 1, charge_efficiency=0.95), inverter=Inverter(18, 0.9))
SHORT = rig(name="Short", bank=Bank("agm", 12, 200, charge_efficiency=0.85), inverter=None)


def sure(value):
    return Middle(value, value, value)


def standing(of, soc, use_wh):
    energy = {"Full": 9600.0, "Short": 2400.0}[of.name]
    above = max(0.0, soc - of.bank.everyday_floor) * energy
    days = above / use_wh if use_wh else float("inf")
    return Stands(of, Present(NOW, NOW, soc, sure(soc), energy, None, Drain(use_wh, 0.0, 0.0, 0.0, 9, "log"),
                              {"everyday_floor": sure(above)}, {"everyday_floor": sure(days)}, 0.0))


class Together(unittest.TestCase):
    def test_so_much_that_both_have_as_many_days(self):
        full, short = standing(FULL, 0.95, 2000.0), standing(SHORT, 0.60, 600.0)
        # 7200 Wh above its floor are 3.6 days, 240 Wh 0.4; 0.9 × 0.9 × 0.85 of what leaves the one reaches the other:
        # 3.6 − x / 2000 = 0.4 + 0.6885 x / 600 makes x 1942, of which 1337 arrive; there is room for 960 alone.
        self.assertEqual((round(full.days, 3), round(short.days, 3)), (3.6, 0.4))
        told = carried([short, full])
        self.assertEqual((told.giver.name, told.taker.name), ("Full", "Short"))
        self.assertAlmostEqual(told.arrives_wh, 960.0)
        self.assertAlmostEqual(told.out_wh, 960 / 0.6885)
        self.assertAlmostEqual(told.days, 1.6)
        low = standing(SHORT, 0.30, 600.0)
        self.assertEqual((low.above_wh, low.days), (0.0, 0.0))
        more = carried([full, low])
        # 3.6 = x (1 / 2000 + 0.6885 / 600)
        self.assertAlmostEqual(more.out_wh, 3.6 / (1 / 2000 + 0.6885 / 600))

    def test_nothing_where_it_would_not_help(self):
        self.assertIsNone(carried([standing(FULL, 0.95, 2000.0)]))
        self.assertIsNone(carried([standing(FULL, 0.5, 2000.0), standing(SHORT, 0.9, 600.0)]))
        self.assertIsNone(carried([standing(FULL, 0.95, 2000.0), Stands(SHORT, None, "no level")]))
        self.assertIsNone(carried([standing(FULL, 0.95, 2000.0), standing(SHORT, 0.6, 0.0)]))

    def test_the_harvest_of_one_is_the_use_of_the_other(self):
        # Of thirty days five with 900 Wh from its socket and 25 with 300: 400 a day, which at 0.9 for the charger and
        # 0.9 for the inverter are 493.8 of the giver. The days before are over.
        log = readings(*({"soc": 0.8, "use_wh": 300.0, "mains_wh": 900.0 if n < 10 else 300.0} for n in range(35)),
                       start=NOW - timedelta(days=34))
        socket = replace(SHORT, arrays=(), mains=(Mains("Full", 200.0, True),))

        def gave(taker, giver=FULL):
            return fed(giver, [(taker, intervals(taker, log, None))], NOW)
        told, = gave(socket)
        self.assertEqual((told.giver, told.taker, told.days), ("Full", "Short", 30.0))
        self.assertAlmostEqual(told.arrives_wh, 400.0)
        self.assertAlmostEqual(told.out_wh, 493.827, places=3)
        self.assertAlmostEqual(gave(socket, replace(FULL, inverter=None))[0].out_wh, 400 / 0.9)
        seldom = readings({"soc": 0.8}, {"soc": 0.8, "mains_wh": 6000.0}, start=NOW - timedelta(days=60), hours=1440.0)
        part, = fed(FULL, [(socket, intervals(socket, seldom, None))], NOW)
        self.assertEqual((part.arrives_wh, part.days), (100.0, 30.0))  # of a long stretch what lies in the thirty days
        for other in ((Mains("Post", 200.0),), (Mains("Full", 200.0), Mains("Post", 200.0)), ()):
            self.assertEqual(gave(replace(socket, mains=other)), [])  # another socket, or nobody knows from which


if __name__ == "__main__":
    unittest.main()
