"""Sums: sentences with blanks that answer as one types."""

from datetime import timedelta

from flask import render_template, request

from voltaun.core.instants import day_start
from voltaun.core.rig.bank import nominal_voltage
from voltaun.pages import context


def show() -> tuple[str, int]:
    """The page; the sentence that `of` names takes its blanks from the address, the others from the rig."""
    # Imported when the page is wanted: the start of the server should not wait for it.
    from voltaun.pages.sums.working import work
    from voltaun.words.sums import sentences
    rig, seen = context.rig(), context.look().present
    asked = request.args.get("of")
    worked = [work(each, request.args if each.key == asked else {}, nominal_voltage(rig.bank))
              for each in sentences(rig, seen.soc.p50 if seen else None, context.look().today.month, _sun_a_day())]
    wrong = any(each.faults for each in worked if each.sentence.key == asked)
    return render_template("sums/sums.html", worked=worked), 422 if wrong else 200


def _sun_a_day() -> float | None:
    """What the arrays bring in a usual day of this month, Wh; None without arrays."""
    look, sun = context.look(), context.sun()
    if sun is None:
        return None
    start = day_start(look.today, context.rig().zone)
    return sun.between(start, start + timedelta(days=1)) * look.account.learned.share.mean
