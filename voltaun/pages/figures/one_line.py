"""The one-line diagram: sources, the bank with its real strings, the inverter and the loads, hung on two lines."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from markupsafe import Markup

from voltaun.core.rig.bank import capacity_ah, controller_limit, effective_energy, nominal_voltage
from voltaun.core.rig.limits import Limit, limits
from voltaun.core.rig.parts import Bank, Engine, Generator, Inverter, Load, Mains, SolarArray
from voltaun.core.rig.rig import Rig
from voltaun.core.rig.sources import STEADY
from voltaun.pages.figures.svg import el, figure, join
from voltaun.pages.figures.weave import SOURCE_WORDS, fill
from voltaun.words.reasons import short
from voltaun.words.sentences import counted
from voltaun.words.units import show_energy, show_power

_ROW, _CELL, _MOST = 50.0, (58.0, 22.0), 4
"""Height of a row; width and height of a battery; how many strings and batteries of a string are drawn."""


@dataclass(frozen=True)
class Row:
    """One part as it hangs on a line: what it is called, its figures, where they stand, and its limit."""

    name: str
    figures: str
    href: str
    source: str | None = None
    limit: Limit | None = None


_BASIS = {"tested": "as tested", "log": "as the log shows", "rated": "as printed",
          "station default": "of it, 85 % at its sockets"}
"""What the bank's energy rests on, in a drawing."""


def rows(rig: Rig) -> tuple[list[Row], list[Row], list[Row]]:
    """The sources, the AC loads and the DC loads as rows."""
    met = limits(rig)
    sources = [Row(array.name, _array(rig, array), _part("arrays", n), "solar", _first(met, "arrays", array.name))
               for n, array in enumerate(rig.arrays)]
    sources += [Row(part.name, f"{_kind(source, part)}, {show_power(part.gives_w)} into the bank", _part(group, n),
                    source, _first(met, group, part.name))
                for source, group in ((each.name, each.group) for each in STEADY)
                for n, part in enumerate(getattr(rig, group))]
    loads = {side: [Row(load.name, _load(load), _part("loads", n)) for n, load in enumerate(rig.loads)
                    if load.side == side] for side in ("ac", "dc")}
    return sources, loads["ac"], loads["dc"]


def _part(group: str, n: int | None = None) -> str:
    """Where a part is opened beside the drawing."""
    return f"?part={group}#part" if n is None else f"?part={group}-{n}#part"


def _kind(source: str, part: Engine | Mains | Generator) -> str:
    return "carried to a socket" if getattr(part, "carried", False) else SOURCE_WORDS[source]


def _first(met: Iterable[Limit], group: str, name: str) -> Limit | None:
    """The limit to draw at a part: one that is passed before one that only holds back."""
    there = [limit for limit in met if (limit.group, limit.name) == (group, name)]
    return min(there, key=lambda limit: not limit.over, default=None)


def _array(rig: Rig, array: SolarArray) -> str:
    limit = controller_limit(rig, array)
    aimed = f", aimed {array.aimed_per_day} × a day" if array.aimed_per_day else ""
    through = f", controller {show_power(limit)}" if limit else ""
    return f"{array.panels} × {array.panel_w:g} W{through}{aimed}"


def _load(load: Load) -> str:
    on = f"{show_power(load.running_w)} on, " if load.running_w else ""
    return f"{on}{show_energy(load.daily_wh)} a day"


def wide(rig: Rig) -> Markup:
    """The diagram for a screen: sources to the left of the DC line, everything else to its right."""
    sources, ac, dc = rows(rig)
    bus, ac_bus, right = 356.0, 640.0, 992.0
    bank_height = _bank_height(rig)
    top = 34.0
    inverter_at = top + bank_height + 26
    ac_end = inverter_at + max(0, len(ac) - 1) * _ROW
    dc_at = max(ac_end, inverter_at) + _ROW + 4 if rig.inverter or ac else inverter_at
    bottom = max(dc_at + max(0, len(dc) - 1) * _ROW, top + max(0, len(sources) - 1) * _ROW + 20)
    parts = [_bus(bus, top - 10, bottom + 8, _bus_words(rig))]
    parts += [_hung(row, 8, bus, top + 12 + n * _ROW, towards=-1) for n, row in enumerate(sources)]
    parts.append(_bank(rig, bus, top, right))
    if rig.inverter:
        parts += [_inverter(rig, rig.inverter, bus, inverter_at, ac_bus),
                  _bus(ac_bus, inverter_at - 12, max(ac_end, inverter_at) + 14, "AC")]
    parts += [_hung(row, ac_bus, right, inverter_at + n * _ROW, 1) for n, row in enumerate(ac)]
    parts += [_hung(row, bus, right, dc_at + n * _ROW, 1) for n, row in enumerate(dc)]
    return _figure(1000, bottom + 26, rig, join(parts), "one-line")


