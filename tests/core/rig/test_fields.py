import json
import sqlite3
import unittest
from dataclasses import fields, replace
from datetime import date
from pathlib import Path

from tests.support import DatabaseCase, rig
from voltaun.core.rig.fields import FIELDS, RigFaults
from voltaun.core.rig.parts import (
    PART_CLASSES,
    Bank,
    Engine,
    Generator,
    Inverter,
    Load,
    Mains,
    Place,
    SolarArray,
    SpillThing,
    Stay,
    Turbine,
)
from voltaun.core.rig.rig import named_apart
from voltaun.core.rig.sources import STEADY
from voltaun.database import rigs
from voltaun.database.connection import transaction
from voltaun.formats import rig_file
from voltaun.pages.rig.forms import GROUPS, BankForm, FigureField, InverterForm, PlaceForm

STATION = Bank("lfp", 48.0, rated_energy_wh=2000.0, pack_wh=(1000.0,), charge_limit_w=500.0, solar_input_w=400.0,
               tested_energy_wh=1900.0, logged_energy_wh=1900.0, everyday_floor=0.99, hard_floor=0.0)
FULL = rig(bank=STATION, arrays=(SolarArray("Roof", 300, 4, 30, 0, 0.9, 900, 30, 2, 8.0),),
           inverter=Inverter(18, 0.91, 2000, 4000), vehicles=(Engine("Ute", 300, 14, 30, 400, 0.9, 12.5),),
           generators=(Generator("Set", 900, 0.7, 2000, 2.0),), mains=(Mains("Socket", 500),),
           turbines=(Turbine("Creek", 300),), loads=(Load("Fan", 30, "dc", 30, 60, every_days=2, usual_start=9.0),),
           spill_list=(SpillThing("Second bank", 200, 800),),
           places=(Stay(date(2026, 1, 1), "Cove", -42, 147, 0, 0.9),))
"""A rig with a value in every figure, so that each can be put to its bounds."""

PARTS = PART_CLASSES | {"place": Place, "bank": Bank, "inverter": Inverter, "places": Stay, "loads": Load,
                        "spill_list": SpillThing}
TABLES = {source.group: "charger" for source in STEADY} | {"place": "rig", "arrays": "solar_array", "places": "stay",
                                                           "loads": "load"}
FORMS = {"place": PlaceForm, "bank": BankForm, "inverter": InverterForm} | GROUPS
FREE = {"bank.unit_capacity_ah"}
"""Not told of a station."""


def with_figure(group, name, value):
    """The full rig with one figure changed."""
    of = getattr(FULL, group)
    part = of[0] if isinstance(of, tuple) else of
    value = (value,) if name == "pack_wh" else value
    changed = replace(part, **{name: value})
    return replace(FULL, **{group: (changed,) if isinstance(of, tuple) else changed})


def beyond(field):
    """A value just below the range and one just above it."""
    step = 1 if field.whole else 0.001 * max(1.0, field.high - field.low)
    return field.low - step, field.high + step


def each_figure():
    for group, named in FIELDS.items():
        for name, field in named.items():
            if f"{group}.{name}" not in FREE:
                yield group, name, field


