"""The card on the wall as a page by itself, to be printed."""

from __future__ import annotations

from pathlib import Path

import click
from markupsafe import Markup, escape

from voltaun.cli.common import Refused
from voltaun.cli.given import log_file_option, rig_file_option
from voltaun.cli.reckoning import asked

_PAGE = Markup("""<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>{title}</title>
<style>
@page {{ margin: 12mm }}
body {{ font: 13pt/1.4 sans-serif; color: #000; background: #fff; max-width: 44rem }}
h1 {{ font-size: 22pt; margin: 0 }}
table {{ border-collapse: collapse; width: 100% }}
th, td {{ text-align: left; vertical-align: top; border-bottom: 1px solid #000; padding: .3em .8em .3em 0 }}
th {{ white-space: nowrap }}
.ask {{ margin-top: 2em }}
.small {{ font-size: 9pt }}
</style></head><body>
<h1>{title}</h1>
<p>Read the level when it gets dark.</p>
<table><thead><tr><th>Level at dusk</th><th>Until the next evening</th></tr></thead><tbody>{rows}</tbody></table>
<h2>When it is low</h2>
<ul>{low}</ul>
<p class="ask">Ask: ____________________ &nbsp; Telephone: ____________________</p>
<p class="small">{foot}</p>
</body></html>
""")


@click.command(short_help="The card for the wall, as a page of HTML")
@rig_file_option
@log_file_option(required=True)
@click.option("--month", type=click.IntRange(1, 12), help="Without it that of the last reading.")
@click.option("-o", "--output", type=click.Path(dir_okay=False, path_type=Path), help="Without it standard output.")
def card(rig_file: Path, log_file: Path, month: int | None, output: Path | None) -> None:
    """The card on the wall, as a page of HTML to be printed on A5 or A4."""
    from voltaun.core.dayplan.card import card as levels
    from voltaun.words import card as words
    ask = asked(rig_file, log_file, None)
    try:
        made = levels(ask.rig, ask.known, ask.sun, month or ask.today.month)
    except ValueError as error:
        raise Refused(f"{log_file}: {error}") from error
    rows = [Markup("<tr><th>{}</th><td>{}</td></tr>").format(*line) for line in words.lines(made, ask.rig)]
    low = [Markup("<li>{}</li>").format(said) for said in words.low_and_cautions(made, ask.rig)]
    page = _PAGE.format(title=escape(words.heading(made, ask.rig)), rows=Markup().join(rows), low=Markup().join(low),
                        foot=escape(words.foot(made, ask.rig)))
    if output is None:
        click.echo(page, nl=False)
        return
    try:
        output.write_text(page, encoding="utf-8")
    except OSError as error:
        raise Refused(f"{output}: {error.strerror}") from error
