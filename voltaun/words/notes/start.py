"""Notes of the first run, of all rigs together, and of a rig that cannot be read."""

NOTES = {
    "three": "Three questions, and the log is open.",
    "only_a_test": "Only a test: what is tried out?",
    "no_rig_needed": "No rig is needed, and nothing holds you back from emptying it. What it shows can become one.",
    "each": "Each can be left at “I don’t know yet”. Everything stays on this machine.",
    "not_taken": "The archive was not taken in; nothing was written.",
    "where": "Write it as 48.2 N, or south and west negative; one decimal is enough. Left blank, the time zone’s own "
             "town stands in.",
    "series": "Series adds volts, parallel adds Ah.",
    "words": "What the words mean.",
    "formulas": "The formulas stand in docs/reckoning.md, which comes with the application.",
    "no_rig": "There is no rig yet.",
    "can_help": "{giver} can help {taker}.",
    "side_by_side": "Your rigs, side by side.",
    "carry": "{out} out of {giver} put about {arrives} into {taker}, {days} days there. Both then have as many days "
             "in hand. Through its inverter and a charger; an estimate, not a promise.",
    "gave": "{giver} put about {arrives} a day into {taker} over {days} logged days. That was about {out} a day of "
            "its own use.",
    "one_charges_another": "One rig charges another? Open the receiving rig, add a socket, and name it after the rig "
                           "that feeds it.",
    "cannot_be_read": "{name} cannot be read.",
    "damaged": "{fault}. Its log is untouched, and the rest of Voltaun goes on.",
    "nothing_older": "Nothing older of it can be read. In a terminal, voltaun check tells which copy of the file is "
                     "whole.",
}
