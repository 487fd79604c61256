"""Bringing a file in: a log or samples of any shape, a rig or an archive, told apart by content.

A file in the open shape goes straight in, unless something of it is to be asked about. Another shape is asked about
once: the page proposes what each column is, shows the first readings as understood, and keeps the answer by name.
"""

from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from io import BytesIO
from typing import IO, Any

from flask import abort, current_app, flash, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from werkzeug.datastructures import FileStorage

from voltaun.core.learned.account import reckon
from voltaun.core.log.reading import FIELDS, NUMBERS
from voltaun.core.rig.bank import nominal_voltage
from voltaun.core.rig.fields import RigFaults
from voltaun.core.rig.parts import SKIES
from voltaun.database import clearsky, readings, rigs
from voltaun.database.connection import transaction
from voltaun.formats import FileFaults, guessing, loose, questions, when
from voltaun.formats.log_csv import LogFile, decode, read_log
from voltaun.formats.mapping import LOG, SAMPLES, SUMS, UNITS, Mapping, from_document
from voltaun.formats.tables import AS_CSV, SEPARATORS, not_a_table, table
from voltaun.intake.bringing import log_grounds
from voltaun.intake.logs import Unsure, bring_log
from voltaun.pages import context
from voltaun.pages.log.jobs import Jobs, Stash
from voltaun.pages.log.mappings import keep_mapping, kept_mappings
from voltaun.pages.log.views import render
from voltaun.words import bringing
from voltaun.words.readings import field_shown, field_words
from voltaun.words.sentences import doubt_words

SHOWN_ROWS = 5

NAMES = {of.column: field_words(of) for of in FIELDS if of.heard} | {
    "read_at": "day and time", "date": "day", "time": "time of day", "at": "day and time",
    "charge_wh": "counter, into the bank", "discharge_wh": "counter, out of it"}
"""Our columns in words."""


def jobs() -> Jobs:
    """This server's imports."""
    found: Jobs = current_app.extensions.setdefault("voltaun-jobs", Jobs(current_app.config["DATABASE"]))
    return found


def stash() -> Stash:
    """The files that were sent to this server and are not decided on yet."""
    found: Stash = current_app.extensions.setdefault("voltaun-stash", Stash())
    return found


def import_file() -> ResponseReturnValue:
    """Take a file that was sent: what it is shows in its content."""
    sent = request.files.get("file")
    if not sent or not sent.filename:
        return render(status=422, refused=["found no file, expected a log, samples, a rig or an archive"])
    start = sent.stream.read(65_536)
    sent.stream.seek(0)
    other = not_a_table(start)
    if other:
        return render(status=422, refused=[f"found {other}, expected {AS_CSV}"])
    if start.lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"{":
        return _json(sent)
    if b"\0" in start or not start.strip():
        kind = "a binary" if start.strip() else "an empty"
        return render(status=422, refused=[f"found {kind} file, expected a text file in UTF-8"])
    if _kind(start) == LOG:
        start = _in_utf_8(sent)[:65_536]
    number = stash().put(g.kept.id, sent)
    return _decide(number, _known(start, _kind(start)))


def _in_utf_8(sent: FileStorage) -> bytes:
    """The bytes of a log that was sent, in UTF-8: a spreadsheet may have written it as Windows-1252. What is neither
    stays as it is, and reading it says where."""
    data = sent.stream.read()
    try:
        data.decode("utf-8-sig")
    except UnicodeDecodeError:
        with suppress(UnicodeDecodeError):
            data = data.decode("cp1252").encode()
            flash("It was not UTF-8 and was read as Windows-1252: look whether its letters are right.")
    sent.stream = BytesIO(data)
    return data


def _json(sent: FileStorage) -> ResponseReturnValue:
    from voltaun.formats.archive import is_archive, parse
    from voltaun.formats.rig_file import read_rig
    data = sent.stream.read()
    try:
        if is_archive(parse(data)):
            job = jobs().archive(g.kept.id, BytesIO(data), sent.filename or "a file")
            return redirect(url_for("log.job", rig_id=g.kept.id, job_id=job.id), 303)
        told: list[str] = []
        made = read_rig(decode(data), told, g.now)
    except FileFaults as faults:
        return render(status=422, refused=str(faults).split("\n"))
    except RigFaults as faults:
        return render(status=422, refused=[str(fault) for fault in faults.faults])
    try:
        clearsky.tables(context.writer(), made)
        with transaction(context.writer()) as db:
            rig_id = rigs.add(db, made)
    except rigs.RigNameTaken:
        return render(status=409, refused=[f"found another rig named {made.name!r}, expected a name of its own"])
    flash(" ".join([f"The rig {made.name} came in.", *(f"{each[:1].upper()}{each[1:]}." for each in told)]))
    return redirect(url_for("rig.show", rig_id=rig_id), 303)


def _kind(start: bytes) -> str:
    from voltaun.formats.samples_csv import looks_like_samples
    return SAMPLES if looks_like_samples(start.decode("utf-8-sig", "replace")) else LOG


