"""Every sentence that pages, commands and refusals say over made states, with the state that brings it out."""

import re
import sys
from contextlib import closing
from html.parser import HTMLParser
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from click.testing import CliRunner

from tests.simulated_states import state
from tests.support import environment, table
from voltaun.cli.main import main as main_command
from voltaun.core.sky import clear_sky
from voltaun.database import clearsky, connection, plans, readings, rigs
from voltaun.pages import create_app
from voltaun.pages.leaves import LEAVES

PAGES = ("today", "log", "bench", "rig", "outlook", "sums", "card",
         *(f"{page}/{leaf}" for page, listed in LEAVES.items() for leaf, _ in listed if leaf and page != "additions"))
SLOW = ("additions", "additions/without", "additions/worksheet")
"""Years are run for these; a few states are enough."""

FORMS = ("today", "log", "log/grid", "log/monitor", "log/safe", "bench", "bench/usual", "rig?part=bank",
         "rig?part=inverter", "rig?part=place", "rig?part=arrays-new", "rig?part=loads-new", "rig?part=generators-new",
         "bench/new?instrument=meter", "bench/new?instrument=label", "bench/new?instrument=capacity",
         "bench/new?instrument=hydrometer", "bench/new?instrument=inverter", "outlook/plans", "additions/question",
         "additions/without")
"""Pages with forms into which something may be typed wrong."""

BLOCKS = {"p", "h1", "h2", "h3", "li", "td", "th", "div", "dt", "dd", "section", "summary", "label", "legend", "tr",
          "form", "button", "table", "main", "details", "fieldset", "br", "input", "nav", "ul", "dl"}
UNSAID = {"svg", "script", "style", "select", "textarea", "title"}


class _Said(HTMLParser):
    """The text of a page by its blocks."""

    def __init__(self):
        super().__init__()
        self.blocks, self.unsaid = [""], 0

    def handle_starttag(self, tag, attrs):
        self.unsaid += tag in UNSAID
        if tag in BLOCKS:
            self.blocks.append("")

    def handle_endtag(self, tag):
        self.unsaid -= tag in UNSAID
        if tag in BLOCKS:
            self.blocks.append("")

    def handle_data(self, data):
        if not self.unsaid:
            self.blocks[-1] += data


def sentences(page: str) -> list[str]:
    """The sentences of a page: what ends as one, and headlines; labels and cells of figures are none."""
    said = _Said()
    said.feed(page[page.index('id="page"'):] if 'id="page"' in page else page)
    blocks = [" ".join(of.split()) for of in said.blocks]
    return [part for of in blocks if len(of.split()) > 3 and of[-1] in ".?!:"
            for part in re.split(r"(?<=[.?!])\s+", of)]


CHANCE = r"\d in 10|almost certain|very unlikely|hardly ever"
BARRED = (r"[Ll]eav(?:e|ing) off|nought|not told|first time in doubt|of going below it|at the lowest of each|"
          r"what nothing beats|lately more|is counted on|need be|lies above|so much keeps")
EQUAL_ENDS = r"(?<![\d.])(\d[\d.]* ?(?:%|k?Wh|h|min|litres)?) ?(?:[–-]|to|and) ?\1(?![\d.:])"
ONE_OF_MANY = r"(?<![\d.,])(?<!\d )\b1 (?:[a-z]+ )?[a-z]+[^sui]s\b"
OF_THE_CODE = r"\b[a-z]+_[a-z_]+\b|\bNone\b|\bnan\b"
RULES = {"over 22 words": lambda text: len(text.split()) > 22,
         "three chances": lambda text: len(re.findall(CHANCE, text)) > 2,
         "a range with equal ends": lambda text: re.search(EQUAL_ENDS, text),
         "one of many": lambda text: re.search(ONE_OF_MANY, text),
         "a name of the code": lambda text: re.search(OF_THE_CODE, text),
         "a barred word": lambda text: re.search(BARRED, text)}


def faults(sentence: str) -> list[str]:
    """The rules that a machine can see broken."""
    return [rule for rule, breaks in RULES.items() if breaks(sentence)]


ODD = ("soon", "-5", "1e12", "140 %", "7;8;9", "12 furlongs", "3/4/2026 10:00", "2 Jan 2090 10:00", "1,200", "")
"""What a hand may type where it does not fit."""


