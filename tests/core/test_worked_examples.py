"""The worked examples of the field, to the digits as printed."""

import unittest
from datetime import UTC, datetime, timedelta

from tests.support import HOBART, rig
from voltaun.core.log.ledger import intervals
from voltaun.core.log.reading import Reading
from voltaun.core.outlook.autonomy import dark_autonomy
from voltaun.core.rig import bank
from voltaun.core.rig.inverter import ac_energy, dc_energy
from voltaun.core.rig.parts import CHEMISTRIES, Bank, Inverter
from voltaun.core.sizing import worksheet as additions


class WorkedExamples(unittest.TestCase):
    def test_wiring(self):
        wired = Bank("lfp", 12.8, 200, 2, 2)
        self.assertEqual((bank.nominal_voltage(wired), bank.capacity_ah(wired), bank.rated_energy(wired)),
                         (25.6, 400, 10240))

    def test_ledger_interval(self):
        start = datetime(2026, 11, 1, 8, tzinfo=UTC)
        log = [Reading(start, soc=0.82), Reading(start + timedelta(hours=25.5), soc=0.74, solar_wh=2150)]
        interval, = intervals(rig(), log, None)
        self.assertAlmostEqual(interval.stored_change_wh, -768)
        self.assertEqual(round(interval.use_wh, 1), 2808.7)
        self.assertEqual(round(interval.use_wh / interval.hours * 24), 2643)
        self.assertEqual((interval.use_basis, interval.harvest_basis), ("reckoned", "read"))

    def test_dark_autonomy(self):
        self.assertEqual(round(dark_autonomy(9600, 0.74, 0.20, 2640), 2), 1.96)
        self.assertEqual(round(dark_autonomy(9600, 0.74, 0.10, 2640), 2), 2.33)

    def test_worksheet(self):
        agm = rig(bank=Bank("agm", 12, 120, 2, 1))
        inputs = additions.Inputs(1900, 3.6, 3, 4, everyday_floor=0.5, cold_factor=0.9, panel_w=410)
        sheet = additions.worksheet(agm, inputs)
        self.assertEqual(round(sheet.bank_energy_wh), 12667)
        self.assertEqual(round(sheet.bank_ah, 1), 527.8)
        self.assertEqual((sheet.units, sheet.strings), (10, 5))
        self.assertEqual(round(sheet.array_w, 1), 1448.8)
        self.assertEqual(sheet.panels, 4)
        self.assertEqual(round(sheet.controller_a, 1), 85.4)

    def test_cold(self):
        lead, lithium = CHEMISTRIES["agm"], CHEMISTRIES["lfp"]
        for temp, of_lead, of_lithium in ((25, 1, 1), (0, 0.8, 0.9), (-20, 0.6, 0.75), (12.5, 0.9, 0.95),
                                          (-40, 0.6, 0.75), (40, 1, 1), (None, 1, 1)):
            self.assertAlmostEqual(bank.cold_factor(lead, temp), of_lead)
            self.assertAlmostEqual(bank.cold_factor(lithium, temp), of_lithium)

    def test_inverter_there_and_back(self):
        inverter = Inverter(15, 0.858, 2000)
        self.assertAlmostEqual(dc_energy(inverter, 2574, 20), 3300)
        self.assertAlmostEqual(ac_energy(inverter, dc_energy(inverter, 700, 24), 24), 700)
        self.assertEqual(Inverter(continuous_w=2000).idle_w, 20)
        self.assertEqual(Inverter(continuous_w=300).idle_w, 5)

    def test_acceptance_falls_to_two_percent(self):
        lfp = rig(place=HOBART)
        self.assertEqual(bank.acceptance(lfp, 0.5), 0.5 * 9600)
        self.assertAlmostEqual(bank.acceptance(lfp, 1.0), 0.02 * 0.5 * 9600)
        self.assertAlmostEqual(bank.acceptance(lfp, 0.975), 0.51 * 0.5 * 9600)

    def test_station_keeps_its_books_on_the_dc_side(self):
        station = rig(bank=Bank("lfp", rated_energy_wh=2000), inverter=Inverter(10, 0.9))
        self.assertAlmostEqual(bank.effective_energy(station).wh, 2000 * 0.85 / 0.9)
        self.assertEqual(bank.effective_energy(rig(bank=Bank("lfp", rated_energy_wh=2000, tested_energy_wh=1500))).wh,
                         1500)
