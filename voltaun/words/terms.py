"""The words that are ours, each with its short gloss: one list for the pages, the page Words and the docs."""

TERMS = {
    "everyday floor": "The level that you plan to stay above. You set it on Rig.",
    "hard floor": "The level where loads are cut off, or should be.",
    "dark autonomy": "How long the bank lasts down to a floor when nothing charges it.",
    "usable": "The energy between full and a floor, in the cold less than in the warm.",
    "short day": "A day on which the level drops below your everyday floor.",
    "unserved": "Energy that was wanted while the bank was at its hard floor.",
    "spilt": "Sun that finds the bank full and is lost.",
    "capped": "Sun of a day on which the bank was full: what came in is a least.",
    "reckoned": "Worked out from the other figures, because it was not read.",
    "doubtful": "A reading that does not fit the ones beside it.",
    "draw": "What the bank loses day and night without any load on the list, such as a standing inverter.",
    "drain": "All that leaves the bank in a day: loads, losses, standby and draw.",
    "share of a clear sky": "How much of a cloudless day’s sun came in.",
    "peak-sun hours": "Hours of full sun that would bring as much as a whole day does.",
    "usual year, hard year": "Half of all years are worse than a usual one; one in ten is worse than a hard one.",
}
"""Word, and what it means."""
