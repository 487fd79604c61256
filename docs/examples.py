"""Makes the files of examples/ from the demo's generator: `python -m docs.examples`."""

import csv
import io
import json
import zipfile
from datetime import UTC, datetime, timedelta
from pathlib import Path

from voltaun.core.instants import local_day
from voltaun.core.sky.clear_sky import make_table, planes, rig_sun
from voltaun.demo import honey_house, weighed
from voltaun.formats.log_csv import write_log
from voltaun.formats.mapping import Column, Mapping
from voltaun.formats.rig_file import write_rig

FOLDER = Path(__file__).parents[1] / "examples"
NOW = datetime(2026, 11, 24, 20, tzinfo=UTC)
SHEET_DAYS = 20
SEED = 1
"""With it no figure of the log is one that would be asked about."""
SKY_WORDS = {"clear": "Sonne", "mixed": "Wolken", "overcast": "trüb", "storm": "Sturm"}


def files() -> dict[str, str]:
    """The examples that are text, by name: a rig, its log, a sheet in another shape of the weeks before with the
    mapping that reads it, a monitor's day and a price list."""
    rig = honey_house.RIG
    log = honey_house.log(NOW, rig_sun(rig, [make_table(plane) for plane in planes(rig)]), seed=SEED)
    begun = local_day(log[0].at, rig.zone) - timedelta(days=SHEET_DAYS + 1)
    sheet = [("Datum", "Stand %", "Ertrag kWh", "Verbrauch kWh", "Wetter")]
    for n, reading in enumerate(log[1:SHEET_DAYS]):
        sheet.append((f"{begun + timedelta(days=n):%d.%m.%Y}", f"{(reading.soc or 0.7) * 100:.0f}",
                      _comma(reading.solar_wh), _comma(reading.use_wh), SKY_WORDS.get(reading.sky or "", "")))
    mapping = Mapping(name="Kitchen sheet", separator=";", decimal=",", dates="day first", hour="20:00", columns={
        "Datum": Column("date"), "Stand %": Column("soc_percent"), "Ertrag kWh": Column("solar_wh", "kWh"),
        "Verbrauch kWh": Column("use_wh", "kWh"), "Wetter": Column("sky")},
        sky={word.lower(): sky for sky, word in SKY_WORDS.items()})
    samples = [("at", "soc_percent", "charge_wh", "discharge_wh")]
    for n in range(24 * 6):
        hour = n / 6
        sun = max(0.0, 1 - abs(hour - 12) / 6)
        samples.append((f"{NOW - timedelta(days=1) + timedelta(minutes=10 * n):%Y-%m-%dT%H:%MZ}", f"{60 + 8 * sun:.0f}",
                        f"{4000 * min(1.0, hour / 24):.0f}", f"{2600 * hour / 24:.0f}"))
    return {"hut.rig.json": write_rig(rig), "hut.log.csv": write_log(rig, log, []), "sheet.csv": _csv(sheet, ";"),
            "sheet.mapping.json": json.dumps(mapping.document(), ensure_ascii=False, indent=1) + "\n",
            "samples.csv": _csv(samples, ","), "prices.csv": weighed.QUESTION["prices"].rstrip("\n") + "\n"}


def ridge() -> bytes:
    """A made-up year of weather by the hour as EPW, zipped as such files are given away; in steps of 20 W/m², to be
    small."""
    place = honey_house.RIG.place
    weather = weighed.ridge(place)
    rows = [f"LOCATION,Ridge (made up),-,-,made up,0,{place.latitude},{place.longitude},{weather.utc_offset_h},"
            f"{place.elevation_m}", *["-"] * 7]
    for hour in range(24 * 365):
        at = datetime(weather.first.year, 1, 1) + timedelta(hours=hour)
        sun = (20 * round(values[hour] / 20) for values in (weather.ghi, weather.dni, weather.dhi))
        rows.append(",".join(map(str, (at.year, at.month, at.day, at.hour + 1, 0, "?", *[0] * 7, *sun, *[0] * 19))))
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=9) as packed:
        packed.writestr(zipfile.ZipInfo("ridge.epw", (2026, 1, 1, 0, 0, 0)), "\n".join(rows) + "\n",
                        zipfile.ZIP_DEFLATED, 9)
    return out.getvalue()


def _comma(wh: float | None) -> str:
    return "" if wh is None else f"{wh / 1000:.2f}".replace(".", ",")


def _csv(rows: list[tuple[str, ...]], separator: str) -> str:
    out = io.StringIO()
    csv.writer(out, delimiter=separator, lineterminator="\n").writerows(rows)
    return out.getvalue()


if __name__ == "__main__":
    FOLDER.mkdir(exist_ok=True)
    for name, text in files().items():
        (FOLDER / name).write_text(text, encoding="utf-8", newline="\n")
    (FOLDER / "ridge.zip").write_bytes(ridge())
