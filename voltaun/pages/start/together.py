"""All rigs seen together: where each stands, and what could be carried from one to another."""

from flask import render_template

from voltaun.core.outlook.together import Stands, carried
from voltaun.database import rigs
from voltaun.pages import context


def together():
    """The page."""
    systems = []
    for rig_id, _ in rigs.names(context.db()):
        with context.looking_at(rigs.get(context.db(), rig_id)):
            look = context.look()
            systems.append((rig_id, Stands(context.rig(), look.standing, look.why_none)))
    systems.sort(key=lambda of: (of[1].days is None, of[1].days or 0.0))
    return render_template("start/together.html", systems=systems, carry=carried([of for _, of in systems]))