def _known(start: bytes, kind: str) -> Mapping | None:
    """How a file of that header was read before; an empty mapping for the open shape; None when it is new."""
    try:
        rows = table(start.decode("utf-8-sig", "replace"), most=1)
    except FileFaults:
        return Mapping(kind)  # it cannot be a table; reading it says why
    header = rows[0] if rows else []
    if kind == SAMPLES or "read_at" in [name.lower() for name in header]:
        return Mapping(kind)
    return _kept_for(header)


def _kept_for(header: list[str]) -> Mapping | None:
    """The answers that were kept for a file with these columns."""
    return next((known for known in kept_mappings().values()
                 if known.columns and {*known.columns, *known.only} <= set(header)), None)


def _decide(number: str, known: Mapping | None) -> ResponseReturnValue:
    if known is None:
        return redirect(url_for("log.bring", rig_id=g.kept.id, number=number), 303)
    if known.kind == SAMPLES:
        file, name = stash().take(g.kept.id, number) or abort(404)
        job = jobs().samples(g.kept.id, file, known, name)
        return redirect(url_for("log.job", rig_id=g.kept.id, job_id=job.id), 303)
    with suppress(FileFaults):  # reading it says why
        file, _ = stash().get(g.kept.id, number) or abort(404)
        if known.columns and questions.open_questions(known, _text(file)):  # such as another year without one
            return redirect(url_for("log.bring", rig_id=g.kept.id, number=number), 303)
    return _keep(number, known)


def _keep(number: str, mapping: Mapping) -> ResponseReturnValue:
    """Keep the readings of a log file, or show what stands against it."""
    file, name = stash().get(g.kept.id, number) or abort(404)
    file.seek(0)
    mapped = mapping if mapping.columns else None
    shown = Shown(number, name, mapping)
    try:
        log = read_log(file.read(), context.rig().zone, g.now, mapped, log_grounds(context.rig()))
        merged = bring_log(context.writer(), g.kept, log.readings, name, g.now, request.form.get("differing") or None,
                           "sure" in request.form)
    except FileFaults as faults:
        if mapped is None:
            return render(status=422, refused=str(faults).split("\n"), sent=number)
        return _render(shown, 422, refused=str(faults).split("\n"))
    except readings.ReadingsDiffer as differ:
        return _render(shown, 409, log=log, differ=differ.pairs)
    except Unsure as unsure:
        return _render(shown, 409, log=log, more=unsure.more, doubts=[(doubt, doubt_words(doubt, context.rig()))
                                                                      for doubt in unsure.doubts])
    taken = stash().take(g.kept.id, number)
    if taken:
        taken[0].close()
    for warning in log.warnings[:20]:
        flash(f"Note: {warning}.")
    flash(" ".join(bringing.came_in(merged.added, merged.same, merged.replaced, merged.kept)))
    return redirect(url_for("log.show", rig_id=g.kept.id), 303)


@dataclass
class Shown:
    """A file on the page that asks about it."""

    number: str
    name: str
    mapping: Mapping
    rows: list[list[str]] = field(default_factory=list)
    open: list[questions.Open] = field(default_factory=list)

    @property
    def header(self) -> list[str]:
        """The file's own names of its columns."""
        return self.rows[0] if self.rows else []

    def samples_of(self, n: int) -> str:
        """The first figures of a column."""
        return ", ".join(row[n] for row in self.rows[1:] if n < len(row) and row[n])[:60]


def bring(number: str) -> tuple[str, int]:
    """Ask what the columns of a file are."""
    file, name = stash().get(g.kept.id, number) or abort(404)
    try:
        text = _text(file)
        proposed = _kept_for(table(text, most=1)[0]) or guessing.guess(
            text, SAMPLES if guessing.is_dense(text) else LOG)
    except FileFaults as faults:
        return render(status=422, refused=str(faults).split("\n"))
    return _render(Shown(number, name, proposed))


def map_file(number: str) -> ResponseReturnValue:
    """Show what the answers mean, or, with `bring`, bring the file in so."""
    file, name = stash().get(g.kept.id, number) or abort(404)
    text = _text(file)
    if "open_shape" in request.form:
        return _keep(number, Mapping(LOG))
    try:
        if "was" in request.form and request.form.get("kind") not in (None, request.form["was"]):
            # Its columns are others then: they are proposed anew.
            other = SAMPLES if request.form["kind"] == SAMPLES else LOG
            return _render(Shown(number, name, guessing.guess(text, other)))
        mapping = _typed_mapping(table(text, most=1)[0])
        shown = Shown(number, name, mapping)
        if questions.open_questions(mapping, text):
            return _render(shown, 422)
    except FileFaults as faults:
        proposed = guessing.guess(text, LOG)
        return _render(Shown(number, name, proposed), 422, refused=str(faults).split("\n"))
    if "bring" not in request.form and "sure" not in request.form:
        return _render(shown, 200, preview=True)
    keep_mapping(replace(mapping, year=None))  # the next file is of another year
    return _decide(number, mapping)


def _text(file: IO[bytes]) -> str:
    """The first part of a file as text; a samples file may be far larger than what is asked of it."""
    file.seek(0)
    data = file.read(2 ** 21)
    if len(data) == 2 ** 21:
        data = data[:data.rfind(b"\n") + 1] or data
    return decode(data)


