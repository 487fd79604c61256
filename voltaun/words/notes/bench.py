"""Notes of Bench."""

NOTES = {
    "empty": "What runs here?",
    "empty_why": "Here stands what everything takes, how well that is known, and what to measure next. Today then "
                 "says how long the bank lasts. [Tick usual things], or meter one.",
    "not_yet": "The loads on the list take about {wh} a day. The log does not tell yet whether that is so.",
    "explains": "Your list takes {wh} a day, the log says {log}: within their doubt.",
    "unlisted": "Something uses about {wh} a day that is not on your list.",
    "too_much": "The list takes about {wh} a day more than the log says.",
    "next": "Measure next: [{load}]. No other figure leaves as much in doubt, {wh} a day.",
    "from_log": "from {days}",
    "from_log_and_draw": "from {days}, with {draw}",
    "given": "by its log: about {wh} a day came from here",
    "grades": "A: metered for a day or more, 10 %. B: watts × hours, or a drawdown trial, 25 %. C: a label, 50 % and "
              "mostly too high. D: a guess, 75 %. [Change the loads]",
    "round": "One load after another, the most in doubt first. Each has a day on a meter of its side.",
    "waiting": "Waiting: {loads}. Without a meter for its side, use a [drawdown trial].",
    # How a run begins
    "begin_meter": "Put {what} on the meter. Set its counter to zero, or note what it shows, and start.",
    "begin_drawdown": "Nothing may charge while it runs. Note the level, let {what} run, and read it now and then.",
    "begin_capacity": "Begin with a full bank and counters at zero. Let a known load run until the cut-off.",
    "begin_inverter": "Note the watts on both sides with nothing on. Then add pairs with a small and a large load.",
    "begin_harvest": "Note what has come in so far, or the level, as {what} begins.",
    "begin_hydrometer": "Read each cell with the hydrometer, always in the same order, after hours of rest.",
    "begin_label": "Write what you know. A label is a first figure until it is metered.",
    "name_alone": "A usual thing’s name alone is enough for a first guess; [pick several at once].",
    "rate": "W is a rate, Wh an amount: a 60 W thing on for 20 minutes uses 20 Wh.",
    # A run
    "tried_out": "This was only tried out. Apply what it shows first, if it is right.",
    "abandoned": "Abandoned; it counts for nothing.",
    "asks_reset": "Was the meter set back to zero before the reading of {at}? If not, one of the readings has a slip.",
    "asks_charge": "Did something charge before the reading of {at}? Then that stretch does not count.",
    "asks_stretch": "Did something else flow before the reading of {at}, or was a counter set back? Leave that out.",
    "found_on": "The note of {at} says “{said}”. If that is not usual, leave out the stretch before it.",
    "correct": "[Correct or take out the reading of {at}]",
    "applied": "Applied on {day}: the rig reckons with it.",
    "otherwise": "It says something else by now. Take it back and apply it again to use that.",
    "used": "It was used from {day} on; another figure is in its place since.",
    "doubted": "{doubt}. Is it right?",
    "in_log": "It stands in the log, which learns from it. There is nothing to apply.",
    "yield_learned": "What the panels yield is learned from the log. There is nothing to apply.",
    "as_level": "As a level it goes into the log: {level}.",
    "already": "The rig reckons with these figures already.",
    "usual_set": "A trial of the usual set changes no figure of the rig.",
    "label_says": "The label says {times} times what the meter shows.",
    "warmer_more": "Between {low} and {high} it takes {wh} Wh a day more for each degree.",
    "warmer_less": "Between {low} and {high} it takes {wh} Wh a day less for each degree.",
    # Usual things
    "tick": "Tick what runs here.",
    "usually": "Each comes with what such a thing usually takes. It is a guess; a meter over a day puts the truth in "
               "its place.",
    "medical": "A device that keeps somebody alive or well: do not rely on an estimate.",
}
