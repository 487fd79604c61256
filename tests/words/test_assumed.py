"""What an outlook took for granted, in words."""

import unittest
from types import SimpleNamespace

from tests.support import rig
from voltaun.core.learned.capacity_fit import Estimate
from voltaun.core.learned.hours import Lean
from voltaun.core.outlook.autonomy import Drain
from voltaun.core.outlook.plans import GeneratorRule
from voltaun.words import assumed

NO_LEAN = Lean(mean=(0.0, 0.0), root=None)


def outlook(*, days=19, capped=0, drain=None, temp=None, shown=False, **more):
    share = SimpleNamespace(mean=0.68, days=days, capped_days=capped,
                            quantile=lambda part: 0.42 if part < 0.5 else 0.75)
    learned = SimpleNamespace(share=share, steady_draw_w=41.0, effective_energy_wh=Estimate(9000.0, 8800.0, 9200.0))
    present = SimpleNamespace(drain=drain, energy_wh=9600.0, temp_c=temp)
    sky = SimpleNamespace(kind=SimpleNamespace(points=()))
    return SimpleNamespace(learned=learned, present=present, energy_shown=shown, sky=sky, lean=NO_LEAN, **more)


class Assumed(unittest.TestCase):
    def test_the_sun_rests_on_its_days(self):
        said = "68 % of a clear sky on average, 42–75 % on 8 days in 10."
        for days, capped, rests in ((19, 0, "From 19 logged days."),
                                    (19, 4, "From 19 logged days, 4 of them capped by a full bank."),
                                    (19, 19, "From 19 logged days, all of them capped by a full bank.")):
            self.assertEqual(assumed.sun(outlook(days=days, capped=capped)), [said, rests])
        self.assertEqual(assumed.sun(outlook(days=1, capped=1))[1:], [
            "From 1 logged day, capped by a full bank.",
            "With so few days, the weather files of the place still weigh much."])
        self.assertEqual(assumed.sun(outlook(days=0))[1], "No day of it is logged yet.")

    def test_the_use_says_where_it_comes_from(self):
        self.assertEqual(assumed.use(outlook(drain=Drain(1270.0, 48.0, 979.0, 178.0, 19, "log"))), [
            "1.27 kWh a day at the battery, from 19 logged days, give or take 178 Wh.", "Standby takes 48 Wh more.",
            "There is a draw of about 41 W that the log does not explain, 980 Wh a day more.", ""])
        self.assertEqual(assumed.use(outlook(drain=Drain(3300.0, 48.0, 0.0, 0.0, 0, "loads")))[0],
                         "3.30 kWh a day at the battery, from the list of loads: the log does not tell it yet.")

    def test_the_bank_says_what_counts(self):
        self.assertEqual(assumed.bank(outlook(), rig()), [
            "9.60 kWh from full to empty.", "No temperature is known, so no cold is counted.",
            "Floors at 20 % and 10 %."])
        self.assertEqual(assumed.bank(outlook(temp=-3.0, shown=True), rig(soc_from="shunt"))[:2], [
            "9.60 kWh from full to empty at −3 °C.",
            "The log shows 8.80 kWh to 9.20 kWh, and that counts, not Rig."])
        self.assertIn("the generator from 25 % to 60 %", assumed.planned(
            outlook(plans=(), rule=GeneratorRule(0.25, 0.6)), rig()))
