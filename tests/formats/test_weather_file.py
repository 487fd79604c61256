"""Weather files of every format, as they should be and with what goes wrong in them."""

import io
import json
import unittest
import zipfile
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import numpy as np
import pvlib

from voltaun.core.rig.parts import Place
from voltaun.core.sky.weather import lit_in_the_dark, on_plane
from voltaun.formats.price_list import PriceListFault, read_prices
from voltaun.formats.weather_file import WeatherFault, noon_off, read_weather, remarks

DATA = Path(pvlib.__path__[0]) / "data"
TMY3 = (DATA / "723170TYA.CSV").read_bytes()
GREENSBORO = Place(36.1, -79.95, "America/New_York", 273)


def epw(shift=0, year=2021, ghi=None):
    """A made-up year in EPW form: 300 W/m² from nine to fifteen o'clock (`shift` hours later), stamped at the end."""
    out = io.StringIO()
    out.write("LOCATION,Made up,TAS,AUS,None,1,-42.02,147.21,10.0,310.0\n" + "HEADING\n" * 7)
    for hour in range(8760):
        at = datetime(year, 1, 1) + timedelta(hours=hour)
        sun = (300 if 9 <= (at.hour - shift) % 24 < 15 else 0) if ghi is None else ghi
        row = [at.year, at.month, at.day, at.hour + 1, 0, "?", 10, 5, 60, 97000, 0, 0, 300, sun, sun // 3, sun // 2,
               *[0] * 19]
        out.write(",".join(map(str, row)) + "\n")
    return out.getvalue()


def pvgis(hours=8760, form="csv", slope=0.0, azimuth=0):
    """Hours in UTC from a place at 147° east: sun from nine to fifteen o'clock of the tenth hour east."""
    rows = []
    for hour in range(hours):
        at = datetime(2020, 12, 31, 14, tzinfo=UTC) + timedelta(hours=hour)  # midnight there
        beam, diffuse = (200.0, 100.0) if 9 <= hour % 24 < 15 else (0.0, 0.0)
        rows.append({"time": f"{at:%Y%m%d:%H}10", "Gb(i)": beam, "Gd(i)": diffuse, "Gr(i)": 0.0, "H_sun": 30.0})
    if form == "json":
        return json.dumps({"inputs": {"location": {"latitude": -42.02, "longitude": 147.21, "elevation": 310.0},
                                      "mounting_system": {"fixed": {"slope": {"value": slope},
                                                                    "azimuth": {"value": azimuth}}}},
                           "outputs": {"hourly": rows}})
    head = ("Latitude (decimal degrees): -42.020\nLongitude (decimal degrees): 147.210\nElevation (m): 310.0\n"
            f"Slope: {slope} deg.\nAzimuth: {azimuth} deg.\n\ntime,Gb(i),Gd(i),Gr(i),H_sun\n")
    return head + "".join(",".join(map(str, row.values())) + "\n" for row in rows) + "\nGb(i): Beam\n"


class Formats(unittest.TestCase):
    def test_the_typical_years_of_the_library(self):
        for name, kind, ghi in (("723170TYA.CSV", "TMY3", 1566.2), ("703165TY.csv", "TMY3", 829.2),
                                ("12839.tm2", "TM2", 1792.6)):
            read = read_weather((DATA / name).read_bytes())
            self.assertEqual((read.kind, read.days, read.typical, read.first), (kind, 365, True, date(2023, 1, 1)))
            self.assertAlmostEqual(read.ghi.sum() / 1000, ghi, delta=0.1)
            self.assertLess(abs(noon_off(read)), 0.4)

    def test_epw_of_one_real_year(self):
        read = read_weather(epw().encode())
        self.assertEqual((read.kind, read.latitude, read.utc_offset_h, read.elevation_m), ("EPW", -42.02, 10.0, 310.0))
        self.assertEqual((read.covers, read.typical), ("2021", False))
        months = read_weather(epw().replace("\n2021,7,", "\n2009,7,").encode())
        self.assertEqual((months.covers, months.first), ("a typical year", date(2023, 1, 1)))
        # The row that ends at ten is the hour from nine on.
        self.assertEqual(np.flatnonzero(read.ghi[:24]).tolist(), [9, 10, 11, 12, 13, 14])
        self.assertEqual(read.ghi.sum(), 365 * 6 * 300)

    def test_pvgis_by_the_hour_in_both_forms(self):
        for form in ("csv", "json"):
            read = read_weather(pvgis(form=form).encode())
            self.assertEqual((read.kind, read.first, read.days, read.typical), ("PVGIS", date(2021, 1, 1), 365, False))
            self.assertEqual(np.flatnonzero(read.dhi[:24]).tolist(), [9, 10, 11, 12, 13, 14])
            # On the horizontal what was measured comes out again.
            flat = on_plane(read, 0.0, 0.0)
            self.assertAlmostEqual(float(flat[12]), 300.0, delta=2.0)
            self.assertEqual(read.covers, "2021")

    def test_pvgis_counts_the_azimuth_from_south_over_west(self):
        # 200 W/m² of beam on a plane towards the west, at three in the afternoon and at nine in the morning: where the
        # sun stands before the plane the beam is a little more than that, behind it nothing can be told of it.
        for azimuth, bright, dark in ((90, 14, 9), (-90, 9, 14)):
            read = read_weather(pvgis(slope=60.0, azimuth=azimuth).encode())
            summer = read.dni.reshape(365, 24)[15]
            self.assertTrue(200 <= summer[bright] < 300, summer[bright])
            self.assertTrue(summer[dark] == 0 or summer[dark] > 300, summer[dark])

    def test_pvgis_has_the_sun_in_the_middle_of_its_hour(self):
        # Where the tenth hour east is the sun's own, it is highest at noon in the middle of April: the beam of the hour
        # before noon and of the one after comes from the same height.
        read = read_weather(pvgis().replace("147.210", "150.000").encode())
        april = read.dni.reshape(365, 24)[104]
        self.assertAlmostEqual(april[11], april[12], delta=0.01 * april[12])
        self.assertAlmostEqual(april[9], april[14], delta=0.02 * april[14])

    def test_what_is_no_weather(self):
        for data, words in ((b"", "found no weather file"), (b"at,soc\n", "found no weather file"), (b"{}", "expected"),
                            (b"LOCATION,x\n", "cannot be read"), (b"\xff\xfe\x00", "found no weather file")):
            with self.assertRaisesRegex(WeatherFault, words):
                read_weather(data)


