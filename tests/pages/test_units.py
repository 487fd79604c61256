"""The units of the house: shown and typed in °F, gallons and feet, kept in °C, litres and metres."""

from dataclasses import replace

from tests.pages.test_pages import PagesCase, standing
from tests.support import NOW, csrf, readings
from voltaun.core.rig.parts import Generator
from voltaun.database import rigs
from voltaun.database.connection import transaction
from voltaun.words import house_units


class Customary(PagesCase):
    def setUp(self):
        super().setUp()
        self.addCleanup(house_units.use, False)  # it stands for what comes after in this thread
        with transaction(self.db):
            kept = rigs.get(self.db, self.rig_id)
            rigs.save(self.db, kept, replace(kept.rig, generators=(Generator("Set", 900, 0.7, fuel_price=2.15),)), NOW)
        self.assertEqual(self.post("/units", {"units": "customary", "back": "/1/rig"}).location, "/1/rig")

    def kept(self):
        return rigs.get(self.db, self.rig_id).rig

    def test_a_temperature_is_typed_and_shown_in_fahrenheit_and_kept_in_celsius(self):
        page = self.client.get("/1/today").text
        self.assertIn("Bank, °F", page)
        for typed, celsius in (("60", 15.6), ("60 °F", 15.6), ("15C", 15.0), ("-4", -20.0)):
            sent = self.add(at=f"2026-11-20T1{len(self.log())}:00", soc="60", temp_c=typed)
            self.assertEqual(sent.status_code, 303, typed)
            self.assertEqual(self.log()[-1].temp_c, celsius, typed)
        self.assertIn("expected -76 to 176 °F", self.add(at="2026-11-21T10:00", soc="60", temp_c="190").text)
        opened = self.client.get("/1/log?edit=1").text
        self.assertIn('value="60.1"', opened)  # 15.6 °C
        self.post("/units", {"units": ""})
        self.assertIn('value="15.6"', self.client.get("/1/log?edit=1").text)

    def test_an_untouched_figure_stays_what_it_was(self):
        before = self.kept()
        for part in ("generators-0", "place"):
            page = self.client.get(f"/1/rig?part={part}").text
            form = page.partition(f'action="/1/rig/parts/{part}"')[2].partition("</form>")[0]
            fields = standing(form) | {"csrf_token": csrf(page)}
            if part == "place":
                self.assertIn(("elevation_m", "1017"), fields.items())
            else:
                self.assertEqual((fields["fuel_l_per_hour"], fields["fuel_price"]), ("0.18492", "8.1386"))
                self.assertIn("Gallons an hour", form)
            self.assertEqual(self.client.post(f"/1/rig/parts/{part}", data=fields).status_code, 303, part)
        self.assertEqual(self.kept(), before)

    def test_fuel_and_heights_are_typed_in_gallons_and_feet(self):
        page = self.client.get("/1/rig?part=generators-0").text
        form = page.partition('action="/1/rig/parts/generators-0"')[2].partition("</form>")[0]
        fields = standing(form) | {"csrf_token": csrf(page), "fuel_l_per_hour": "0.5", "fuel_price": "3.785411784"}
        self.client.post("/1/rig/parts/generators-0", data=fields)
        generator = self.kept().generators[0]
        self.assertEqual((generator.fuel_l_per_hour, generator.fuel_price), (1.8927, 1.0))
        fields["fuel_l_per_hour"] = "300"
        self.assertIn("0 to 264", self.client.post("/1/rig/parts/generators-0", data=fields).text)

    def test_it_is_said_in_them(self):
        self.keep(*readings(*[{"soc": 0.5, "use_wh": 1200.0}] * 10, start=readings({})[0].at.replace(day=14)))
        self.post("/1/outlook/rule", {"start": "30", "stop": "60", "litres": "2"})
        page = self.client.get("/1/outlook/plans").text + self.client.get("/1/outlook").text
        self.assertIn("on at most 2.0 gallons", page)
        self.assertIn("Gallons left", page)
        self.assertNotRegex(page, r"\d litres")
        sums = self.client.get("/1/sums").text
        self.assertIn("13 ft", sums)
        self.assertIn("gallon puts", sums)

    def test_words_of_the_units(self):
        house_units.use(True)
        self.assertEqual([house_units.show_temperature(of) for of in (-4, 25)], ["25 °F", "77 °F"])
        self.assertEqual(house_units.per_degree(18), 10.0)
        self.assertEqual((round(house_units.in_fuel(3.785411784), 6), house_units.from_length(10)), (1.0, 3.048))
        house_units.use(False)
        self.assertEqual((house_units.show_temperature(-4), house_units.in_fuel(2.0), house_units.fuel_word(one=True)),
                         ("\u22124 °C", 2.0, "litre"))
