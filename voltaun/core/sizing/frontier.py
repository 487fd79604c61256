"""Which options nothing beats, and which is the least that is enough."""

from collections.abc import Sequence

from voltaun.core.sizing.choices import Choice


def unbeaten(choices: Sequence[Choice], days: Sequence[float]) -> list[bool]:
    """Which of them no other beats: none costs no more and leaves no more days below, and one of both less.

    days  below the everyday floor in a usual year. Without prices panels and strings each count. What is ruled out
    beats nothing and is not among them, nor is what takes fuel, whose price is not known.
    """
    priced = all(of.price is not None for of in choices if of.of_field)

    def costs(of: Choice) -> tuple[float, ...]:
        return (of.price or 0.0,) if priced else (
            float(of.panels + of.second), float(of.strings), float(len(of.bought)))

    def beats(one: int, other: int) -> bool:
        a, b = costs(choices[one]), costs(choices[other])
        no_worse = all(x <= y for x, y in zip(a, b, strict=True)) and days[one] <= days[other]
        return no_worse and (a != b or days[one] < days[other])
    able = [n for n, of in enumerate(choices) if not of.ruled_out and (of.price is not None or not of.measures)
            and (of.price is not None or not priced)]
    return [n in able and not any(beats(one, n) for one in able if one != n) for n in range(len(choices))]


def answer(choices: Sequence[Choice], days: Sequence[float], hard: Sequence[float], most_days: float) -> int | None:
    """The least that keeps a usual year within so many days below: by price, else by how much is added, and of as much
    what leaves the fewest days in a hard year; of what is done without buying only where nothing to buy does. None when
    nothing that can be had does.

    days, hard  below the everyday floor in a usual and in a hard year
    """
    def cost(n: int) -> tuple[float, ...]:
        of = choices[n]
        price = of.price if of.price is not None else float("inf")
        return (bool(of.measures), price, of.things, hard[n], days[n], of.lane.added_w + of.lane.beside_w)
    able = [n for n, of in enumerate(choices) if not of.ruled_out and days[n] <= most_days]
    return min(able, key=cost, default=None)