def narrow(rig: Rig) -> Markup:
    """The diagram for a phone: everything hangs on the DC line, one below the other."""
    sources, ac, dc = rows(rig)
    bus, ac_bus, right, y = 14.0, 40.0, 382.0, 34.0
    parts = []
    for row in sources:
        parts.append(_hung(row, bus, right, y, 1))
        y += _ROW
    parts.append(_bank(rig, bus, y, right))
    y += _bank_height(rig) + 26
    if rig.inverter:
        parts.append(_inverter(rig, rig.inverter, bus, y, None))
        y += _ROW
        if ac:
            parts.append(_bus(ac_bus, y - _ROW + 11, y + (len(ac) - 1) * _ROW + 6, ""))
    for row in ac:
        parts.append(_hung(row, ac_bus, right, y, 1))
        y += _ROW
    for row in dc:
        parts.append(_hung(row, bus, right, y, 1))
        y += _ROW
    parts.insert(0, _bus(bus, 16, y - _ROW + 16, _bus_words(rig)))
    return _figure(390, y, rig, join(parts), "one-line-narrow")


def _bus_words(rig: Rig) -> str:
    volts = nominal_voltage(rig.bank)
    return f"DC, {volts:g} V" if volts else "DC"


def _bus(x: float, top: float, bottom: float, words: str) -> Markup:
    return join([el("path", d=f"M{x:.1f} {top:.1f} V{bottom:.1f}", class_="bus"),
                 el("text", words, x=x - 4 if x > 100 else x + 8, y=top - 6 if x > 100 else top - 2,
                    class_="scale middle" if x > 100 else "scale") if words else None])


def _hung(row: Row, left: float, right: float, y: float, towards: int) -> Markup:
    """A part with its line to the bus: to the left of it (towards −1) or to its right."""
    at = right if towards < 0 else left
    over = row.limit is not None and row.limit.over
    line = "wire wire-over" if over else "wire"
    lead = 60.0 if towards < 0 else 26.0
    inner = at + towards * lead
    words: dict[str, Any] = {"x": inner + towards * (38 if row.source else 8), "class_": "end" if towards < 0 else None}
    parts = [el("path", d=f"M{at:.1f} {y:.1f} H{inner:.1f}", class_=line),
             el("circle", cx=at, cy=y, r=3.5, class_="dot")]
    if row.source:
        parts.append(el("rect", x=min(inner, inner + towards * 30), y=y - 8, width=30, height=16, fill=fill(row.source),
                        class_=f"bar bar-{row.source}"))
    if row.limit and over:
        parts.append(el("path", d=f"M{(at + inner) / 2 - 5:.1f} {y - 7:.1f} l10 14 m-10 0 l10 -14", class_="over-mark"))
    parts += [el("text", row.name, y=y - 3, **(words | {"class_": f"part {words['class_'] or ''}".strip()})),
              el("text", short(row.limit) if over and row.limit else row.figures, y=y + 14,
                 **(words | {"class_": " ".join(filter(None, ("scale", words["class_"], over * "floor-word")))}))]
    said = f"{row.name}: {row.figures}" + (f"; {short(row.limit)}" if row.limit else "")
    wide = 250.0
    reach = el("rect", x=inner if towards > 0 else inner - wide, y=y - 20, width=wide, height=40, class_="reach")
    return el("a", el("title", said), reach, join(parts), href=row.href)


def _inverter(rig: Rig, inverter: Inverter, bus: float, y: float, ac_bus: float | None) -> Markup:
    limit = _first(limits(rig), "inverter", "")
    end = ac_bus if ac_bus is not None else bus + 26
    name_x = bus + 38
    rating = f"{show_power(inverter.continuous_w)}, " if inverter.continuous_w else ""
    words = short(limit) if limit else f"{rating}idle {inverter.idle_w:g} W, {inverter.efficiency * 100:.0f} %"
    parts = [el("circle", cx=bus, cy=y, r=3.5, class_="dot"),
             el("path", d=f"M{bus} {y:.1f} H{end:.1f}", class_="wire wire-over" if limit else "wire"),
             # A wave on the AC side of a slash: what goes in straight comes out as waves.
             el("rect", x=bus + 8, y=y - 11, width=24, height=22, class_="node"),
             el("path", d=f"M{bus + 8} {y + 11:.1f} L{bus + 32} {y - 11:.1f} M{bus + 19} {y + 6:.1f} q3 -6 6 0 t6 0",
                class_="tick"),
             el("text", "Inverter", x=name_x + 4, y=y - 6, class_="part"),
             el("text", words, x=name_x + 4, y=y + 16, class_="scale floor-word" if limit else "scale")]
    reach = el("rect", x=bus + 8, y=y - 20, width=240, height=40, class_="reach")
    return el("a", el("title", f"Inverter: {words}"), reach, join(parts), href=_part("inverter"))


