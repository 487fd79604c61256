"""Sums: sentences with blanks that answer as one types."""

from flask import render_template, request

from voltaun.core.rig.bank import nominal_voltage
from voltaun.pages import context


def show():
    """The page; the sentence that `of` names takes its blanks from the address, the others from the rig."""
    # Imported when the page is wanted: the start of the server should not wait for it.
    from voltaun.pages.sums.sentences import sentences, work
    rig, seen = context.rig(), context.look().standing
    asked = request.args.get("of")
    worked = [work(each, request.args if each.key == asked else {}, nominal_voltage(rig.bank))
              for each in sentences(rig, seen.soc if seen else None, context.look().today.month)]
    return render_template("sums/sums.html", worked=worked), 422 if any(each.faults for each in worked) else 200
