import unittest
from dataclasses import replace

from tests.core.outlook.test_outlook import log_of
from tests.support import rig, sun_of
from voltaun.core.outlook.ask import known
from voltaun.core.sizing.choices import Product, offer_of
from voltaun.core.sizing.question import additions_ask, habit_from, plane_from, spot_from
from voltaun.core.sizing.simulation import simulate_additions
from voltaun.core.sizing.suns import Aims, Spot
from voltaun.formats.price_list import PriceListFault, read_prices


class Typed(unittest.TestCase):
    def test_a_word_on_a_season_comes_to_ten_days(self):
        self.assertEqual(habit_from("2/3/5"), (0.2, 0.3, 0.5))
        self.assertEqual(habit_from("20/30/50"), (0.2, 0.3, 0.5))
        for wrong in ("4/5/6", "1/1/1", "2/3", "-1/6/5", "a/b/c", "0/0/0"):
            with self.subTest(wrong), self.assertRaises(ValueError):
                habit_from(wrong)

    def test_a_plane(self):
        self.assertEqual((plane_from("60°/180").own.tilt_deg, plane_from("60/0").added_to), (60.0, None))
        with self.assertRaises(ValueError):
            plane_from("95/0")
        (roof,) = rig().arrays
        two = rig(arrays=(roof, replace(roof, name="Wall")))
        self.assertEqual([spot_from(two, text) for text in (roof.name, "Wall", "60/0", "", None)],
                         [Spot(0), Spot(1), plane_from("60/0"), None, None])
        with self.assertRaises(ValueError):
            spot_from(rig(), "Barn")

    def test_a_price_in_the_wrong_column_is_asked_about(self):
        head = "name,kind,size,price\n"
        for row, words in (("Panel,panel,1900,330", "W of one"), ("Unit,battery,12.8,890", "Wh of one"),
                           ("Fridge,load,200000,340", "Wh a day")):
            with self.subTest(row), self.assertRaisesRegex(PriceListFault, f"line 2, size.*{words}.*another column"):
                read_prices((head + row).encode())
        self.assertEqual(read_prices((head + "Panel,panel,330,190").encode())[0].price, 190)


class WithoutSource(unittest.TestCase):
    def test_a_panel_of_the_list_is_put_towards_the_equator(self):
        bare = rig(arrays=())
        log = log_of(60, use_wh=900)
        told = known(bare, log, None, log[-1].at)
        offer = offer_of(bare, (), panels=6, strings=0, products=(Product("Panel", "panel", 300, 150.0),))
        found = simulate_additions(additions_ask(bare, told, None, sun_of, (), {}, offer, years=4, replays=False))
        (array,) = found.ask.rig.arrays
        self.assertEqual((array.tilt_deg, array.azimuth_deg), (42, 0))
        self.assertGreater(found.outcomes[0].below.p50, 350)
        self.assertLess(found.outcomes[6].below.p50, 30)
        # On the plane that was typed they have what comes there: away from the sun hardly anything.
        away = replace(offer, aims=Aims(plane_from("80/180")))
        turned = simulate_additions(additions_ask(bare, told, None, sun_of, (), {}, away, years=4, replays=False))
        self.assertGreater(turned.outcomes[6].below.p50, found.outcomes[6].below.p50 + 30)
        with self.assertRaisesRegex(ValueError, "no array"):
            simulate_additions(additions_ask(bare, told, None, sun_of, (), {}, replace(offer, products=())))
