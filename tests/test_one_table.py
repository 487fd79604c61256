"""What stands once: each field of a reading and each kind of source, wherever it must be kept, brought in, shown and
reckoned. What is forgotten somewhere fails here, by its name."""

import csv
import io
import json
import unittest
from dataclasses import fields, replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

from tests.pages.test_pages import PagesCase
from tests.support import NOW, DatabaseCase, rig
from voltaun.core.learned.doubts import WAYS
from voltaun.core.log.days import Day
from voltaun.core.log.ledger import READ, UNKNOWN, intervals
from voltaun.core.log.reading import BY_NAME, EVENTS, FIELDS, NUMBERS, Reading
from voltaun.core.outlook.plans import KINDS
from voltaun.core.rig.fields import FIELDS as FIGURES
from voltaun.core.rig.parts import PART_CLASSES
from voltaun.core.rig.rig import Rig
from voltaun.core.rig.sources import BY_HAND, HAND, SOURCE_TABLE, STEADY, SUN
from voltaun.database import archive, readings, rigs
from voltaun.database.connection import transaction
from voltaun.formats import guessing, mapping
from voltaun.formats.log_csv import read_log, write_log
from voltaun.formats.rig_file import read_rig, write_rig
from voltaun.pages.figures import weave
from voltaun.words.advising import _VERBS
from voltaun.words.readings import EVENT_WORDS, field_shown, field_words

ROOT = Path(__file__).parents[1]
ALL = replace(rig(), name="All of it", loads=(), **{
    source.group: (PART_CLASSES[source.group](source.one.capitalize(), 300),) for source in STEADY})
EXAMPLES = {of.name: NOW - timedelta(hours=2) if of.kind == "clock" else of.example for of in FIELDS[1:]}


def reading_with(name):
    """A reading with one field that is not blank, as its example stands in the table."""
    return Reading(NOW - timedelta(hours=1), **{name: EXAMPLES[name]})