class Faults(unittest.TestCase):
    def fails(self, text, words):
        with self.assertRaisesRegex(WeatherFault, words):
            read_weather(text if isinstance(text, bytes) else text.encode())

    def test_a_gap_eleven_months_and_a_mark_for_missing(self):
        lines = epw().split("\n")
        self.fails("\n".join(lines[:100] + lines[101:]), "found 8759 hours|found a step")
        self.fails("\n".join(lines[:8 + 334 * 24]), "found 8016 hours, expected a whole year")
        row = lines[2000].split(",")
        row[13] = "-999"
        self.fails("\n".join([*lines[:2000], ",".join(row), *lines[2001:]]), "line 2001: found GHI -999")
        self.fails(epw(ghi=0), "found no sun")
        self.fails(TMY3[:200_000], "expected a whole year|cannot be read")

    def test_a_zip_with_one_among_others_and_zips_that_are_none(self):
        def zipped(**files):
            out = io.BytesIO()
            with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
                for name, text in files.items():
                    packed.writestr(name, text)
            return out.getvalue()
        good = zipped(about="Read me first", ridge=epw().replace("\n", "\r\n"))
        self.assertEqual(read_weather(good).ghi.tolist(), read_weather(epw().encode()).ghi.tolist())
        self.fails(zipped(about="Read me first"), "found no weather file")
        self.fails(good[:3000], "cannot be unpacked")
        spoilt = bytearray(good)
        spoilt[len(good) // 2] ^= 255
        self.fails(bytes(spoilt), "cannot be unpacked")
        self.fails(zipped(a=bytes(30_000_000), b=bytes(11_000_000)), "over 40,000,000 bytes in a zip")

    def test_pvgis_with_a_gap_and_without_its_components(self):
        lines = pvgis().split("\n")
        self.fails("\n".join(lines[:50] + lines[51:]), "line 51: found .* expected the next hour")
        self.fails("\n".join(line.replace("Gb(i)", "G(i)") for line in lines), r"expected the hourly file with its")
        self.fails(pvgis(hours=2000), "found 2000 hours")
        self.fails(pvgis(form="json").replace('"Gd(i)": 100.0', '"Gd(i)": "x"', 1), "outputs.hourly")

    def test_made_up_files_are_refused_and_break_nothing(self):
        for text, words in (('{"inputs":' * 20_000, "RecursionError|JSON"),
                            (epw().replace("-42.02", "-142.02", 1), "one on the earth"),
                            (epw().replace(",10.0,310.0", ",15.0,310.0", 1), "one on the earth"),
                            (epw().replace("-42.02", "south", 1), "cannot be read"),
                            (pvgis(form="json").replace("-42.02", '"x"', 1), "cannot be read"),
                            (pvgis(form="json").replace('"hourly": [', '"hourly": [7, ', 1), "cannot be|no columns"),
                            (pvgis().replace("200.0,100.0", "nan,100.0", 1), "found GHI nan"),
                            (pvgis().replace("200.0,100.0", "inf,100.0", 1), "found GHI inf")):
            self.fails(text, words)

    def test_a_file_that_cannot_stand_for_the_place(self):
        read = read_weather(TMY3)
        (only,) = remarks(read, GREENSBORO)
        self.assertIn("a typical year has no rare spell in it", only)
        self.assertIn("found a file 200 km from the place",
                      remarks(read, replace(GREENSBORO, latitude=36.1 + 200 / 111.19))[0])
        self.assertIn("found a file 327 m below the place", remarks(read, replace(GREENSBORO, elevation_m=600))[0])
        with self.assertRaisesRegex(WeatherFault, "hemisphere"):
            remarks(read, replace(GREENSBORO, latitude=-36.1))
        # 147.21° east are 9.81 h: noon is at 12.19 in the tenth; an hour later it is in summer time.
        self.assertAlmostEqual(noon_off(read_weather(epw().encode())), -0.186, delta=0.01)
        with self.assertRaisesRegex(WeatherFault, "summer time"):
            remarks(read_weather(epw(shift=1).encode()), Place(-42.02, 147.21, "Australia/Hobart", 310))

    def test_a_summer_in_summer_time_is_seen_in_its_evenings(self):
        read = read_weather(TMY3)
        self.assertLess(lit_in_the_dark(read), 5)
        summer = slice(24 * 120, 24 * 240)
        shifted = {name: getattr(read, name).copy() for name in ("ghi", "dni", "dhi")}
        for values in shifted.values():
            values[summer] = np.roll(values[summer], 1)
        with self.assertRaisesRegex(WeatherFault, "found sun in .* hours of night, .*summer time"):
            remarks(replace(read, **shifted), GREENSBORO)


class Prices(unittest.TestCase):
    def test_a_list_in_either_way_of_writing(self):
        (set_,) = read_prices(b"name;kind;size;price;fuel_price;litres_per_hour\nQuiet set;generator;700;650;1,8;0,4\n")
        self.assertEqual((set_.kind, set_.size, set_.litres_per_hour, set_.fuel_price), ("generator", 700, 0.4, 1.8))
        (lean,) = read_prices(b"name,kind,size,idle_w,surge_w,years,cycles\nLean,inverter,1200,4.5,2500,9,1\n")
        self.assertEqual((lean.kind, lean.size, lean.idle_w, lean.surge_w), ("inverter", 1200, 4.5, 2500))
        self.assertEqual((lean.years, lean.cycles), (9, 1))
        with self.assertRaisesRegex(PriceListFault, "line 2, size: found 5 for an inverter"):
            read_prices(b"name,kind,size\nLean,inverter,5\n")
        with self.assertRaisesRegex(PriceListFault, "line 2: found litres_per_hour -1, expected 0 or more"):
            read_prices(b"name,kind,size,litres_per_hour\nSet,generator,700,-1\n")
        comma = read_prices(b"name,kind,size,price,weight_kg,area_m2\nPanel 330,panel,330,180.5,18,1.7\n"
                            b"Unit,battery,2560,900,,\n")
        semicolon = read_prices("\ufeffname;kind;size;price;weight_kg;area_m2\nPanel 330;Panel;330;180,5;18;1,7\n"
                                "Unit;battery;2560;900;;\n".encode())
        self.assertEqual(comma, semicolon)
        self.assertEqual((comma[0].price, comma[0].area_m2, comma[1].weight_kg), (180.5, 1.7, None))
        # As the page asks for them, with no names of columns.
        for text in ("Panel 330, Panel, 330, 180.5, 18, 1.7\nUnit, battery, 2560, 900\n",
                     "\ufeffPanel 330;panel;330;180,5;18;1,7\nUnit;battery;2560;900\n"):
            self.assertEqual(read_prices(text.encode()), comma)
        (fridge,) = read_prices(b"Easy fridge, load, 300, 600,,, Fridge")
        self.assertEqual((fridge.size, fridge.price, fridge.serves), (300, 600, "Fridge"))

    def test_each_fault_with_its_line(self):
        head = "name,kind,size,price\n"
        for text, words in ((head + "A,panel,330,-5\n", "line 2: found price -5"), ("", "line 1"), (head, "no product"),
                            (head + "A,panel,330,5\n\nA,panel,330,5\n", "line 4: found 'A' twice"),
                            (head + "half typed\n", "line 2: found kind ''"), (head + "a" * 200_000, "no table"),
                            (head + "A,panel,,5\n", "line 2, size: found nothing"), (head + "A,x,1,5\n", "kind 'x'"),
                            (head + "A,panel,big,5\n", "line 2, size: found 'big'"), (head + ",panel,1,5\n", "no name"),
                            (head + "A,panel,0,5\n", "size of 0"), ("name,price\nA,5\n", "no column kind, size"),
                            ("A,panel,330\nB,panel,big\n", "line 2, size: found 'big'"),
                            ("A,panel,330\n" + "\n" * 200_000 + "B,panel,1\n", "empty lines")):
            with self.assertRaisesRegex(PriceListFault, words, msg=text):
                read_prices(text.encode())


if __name__ == "__main__":
    unittest.main()