def _typed_mapping(header: list[str]) -> Mapping:
    """The mapping that was typed. Raises FileFaults."""
    form = request.form
    columns: dict[str, dict[str, Any]] = {}
    for n, theirs in enumerate(header):
        of = form.get(f"as-{n}", "")
        if of and theirs:
            columns[theirs] = {"as": of}
            if form.get(f"unit-{n}") in UNITS.get(of, {}):
                columns[theirs]["unit"] = form[f"unit-{n}"]
            if f"turn-{n}" in form:
                columns[theirs]["scale"] = -1
    skies = dict(zip(form.getlist("sky-word"), form.getlist("sky-is"), strict=False))
    document = {"kind": form.get("kind", LOG), "name": form.get("name", "").strip()[:80], "columns": columns,
                "dates": form.get("dates", ""), "sums": form.get("sums", ""), "hour": form.get("hour", "").strip(),
                "separator": form.get("separator", ""), "decimal": form.get("decimal", ""),
                "sky": {word: sky for word, sky in skies.items() if sky},
                "loose": [kind for kind in form.getlist("loose") if kind in loose.KINDS], "zone": form.get("zone", ""),
                "year": form.get("year", type=int) if form.get("year", "").strip() else None,
                "only": {form["only-column"]: form["only"]} if form.get("only") and form.get("only-column") else {}}
    return from_document(document)


def _render(shown: Shown, status: int = 200, log: LogFile | None = None, refused: Sequence[str] = (),
            preview: bool = False, **extra: Any) -> tuple[str, int]:
    file, _ = stash().get(g.kept.id, shown.number) or abort(404)
    try:
        text = _text(file)
        shown.rows = [row for row in table(text, shown.mapping.separator, most=40) if any(row)]
        shown.open = [] if log else questions.open_questions(shown.mapping, text)
        understood = _understood(shown.mapping, file, log, text) if preview or log else None
    except FileFaults as faults:
        refused, understood, status = str(faults).split("\n"), None, 422
    units = {of: [(unit, unit) for unit in each] for of, each in UNITS.items()}
    choices = [(name, NAMES.get(name, name)) for name in shown.mapping.names]
    first = understood.first if understood else []
    columns = [of for of in FIELDS[1:] if any(getattr(each, of.name) != of.blank for each in first)]
    return render_template("log/bring.html", columns=columns, numbers=NUMBERS, field_words=field_words,
                           field_shown=field_shown, shown=shown, understood=understood, refused=refused, units=units,
                           choices=choices, orders=(when.DAY_FIRST, when.MONTH_FIRST), skies=SKIES,
                           separators=SEPARATORS, bringing=bringing, loosely=loose.KINDS, sums=SUMS,
                           today=context.look().today,
                           **extra), status


@dataclass
class Understood:
    """What a file means: its first readings, how many, and what they come to, for one to say whether it is right."""

    first: list[Any]
    count: int
    begin: datetime | None
    end: datetime | None
    low: float | None
    high: float | None
    use_wh: float | None
    solar_wh: float | None
    warnings: list[str]


def _understood(mapping: Mapping, file: IO[bytes], log: LogFile | None, text: str) -> Understood | None:
    if mapping.kind == SAMPLES:
        return _understood_samples(mapping, text)
    if log is None:
        file.seek(0)
        log = read_log(file.read(), context.rig().zone, g.now, mapping if mapping.columns else None,
                       log_grounds(context.rig()))
    levels = [reading.soc for reading in log.readings if reading.soc is not None]
    account = reckon(context.rig(), log.readings, context.sun())
    days = sum(interval.hours for interval in account.intervals) / 24
    suns = [(interval.hours, wh) for interval in account.intervals if (wh := interval.harvest["solar"]) is not None]
    sunny = sum(hours for hours, _ in suns) / 24
    return Understood(log.readings[:SHOWN_ROWS], len(log.readings),
                      log.readings[0].at if log.readings else None, log.readings[-1].at if log.readings else None,
                      min(levels, default=None), max(levels, default=None),
                      account.learned.use.mean if account.learned.use and days > 0 else None,
                      sum(wh for _, wh in suns) / sunny if sunny > 0 else None, log.warnings)


def _understood_samples(mapping: Mapping, text: str) -> Understood | None:
    from voltaun.core.log.samples import hours
    from voltaun.formats.samples_csv import Told, pieces
    from voltaun.intake.staged import Staged
    told = Told()
    part = pieces(BytesIO(text.encode()), context.rig().zone, mapping, told, nominal_voltage(context.rig().bank))
    first = next(part, None)
    if first is None:
        return None
    staged = Staged([first])
    staged.close()
    summed = hours(first)
    days = float(summed.seconds.sum()) / 86_400
    begin, end = (None if at is None else datetime.fromtimestamp(at, UTC) for at in (staged.first, staged.last))
    return Understood([], len(first), begin, end, staged.low.get("soc"), staged.high.get("soc"),
                      float(summed.discharge_wh.sum()) / days if days > 0 else None,
                      float(summed.charge_wh.sum()) / days if days > 0 else None, told.warnings)
