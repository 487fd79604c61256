"""Dense monitor data: its import, the days and months of it, and the monitor that is read by itself."""

from datetime import date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from flask import abort, current_app, flash, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from voltaun.core.instants import day_start, local_day
from voltaun.core.log.samples import Hours
from voltaun.database import monitors, samples
from voltaun.database.connection import transaction
from voltaun.formats.mapping import SAMPLES, Mapping
from voltaun.formats.samples_csv import header
from voltaun.intake import bringing, client
from voltaun.intake.bringing import HOURS, mapping_of
from voltaun.intake.monitor import leave_out, read_monitor
from voltaun.pages import context
from voltaun.pages.days import day_from
from voltaun.pages.figures import dense as pictures
from voltaun.pages.log.bring import jobs, stash
from voltaun.words.sentences import begin, counted


def monitor() -> tuple[str, int]:
    """A month of samples by the day, or with `day` that day by the minute; the monitor; bringing samples in."""
    return _render()


def _render(status: int = 200, faults: dict[str, str] | None = None, typed: dict[str, str] | None = None) -> tuple[str,
            int]:
    rig, db = context.rig(), context.db()
    span = samples.span(db, g.kept.id)
    last = local_day(g.now, rig.zone) if span is None else local_day(_instant(span[1]), rig.zone)
    day, month = _asked("day"), _asked("month")
    seen_of = {}
    if span and day:
        begin, end = day_start(day, rig.zone), day_start(day + timedelta(days=1), rig.zone)
        seen = samples.between(db, g.kept.id, begin, end)
        summed = samples.hours_between(db, g.kept.id, begin.timestamp(), end.timestamp())
        seen_of = {"picture": pictures.day(seen, begin, end, rig), "rows": _by_hour(summed, rig.zone),
                   "day": day, "count": len(seen)}
    elif span:
        first = (month or last).replace(day=1)
        after = (first + timedelta(days=31)).replace(day=1)
        begin, end = day_start(first, rig.zone), day_start(after, rig.zone)
        summed = samples.hours_between(db, g.kept.id, begin.timestamp(), end.timestamp())
        seen_of = {"picture": pictures.month(summed, begin, end, rig), "rows": _by_day(summed, rig.zone),
                   "month": first, "before": first - timedelta(days=1), "after": after}
    kept = monitors.get(db, g.kept.id)
    typed = typed or {"address": kept.address if kept else "http://127.0.0.1:8151",
                      "every": str(kept.every_minutes if kept else 5),
                      "hours": " ".join(map(str, monitors.setting(db, g.kept.id, "reading_hours", HOURS)))}
    return render_template(
        "log/monitor.html", span=span and [local_day(_instant(each), rig.zone) for each in span], kept_monitor=kept,
        marks=monitors.marks(db, g.kept.id, g.now - timedelta(days=60), g.now + timedelta(days=1))[::-1], typed=typed,
        faults=faults or {}, **seen_of), status


def _instant(seconds: int) -> datetime:
    from datetime import UTC, datetime
    return datetime.fromtimestamp(seconds, UTC)


def _asked(name: str) -> date | None:
    try:
        day = date.fromisoformat(request.args.get(name, ""))
    except ValueError:
        return None
    return min(max(day, date(1970, 6, 1)), date(2199, 6, 1))


def _by_hour(summed: Hours, zone: ZoneInfo) -> list[dict[str, Any]]:
    return [_figures(f"{_instant(int(summed.hour[n])).astimezone(zone):%H:%M}", summed, slice(n, n + 1), None)
            for n in range(len(summed.hour))]


def _by_day(summed: Hours, zone: ZoneInfo) -> list[dict[str, str | date | float]]:
    days = [local_day(_instant(int(hour)), zone) for hour in summed.hour]
    begins = [n for n in range(len(days)) if n == 0 or days[n] != days[n - 1]] + [len(days)]
    return [_figures(f"{days[a]:%a} {days[a].day} {days[a]:%b}", summed, slice(a, b), days[a])
            for a, b in zip(begins, begins[1:], strict=False)]


def _figures(name: str, summed: Hours, part: slice, day: date | None) -> dict[str, Any]:
    levels = [level for level in (*summed.soc_low[part], *summed.soc_high[part]) if level == level]
    return {"name": name, "day": day, "charge": float(summed.charge_wh[part].sum()),
            "discharge": float(summed.discharge_wh[part].sum()), "samples": int(summed.samples[part].sum()),
            "low": min(levels, default=None), "high": max(levels, default=None),
            "covered": float(summed.seconds[part].sum()) / 3600}


