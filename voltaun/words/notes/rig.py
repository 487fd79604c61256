"""Notes of Rig."""

NOTES = {
    "usable": "{wh} to use from full to your everyday floor.",
    "aim": "[What would aiming {array} by hand bring?]",
    "brackets": "In brackets: what each further turn adds.",
    "not_listed": "What is not listed stands as first described, or as the chemistry usually has it.",
    "weather": "The outlook believes its months until the log knows better. [Additions] runs its years, and takes "
               "more files.",
    "another_name": "Found another name, expected “{name}”.",
    # A part
    "since": "Blank: it was always so, and the whole log is reckoned with it. A day: the log before it keeps what "
             "stood then.",
    "there_since": "It is there since {day}.",
    "of_bank": "Series adds volts, parallel adds Ah. A lead bank kept above 70 % lasts perhaps twice as long as one "
               "used to half.",
    "of_arrays": "Facing: north, NE, or degrees from north. Tilt: flat, upright, 1 in 3, or degrees from level. "
                 "Shade: 1 is none; twelve figures are January to December. A portable array that is aimed by hand "
                 "needs no tilt.",
    "rest_later": "The rest stands as is usual. Open the part again to change that.",
    "new_load": "W is a rate, Wh an amount: a 60 W thing on for 20 minutes uses 20 Wh. Runs: always, 18-23, or 2 h in "
                "9-16.",
    "of_loads": "W is a rate, Wh an amount: a 60 W thing on for 20 minutes uses 20 Wh. Runs: always, 18-23, or 2 h in "
                "9-16. Months: all, 12 1 2, or 5-9.",
    "of_vehicles": "The W that its charger gives. The input’s V × A, or what the alternator can spare, may let less "
                   "through. It should stop above the volts that still start the engine.",
    "of_generators": "W into the bank, at most 80 % of what it gives for long.",
    "of_mains": "The charger’s W into the bank. Named as another of your rigs, it is fed by that one: what it brings "
                "here is use there.",
    "of_turbines": "The W it is rated for. What it really gives is learned from the Wh that you note.",
    "of_places": "From which day it stood where. Sun and shade follow; the clock stays that of the place.",
    "of_place": "Write 48.2 N, or −70.5 for 70.5 W. A tenth of a degree is close enough for the sun.",
    # What follows from it
    "lost": "of every 100 Wh for AC loads, {wh} are lost in it",
    "over_continuous": "{watts} of AC at once is more than the inverter’s {most}",
    "over_surge": "starting up to {watts} is more than the inverter’s surge of {most}",
    "follows": "What follows appears here once the figures fit together.",
}
