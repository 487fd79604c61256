"""The strip: days as columns on one time axis, the past as it was logged, now as a hinge, the fan ahead."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

from markupsafe import Markup

from voltaun.core.instants import day_start, days_between, local_day
from voltaun.core.log.days import Day
from voltaun.core.outlook.outlook import DayOutlook, Outlook
from voltaun.core.outlook.plans import Plan
from voltaun.core.rig.sources import SOURCES
from voltaun.pages.figures.svg import band, el, figure, join, path
from voltaun.pages.figures.weave import SOURCE_WORDS, fill
from voltaun.words.sentences import chance, range_of, sun_ahead
from voltaun.words.units import show_energy, show_percent


@dataclass(frozen=True)
class Size:
    """The strip's viewBox, and how large its lettering is in it."""

    width: float
    height: float
    letters: float
    name: str


WIDE = Size(1060, 330, 12.5, "strip")
NARROW = Size(390, 300, 11.5, "strip-narrow")


@dataclass(frozen=True)
class Column:
    """One day of the strip with what is said of it when it is walked to."""

    day: date
    past: Day | None
    ahead: DayOutlook | None
    line: str
    sky: str | None = None
    planned: bool = False
    done: tuple[str, ...] = ()


def columns(first: date, last: date, logged: dict[date, Day], outlook: Outlook | None,
            skies: Mapping[date, str] | None = None, told: Callable[[Plan], str] = str,
            floor: float = 0.0, done: Mapping[date, tuple[str, ...]] | None = None,
            placed: Mapping[date, list[str]] | None = None) -> list[Column]:
    """The days from first to last, each with its logged part, its outlook, and its line of figures.

    skies  words given for coming days; told  puts a plan in words; floor  the everyday floor, a fraction
    done   what was done on a day, in words; placed  what the day's plan has on it, in words
    """
    skies, done = skies or {}, done or {}
    placed = placed or {}
    planned = {day: [*(told(plan) for plan in outlook.plans if plan.on(day)), *placed.get(day, ())]
               for day in days_between(first, last)} if outlook else {}
    ahead = {day.day: day for day in outlook.days} if outlook else {}
    if outlook and outlook.today:
        ahead[outlook.today.day] = outlook.today
    return [Column(day, logged.get(day), ahead.get(day),
                   _line(day, logged.get(day), ahead.get(day), skies.get(day), planned.get(day, []), floor,
                         done.get(day, ())),
                   skies.get(day), bool(planned.get(day)), done.get(day, ()))
            for day in days_between(first, last)]


def _line(day: date, past: Day | None, ahead: DayOutlook | None, sky: str | None, planned: list[str], floor: float,
          done: tuple[str, ...]) -> str:
    told = [f"{day:%a} {day.day} {day:%b}"]
    if past is not None and past.hours > 0.5:
        sources = ", ".join(f"{SOURCE_WORDS[s]} {'~' if s in past.reckoned else ''}{show_energy(wh)}"
                            for s, wh in past.harvest.items() if wh)
        unwritten = [f"{'part of the ' if wh else ''}{SOURCE_WORDS[s]} not written down"
                     for s, wh in past.harvest.items() if s in past.unknown]
        told += [f"in {sources or 'nothing'}"] if sources or not unwritten else []
        told += unwritten
        used = "~" if "use" in past.reckoned else ""
        told += [f"used {used}{show_energy(past.use_wh)}"] if "use" not in past.unknown or past.use_wh > 0 else []
        told += [f"{'part of the ' if past.use_wh > 0 else ''}use not known"] if "use" in past.unknown else []
        if past.spilt_wh > 50:
            told.append(f"about {show_energy(past.spilt_wh)} spilt")
        if past.sky:
            told.append(past.sky)
    told += done
    if ahead is not None:
        told.append(f"{'still ' if past else ''}{sun_ahead(ahead)}")
        told.append(f"at dusk {range_of(ahead.dusk_soc.p10, ahead.dusk_soc.p90, show_percent)}")
        told.append(f"below {show_percent(floor)}: {chance(ahead.chance_below_everyday_floor)}")
        told += [f"{sky} expected"] if sky else []
        told += planned
    if len(told) == 1:
        told.append("nothing logged")
    return "; ".join(told)


