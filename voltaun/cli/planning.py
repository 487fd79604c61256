"""The day's plan, and today in ten lines."""

from datetime import timedelta

import click

from voltaun.cli.common import Refused, json_flag, now, say
from voltaun.cli.given import log_file_option, logged_in, rig_and_sun, rig_file_option
from voltaun.cli.reckoning import _instant, _plans, _rule, _skies


def _asked(rig_file, log_file, as_of, skies, planned, rule):
    from voltaun.core.outlook.ask import Ask, known
    rig, sky = rig_and_sun(rig_file)
    logged = logged_in(rig, log_file)
    until = _instant(as_of, rig.zone) if as_of else (logged[-1].at if logged else now())
    return Ask(rig, known(rig, logged, sky, until), sky, until, skies=_skies(skies), plans=_plans(rig, planned),
               rule=_rule(rig, rule))


@click.command()
@rig_file_option
@log_file_option(required=True)
@click.option("--as-of", help="Plan from here; without it from the last reading.")
@click.option("--sky", "skies", multiple=True, metavar="DATE=WORD", help="A coming day's sky, if known.")
@click.option("--plan", "planned", multiple=True, metavar="PLAN", help="As in `voltaun outlook`.")
@click.option("--generator", "rule", metavar="START:STOP", help="Percents between which the generator is run.")
@click.option("--done", multiple=True, metavar="LOAD", help="A load that ran already on the planned day.")
@json_flag
def plan(rig_file, log_file, as_of, skies, planned, rule, done, as_json):
    """The day's plan: what to run when, what may be spent tonight."""
    from voltaun.core.dayplan.marks import Marks
    from voltaun.core.dayplan.plan import day_plan
    from voltaun.core.reasons import NoOutlook
    from voltaun.formats.plan_answer import plan_answer
    from voltaun.words import planning, reasons
    ask = _asked(rig_file, log_file, as_of, skies, planned, rule)
    named = {load.name for load in ask.rig.loads}
    for name in done:
        if name not in named:
            listed = ", ".join(sorted(named)) or "none yet"
            raise Refused(f"--done: found {name!r}, expected one of the loads: {listed}")
    try:
        made = day_plan(ask, Marks({ask.today + timedelta(days=n): done for n in (0, 1)}))
    except NoOutlook as none:
        raise Refused(f"{log_file}: {reasons.say(none.reason)}") from none
    except ValueError as error:
        raise Refused(f"--{error}") from error
    said = planning.sentences(made, ask.rig)
    say(plan_answer(made, ask.rig, said), lambda: "\n".join(said), as_json)
