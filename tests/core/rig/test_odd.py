"""Figures of a rig that are hardly meant, and rigs of which nothing is asked."""

import unittest
from dataclasses import replace

from tests.support import NOW, rig
from voltaun.core.rig.odd import odd_figures
from voltaun.core.rig.parts import Bank, Engine, Generator, Inverter, Load, Place, SolarArray
from voltaun.demo import honey_house, orchard_trailer
from voltaun.pages.start.places import zones
from voltaun.words.reasons import say

HOBART_TOWN = zones()["Australia/Hobart"]


class Odd(unittest.TestCase):
    def test_what_slips_is_found_and_what_is_near_it_is_not(self):
        of = rig(loads=(Load("Lamp", 200, "dc", 10),))
        bank, roof = of.bank, of.arrays[0]
        for odd, meant, path in (
                ({"bank": replace(bank, unit_voltage_v=128.0)}, {"bank": replace(bank, unit_voltage_v=51.2)},
                 "bank unit_voltage_v"),
                ({"bank": replace(bank, unit_capacity_ah=2000)}, {"bank": replace(bank, unit_capacity_ah=1100)},
                 "bank unit_capacity_ah"),
                ({"bank": replace(bank, everyday_floor=0.02, hard_floor=0.0)},
                 {"bank": replace(bank, everyday_floor=0.05, hard_floor=0.0)}, "bank everyday_floor"),
                ({"bank": replace(bank, standby_w=50.0)}, {"bank": replace(bank, standby_w=38.0)}, "bank standby_w"),
                ({"inverter": Inverter(170, 0.9, 2000)}, {"inverter": Inverter(95, 0.9, 2000)}, "inverter idle_w"),
                ({"inverter": Inverter(62, 0.9, 500)}, {"inverter": Inverter(40, 0.9, 500)}, "inverter idle_w"),
                ({"arrays": (replace(roof, panel_w=3300),)}, {"arrays": (replace(roof, panel_w=750),)},
                 "arrays Roof panel_w"),
                ({"arrays": (replace(roof, azimuth_deg=180),)}, {"arrays": (replace(roof, azimuth_deg=90),)},
                 "arrays Roof azimuth_deg"),
                ({"loads": (Load("Lamp", 260, "dc", 10),)}, {"loads": (Load("Lamp", 250, "dc", 10),)},
                 "loads Lamp daily_wh"),
                ({"loads": (Load("Freezer", 0.62, "ac", 90),)}, {"loads": (Load("Freezer", 0.8, "ac", 90),)},
                 "loads Freezer daily_wh"),
                ({"loads": (Load("Freezer", 28_900),)}, {"loads": (Load("Freezer", 28_700),)},
                 "loads Freezer daily_wh"),
                ({"bank": replace(bank, unit_capacity_ah=2.0)}, {"bank": replace(bank, unit_capacity_ah=20)},
                 "bank unit_capacity_ah"),  # 48 Wh
                ({"bank": replace(bank, charge_efficiency=0.59)}, {"bank": replace(bank, charge_efficiency=0.6)},
                 "bank charge_efficiency"),
                ({"inverter": Inverter(18, 0.59, 2000)}, {"inverter": Inverter(18, 0.6, 2000)}, "inverter efficiency"),
                ({"inverter": Inverter(18, 0.9, 97_000)}, {"inverter": Inverter(18, 0.9, 95_000)},
                 "inverter continuous_w"),  # 0.1 h of 97 kW are 9.7 kWh, the bank holds 9.6
                ({"generators": (Generator("Set", 24_100),)}, {"generators": (Generator("Set", 23_900),)},
                 "generators Set charge_w"),  # 0.4 h
                ({"vehicles": (Engine("Ute", 320, converter_efficiency=0.5),)},
                 {"vehicles": (Engine("Ute", 320, converter_efficiency=0.7),)}, "vehicles Ute converter_efficiency"),
                ({"arrays": (replace(roof, panel_w=30),)}, {"arrays": (replace(roof, panel_w=50),)},
                 "arrays Roof panel_w"),
                ({"place": Place(42.02, 147.21, "Australia/Hobart"), "arrays": ()},
                 {"place": Place(-42.02, 147.21, "Australia/Hobart"), "arrays": ()}, "place latitude"),
                ({"place": Place(-42.02, -147.21, "Australia/Hobart")},
                 {"place": Place(-42.02, 115.0, "Australia/Hobart")}, "place longitude")):
            found = odd_figures(replace(of, **odd), HOBART_TOWN)
            self.assertEqual([" ".join(of) for of, _ in found], [path])
            self.assertRegex(say(found[0][1]), r"[.?]$")
            self.assertEqual(odd_figures(replace(of, **meant), HOBART_TOWN), [], path)

    def test_north_of_the_equator_the_sun_is_in_the_south(self):
        of = rig(place=Place(48.0, 11.0, "Europe/Berlin"))
        self.assertEqual([path[-1] for path, _ in odd_figures(of)], ["azimuth_deg"])
        for arrays in ((SolarArray("Roof", 300, 4, 30, 180),), (SolarArray("Flat", 300, 4, 10, 0),),
                       (SolarArray("Carried", 300, 1, 30, 0, aimed_per_day=2),)):
            self.assertEqual(odd_figures(replace(of, arrays=arrays)), [])

    def test_nothing_is_asked_of_usual_rigs(self):
        for of in (honey_house.RIG, orchard_trailer.rig(NOW), rig()):
            self.assertEqual(odd_figures(of, zones().get(of.place.timezone)), [], of.name)
        self.assertEqual(odd_figures(rig(bank=Bank(rated_energy_wh=2048))), [])
