"""The rigs of this file beside each other: what one gave another."""

from flask import g

from voltaun.core.outlook.together import Fed, fed
from voltaun.database import rigs
from voltaun.database.rigs import KeptRig
from voltaun.pages import context


def fed_by(giver: KeptRig) -> list[Fed]:
    """What a rig gave the others that have it as their socket."""
    takers = []
    for rig_id in [rig_id for rig_id, _ in rigs.names(context.db()) if rig_id != giver.id]:
        taker = rigs.get(context.db(), rig_id)
        if taker and any(of.name == giver.rig.name for of in taker.rig.mains):
            with context.looking_at(taker):
                takers.append((taker.rig, context.look().recent.known.account.intervals))
    return fed(giver.rig, takers, g.now)