class FieldsOfAReading(DatabaseCase):
    def test_the_table_has_each_field_once_with_an_example_that_is_not_blank(self):
        self.assertEqual([of.name for of in FIELDS], [field.name for field in fields(Reading)])
        self.assertEqual(len({of.column for of in FIELDS}), len(FIELDS))
        for of in FIELDS[1:]:
            with self.subTest(of.name):
                self.assertNotEqual(EXAMPLES[of.name], of.blank)
                self.assertEqual(type(EXAMPLES[of.name]), type(getattr(reading_with(of.name), of.name)))
                if of.kind in NUMBERS:
                    self.assertLess(of.low, of.high)
                    self.assertTrue(of.expected)

    def test_the_file_has_a_column_for_each_of_its_kind(self):
        kept = dict(self.db.execute("SELECT name, type FROM pragma_table_info('reading')").fetchall())
        types = dict.fromkeys(NUMBERS, "REAL") | {"flag": "INTEGER"}
        self.assertEqual({name: of for name, of in kept.items() if name in BY_NAME},
                         {of.name: types.get(of.kind, "TEXT") for of in FIELDS})
        self.assertEqual(set(kept) - set(BY_NAME), {"id", "rig_id", "version", "removed", "import_id"})

    def test_each_is_kept_edited_and_taken_back(self):
        with transaction(self.db):
            rig_id = rigs.add(self.db, ALL)
        for n, of in enumerate(FIELDS[1:]):
            with self.subTest(of.name), transaction(self.db):
                at = NOW - timedelta(days=n + 1)
                told = replace(reading_with(of.name), at=at, full_at=None) if of.name != "full_at" else Reading(
                    at, full_at=at - timedelta(hours=1))
                readings.add(self.db, rig_id, Reading(at), NOW)
                kept = readings.at(self.db, rig_id, at)
                change = readings.edit(self.db, rig_id, kept.id, kept.version, told, NOW)
                self.assertEqual(readings.at(self.db, rig_id, at).reading, told)
                readings.undo(self.db, rig_id, change, NOW)
                self.assertEqual(readings.at(self.db, rig_id, at).reading, Reading(at))
                self.assertEqual(readings.history(self.db, rig_id, kept.id)[1].after, told)

    def test_a_change_noted_before_a_field_came_is_read(self):
        old = json.dumps({"at": "2026-11-20T08:00:00Z", "soc": 0.5, "volts": None, "solar_wh": 100.0})
        self.assertEqual(readings.reading_before(old), Reading(datetime(2026, 11, 20, 8, tzinfo=UTC), soc=0.5,
                                                               solar_wh=100.0))

    def test_each_goes_through_an_archive(self):
        with transaction(self.db):
            rig_id = rigs.add(self.db, ALL)
            for n, of in enumerate(FIELDS[1:]):
                readings.add(self.db, rig_id, replace(reading_with(of.name), at=NOW - timedelta(minutes=n)), NOW)
        before = [each.reading for each in readings.everything(self.db, rig_id)]
        document = json.loads(json.dumps(archive.rig_archive(self.db, rig_id)))
        with transaction(self.db):
            rigs.remove(self.db, rig_id, NOW)
            again = archive.add_rig(self.db, document)
        self.assertEqual([each.reading for each in readings.everything(self.db, again)], before)

    def test_each_goes_out_as_csv_and_comes_in_again(self):
        for of in FIELDS[1:]:
            with self.subTest(of.name):
                told = reading_with(of.name)
                text = write_log(ALL, [told], [])
                row = next(csv.DictReader(io.StringIO(text)))
                self.assertTrue(row[of.column])
                self.assertEqual(read_log(text.encode(), ALL.zone).readings, [told])

    def test_another_file_s_heading_finds_each(self):
        for of in FIELDS:
            if of.heard:
                made = guessing.guess(f"{of.column},zzz\n1,2\n")
                self.assertIn(of.column, {column.of for column in made.columns.values()}, of.name)
            if of.kind in NUMBERS:
                self.assertIn(of.column, mapping.UNITS)

    def test_each_has_words_a_way_to_doubt_it_and_a_line_in_the_docs(self):
        docs = (ROOT / "docs" / "files.md").read_text(encoding="utf-8")
        for of in FIELDS:
            with self.subTest(of.name):
                self.assertTrue(field_words(of))
                self.assertTrue(of.doubt in WAYS if of.kind in (*NUMBERS, "instant", "clock") else not of.doubt)
                self.assertTrue(of.name == "at" or field_shown(of, reading_with(of.name), ALL.zone) != "·")
                self.assertTrue(not of.doubt or of.said or of.doubt in ("level", "volts", "when", "degrees", "full"),
                                "words after its figure")
                self.assertIn(f"`{of.column}`", docs)
        self.assertEqual(tuple(EVENT_WORDS), EVENTS)
        for event in EVENTS:
            self.assertIn(f"`{event}`", docs)


class Typed(PagesCase):
    def test_each_that_is_asked_is_typed_shown_again_and_edited(self):
        typed = {"soc": "62", "volts": "26.4", "sky": "mixed", "full_at": "18:00", "temp_c": "16", "note": "Set on.",
                 "events": list(EVENTS[:2]), "vehicle": "321 Wh in 1.5 h", "generator": "321 Wh in 1.5 h"}
        typed |= {source.wh: "321" for source in SOURCE_TABLE if not source.hours} | {"use_wh": "321"}
        with transaction(self.db):
            rig_id = rigs.add(self.db, ALL)
        page = self.client.get(f"/{rig_id}/today").text
        at = (NOW - timedelta(hours=1)).astimezone(ALL.zone)
        answer = self.post(f"/{rig_id}/readings", typed | {"at": f"{at:%Y-%m-%dT%H:%M}"})
        self.assertEqual(answer.status_code, 303)
        (kept,) = readings.everything(self.db, rig_id)
        again = self.client.get(f"/{rig_id}/log?edit={kept.id}").text
        for source in SOURCE_TABLE:
            self.assertEqual(getattr(kept.reading, source.wh), 321.0)
            self.assertEqual(getattr(kept.reading, source.hours, 1.5) if source.hours else 1.5, 1.5)
        for of in FIELDS:
            with self.subTest(of.name):
                if of.entry:
                    name = next(source.name for source in SOURCE_TABLE if of.name in (source.wh, source.hours)) if any(
                        of.name in (source.wh, source.hours) and source.hours for source in SOURCE_TABLE) else of.name
                    self.assertIn(f'name="{name}"', page)
                    self.assertIn(f'name="{name}"', again)
                    self.assertNotEqual(getattr(kept.reading, of.name), of.blank)
                else:
                    self.assertEqual(getattr(kept.reading, of.name), of.blank)


