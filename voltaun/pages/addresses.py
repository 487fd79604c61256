"""Every address, and the view that answers it: the module that holds it is loaded when it is first asked for."""

from collections.abc import Callable
from importlib import import_module
from typing import Any

from flask import Flask
from flask.typing import ResponseReturnValue
from werkzeug.routing import Rule

ADDRESSES = (
    # Start
    ("GET", "/", "start.home", "start.views"),
    ("GET", "/together", "start.together", "start.together"),
    ("GET", "/words", "start.terms", "start.terms"),
    ("GET", "/start", "start.ask", "start.views"),
    ("POST", "/start", "start.answer", "start.views"),
    ("GET", "/start/test", "start.only_a_test", "start.trying"),
    ("POST", "/start/test", "start.try_it", "start.trying"),
    ("POST", "/<int:rig_id>/keep", "start.keep_it", "start.trying"),
    ("POST", "/start/demo", "start.demo", "start.views"),
    ("POST", "/start/restore/<int:removed_id>", "start.restore", "start.views"),
    ("POST", "/ground", "start.ground", "start.views"),
    ("POST", "/units", "start.units", "start.views"),
    ("POST", "/start/archive", "start.bring_archive", "start.views"),
    ("GET", "/mend/<int:damaged_id>", "start.mend", "start.views"),
    ("POST", "/mend/<int:damaged_id>", "start.mended", "start.views"),
    # The house
    ("GET", "/enter", "house.enter", "house.views"),
    ("POST", "/enter", "house.come_in", "house.views"),
    ("GET", "/authority", "house.trust", "house.views"),
    ("GET", "/authority.crt", "house.authority", "house.views"),
    ("POST", "/leave", "house.leave", "house.views"),
    ("GET", "/house", "house.show", "house.views"),
    ("POST", "/house/code", "house.make_code", "house.views"),
    ("POST", "/house/devices/<int:device_id>", "house.let_out", "house.views"),
    ("POST", "/house/passphrase", "house.keep_passphrase", "house.views"),
    ("POST", "/house/here", "house.ask_here", "house.views"),
    ("POST", "/house/tokens", "house.make_token", "house.tokens"),
    ("POST", "/house/tokens/<int:token_id>", "house.take_away", "house.tokens"),
    # Given to small devices and calendars
    ("GET", "/<int:rig_id>/today.json", "given.today", "given.views"),
    ("GET", "/<int:rig_id>/outlook.json", "given.outlook", "given.views"),
    ("GET", "/<int:rig_id>/plan.json", "given.plan", "given.views"),
    ("GET", "/<int:rig_id>/calendar.ics", "given.calendar", "given.views"),
    ("POST", "/<int:rig_id>/samples.csv", "given.bring_samples", "given.views"),
    ("POST", "/<int:rig_id>/readings.csv", "given.bring_readings", "given.views"),
    # Today
    ("GET", "/<int:rig_id>/today", "today.show", "today.views"),
    ("GET", "/<int:rig_id>/seen", "today.seen", "today.plan"),
    # Log
    ("GET", "/<int:rig_id>/log", "log.show", "log.views"),
    ("POST", "/<int:rig_id>/readings", "log.add", "log.views"),
    ("POST", "/<int:rig_id>/readings/<int:reading_id>", "log.edit", "log.views"),
    ("POST", "/<int:rig_id>/readings/<int:reading_id>/answer", "log.answer", "log.views"),
    ("POST", "/<int:rig_id>/undo/<int:change_id>", "log.undo", "log.views"),
    ("GET", "/sw.js", "log.worker", "log.away"),
    ("GET", "/away", "log.page", "log.away"),
    ("GET", "/away/mark", "log.mark", "log.away"),
    ("POST", "/<int:rig_id>/away", "log.send", "log.away"),
    ("GET", "/<int:rig_id>/log.csv", "log.export_log", "log.views"),
    ("GET", "/<int:rig_id>/rig.json", "log.export_rig", "log.views"),
    ("GET", "/<int:rig_id>/archive.json", "log.export_archive", "log.views"),
    ("POST", "/<int:rig_id>/log/import", "log.import_file", "log.bring"),
    ("GET", "/<int:rig_id>/log/bring/<number>", "log.bring", "log.bring"),
    ("POST", "/<int:rig_id>/log/mappings", "log.forget", "log.mappings"),
    ("POST", "/<int:rig_id>/log/bring/<number>", "log.map_file", "log.bring"),
    ("GET", "/<int:rig_id>/log/changed", "log.changed", "log.changed"),
    ("POST", "/<int:rig_id>/log/changed/<kind>/<int:number>", "log.take_back", "log.changed"),
    ("GET", "/<int:rig_id>/log/compare", "log.compare", "log.compare"),
    ("GET", "/<int:rig_id>/log/monitor", "log.monitor", "log.dense"),
    ("POST", "/<int:rig_id>/log/samples", "log.bring_samples", "log.dense"),
    ("POST", "/<int:rig_id>/log/samples/remove", "log.remove_samples", "log.dense"),
    ("POST", "/<int:rig_id>/log/monitor/answer", "log.answer_monitor", "log.dense"),
    ("GET", "/<int:rig_id>/log/samples/<int:job_id>", "log.job", "log.dense"),
    ("POST", "/<int:rig_id>/log/samples/<int:job_id>/cancel", "log.cancel", "log.dense"),
    ("POST", "/<int:rig_id>/log/monitor", "log.keep_monitor", "log.dense"),
    ("POST", "/<int:rig_id>/log/monitor/readings", "log.make_readings", "log.dense"),
    ("GET", "/<int:rig_id>/log/grid", "log.grid", "log.grid"),
    ("POST", "/<int:rig_id>/log/grid", "log.keep_grid", "log.grid"),
    ("GET", "/<int:rig_id>/log/month/<int:year>/<int:month>", "log.month_sheet", "log.months"),
    ("GET", "/<int:rig_id>/log/year/<int:year>", "log.year_sheet", "log.months"),
    ("GET", "/<int:rig_id>/log/safe", "log.safe", "log.safe"),
    ("POST", "/<int:rig_id>/log/safe", "log.keep_place", "log.safe"),
    ("GET", "/<int:rig_id>/log/taught", "log.taught", "log.taught"),
    ("POST", "/<int:rig_id>/log/taught", "log.apply", "log.taught"),
    # Bench
    ("GET", "/<int:rig_id>/bench", "bench.show", "bench.views"),
    ("POST", "/<int:rig_id>/bench/round", "bench.lay_out", "bench.views"),
    ("GET", "/<int:rig_id>/bench/round.ics", "bench.calendar", "bench.views"),
    ("GET", "/<int:rig_id>/bench/usual", "bench.usual_things", "bench.usual"),
    ("POST", "/<int:rig_id>/bench/usual", "bench.list_usual", "bench.usual"),
    ("GET", "/<int:rig_id>/bench/new", "bench.new", "bench.runs"),
    ("POST", "/<int:rig_id>/bench/new", "bench.start", "bench.runs"),
    ("GET", "/<int:rig_id>/bench/runs/<int:run_id>", "bench.run", "bench.runs"),
    ("POST", "/<int:rig_id>/bench/runs/<int:run_id>/marks", "bench.add_mark", "bench.runs"),
    ("POST", "/<int:rig_id>/bench/runs/<int:run_id>/marks/<int:n>", "bench.change_mark", "bench.runs"),
    ("POST", "/<int:rig_id>/bench/runs/<int:run_id>/noted", "bench.note", "bench.runs"),
    ("POST", "/<int:rig_id>/bench/runs/<int:run_id>/often", "bench.often", "bench.runs"),
    ("POST", "/<int:rig_id>/bench/runs/<int:run_id>/kwh", "bench.kwh", "bench.runs"),
    ("POST", "/<int:rig_id>/bench/runs/<int:run_id>/state", "bench.state", "bench.runs"),
    ("POST", "/<int:rig_id>/bench/undo/<int:change_id>", "bench.undo", "bench.runs"),
    ("POST", "/<int:rig_id>/bench/runs/<int:run_id>/apply", "bench.apply", "bench.runs"),
    ("POST", "/<int:rig_id>/bench/runs/<int:run_id>/take-back", "bench.take_back", "bench.runs"),
    # Rig
    ("GET", "/<int:rig_id>/rig", "rig.show", "rig.views"),
    ("GET", "/<int:rig_id>/rig/<leaf>", "rig.leaf", "rig.views"),
    ("POST", "/<int:rig_id>/rig/parts/<key>", "rig.keep", "rig.keeping"),
    ("POST", "/<int:rig_id>/rig/more", "rig.more", "rig.keeping"),
    ("POST", "/<int:rig_id>/rig/step", "rig.sun_step", "rig.steps"),
    ("POST", "/<int:rig_id>/rig/bank-step", "rig.bank_step", "rig.steps"),
    ("POST", "/<int:rig_id>/rig/use-step", "rig.use_step", "rig.steps"),
    ("POST", "/<int:rig_id>/rig/forget", "rig.forget", "rig.keeping"),
    ("POST", "/<int:rig_id>/rig/undo/<int:change_id>", "rig.undo", "rig.views"),
    ("POST", "/<int:rig_id>/rig/parts/<key>/follows", "rig.follows", "rig.keeping"),
    ("POST", "/<int:rig_id>/rig/remove", "rig.remove", "rig.views"),
    ("POST", "/<int:rig_id>/rig/depth", "rig.depth", "rig.views"),
    # Outlook
    ("GET", "/<int:rig_id>/outlook", "outlook.show", "outlook.views"),
    ("POST", "/<int:rig_id>/plan", "today.mark", "today.plan"),
    ("GET", "/<int:rig_id>/plan.ics", "today.calendar", "today.plan"),
    ("GET", "/<int:rig_id>/card", "card.show", "card.views"),
    ("POST", "/<int:rig_id>/outlook/sky", "outlook.give_sky", "outlook.views"),
    ("POST", "/<int:rig_id>/outlook/forecast", "outlook.fetch_skies", "outlook.views"),
    ("POST", "/<int:rig_id>/outlook/plans", "outlook.add_plan", "outlook.views"),
    ("POST", "/<int:rig_id>/outlook/way", "outlook.keep_way", "outlook.views"),
    ("POST", "/<int:rig_id>/outlook/plans/<int:plan_id>", "outlook.change_plan", "outlook.views"),
    ("POST", "/<int:rig_id>/outlook/rule", "outlook.keep_rule", "outlook.views"),
    ("GET", "/<int:rig_id>/outlook/<leaf>", "outlook.leaf", "outlook.views"),
    ("GET", "/<int:rig_id>/outlook/past", "outlook.past_outlooks", "outlook.views"),
    # Additions
    ("GET", "/<int:rig_id>/additions", "additions.show", "additions.views"),
    ("GET", "/<int:rig_id>/additions/<leaf>", "additions.leaf", "additions.views"),
    ("GET", "/<int:rig_id>/additions/years", "additions.part", "additions.simulated"),
    ("POST", "/<int:rig_id>/additions/years", "additions.stop", "additions.simulated"),
    ("GET", "/<int:rig_id>/additions.csv", "additions.table", "additions.simulated"),
    ("POST", "/<int:rig_id>/additions", "additions.keep", "additions.question"),
    ("POST", "/<int:rig_id>/additions/prices", "additions.keep_prices", "additions.question"),
    ("GET", "/<int:rig_id>/additions/beside", "additions.beside", "additions.beside"),
    ("POST", "/<int:rig_id>/additions/beside", "additions.add", "additions.beside"),
    ("POST", "/<int:rig_id>/additions/beside/<int:number>", "additions.change", "additions.beside"),
    ("POST", "/<int:rig_id>/additions/tried", "additions.try_on", "additions.question"),
    ("POST", "/<int:rig_id>/additions/measures", "additions.add_measure", "additions.question"),
    ("POST", "/<int:rig_id>/additions/measures/<int:number>", "additions.change_measure", "additions.question"),
    ("POST", "/<int:rig_id>/additions/weather", "additions.bring_weather", "additions.question"),
    ("POST", "/<int:rig_id>/additions/weather/<int:weather_id>", "additions.change_weather", "additions.question"),
    # Sums
    ("GET", "/<int:rig_id>/sums", "sums.show", "sums.views"),
)
"""Method, address, endpoint (the page, and the name of the view), and the module below `pages`."""


class LateRule(Rule):
    """An address whose builder, the code that writes a link to it, is made with its first link: for all of them that
    is a fifth of the time from start to first page, and a page links to few."""

    def _compile_builder(self, append_unknown: bool = True) -> Callable[..., tuple[str, str]]:
        make = super()._compile_builder
        made: Callable[..., tuple[str, str]] | None = None

        def build(rule: Rule, /, **values: Any) -> tuple[str, str]:
            nonlocal made
            made = made or make(append_unknown)
            return made(rule, **values)
        return build


def register(app: Flask) -> None:
    """Give the application all addresses."""
    app.url_rule_class = LateRule
    for method, address, endpoint, module in ADDRESSES:
        app.add_url_rule(address, endpoint, _later(module, endpoint.partition(".")[2]), methods=[method])


def _later(module: str, name: str) -> Callable[..., Any]:
    """A view that is looked up once it is asked for."""
    def view(**given: Any) -> ResponseReturnValue:
        made: ResponseReturnValue = getattr(import_module(f"voltaun.pages.{module}"), name)(**given)
        return made
    return view