class OneTable(DatabaseCase):
    """The table of fields beside what must follow from it."""

    def test_every_number_of_a_rig_stands_in_it(self):
        for group, part in PARTS.items():
            numbers = {field.name for field in fields(part) if "float" in str(field.type) or field.type in (int, float)}
            self.assertEqual(numbers, set(FIELDS[group]), group)

    def test_the_core_takes_the_bounds_and_nothing_beyond(self):
        for group, name, field in each_figure():
            floors = name in ("everyday_floor", "hard_floor")  # which are legal beside one another only
            for value in () if floors else (field.low, field.high):
                with_figure(group, name, value)
            for value in (*beyond(field), float("nan"), float("inf")):
                with self.subTest(f"{group}.{name} {value}"), self.assertRaises(RigFaults) as caught:
                    with_figure(group, name, value)
                self.assertTrue(any(name in fault.path and fault.expected == field.expected
                                    for fault in caught.exception.faults))
            if not field.blank and name not in ("everyday_floor", "hard_floor", "charge_efficiency", "idle_w",
                                                "pack_wh", "shade_factor"):
                with self.assertRaises(RigFaults):
                    with_figure(group, name, None)

    def test_the_schema_of_the_file_has_the_same(self):
        schema = json.loads(Path(rig_file.__file__).with_name("rig.schema.json").read_text(encoding="utf-8"))
        for group, named in FIELDS.items():
            of = schema["properties"][group]
            properties = of.get("items", of)["properties"]
            for name, field in named.items():
                said = properties[name]
                said = said.get("items") or said.get("anyOf", [said])[0]
                kinds = [said["type"]] if isinstance(said["type"], str) else said["type"]
                self.assertEqual((said["minimum"], said["maximum"], said["description"], kinds[0]),
                                 (field.low, field.high, field.expected, "integer" if field.whole else "number"),
                                 f"{group}.{name}")
                self.assertTrue("null" in kinds or not field.blank, f"{group}.{name}")

    def test_the_database_refuses_what_the_core_would(self):
        with transaction(self.db):
            rig_id = rigs.add(self.db, replace(FULL, name="Full"))
        sources = {source.group: source.name for source in STEADY}
        for group, name, field in each_figure():
            table = TABLES.get(group, group)
            row = dict(self.db.execute(f"SELECT * FROM {table} WHERE {'id' if table == 'rig' else 'rig_id'} = ?"
                                       + (f" AND source = '{sources[group]}'" if group in sources else ""),
                                       (rig_id,)).fetchone())
            for value, taken in ((field.low, True), (field.high, True), *((each, False) for each in beyond(field))):
                if name == "hard_floor" and value == field.high:
                    continue  # above the everyday floor, which stands at its own top
                listed = (group, name) in (("bank", "pack_wh"), ("arrays", "shade_factor"))
                shown = json.dumps([value]) if listed else value
                self.db.execute("BEGIN")
                self.db.execute(f"DELETE FROM {table} WHERE {'id' if table == 'rig' else 'rig_id'} = ?", (rig_id,))
                with self.subTest(f"{group}.{name} {value}"):
                    self.assertEqual(self._takes(table, row | {name: shown} | (
                        {"hard_floor": 0.0} if name == "everyday_floor" else {})), taken)
                self.db.execute("ROLLBACK")

    def _takes(self, table, row) -> bool:
        try:
            self.db.execute(f"INSERT INTO {table} ({', '.join(row)}) VALUES ({', '.join('?' * len(row))})",
                            tuple(row.values()))
        except sqlite3.IntegrityError:
            return False
        return True

    def test_the_form_has_a_field_for_each_with_its_range(self):
        for group, named in FIELDS.items():
            form = FORMS[group]()
            for name, field in named.items():
                if (group, name) in (("bank", "pack_wh"), ("arrays", "shade_factor")):
                    continue  # lists, which read the table themselves
                self.assertIsInstance(form[name], FigureField, f"{group}.{name}")
                self.assertIs(form[name].legal, field)


class Names(unittest.TestCase):
    def test_two_parts_that_a_finding_is_applied_by_cannot_be_named_alike(self):
        for parts in ({"loads": (Load("Lights", 30), Load("Lights", 40))},
                      {"arrays": (SolarArray("Roof", 300),), "mains": (Mains("Roof", 300),)}):
            with self.assertRaisesRegex(RigFaults, "'(Lights|Roof)' twice, expected a name of its own"):
                rig(**parts)
        rig(arrays=(SolarArray("Lights", 300),), loads=(Load("Lights", 30),))

    def test_names_kept_while_they_could_be_alike_are_told_apart(self):
        long = "N" * 80
        made = named_apart({"loads": tuple(Load(name, 1) for name in ("A", "A", "A (2)", long, long)),
                            "arrays": (SolarArray("A", 300),), "mains": (Mains("A", 300),)})
        self.assertEqual([load.name for load in made["loads"]], ["A", "A (2)", "A (2) (2)", long, "N" * 76 + " (2)"])
        self.assertEqual((made["arrays"][0].name, made["mains"][0].name), ("A", "A (2)"))


class KeptAlike(DatabaseCase):
    def test_a_rig_of_an_earlier_release_is_read_with_its_names_apart(self):
        with transaction(self.db):
            rig_id = rigs.add(self.db, rig(name="Old", loads=(Load("Lights", 30), Load("Lamp", 40))))
            self.db.execute("UPDATE load SET name = 'Lights' WHERE rig_id = ?", (rig_id,))
        self.assertEqual([load.name for load in rigs.get(self.db, rig_id).rig.loads], ["Lights", "Lights (2)"])
