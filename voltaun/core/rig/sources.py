"""What fills the bank: one row for each kind of source. Code asks the row, not the name."""

from dataclasses import dataclass

SUN, HAND, ITSELF = "sun", "hand", "itself"
"""Who starts a source: the sun (a clear sky says what it may give), a hand, or wind and water by themselves."""


@dataclass(frozen=True)
class Source:
    """A kind of source.

    name    what intervals, plans and weaves call it
    group   its parts in the rig and its file; kind  their class in `parts`
    wh, hours  the fields of a reading that hold its energy and how long it ran; hours None where nobody notes them
    by      SUN, HAND or ITSELF
    word    what it is called in a line of figures; head  above its parts; one  a single part of it
    rating  the label of its W when a rig is begun, where those are asked
    weave   how its bars are woven: the size of the pattern and the path of its threads; None for a solid one
    plan    the kind of plan that runs it, None where none does; begins  the clock hour at which that usually starts
    """

    name: str
    group: str
    kind: str
    wh: str
    word: str
    head: str
    one: str
    rating: str = ""
    weave: tuple[int, str] | None = None
    hours: str | None = None
    by: str = HAND
    plan: str | None = None
    begins: int = 0


SOURCE_TABLE = (
    Source("solar", "arrays", "SolarArray", "solar_wh", "sun", "Sun", "array", by=SUN),
    Source("vehicle", "vehicles", "Engine", "vehicle_wh", "engine", "Engine on the road", "engine on the road",
           "Engine on the road, W into the bank", (5, "M-1 6 L6 -1 M-3 3 L3 -3 M2 8 L8 2"), "vehicle_hours",
           plan="drive", begins=9),
    Source("generator", "generators", "Generator", "generator_wh", "generator", "Generator", "generator",
           "Generator, W into the bank", (5, "M0.4 1.6 a1.2 1.2 0 1 0 2.4 0 a1.2 1.2 0 1 0 -2.4 0"), "generator_hours",
           plan="generator", begins=17),
    Source("mains", "mains", "Mains", "mains_wh", "mains", "Mains, or carried to a socket", "socket",
           "Mains, W into the bank", (6, "M0 3 H6 M3 0 V6"), plan="mains", begins=9),
    Source("turbine", "turbines", "Turbine", "turbine_wh", "turbine", "Wind or water", "turbine",
           "Wind or water, rated W", (6, "M0 3 Q1.5 0 3 3 T6 3"), by=ITSELF),
)

SOURCE = {source.name: source for source in SOURCE_TABLE}
SOURCES = tuple(source.name for source in SOURCE_TABLE)
BY_HAND = tuple(source for source in SOURCE_TABLE if source.by == HAND)
STEADY = tuple(source for source in SOURCE_TABLE if source.by != SUN)
"""All that give so many W, whatever the sky."""

SOURCE_GROUPS = tuple(source.group for source in SOURCE_TABLE)