def draw(size: Size, shown: list[Column], levels: list[tuple[datetime, float, bool]], outlook: Outlook | None,
         floors: tuple[float, float], zone: ZoneInfo, now: datetime, log_url: str | None,
         lines: dict[str, list[tuple[datetime, float]]] | None = None) -> Markup:
    """Draw the strip.

    shown   the columns, in order of time
    levels  (instant, fraction, whether it was read) of the logged past
    floors  everyday and hard floor as fractions; log_url the log's address, for the days' links, if any
    lines   more levels by the class they are drawn with, such as how it had been otherwise
    """
    frame = _Frame(size, shown, zone)
    parts = [frame.ground(floors), frame.sky_marks(), frame.done_marks(), frame.bars(),
             frame.fan(outlook) if outlook else None, frame.levels(levels, shown[0].day),
             *(frame.line(points, kind) for kind, points in (lines or {}).items()),
             frame.hinge(now), frame.labels(now), frame.links(log_url, now)]
    first, last = shown[0].day, shown[-1].day
    return figure(size.width, size.height, f"The bank from {first:%d %B} to {last:%d %B}",
                  "Above, the level with its floors, and ahead the range it likely stays in. Below, what came in and "
                  "went out each day. The same figures follow below.", join(parts), name=size.name,
                  role="group", class_=f"strip-figure {size.name}")


