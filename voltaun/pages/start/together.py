"""All rigs seen together: where each stands, and what could be carried from one to another."""

from flask import render_template

from voltaun.core.outlook.together import Stands, carried
from voltaun.database import rigs
from voltaun.pages import context
from voltaun.pages.systems import fed_by


def together() -> str:
    """The page."""
    systems, given = [], []
    for rig_id, _ in rigs.names(context.db()):
        kept = rigs.there(context.db(), rig_id)
        given += fed_by(kept)
        with context.looking_at(kept):
            look = context.look()
            systems.append((rig_id, Stands(context.rig(), look.present, look.why_none)))
    systems.sort(key=lambda of: (of[1].days is None, of[1].days or 0.0))
    return render_template("start/together.html", systems=systems, carry=carried([of for _, of in systems]),
                           given=given)
