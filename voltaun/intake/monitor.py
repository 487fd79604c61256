"""Reading a battery monitor on this machine's loopback."""

from __future__ import annotations

import io
from datetime import datetime, timedelta
from typing import TYPE_CHECKING

from voltaun.core.log.samples import Samples, beyond_belief, joined
from voltaun.database import monitors, rigs, samples
from voltaun.database.connection import transaction
from voltaun.formats import FileFaults
from voltaun.formats.samples_csv import Told, pieces
from voltaun.intake import client
from voltaun.intake.bringing import condense

if TYPE_CHECKING:
    from sqlite3 import Connection

    from voltaun.core.rig.rig import Rig

_FAR_PAST = timedelta(days=3)


def read_monitor(connection: Connection, rig_id: int, now: datetime, believe: bool = False) -> tuple[str, str]:
    """Read a rig's monitor once; the state it is in and what happened, in words.

    What it shows is kept only when all of it can be, or when the user said to `believe` it; whatever goes wrong
    leaves a mark, and nothing else.
    """
    kept, monitor = rigs.there(connection, rig_id), monitors.get(connection, rig_id)
    if monitor is None:
        raise LookupError(f"rig {rig_id} has no monitor")
    last = samples.latest(connection, rig_id)
    since = int(last.at[0]) if len(last) else int((now - _FAR_PAST).timestamp())
    since = max(since, monitors.setting(connection, rig_id, "monitor_from", 0))
    found = None
    try:
        state, words, found = _shown(kept.rig, monitor.address, since, last, now, believe)
    except client.Slow as slow:
        state, words = "slow", f"The monitor is slow: {slow}."
    except client.Silent as silent:
        state, words = "silent", f"The monitor is silent: {silent}."
    if found is not None and len(found):
        with transaction(connection):
            brought = samples.bring(connection, rig_id, [found])
        made = condense(connection, rig_id, now)
        words = f"{brought.added} samples came in" + (f", and {made} readings from them." if made else ".")
    with transaction(connection):
        monitors.asked(connection, rig_id, now, state, words)
    return state, words


def leave_out(connection: Connection, rig_id: int, now: datetime) -> None:
    """Leave out what the monitor showed until now: it is read from now on."""
    with transaction(connection):
        monitors.put_setting(connection, rig_id, "monitor_from", int(now.timestamp()))
        monitors.asked(connection, rig_id, now, "well", "What it showed until now is left out.")


def _shown(rig: Rig, address: str, since: int, last: Samples, now: datetime,
           believe: bool) -> tuple[str, str, Samples | None]:
    data = client.ask(address, f"/samples.csv?since={since}", also_in_the_house=True)
    try:
        whole = _whole(rig, data)
    except FileFaults as faults:
        return "lying", f"The monitor's answer cannot be read: {faults.faults[0]}.", None
    if whole is None:
        return "well", "Nothing new.", None
    whole = whole.part(whole.at > since) if len(last) or since else whole
    wrong = None if believe or not len(whole) else beyond_belief(rig, joined(last, whole), now)
    if wrong:
        return "lying", f"The monitor shows what cannot be: {wrong}; nothing of it was kept.", None
    return "well", "Nothing new.", whole


def _whole(rig: Rig, data: bytes) -> Samples | None:
    """The samples of a file in the open shape; None of an empty one. Raises FileFaults."""
    found = list(pieces(io.BytesIO(data), rig.zone, None, Told()))
    if not found:
        return None
    whole = found[0]
    for piece in found[1:]:
        whole = joined(whole, piece)
    return whole


def take_pushed(connection: Connection, rig_id: int, data: bytes, now: datetime) -> tuple[int, int]:
    """Keep samples that a device of the house sent: how many are new, and how many readings they made.

    All of them or none. Raises FileFaults, and ValueError for what this rig cannot do.
    """
    rig = rigs.there(connection, rig_id).rig
    whole = _whole(rig, data)
    if whole is None:
        return 0, 0
    last = samples.latest(connection, rig_id)
    since_then = joined(last, whole.part(whole.at > last.at[-1])) if len(last) else whole
    wrong = beyond_belief(rig, whole, now) or beyond_belief(rig, since_then, now)
    if wrong:
        raise ValueError(wrong)
    with transaction(connection):
        brought = samples.bring(connection, rig_id, [whole])
    return brought.added, condense(connection, rig_id, now)