def bring_samples() -> ResponseReturnValue:
    """Begin to bring a samples file in: as its kind was read before, or after asking what its columns are."""
    sent = request.files.get("file")
    if not sent or not sent.filename:
        return _render(422, {"file": "Found no file, expected a samples CSV."})
    start = sent.stream.read(65_536).decode("utf-8-sig", "replace")
    sent.stream.seek(0)
    names, _ = header(start)
    kept = mapping_of(context.db(), g.kept.id)
    known = kept if any(theirs in names for theirs in kept.columns) else Mapping(SAMPLES)
    number = stash().put(g.kept.id, sent)
    if not known.columns and "at" not in names:
        return redirect(url_for("log.bring", rig_id=g.kept.id, number=number, kind=SAMPLES), 303)
    file, name = stash().take(g.kept.id, number) or abort(404)
    job = jobs().samples(g.kept.id, file, known, name)
    return redirect(url_for("log.job", rig_id=g.kept.id, job_id=job.id), 303)


def remove_samples() -> ResponseReturnValue:
    """Take the samples of some days out, and the readings made of them; they can be brought back."""
    rig = context.rig()
    today = local_day(g.now, rig.zone)
    try:
        first, last = (day_from(request.form.get(name, ""), today) for name in ("first", "last"))
        if not first <= last or last.year - first.year > 60:
            raise ValueError
    except ValueError:
        return _render(422, {"first": "Found no two days in order, expected the first and the last day, such as "
                                      "2026-11-02."})
    taken = bringing.remove_samples(current_app.config["DATABASE"], g.kept.id, day_start(first, rig.zone),
                                    day_start(last + timedelta(days=1), rig.zone), g.now)
    flash(f"{taken} samples are taken out. They can be brought back under What was changed.")
    return redirect(url_for("log.monitor", rig_id=g.kept.id), 303)


def answer_monitor() -> ResponseReturnValue:
    """Say of what the monitor showed, and what cannot be, that it is right, or leave it out."""
    if "right" in request.form:
        _, words = read_monitor(context.writer(), g.kept.id, g.now, believe=True)
        flash(words)
    else:
        leave_out(context.writer(), g.kept.id, g.now)
        flash("Left out. The monitor is read from now on.")
    return redirect(url_for("log.monitor", rig_id=g.kept.id), 303)


def job(job_id: int) -> str:
    """How far an import is; asked for again each second while it goes on."""
    found = jobs().get(g.kept.id, job_id)
    if found is None:
        abort(404)
    return render_template("log/job.html", job=found)


def cancel(job_id: int) -> ResponseReturnValue:
    """Answer what an import asks: go on, or stop it, and then nothing of it is kept."""
    found = jobs().get(g.kept.id, job_id)
    if found is None:
        abort(404)
    (found.sure if "sure" in request.form else found.stop).set()
    return redirect(url_for("log.job", rig_id=g.kept.id, job_id=job_id), 303)


def keep_monitor() -> ResponseReturnValue:
    """Keep where the monitor is and how often it is read; read it now; or forget it."""
    if "forget" in request.form:
        with transaction(context.writer()) as db:
            monitors.forget(db, g.kept.id)
        flash("The monitor is forgotten; what it brought stays.")
        return redirect(url_for("log.monitor", rig_id=g.kept.id), 303)
    typed = {name: request.form.get(name, "").strip() for name in ("address", "every", "hours")}
    faults, every, chosen = {}, _whole(typed["every"], 0, 1440), _hours(typed["hours"])
    wrong = client.address_fault(typed["address"], also_in_the_house=True)
    if wrong:
        faults["address"] = wrong
    if every is None:
        faults["every"] = f"Found {typed['every'] or 'nothing'}, expected minutes from 1 to 1440, or 0 for on demand."
    if chosen is None:
        faults["hours"] = f"Found {typed['hours'] or 'nothing'}, expected hours of the day from 0 to 23, such as 7 19."
    if faults or every is None:
        return _render(422, faults, typed)
    with transaction(context.writer()) as db:
        monitors.keep(db, g.kept.id, typed["address"], every)
        monitors.put_setting(db, g.kept.id, "reading_hours", chosen)
    if "now" in request.form:
        _, words = read_monitor(context.writer(), g.kept.id, g.now)
        flash(words)
    else:
        flash("The monitor is kept.")
    return redirect(url_for("log.monitor", rig_id=g.kept.id), 303)


def make_readings() -> ResponseReturnValue:
    """Turn all samples into readings at the hours chosen, wherever none stands yet."""
    made = bringing.condense(context.writer(), g.kept.id, g.now, since=_instant(0))
    flash(f"{begin(counted(made, 'reading'))} made from the samples.")
    return redirect(url_for("log.monitor", rig_id=g.kept.id), 303)


def _whole(text: str, low: int, high: int) -> int | None:
    return int(text) if text.isascii() and text.isdigit() and len(text) < 9 and low <= int(text) <= high else None


def _hours(text: str) -> list[int] | None:
    parts = text.replace(",", " ").split()
    hours = {hour for part in parts if (hour := _whole(part, 0, 23)) is not None}
    return sorted(hours) if parts and all(_whole(part, 0, 23) is not None for part in parts) else None