class _Frame:
    """Where things go: the level's register above, the energies' below."""

    def __init__(self, size: Size, shown: list[Column], zone: ZoneInfo) -> None:
        self.size, self.shown, self.zone = size, shown, zone
        self.left, self.right = size.letters * 2.9, size.width - 4
        self.sky_y = size.letters * 0.8
        self.top, self.bottom = size.letters * 2.2, size.height * 0.56
        self.energy_top, self.energy_bottom = size.height * 0.60, size.height - size.letters * 2.7
        self.start = day_start(shown[0].day, zone).timestamp()
        self.end = day_start(shown[-1].day + timedelta(days=1), zone).timestamp()
        self.column_width = (self.right - self.left) / len(shown)
        ins = [max(_in(column) + _spilt(column), 1) for column in shown]
        outs = [max(_out(column), 1) for column in shown]
        most_in, most_out = max(ins), max(outs)
        self.per_wh = (self.energy_bottom - self.energy_top) / (most_in + most_out)
        self.zero = self.energy_top + most_in * self.per_wh

    def x(self, instant: datetime) -> float:
        share = (instant.timestamp() - self.start) / (self.end - self.start)
        return self.left + share * (self.right - self.left)

    def y(self, level: float) -> float:
        return self.bottom - level * (self.bottom - self.top)

    def ground(self, floors: tuple[float, float]) -> Markup:
        everyday, hard = floors
        span = f"M{self.left:.1f} {{}} H{self.right:.1f}"
        scale = [el("text", f"{p}" if p else "0 %", x=self.left - 6, y=self.y(p / 100) + 4, class_="scale end",
                    font_size=self.size.letters) for p in (0, 50, 100)]
        return join([
            el("rect", x=self.left, y=self.y(everyday), width=self.right - self.left,
               height=self.bottom - self.y(everyday), fill="url(#weave-low)", class_="low-zone"),
            *(el("path", d=span.format(f"{self.y(p):.1f}"), class_="hair") for p in (0, 0.5, 1)),
            el("path", d=span.format(f"{self.y(everyday):.1f}"), class_="floor"),
            el("path", d=span.format(f"{self.y(hard):.1f}"), class_="floor-hard"),
            el("path", d=span.format(f"{self.zero:.1f}"), class_="zero"),
            *scale,
            el("text", "in", x=self.left - 6, y=self.zero - 6, class_="scale end", font_size=self.size.letters),
            el("text", "out", x=self.left - 6, y=self.zero + 13, class_="scale end", font_size=self.size.letters)])

    def sky_marks(self) -> Markup:
        marks = []
        for n, column in enumerate(self.shown):
            x = self.left + (n + 0.5) * self.column_width
            word = (column.past and column.past.sky) or column.sky
            if word:
                marks.append(_sky_mark(word, x, self.sky_y))
            if column.planned:
                y = self.sky_y + self.size.letters * 0.75
                marks.append(el("path", d=f"M{x - self.column_width * 0.3:.1f} {y:.1f} h{self.column_width * 0.6:.1f} "
                                          "m0 -2 v4", class_="plan-mark"))
        return join(marks)

    def done_marks(self) -> Markup:
        """Where something was done: a notch cut down from the top of the level's register."""
        width = self.size.letters * 0.5
        return join(el("path", d=f"M{x - width:.1f} {self.top:.1f} h{2 * width:.1f} l{-width:.1f} {1.6 * width:.1f} Z",
                       class_="done-mark")
                    for n, column in enumerate(self.shown) if column.done
                    for x in (self.left + (n + 0.5) * self.column_width,))

    def bars(self) -> Markup:
        width = self.column_width * 0.56
        return join(self._bar(column, self.left + n * self.column_width + self.column_width * 0.22, width)
                    for n, column in enumerate(self.shown))

    def _bar(self, column: Column, x: float, width: float) -> Markup:
        parts, base = [], self.zero
        for source in SOURCES:
            wh = column.past.harvest[source] if column.past else 0.0
            if wh > 0:
                height = wh * self.per_wh
                parts.append(el("rect", x=x, y=base - height, width=width, height=height, fill=fill(source),
                                class_=f"bar bar-{source}"))
                base -= height
        if column.past and column.past.spilt_wh > 50:
            height = column.past.spilt_wh * self.per_wh
            parts.append(el("rect", x=x, y=base - height, width=width, height=height, class_="spilt"))
            base -= height
        if column.ahead:
            parts.append(self._expected(column.ahead, x, width, base))
        used = _out(column)
        if used > 0:
            parts.append(el("rect", x=x, y=self.zero, width=width, height=used * self.per_wh,
                            class_="use" if not column.ahead else "use use-ahead"))
        return join(parts)

    def _expected(self, ahead: DayOutlook, x: float, width: float, base: float) -> Markup:
        """Sun to come: its middle as a pale bar, and a whisker from one in ten to nine in ten."""
        p10, p50, p90 = (wh * self.per_wh for wh in (ahead.solar_wh.p10, ahead.solar_wh.p50, ahead.solar_wh.p90))
        middle = x + width / 2
        return join([
            el("rect", x=x, y=base - p50, width=width, height=p50, class_="bar-ahead"),
            el("path", d=f"M{middle:.1f} {base - p10:.1f} V{base - p90:.1f}", class_="whisker") if p90 > 2 else None])

    def levels(self, levels: list[tuple[datetime, float, bool]], first_day: date) -> Markup:
        first = day_start(first_day, self.zone)
        points = [(self.x(at), self.y(level), read) for at, level, read in levels if at >= first]
        if not points:
            return Markup("")
        radius = max(1.6, min(3.0, self.column_width / 14))
        dots = [el("circle", cx=x, cy=y, r=radius, class_="dot" if read else "dot dot-reckoned")
                for x, y, read in points]
        return join([el("path", d=path([(x, y) for x, y, _ in points]), class_="level"), *dots])

    def line(self, levels: list[tuple[datetime, float]], kind: str) -> Markup:
        points = [(self.x(at), self.y(level)) for at, level in levels if self.start <= at.timestamp() <= self.end]
        return el("path", d=path(points), class_=f"level {kind}") if points else Markup("")

    def fan(self, outlook: Outlook) -> Markup:
        shown = [n for n, at in enumerate(outlook.times) if n % 2 == 0 or n == len(outlook.times) - 1]
        last = next((n for n in shown if outlook.times[n].timestamp() > self.end), None)
        shown = [n for n in shown if last is None or n < last]
        xs = [self.x(outlook.times[n]) for n in shown]
        lines = [[self.y(outlook.fan[n][q]) for n in shown] for q in range(5)]
        return join([el("path", d=band(xs, lines[0], lines[4]), class_="fan-outer"),
                     el("path", d=band(xs, lines[1], lines[3]), class_="fan-inner"),
                     el("path", d=path(list(zip(xs, lines[2], strict=True))), class_="level level-ahead")])

    def hinge(self, now: datetime) -> Markup:
        x = self.x(now)
        if x > self.right:
            return Markup("")
        # Beside the line, where there is room for the word.
        left = x > self.right - self.size.letters * 3
        return join([el("path", d=f"M{x:.1f} {self.top - 4:.1f} V{self.energy_bottom:.1f}", class_="hinge"),
                     el("text", "now", x=x - 4 if left else x + 4, y=self.top + 7, font_size=self.size.letters,
                        class_="scale scale-now end" if left else "scale scale-now")])

    def labels(self, now: datetime) -> Markup:
        base, parts = self.size.height - self.size.letters * 1.35, []
        today = local_day(now, self.zone)
        for n, column in enumerate(self.shown):
            x = self.left + (n + 0.5) * self.column_width
            kind = "scale middle" + (" scale-now" if column.day == today else "")
            month = f" {column.day:%b}" if (column.day.day == 1 or n == 0) and self.column_width > 60 else ""
            parts += [el("text", f"{column.day:%a}"[:2], x=x, y=base, class_=kind, font_size=self.size.letters),
                      el("text", f"{column.day.day}{month}", x=x, y=base + self.size.letters * 1.15, class_=kind,
                         font_size=self.size.letters)]
        return join(parts)

    def links(self, log_url: str | None, now: datetime) -> Markup:
        today = local_day(now, self.zone)
        return join(
            el("a", el("rect", x=self.left + n * self.column_width, y=0.0, width=self.column_width,
                       height=self.size.height, class_="catch"),
               href=f"{log_url}?day={column.day}" if log_url else None, class_="day", data_line=column.line,
               role=None if log_url else "img", tabindex="0" if column.day == today else "-1",
               aria_label=f"{column.line}. Open the log there." if log_url else column.line)
            for n, column in enumerate(self.shown))