class _Forms(HTMLParser):
    """The forms of a page that write: address, fields as they stand, and those that are typed into."""

    def __init__(self, page: str):
        super().__init__()
        self.found: list[tuple[str, dict[str, str], list[str]]] = []
        self._open = False
        self.feed(page)

    def handle_starttag(self, tag, attrs):
        of = dict(attrs)
        if tag == "form":
            self._open = of.get("method") == "post" and "multipart" not in (of.get("enctype") or "")
            if self._open:
                self.found.append((of["action"], {}, []))
        elif self._open and of.get("name") and tag in ("input", "textarea", "select"):
            kind = of.get("type", "text")
            if kind not in ("checkbox", "radio") or "checked" in of:
                self.found[-1][1][of["name"]] = of.get("value") or ""
            if tag != "select" and kind not in ("hidden", "checkbox", "radio", "file"):
                self.found[-1][2].append(of["name"])


def refused_in(client, pages):
    """(page, sentence) of the answers to what was typed wrong into the forms of the pages."""
    for page in pages:
        for address, stands, typed in _Forms(client.get(f"/1/{page}").text).found:
            for odd in ODD if typed and "remove" not in address else ():
                answer = client.post(address, data=stands | dict.fromkeys(typed, odd), follow_redirects=True)
                yield from ((f"{page}, refused", sentence) for sentence in sentences(answer.text))


def commanded_in(folder: Path, path: Path):
    """(command, sentence) of what the commands say of the rig of a database."""
    files = ["--rig", folder / "rig.json", "--log", folder / "log.csv"]
    run = CliRunner()
    for given in (["export", "--as", "rig", "-o", files[1], "--db", path], ["export", "-o", files[3], "--db", path],
                  ["today", "--db", path], ["plan", *files], ["outlook", *files], ["ledger", *files],
                  ["outlook", *files, "--sky", "soon=fog"], ["outlook", *files, "--plan", "party"],
                  ["outlook", *files, "--generator", "low:high"], ["plan", *files, "--done", "Nothing"],
                  ["export", "--rig", "Elsewhere", "--db", path]):
        for line in run.invoke(main_command, [*map(str, given)], prog_name="voltaun").output.splitlines():
            line = line.strip().replace(f"{folder}/", "")
            if len(line.split()) > 3 and line[-1] in ".?!" or line.startswith("voltaun: "):
                yield from ((f"voltaun {given[0]}", part) for part in re.split(r"(?<=[.?!])\s+", line))


def said_in(n: int, pages=PAGES, refused=(), commands=False):
    """(page, sentence) of the n-th state, by the application; `refused`: pages whose forms are filled in wrong."""
    of = state(n)
    with TemporaryDirectory() as folder:
        path = Path(folder) / "book.db"
        connection.prepare(path)
        with closing(connection.connect(path)) as db, connection.transaction(db):
            number = rigs.add(db, of.rig)
            for plane in clear_sky.planes(of.rig):
                db.execute("INSERT INTO clear_sky VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
                           (*plane, table(plane).tobytes(), clearsky.made_by()))
            readings.add_many(db, number, of.log if n % 10 else of.log[:n % 3])
            for plan in of.ask.plans:
                plans.add(db, number, plan, of.ask.as_of)
            plans.keep_rule(db, number, of.ask.rule, of.ask.as_of)
        with mock.patch.dict("os.environ", environment(of.ask.as_of)):
            client = create_app(path).test_client()
            for page in pages:
                for sentence in sentences(client.get(f"/1/{page}").text):
                    yield page, sentence
            if commands:
                yield from commanded_in(Path(folder), path)
            client.application.config["WTF_CSRF_ENABLED"] = False
            yield from refused_in(client, refused)


def main(states: int) -> None:
    book: dict[tuple[str, str], tuple[str, str]] = {}
    for n in range(states):
        seldom = n % 10 == 0
        for page, sentence in said_in(n, (*PAGES, *(SLOW if seldom else ())), FORMS if seldom else (), commands=True):
            form = re.sub(r"\d[\d.:, ]*\d|\d", "#", sentence)
            book.setdefault((page, form), (sentence, state(n).name))
    for page in sorted({page for page, _ in book}):
        print(f"\n{page}\n")
        for (where, _), (sentence, name) in book.items():
            if where == page:
                print(f"  {sentence}   [{name}]", *(f"({rule})" for rule in faults(sentence)))
    said = sorted({sentence for sentence, _ in book.values()}, key=lambda of: -len(of.split()))
    print(f"\n{len(book)} forms of sentences over {states} states. The longest:\n")
    for sentence in said[:20]:
        print(f"  {len(sentence.split())}: {sentence}")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 200)