class Sources(DatabaseCase):
    def test_each_has_parts_a_reading_and_figures(self):
        for source in SOURCE_TABLE:
            with self.subTest(source.name):
                self.assertIn(source.group, {field.name for field in fields(Rig)})
                self.assertIn(source.group, FIGURES)
                self.assertEqual(BY_NAME[source.wh].kind, "energy")
                self.assertTrue(source.hours is None or BY_NAME[source.hours].kind == "hours")
                self.assertTrue(ALL.has(source.name))
                self.assertEqual(bool(source.plan), source.by == HAND)
                self.assertTrue(source.plan is None or source.plan in KINDS and source.plan in _VERBS)
                self.assertTrue(source.rating or source.by == SUN)

    def test_each_is_kept_and_goes_through_a_file(self):
        with transaction(self.db):
            rig_id = rigs.add(self.db, ALL)
        kept, told = rigs.get(self.db, rig_id).rig, read_rig(write_rig(ALL))
        for source in SOURCE_TABLE:
            with self.subTest(source.name):
                self.assertEqual(kept.parts(source.name), ALL.parts(source.name))
                self.assertEqual(told.parts(source.name), ALL.parts(source.name))

    def test_each_fills_the_bank_in_the_ledger_and_on_its_day(self):
        begin = datetime(2026, 6, 1, 12, tzinfo=UTC)
        for source in SOURCE_TABLE:
            with self.subTest(source.name):
                nothing = dict.fromkeys((of.wh for of in SOURCE_TABLE), 0.0)
                log = [Reading(begin, soc=0.5), Reading(begin + timedelta(hours=10), soc=0.6,
                                                        **nothing | {source.wh: 500.0})]
                (made,) = intervals(ALL, log, None)
                self.assertEqual((made.harvest[source.name], made.harvest_bases[source.name]), (500.0, READ))
                self.assertEqual(made.harvest_wh, 500.0)
                self.assertIn(source.name, Day(begin.date()).harvest)

    def test_what_is_blank_stands_still_if_a_hand_starts_it_and_is_not_known_if_nobody_does(self):
        begin = datetime(2026, 6, 1, 12, tzinfo=UTC)
        for source in SOURCE_TABLE:
            told = {of.wh: 0.0 for of in SOURCE_TABLE if of is not source}
            log = [Reading(begin, soc=0.5), Reading(begin + timedelta(hours=10), soc=0.5, **told | {source.wh: 10.0}),
                   Reading(begin + timedelta(hours=20), **told)]
            made = intervals(ALL, log, None)[-1]
            self.assertEqual(made.harvest_bases[source.name], READ if source in BY_HAND else UNKNOWN, source.name)

    def test_each_has_a_weave_of_its_own_and_a_word(self):
        drawn = str(weave.definitions())
        fills = {weave.fill(source.name) for source in SOURCE_TABLE}
        self.assertEqual(len(fills), len(SOURCE_TABLE))
        for source in SOURCE_TABLE:
            self.assertTrue(source.weave is None or f'id="weave-{source.name}"' in drawn, source.name)
            self.assertEqual(weave.SOURCE_WORDS[source.name], source.word)
        self.assertEqual(len({source.weave for source in SOURCE_TABLE}), len(SOURCE_TABLE))


if __name__ == "__main__":
    unittest.main()