def _bank_height(rig: Rig) -> float:
    return 24 + min(_MOST, 1 if rig.bank.is_station else rig.bank.parallel) * (_CELL[1] + 8) + 22


def _bank(rig: Rig, bus: float, top: float, right: float) -> Markup:
    """The bank as it is wired: each string a row of batteries in series, the strings one below the other."""
    bank, limit = rig.bank, _first(limits(rig), "bank", "")
    left, (width, height) = bus + 46, _CELL
    strings = 1 if bank.is_station else min(_MOST, bank.parallel)
    cells = len(bank.packs) if bank.is_station else min(_MOST, bank.series)
    over = limit is not None and limit.over
    y, parts = top + 22, []
    parts.append(el("path", d=f"M{bus} {y + height / 2:.1f} H{left:.1f}", class_="wire wire-over" if over else "wire"))
    parts.append(el("circle", cx=bus, cy=y + height / 2, r=3.5, class_="dot"))
    # The fuse that belongs at the battery.
    parts.append(el("path", d=f"M{bus + 18} {y + height / 2 - 5:.1f} h14 v10 h-14 z", class_="node"))
    for n in range(strings):
        row = y + n * (height + 8)
        for cell in range(cells):
            x = left + cell * (width + 9)
            parts += [el("rect", x=x, y=row, width=width, height=height, class_="cell-box"),
                      el("text", _cell_words(bank, cell), x=x + width / 2, y=row + height / 2 + 4.5,
                         class_="cell-word middle"),
                      el("path", d=f"M{x + width} {row + 5:.1f} h3 v{height - 10:.1f} h-3", class_="tick")]
            if cell:
                parts.append(el("path", d=f"M{x - 6} {row + height / 2:.1f} H{x}", class_="tick"))
        if n:
            parts.append(el("path", d=f"M{left - 8} {row - height / 2 - 8:.1f} V{row + height / 2:.1f} H{left}",
                            class_="tick"))
    more = "" if bank.is_station or (bank.parallel <= _MOST and bank.series <= _MOST) else ", not all drawn"
    energy = effective_energy(rig)
    name = _bank_name(bank) + more
    held = f"{capacity_ah(bank):g} Ah, " if capacity_ah(bank) and not bank.is_station else ""
    words = (short(limit) if over and limit else
             f"{held}{show_energy(energy.wh)} {_BASIS[energy.basis]}")
    base = y + strings * (height + 8) + 8
    text_x = left
    parts += [el("text", name, x=text_x, y=top + 10, class_="part"),
              el("text", words, x=text_x, y=base + 4, class_="scale floor-word" if over else "scale")]
    reach = el("rect", x=left, y=top, width=250, height=base - top + 16, class_="reach")
    return el("a", el("title", f"Bank: {name}, {words}"), reach, join(parts), href=_part("bank"))


def _cell_words(bank: Bank, n: int) -> str:
    return show_energy(bank.packs[n]) if bank.is_station else f"{bank.unit_voltage_v:g} V"


def _bank_name(bank: Bank) -> str:
    if bank.is_station:
        return "Station" + (f" and {counted(len(bank.pack_wh), 'pack')}" if bank.pack_wh else "")
    unit = f"{bank.unit_voltage_v:g} V {bank.unit_capacity_ah:g} Ah"
    wired = f"{bank.series} in series" if bank.series > 1 else "one battery" if bank.parallel == 1 else "single"
    return f"{unit}, {wired}" + (f" × {bank.parallel} strings" if bank.parallel > 1 else "")


def _figure(width: int, height: float, rig: Rig, drawing: Markup, name: str) -> Markup:
    sources, ac, dc = rows(rig)
    said = "; ".join(f"{row.name}: {row.figures}" + (f", {short(row.limit)}" if row.limit else "")
                     for row in (*sources, *ac, *dc))
    return figure(width, height, f"One-line diagram of {rig.name}", f"{said}. Every part opens its figures.", drawing,
                  name=name, role="group", class_=name)