def _in(column: Column) -> float:
    expected = column.ahead.solar_wh.p90 if column.ahead else 0.0
    return (column.past.harvest_wh if column.past else 0.0) + expected


def _spilt(column: Column) -> float:
    return column.past.spilt_wh if column.past else 0.0


def _out(column: Column) -> float:
    return (column.past.use_wh if column.past else 0.0) + (column.ahead.use_wh.p50 if column.ahead else 0.0)


def _sky_mark(word: str, x: float, y: float) -> Markup:
    """A mark for a sky word: an open lozenge for clear, filled as the sky closes, strokes below for storm."""
    r = 5.0
    lozenge = f"M{x - r:.1f} {y:.1f} L{x:.1f} {y - r:.1f} L{x + r:.1f} {y:.1f} L{x:.1f} {y + r:.1f} Z"
    half = f"M{x:.1f} {y - r:.1f} L{x + r:.1f} {y:.1f} L{x:.1f} {y + r:.1f} Z"
    filled = {"clear": None, "mixed": half, "overcast": lozenge, "storm": lozenge}[word]
    strokes = " ".join(f"M{x + dx:.1f} {y + 6:.1f} l-2 4" for dx in (-3, 1, 5)) if word == "storm" else None
    return el("g", el("title", word), el("path", d=lozenge, class_="sky-line"),
              el("path", d=filled, class_="sky-fill") if filled else None,
              el("path", d=strokes, class_="sky-line") if strokes else None)
