"""Outlook: the fan of the level, the chances, and what was assumed."""

from flask import render_template

from voltaun.pages import frame
from voltaun.pages.figures import fan

pages = frame.page("outlook")

AHEAD = 10


@pages.get("/outlook")
def show():
    """The page."""
    look = frame.look(AHEAD)
    rig = frame.rig()
    floors = (rig.bank.everyday_floor, rig.bank.hard_floor)
    pictures = []
    if look.outlook:
        pictures = [fan.draw(look.outlook, floors, rig.zone, 1060, 360, 13, "fan-wide"),
                    fan.draw(look.outlook, floors, rig.zone, 390, 280, 11.5, "fan-narrow")]
    return render_template("outlook/outlook.html", look=look, outlook=look.outlook, today=look.today,
                           pictures=pictures)
