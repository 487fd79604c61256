"""The readings of a log file: what of them is asked about first, and keeping them as one import."""

from datetime import datetime, timedelta
from itertools import islice
from sqlite3 import Connection

from voltaun.core.learned.account import reckon
from voltaun.core.learned.doubts import Doubt, doubts_of_many
from voltaun.core.log.reading import Reading
from voltaun.database import clearsky, imports, readings, rigs
from voltaun.database.connection import transaction

LEARN_DAYS, LEARN_READINGS = 400, 6_000
"""So many days before new readings are looked at to know what is usual, and of a large file its last so many readings.
"""

MOST_DOUBTS = 1000
"""No more figures of a file are looked for: they are shown by the dozen, and all of such a file is in doubt."""


class Unsure(Exception):
    """Some figures are to be asked about first: `doubts` are those, or the first of them where there are `more`."""

    def __init__(self, doubts: list[Doubt]) -> None:
        self.doubts, self.more = doubts, len(doubts) >= MOST_DOUBTS
        super().__init__(f"{len(doubts)} figures are to be asked about")


def doubts_about(connection: Connection, kept: rigs.KeptRig, new: list[Reading], now: datetime,
                 instead_of: Reading | None = None) -> list[Doubt]:
    """What of new readings is asked about, given the rig's log; those that stand there already are not.

    instead_of  a reading in the log that the new one takes the place of
    """
    if not new:
        return []
    first = min(reading.at for reading in new)
    standing = {each.reading.at: each.reading for each in readings.since(
        connection, kept.id, first - timedelta(days=LEARN_DAYS)) if each.reading != instead_of}
    fresh = [reading for reading in new if standing.get(reading.at) != reading]
    if not fresh:
        return []
    sun = clearsky.sun_of(connection, kept.rig)
    many = len(fresh) > 1  # many readings teach what is usual themselves
    learned_from = standing | ({reading.at: reading for reading in fresh} if many else {})
    latest = sorted(learned_from.values(), key=lambda reading: reading.at)[-LEARN_READINGS:]
    learned = reckon(kept.rig, latest, sun).learned
    found = doubts_of_many(kept.rig, learned, standing.values(), fresh, sun, now, instead_of.at if instead_of else None)
    return list(islice(found, MOST_DOUBTS))


def bring_log(connection: Connection, kept: rigs.KeptRig, new: list[Reading], name: str, now: datetime,
              differing: str | None,
              sure: bool) -> readings.Merged:
    """Keep the readings of a log file as one import. Raises ReadingsDiffer, and Unsure unless one is `sure`."""
    if not sure:
        doubts = doubts_about(connection, kept, new, now)
        if doubts:
            raise Unsure(doubts)
    with transaction(connection):
        import_id = imports.begin(connection, kept.id, "log", name, now)
        merged = readings.merge(connection, kept.id, new, now, differing, import_id)
        if merged.added or merged.replaced:
            imports.note(connection, import_id, merged.added + merged.replaced)
        else:
            imports.forget(connection, import_id)
    return merged
