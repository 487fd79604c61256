import ast
import inspect
import unittest

from tests.support import ROOT
from voltaun.core.reasons import reason
from voltaun.core.rig.limits import Limit
from voltaun.words import cautions, reasons


def given():
    """Every reason that the core gives: its code, and the names of its figures."""
    for path in (ROOT / "voltaun" / "core").rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in (
                    "reason", "NotYet", "Misread", "CounterFell", "NoOutlook"):
                code = node.args[0]
                for each in ([code] if isinstance(code, ast.Constant) else []):
                    yield each.value, {keyword.arg for keyword in node.keywords if keyword.arg != "at"}


class Reasons(unittest.TestCase):
    def test_each_that_the_core_gives_has_a_saying_with_its_figures(self):
        found = dict(given())
        self.assertGreater(len(found), 50)
        for code, figures in found.items():
            self.assertEqual(set(inspect.signature(reasons.SAYINGS[code]).parameters), figures, code)
        self.assertEqual(set(reasons.SAYINGS) - set(found), set())

    def test_figures_are_said_with_their_units(self):
        for of, said in (
                (reason("how_hours", hours=1.5, watts=320), "1 h 30 × 320 W"),
                (reason("over_budget", value=2000.4, most=2000.0),
                 "it costs 2\u202f000.40, and 2\u202f000 may be spent"),
                (reason("how_use", stored_wh=-768.0, harvest_wh=2150.0, standby_wh=51.0),
                 "from the level's change of \u2212768 Wh and a harvest of 2.15 kWh, less 51 Wh standby"),
                (reason("too_few_readings", there=1, needed=2), "There is one reading yet; a figure needs two."),
                (reason("too_few_readings", there=2, needed=3), "There are 2 readings yet; a figure needs 3."),
                (reason("level_rose", found=0.88, before=0.85),
                 "found 88 % after 85 %, expected a level that falls: something charged, or the display set itself "
                 "right"),
                # At twice the volts 2 × 119 W, but the charger stops at 200; and it says what such volts may do.
                (reason("held_by_its_input", name="Ute", volts=13.2, amps=10.0, fed_w=132.0, gives_w=119.0,
                        charge_w=200.0),
                 "Ute: 13.2 V × 10 A lets 132 W in, so 119 W reaches the battery and not 200 W. The same amps at twice "
                 "the volts, through a step-up, would bring 200 W. Only where the input's label allows such volts: "
                 "above its highest it is destroyed, and may burn."),
                (reason("meters_apart", share=0.05), "The two meters are 5.0 % apart; half of that is in the doubt.")):
            self.assertEqual(reasons.say(of), said)

    def test_each_limit_has_few_words_and_the_caution_that_belongs_to_it(self):
        bank = {"name": "", "watts": 900.0, "takes_w": 600.0, "takes_a": 25.0}
        for chemistry, caution in (("lfp", cautions.LITHIUM), ("flooded", cautions.HYDROGEN), ("agm", cautions.FUSE)):
            limit = Limit("bank", "", reason("source_over_bank", **bank, chemistry=chemistry))
            self.assertEqual((reasons.short(limit), reasons.caution(limit)), ("takes 600 W at most", caution))
        self.assertIn("The sun can give 900 W, the bank takes 600 W (25 A)", reasons.say(limit.reason))
        panels = Limit("arrays", "Roof", reason("panels_over_controller", name="Roof", panels_w=1200.0, limit_w=900.0))
        self.assertEqual((reasons.short(panels), reasons.caution(panels)),
                         ("over its controller: 900 W", cautions.SERIES_DC))
        self.assertEqual(reasons.caution(Limit("vehicles", "Ute", reason("no_cut_off", name="Ute"))), "")
