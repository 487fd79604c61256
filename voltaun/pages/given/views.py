"""What small devices and calendars of the house are given and bring, each by a token that can do only that."""

from typing import Any

from flask import Response, g, jsonify, request
from flask.typing import ResponseReturnValue

from voltaun.core.dayplan.plan import DayPlan
from voltaun.core.outlook.outlook import Outlook
from voltaun.database import bench, readings
from voltaun.formats import FileFaults
from voltaun.formats.answers import outlook_answer
from voltaun.formats.log_csv import read_log
from voltaun.formats.plan_answer import plan_answer, today_answer
from voltaun.house.addresses import STRANGERS_BYTES
from voltaun.intake.bringing import log_grounds
from voltaun.intake.logs import Unsure, bring_log
from voltaun.intake.monitor import take_pushed
from voltaun.pages import context
from voltaun.words import advising, planning
from voltaun.words import sentences as words


def today() -> ResponseReturnValue:
    """Headline, advice and plan, as `voltaun today --json`."""
    return _told(lambda made, looked: today_answer(made, context.rig(), planning.today_said(made, context.rig())))


def outlook() -> ResponseReturnValue:
    """The coming days, as `voltaun outlook --json`."""
    return _told(lambda made, looked: outlook_answer(looked, context.rig(),
                                                     lambda way: advising.way(way, looked, context.rig())))


def plan() -> ResponseReturnValue:
    """The plan of the day, as `voltaun plan --json`."""
    return _told(lambda made, looked: plan_answer(made, context.rig(), planning.sentences(made, context.rig())))


def _told(answer: Any) -> ResponseReturnValue:
    look = context.look()
    made: DayPlan | None = look.plan
    looked: Outlook | None = look.outlook
    if made is None or looked is None:
        return jsonify(error=f"Found nothing to tell ({look.why_none or 'no plan yet'}), expected a log to look ahead "
                             "from."), 409
    return jsonify(answer(made, looked))


def calendar() -> ResponseReturnValue:
    """What is to be done, to be subscribed to: the plan of the day and the measuring round."""
    from voltaun.formats.calendar import write_all
    made, measuring = context.look().plan, bench.measuring_round(context.db(), g.kept.id)
    text = write_all(context.rig(), made.placing.placed if made and made.placing else (),
                     measuring.slots if measuring else (), g.now)
    return Response(text, content_type="text/calendar; charset=utf-8")


def bring_samples() -> ResponseReturnValue:
    """Take in samples in the open shape: all of them, or none with why."""
    try:
        added, made = take_pushed(context.writer(), g.kept.id, _body(), g.now)
    except FileFaults as faults:
        return jsonify(errors=str(faults).split("\n")), 422
    except ValueError as wrong:
        return jsonify(errors=[f"found {wrong}, expected what this rig can do; nothing of it was kept"]), 409
    return jsonify(added=added, readings=made)


def bring_readings() -> ResponseReturnValue:
    """Take in readings as a log CSV: all of them, or none with why."""
    rig = context.rig()
    try:
        log = read_log(_body(), rig.zone, g.now, None, log_grounds(rig))
        merged = bring_log(context.writer(), g.kept, log.readings, "sent by a device", g.now, None, False)
    except FileFaults as faults:
        return jsonify(errors=str(faults).split("\n")), 422
    except readings.ReadingsDiffer as differ:
        return jsonify(errors=[f"found {len(differ.pairs)} at instants at which others stand, expected new ones"]), 409
    except Unsure as unsure:
        return jsonify(errors=[words.doubt_words(doubt, rig) for doubt in unsure.doubts[:10]]), 409
    return jsonify(added=merged.added, same=merged.same, warnings=log.warnings)


def _body() -> bytes:
    request.max_content_length = STRANGERS_BYTES
    return request.get_data(cache=False)


