"""The worked examples of the field, to the digits as printed."""

import re
import unittest
from datetime import UTC, datetime, timedelta

from tests.support import HOBART, ROOT, rig
from voltaun.core.bench.drawdown import drawdown
from voltaun.core.bench.metering import meter
from voltaun.core.bench.runs import Mark, Run
from voltaun.core.log.ledger import intervals
from voltaun.core.log.reading import Reading
from voltaun.core.outlook.autonomy import dark_autonomy
from voltaun.core.rig import bank
from voltaun.core.rig.inverter import ac_energy, dc_energy
from voltaun.core.rig.parts import CHEMISTRIES, Bank, Engine, Generator, Inverter
from voltaun.core.sizing import sums
from voltaun.core.sizing import worksheet as additions
from voltaun.core.sizing.choices import Choice, Product
from voltaun.core.sizing.lanes import Lane
from voltaun.core.sizing.lives import with_cost_a_year


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


START = datetime(2026, 11, 1, 8, tzinfo=UTC)


def later(hours):
    return START + timedelta(hours=hours)


def use_of(at_bank):
    log = [Reading(START, soc=0.82), Reading(later(25.5), soc=0.74, solar_wh=2150, at_bank=at_bank)]
    return intervals(rig(), log, None)[0].use_wh


def worked_sheet():
    agm = rig(bank=Bank("agm", 12, 120, 2, 1))
    return additions.worksheet(agm, additions.Inputs(1900, 3.6, 3, 4, everyday_floor=0.5, cold_factor=0.9, panel_w=410))


def full_cycles():
    """By the cost a year of a battery of 1.0 that lasts for a hundred cycles."""
    here = rig(bank=Bank("lfp", rated_energy_wh=10_000))
    product = Product("Unit", "battery", 10_000, 1.0, years=100, cycles=100)
    of = Choice(0, 0, lane=Lane(), price=1.0, parts=((1, product),))
    return with_cost_a_year(here, of, 4000).cost_a_year * 100 * 0.8  # of 80 % each


DOCUMENTED = {
    "Use behind an inverter": lambda: dc_energy(Inverter(15, 0.858, 2000), 2574, 20),
    "A bank of 2 × 2": lambda: bank.rated_energy(Bank("lfp", 12.8, 200, 2, 2)),
    "A station of": lambda: bank.effective_energy(rig(bank=Bank("lfp", rated_energy_wh=2000),
                                                      inverter=Inverter(10, 0.9))).wh,
    "Cold, lead": lambda: bank.cold_factor(CHEMISTRIES["agm"], 10),
    "Use not read": lambda: use_of(False),
    "The same of a monitor": lambda: use_of(True),
    "Dark autonomy": lambda: dark_autonomy(9600, 0.74, 0.20, 2640),
    "What a bank takes": lambda: float(bank.acceptance(rig(), 0.975)),
    "A metered day": lambda: meter(Run("meter", marks=(Mark(START, wh=0), Mark(later(48), wh=2570)))).mean_w * 24,
    "W while on": lambda: meter(Run("meter", marks=(Mark(START, wh=0, run_minutes=0), Mark(
        later(48), wh=2570, run_minutes=14 * 60)))).running_w,
    "A drawdown": lambda: drawdown(Run("drawdown", marks=tuple(
        Mark(later(hour), soc=0.80 - 0.0075 * hour) for hour in (0, 4, 8))), rig()).watts,
    "An engine": lambda: Engine("Ute", 1000, 14, 30, 400).gives_w,
    "A generator": lambda: Generator("Set", 600, continuous_w=900).gives_w,
    "Run time": lambda: sums.run_time(3456, 60, 20),
    "Time to full": lambda: sums.time_to_full(rig(), 0.5, 0.9, 300),
    "A flooded bank": lambda: sums.run_time_on_lead(rig(bank=Bank("flooded", 12, 100, 1, 1)), 1.0, 300),
    "Amps at 12 V": lambda: sums.dc_amps(4, 230, 12, 0.9),
    "10 AWG": lambda: sums.awg_mm2(10),
    "40 A over 5 m": lambda: sums.voltage_drop(40, 5, 16),
    "A label": lambda: sums.daily_from_yearly(320),
    "Bank for three days": lambda: worked_sheet().bank_energy_wh,
    "Its array": lambda: worked_sheet().array_w,
    "Its controller": lambda: worked_sheet().controller_a,
    "Full cycles": full_cycles,
}
"""What the code makes of each line of the document's worked table, by how the line begins."""


class Documented(unittest.TestCase):
    def test_each_line_comes_out_by_hand_and_by_the_code(self):
        table = (ROOT / "docs" / "reckoning.md").read_text(encoding="utf-8").partition("## Worked")[2]
        lines = re.findall(r"^\| ([^|]+) \| ([^|]*\d[^|]*) \| ([\d.]+)[^|]* \|$", table, re.M)
        self.assertEqual(len(lines), len(DOCUMENTED))
        for what, worked, printed in lines:
            with self.subTest(what):
                (code,) = [made for begins, made in DOCUMENTED.items() if what.startswith(begins)]
                half = 0.5 * 10.0 ** -len(printed.partition(".")[2]) + 1e-9
                sum_ = worked.replace("×", "*").replace("−", "-").replace("^", "**")
                self.assertRegex(sum_, r"\A[\d.+*/(), -]*(min)?[\d.+*/(), -]*\Z")
                self.assertAlmostEqual(eval(sum_, {"__builtins__": {}, "min": min}), float(printed), delta=half)
                self.assertAlmostEqual(code(), float(printed), delta=half)
