"""Rig: its parts on a diagram, and what follows from their figures."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from flask import abort, flash, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from markupsafe import Markup

from voltaun.core.rig import bank as banks
from voltaun.core.rig import loads as demand
from voltaun.core.rig.fields import RigFaults
from voltaun.core.rig.limits import limits
from voltaun.core.rig.rig import Former, Rig
from voltaun.core.rig.sources import SOURCE_TABLE, SUN
from voltaun.core.sky.clear_sky import aiming_gains
from voltaun.core.sky.weather import distance_km
from voltaun.database import clearsky, rigs
from voltaun.database.connection import transaction
from voltaun.pages import context
from voltaun.pages.context import Look
from voltaun.pages.figures import one_line
from voltaun.pages.leaves import known_leaf
from voltaun.pages.rig.parts import Part
from voltaun.words import rig as rig_words
from voltaun.words.cautions import for_rig
from voltaun.words.notes import of_page
from voltaun.words.rig import former_words
from voltaun.words.sentences import figure_words
from voltaun.words.units import show_energy

SOC_WORDS = {
    "shunt": "Counted by a shunt, the percent is relative to the capacity set in the shunt. It shows lost "
             "capacity only at its ends: the cut-off comes early, or “full” comes while it still says 90.",
    "display": "A built-in display counts or guesses by its own rules. Trust its fall over a day more than one look.",
    "volts": "From volts at rest it is good to ten points either way, and only for lead: no charge and no load for "
             "hours, at about 25 °C. A lithium bank’s volts are flat between about 20 and 95 % and tell nothing."}

DEPTH_WORDS = {"long life": ("kept above 70 % a lead bank lives about twice as long as one cycled to half",
                             "the gentlest on the cells; most of what is printed stays unused"),
               "balanced": ("half of what is printed; the usual compromise", "the usual compromise"),
               "full use": ("the most energy, and a lead bank that wears out soon",
                            "nearly all of it; little is left when a forecast fails")}


def show() -> tuple[str, int]:
    """The page: the diagram with its parts, one of them open where the address asks for it."""
    return render()


def leaf(leaf: str) -> tuple[str, int]:
    """One of its leaves."""
    return render(leaf=known_leaf("rig", leaf))


def render(status: int = 200, part: Part | None = None, rest: Sequence[str] = (), unsure: bool = False,
           leaf: str = "") -> tuple[str, int]:
    """The page, with a part as it was sent and what is wrong with it; unsure whether the rig was to be removed."""
    # Imported when the page is wanted: the start of the server should not wait for it.
    from voltaun.pages.rig.parts import NAMES, opened
    rig, look = context.rig(), context.look()
    drain = look.present.drain.wh if look.present else None
    part = part or opened(request.args.get("part", ""), rig)
    return render_template(
        "rig/rig.html", leaf=leaf, part=part, facing=facing_of(rig, part), rest=rest, unsure=unsure,
        cautions=for_rig(rig), figures=figures(rig),
        rig_words=rig_words, helped=HELPED, version=g.kept.version, limits=limits(rig),
        drawings=() if leaf else (one_line.wide(rig), one_line.narrow(rig)),
        soc_words=SOC_WORDS[rig.soc_from], depths=_depths(rig, drain), origins=_origins(),
        aiming=[] if leaf else _aiming(rig, look), groups=_groups(rig), names=NAMES, former=_former(rig),
        files=[(each, distance_km(each.weather, rig.place)) for each in context.weathers()]), status


HELPED = frozenset(name.removeprefix("of_") for name in of_page("rig") if name.startswith("of_"))
"""The groups of parts whose form has a note."""


def facing_of(rig: Rig, part: Part | None) -> Markup | None:
    """The drawing of how the open array faces; None for another part, and for what was not understood."""
    if part is None or part.group != "arrays" or part.number is None or part.form.errors:
        return None
    from voltaun.pages.figures import facing
    return facing.draw(rig.arrays[part.number], rig.place.latitude)


def _groups(rig: Rig) -> list[tuple[str, str, str, list[tuple[str, str]]]]:
    """The parts as they are listed: group, its heading, its mark in addresses, and (name, figures) of each."""
    sources, ac, dc = one_line.rows(rig)
    told = {row.name: row.figures for row in (*sources, *ac, *dc)}
    heads = (*((source.group, source.head, "sun" if source.by == SUN else source.group) for source in SOURCE_TABLE),
             ("loads", "Loads", "loads"), ("spill_list", "For sun that finds the bank full", "spill"),
             ("places", "Places it goes to", "places"))
    return [(group, head, mark, [(of.name, told.get(of.name, "")) for of in getattr(rig, group)])
            for group, head, mark in heads]


def _former(rig: Rig) -> list[tuple[int, Former, str]]:
    """The parts that are over, by their number, each in words."""
    return [(n, of, former_words(of, figures_of(rig.on(of.part.until_day), of))) for n, of in enumerate(rig.former)]


def figures_of(rig: Rig, of: Former) -> str:
    """What the drawing of the rig as it stood says of a part."""
    if of.group == "bank":
        return show_energy(banks.effective_energy(rig).wh)
    name = getattr(of.part, "name", "")
    return next((row.figures for rows in one_line.rows(rig) for row in rows if row.name == name), "")


def undo(change_id: int) -> ResponseReturnValue:
    """Put the rig back as it was before it was saved."""
    try:
        with transaction(context.writer()) as db:
            rigs.undo(db, g.kept.id, change_id, g.now)
    except rigs.RigChanged:
        flash("The rig was saved again since; nothing was taken back.")
    except rigs.RigNameTaken:
        flash("Another rig has taken its old name; rename that one first.")
    except LookupError:
        flash("There is nothing to take back.")
    else:
        flash("Taken back.")
    return redirect(url_for("rig.show", rig_id=g.kept.id), 303)


def remove() -> ResponseReturnValue:
    """Take the rig and its log out of sight, once its name was typed to make sure."""
    if request.form.get("name", "").strip() != context.rig().name:
        return render(422, unsure=True, leaf="parts")
    with transaction(context.writer()) as db:
        rigs.remove(db, g.kept.id, g.now)
    flash(f"{context.rig().name} and its log were removed.", f"restore-{g.kept.id}")
    return redirect(url_for("start.home"), 303)


def _depths(rig: Rig, drain: float | None) -> list[dict[str, Any]]:
    """The depth policies beside the floor in force: energy Wh and days at the usual use down to each floor."""
    made = []
    for name in banks.DEPTHS:
        floor = banks.depth_floor(rig.chemistry, name)
        wh = banks.usable_energy(rig, floor)
        made.append({"name": name, "floor": floor, "wh": wh, "days": wh / drain if drain else None,
                     "costs": DEPTH_WORDS[name][rig.chemistry.lithium],
                     "in_force": abs(floor - rig.bank.everyday_floor) < 0.001,
                     "allowed": floor >= rig.bank.hard_floor})
    return made


def _origins() -> list[tuple[str, str, rigs.Origin]]:
    """Where the figures that stand now came from: (part, figure, origin), what was measured first."""
    found = [(_part_words(path), figure_words(path[-1]), origin)
             for path, origin in rigs.origins(context.db(), g.kept).items() if path[-1] not in ("evidence", "side")]
    return sorted(found, key=lambda each: (each[2].run_id is None, -each[2].at.timestamp(), each[0]))


def _part_words(path: tuple[str, ...]) -> str:
    return path[0].capitalize() if len(path) == 2 else path[1]


def _aiming(rig: Rig, look: Look) -> list[dict[str, Any]]:
    """What each number of aimings a day brings this month: for each portable array, and for a fixed one that is asked
    about, whose tables are made only then."""
    made, asked = [], request.args.get("aim", "")
    for array in rig.arrays:
        if array.aimed_per_day or array.name == asked:
            fixed = not array.aimed_per_day
            times = range(0 if fixed else 1, max(4, array.aimed_per_day + 1))
            tables = clearsky.aimed_tables(context.tables_db(rig), rig, array, times, look.today)
            gains = aiming_gains(tables, array.rated_w, look.today.month, look.account.learned.share.mean)
            made.append({"array": array, "month": look.today.month, "gains": gains, "least": times[0]})
    return made


def depth() -> ResponseReturnValue:
    """Set the everyday floor by a depth policy."""
    name = request.form.get("policy", "")
    if name not in banks.DEPTHS:
        abort(400)
    rig = context.rig()
    floor = banks.depth_floor(rig.chemistry, name)
    try:
        made = replace(rig, bank=replace(rig.bank, everyday_floor=floor))
    except RigFaults as faults:
        flash(f"Nothing was changed: {faults}.")
        return redirect(url_for("rig.show", rig_id=g.kept.id) + "#depth", 303)
    with transaction(context.writer()) as db:
        change = rigs.save(db, g.kept, made, g.now)
    flash(f"The everyday floor is now {floor * 100:.0f} %.", f"undo-rig-{change}")
    return redirect(url_for("rig.show", rig_id=g.kept.id) + "#depth", 303)


def figures(rig: Rig) -> dict[str, Any]:
    """What follows from the rig's figures, for the page: energies Wh, powers W."""
    bank = rig.bank
    energy = banks.effective_energy(rig)
    return {"volts": banks.nominal_voltage(bank), "ah": banks.capacity_ah(bank), "rated_wh": banks.rated_energy(bank),
            "energy": energy, "usable_wh": banks.usable_energy(rig, bank.everyday_floor),
            "hard_wh": banks.usable_energy(rig, bank.hard_floor), "charge_w": banks.charge_limit(rig),
            "array_w": sum(array.rated_w for array in rig.arrays), "loads_wh": demand.daily_use(rig),
            "running_w": demand.largest_set_running(rig), "surge_w": demand.largest_surge(rig),
            "inverter": rig.inverter, "arrives": demand.arriving_share(rig),
            "floors": (bank.everyday_floor, bank.hard_floor)}
