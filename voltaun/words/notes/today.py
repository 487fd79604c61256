"""Notes of Today, its plan and the card."""

NOTES = {
    "found_on": "You wrote “{said}” at {at}. Leave the time before it out of what is usual?",
    "only_listed": "This is a list, not a log. The level today and tomorrow shows what is really used.",
    "apart": "The packs are {points} points apart. Let them balance at full, and look for a loose lead or a weak pack.",
    "no_copy_of_late": "No copy of the log could be made of late: {trouble}. [Copies]",
    "plan_waits": "The plan of the day waits until the level is read.",
    "last_copy": "The last copy of the log is of {day}; [copies].",
    "no_copy": "No copy of the log is made yet; [copies].",
    "ranges": "Ranges on this page hold 8 times in 10.",
    "not_set": "Not set yet: {parts}. [Rig]",
    "any_one": "Any one of these: {things}.",
    # What can be said already
    "sun_here": "about {clear} when it is clear, {dull} when it is dull",
    "one_night": "{high} to {low}, about {part} a day ({wh}), from one night only",
    "one_stretch": "{high} to {low}, about {part} a day ({wh}), from one stretch only",
    "guesses": "Guesses for usual use until something is measured; an estimate, not a promise.",
    # The card on the wall
    "card": "[The card on the wall], for those who mind the place.",
    "no_card": "No card yet.",
    "read_at_dark": "Read the level when it gets dark.",
    "print": "Print it on A5 or A4 from your browser.",
}
