import json
import random
import unittest
from dataclasses import replace

from tests.core.rig.test_dates import GREW, NINETEENTH, SEPTEMBER
from tests.support import random_rig, rig
from voltaun.core.rig.fields import RigFaults
from voltaun.core.rig.parts import Load, SolarArray
from voltaun.core.rig.rig import Former
from voltaun.demo.honey_house import RIG
from voltaun.formats.rig_file import read_rig, write_rig

SMALL = {"voltaun_rig": 1, "name": "Hut", "place": {"latitude": 47.5, "longitude": 11.2, "timezone": "Europe/Berlin"},
         "bank": {"chemistry": "agm", "unit_voltage_v": 12, "unit_capacity_ah": 120, "series": 2}}


def changed(**parts):
    document = json.loads(json.dumps(SMALL))
    for path, value in parts.items():
        at = document
        *folders, name = path.split("__")
        for folder in folders:
            at = at[folder]
        at[name] = value
    return json.dumps(document)


class RigFile(unittest.TestCase):
    def test_there_and_back_is_the_same_rig(self):
        shaded = rig(arrays=(SolarArray("Roof", 300, 4, 30, 0, tuple(n / 12 for n in range(1, 13)), 900),),
                     inverter=None, loads=(Load("Fan", 30, "dc", pattern=("hours", 22, 6), months=(12, 1)),
                                           Load("Pump", 200, pattern=("window", 9, 16, 0.5))))
        for each in (RIG, shaded, *(random_rig(random.Random(n)) for n in range(20))):
            self.assertEqual(read_rig(write_rig(each)), each)

    def test_parts_that_came_and_went_stand_among_the_others_with_their_days(self):
        document = json.loads(write_rig(GREW))
        self.assertEqual([(part["panels"], part.get("from"), part.get("until")) for part in document["arrays"]],
                         [(8, "2026-09-20", None), (4, None, "2026-09-19")])
        bank = replace(RIG.bank, unit_capacity_ah=100, until_day=NINETEENTH)
        of = replace(GREW, bank=replace(RIG.bank, from_day=SEPTEMBER), former=(*GREW.former, Former("bank", bank)),
                     loads=(Load("Washing", 600, pattern=("window", 9, 16, 2), weekdays=("mon", "fri"), in_sun=True),))
        self.assertEqual(json.loads(write_rig(of))["earlier_banks"][0]["until"], "2026-09-19")
        self.assertEqual(set(read_rig(write_rig(of)).former), set(of.former))
        self.assertEqual(replace(read_rig(write_rig(of)), former=()), replace(of, former=()))
        for text, path, words in (
                (changed(bank__until="2026-09-19"), "bank.until", "listed in earlier_banks"),
                (changed(bank__from="2026-02-30"), "bank.from", "a day such as"),
                (changed(bank__from="soon"), "bank.from", "a day such as"),
                (changed(earlier_banks=[{"rated_energy_wh": 900}]), "earlier_banks[0].until", "the last day"),
                (changed(loads=[{"name": "Fan", "daily_wh": 3, "weekdays": ["monday"]}]), "loads[0].weekdays[0]",
                 "found")):
            with self.subTest(path), self.assertRaises(RigFaults) as caught:
                read_rig(text)
            self.assertTrue(any(fault.path == path and words in str(fault) for fault in caught.exception.faults),
                            caught.exception)

    def test_everything_else_has_a_default(self):
        small = read_rig(json.dumps(SMALL))
        self.assertEqual((small.bank.everyday_floor, small.bank.hard_floor, small.bank.charge_efficiency),
                         (0.5, 0.2, 0.85))
        self.assertEqual((small.use_side, small.inverter.efficiency, small.arrays), ("dc", 0.9, ()))
        self.assertEqual(read_rig(changed(bank={"rated_energy_wh": 2000})).bank.rated_energy_wh, 2000)
        self.assertEqual(read_rig(changed(extra={"kept": "out"})), small)

    def test_faults_name_the_path_the_value_and_what_was_expected(self):
        for text, path, words in (
                (changed(place__latitude=95), "place.latitude", "found 95, expected degrees"),
                (changed(bank__unit_capacity_ah=0), "bank.unit_capacity_ah", "found 0"),
                (changed(bank__hard_floor=0.6), "bank.hard_floor", "at most the everyday floor"),
                (changed(bank={}), "bank", "no size"),
                (changed(place__timezone="Mars/Crater"), "place.timezone", "Mars/Crater"),
                (changed(arrays=[{"name": "Roof", "panel_w": "300"}]), "arrays[0].panel_w", '"300"'),
                (changed(arrays=[{"name": "Roof"}]), "arrays[0].panel_w", "nothing"),
                (changed(loads=[{"name": "A", "daily_wh": 5, "pattern": "daily"}]), "loads[0].pattern", "always"),
                (changed(voltaun_rig=2), "voltaun_rig", "expected 1"),
                (changed(name=""), "name", "1 to 80"), ("[]", "rig file", "object"), ("{", "rig file", "no JSON"),
                ("[" * 100_000, "rig file", "deep"), ('{"voltaun_rig": NaN}', "voltaun_rig", "NaN")):
            with self.subTest(path), self.assertRaises(RigFaults) as caught:
                read_rig(text)
            found = [str(fault) for fault in caught.exception.faults if fault.path == path]
            self.assertTrue(any(words in fault for fault in found), caught.exception)

    def test_a_misspelt_key_is_refused_with_the_right_one_and_a_newer_one_is_named(self):
        for changes, path, right in (({"bank__everyday_flor": 0.3}, "bank.everyday_flor", "everyday_floor"),
                                     ({"bank__standby": 2.0}, "bank.standby", "standby_w"),
                                     ({"generatrs": []}, "generatrs", "generators"),
                                     ({"arrays": [{"name": "Roof", "panel_w": 300, "tilt": 30}]}, "arrays[0].tilt",
                                      "tilt_deg")):
            with self.subTest(path), self.assertRaises(RigFaults) as caught:
                read_rig(changed(**changes))
            self.assertEqual([str(fault) for fault in caught.exception.faults],
                             [f"{path}: found this key, expected {right}, or leave it out"])
        told = []
        later = changed(ground_heat=[{"name": "Well", "rated_w": 300}], bank__warmed="2027-01-01")
        self.assertEqual(read_rig(later, told), read_rig(changed()))
        self.assertEqual(told, ["not known here, and left out: ground_heat, bank.warmed. A newer Voltaun may have "
                                "written it"])

    def test_all_faults_at_once(self):
        with self.assertRaises(RigFaults) as caught:
            read_rig(changed(place__latitude=95, bank__series=0, use_side="both"))
        self.assertEqual({fault.path for fault in caught.exception.faults},
                         {"place.latitude", "bank.series", "use_side"})
