"""Notes of Outlook."""

NOTES = {
    # Nothing to say yet
    "empty": "The days ahead, and their odds.",
    "empty_why": "Here stands how the level may go, day by day, and the odds of dropping low.",
    "tick": "[Tick what runs].",
    "write_down": "[Write down the level now].",
    # The answer
    "what_if": "What if, and not as things stand: {asked}.",
    "trust": "How sure a sky word counts: {near} for tomorrow, {far} for the fifth day.",
    "trust_guess": "How sure a sky word counts: {near} for tomorrow, {far} for the fifth day, a guess. Your log will "
                   "adjust this once it has seen some come true.",
    # Plans
    "no_plan": "Nothing is planned.",
    "plans": "Plans count from now on. Without a time, driving and a socket begin at 9:00, the generator at 17:00. If "
             "that is past today, they begin at once. One more load is on between its two times.",
    "moving": "Moving? Write the place and its day on [Rig, Places]. From that day on its sun counts.",
    "rule": "It runs {rule}.",
    "no_rule": "The generator counts only where you plan it.",
    # Day by day
    "how_long": "How long the {above} above {floor} last without any charging:",
    "nothing_left": "Nothing is left above {floor}.",
    "display": "A display that divides by the watts of the moment swings between {low} and {high}. This table takes "
               "the usual use of a day.",
    "dropping": "Dropping below {floor} within {days}: {chance}. Reaching {hard}, where loads are cut off: {cut_off}.",
    "unserved": "Up to {wh} would then not be served.",
    # The worst of the log again
    "worst": "{first} to {last} were the leanest days of your log. Those {days} from now on, hour by hour, with what "
             "is planned. Lowest level each day: {levels}.",
    "no_worst": "The log has no five whole days in a row yet.",
    # What was assumed
    "not_counted": "driving, the generator and the mains, until they are planned or in the log",
    "estimate": "An estimate from {futures} futures, not a promise. Do not stake a medical device on it.",
    # Past outlooks
    "too_little": "There is too little of the log yet. An outlook is checked once it has three weeks behind it.",
    "as_far": "As far as readings show it: the level between two readings nobody saw. Outlooks of days in a row look "
              "at nearly the same days. So a few times more or less mean little.",
    "made_again": "Each was made again with only what was in the log by then. A range should hold 8 times in 10. Use "
                  "and level are held against the readings. What was driven or run by hand is counted as it happened. "
                  "The dots are what came, in the strong colour where they lie outside their range. Missed by: how "
                  "far, on average, the middle of the range was from what came.",
}
