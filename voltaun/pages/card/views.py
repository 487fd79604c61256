"""The card on the wall: one sheet for this month or the next, made to be printed."""

from flask import render_template, request

from voltaun.core.dayplan.card import card
from voltaun.pages import context
from voltaun.words import card as words


def show() -> str:
    """The card of a month: this one, the next, or any that is asked for."""
    look, rig = context.look(), context.rig()
    asked = request.args.get("month", type=int)
    month = asked if asked is not None and 1 <= asked <= 12 else look.today.month
    made, why = None, ""
    try:
        made = context.kept("card", (*context.state(), look.today.month, month),
                            lambda: card(rig, context.lately(), context.sun(), month))
    except ValueError:
        why = "No use is known yet. Write readings down for a week, or list your loads."
    return render_template("card/card.html", card=made, why=why, card_words=words,
                           following=look.today.month % 12 + 1, this=look.today.month)
