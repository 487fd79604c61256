"""Notes of Log and its parts."""

NOTES = {
    # What the log teaches
    "taught_nothing": "The log does not teach anything yet.",
    "taught_how": "A few evenings with the level and the sun written down make the rest.",
    "taught_from": "From {days}. Each figure stands with what it rests on. Nothing is applied to the rig unless you "
                   "do it here. It can be taken back.",
    "legs": "{days} on which the level moved ten points or more",
    "legs_few": "{days} on which the level moved ten points or more. Eight are needed, with sun, use and level "
                "all read.",
    "days_read": "{days} days on which everything was read",
    "days_few": "a fortnight with sun, use and level all read is needed",
    "by_shunt": "The percent here is counted by a shunt, relative to the capacity set in it. So the log finds that "
                "capacity again, and not what the bank has lost. Only the ends show that: the cut-off comes early, or "
                "“full” while it still says 90. A [capacity test] finds it.",
    "by_volts": "The percent here comes from volts and is good to ten points. What the bank holds is known roughly.",
    "by_display": "A display that counts is relative to the capacity set in it. Then the log finds that one again, "
                  "not what the bank has lost.",
    "wander": "From day to day the books wander {times} times further than rounding and meters would. The percent "
              "drifts between its resets, or figures and level are taken at different times.",
    "off_by": "one day in three is off by more than {wh}",
    "display": "It divides what is left by the watts of the moment: all that can run at once, or {watts}.",
    "decide": "At your usual use it is about {time}; decide on that one.",
    "no_weekdays": "no pattern that is more than chance",
    "capped": "On a capped day the bank was full while the sun was up. It counts as “at least this”, and does not "
              "drag the yield down.",
    "named_by_share": "Days without a word are named by the share of a clear sky they brought.",
    # The readings
    "begun": "The log has begun.",
    "empty": "The log is empty here.",
    "empty_why": "Here stand the readings, day by day, and what they teach. You will see what you use, what the sun "
                 "brings and what the bank holds. [Write down the level now], or [bring a log in].",
    "answered_reset": "This change of level is not booked: the monitor set itself, or a trial leaves it out.",
    "answered_right": "You said: the figures are right.",
    "asks_reset": "The percent jumped, and no energy explains it. Did the monitor set itself?",
    "asks_doubtful": "These figures do not fit together. Is the monitor wrong, or did something flow that nobody "
                     "wrote down?",
    "from_samples": "From samples, counted at the bank. [Its samples]",
    "missed": "After {days} without a reading.",
    "spilt_how": "Estimated: what the sky would likely have given, less what was harvested",
    "legend": "Open a reading by its date to change it. {italic}: reckoned, not read; focus one to see how. A dot: "
              "not known; focus it for why. {capped}: the bank was full while the sun was up, so this is the least. "
              "{reset}: what moved the level is not booked. {doubtful}: the figures do not fit together.",
    # In and out
    "take_out": "[Take the log out as CSV]: all of it, with what was reckoned marked. [Take the rig out as a file]. "
                "[Take everything out as an archive]: rig, log, bench and samples in one file. Or take [everything of "
                "all rigs], the removed ones too.",
    "not_taken": "The file was not taken in; nothing was written.",
    "faults": "It has {faults}:",
    "another_way": "If it is written in another way, [say how it is to be read].",
    "files_like": "Files like “{name}” are read as you said.",
    # A file of any shape
    "right": "Is that right?",
    "what_is_what": "What is what in {name}?",
    "cannot_be_read": "So it cannot be read; nothing was written.",
    "are_they": "Are they right?",
    "is_it": "Is it right?",
    "the_first": "The first:",
    "both_ways": "in the log {soc}, {sun} of sun; in the file {soc_in_file}, {sun_in_file}",
    "only_rows": "Only rows with {of} as {column}.",
    # Samples and the monitor
    "monitor_is": "The monitor is {state}.",
    "samples": "Samples from {first} to {last}.",
    "no_samples": "No monitor has been read, and no samples are in.",
    "not_sampled": "Nothing was sampled then.",
    "every": "Every how many minutes? 0 = only when you ask. At the hours chosen the samples become a reading in the "
             "log. It is counted at the bank: sun that goes straight to a load is in no figure of it. Did an engine "
             "or a generator charge too? Open that reading and divide the sum.",
    "lying": "What it showed cannot be with this rig, and nothing of it was kept. Is it right all the same?",
    "samples_file": "A file whose columns have other names is asked about once. Amps and watts are positive into the "
                    "bank; counters run on. An instant that is already in keeps its figures. You can stop it at any "
                    "time, and then nothing of the file is kept.",
    "samples_out": "With the readings that were made of them. They can be brought back, or sent again corrected.",
    "job_under_way": "Bringing {name} in.",
    "job_asked": "Is that right?",
    "job_done": "{name} is in.",
    "job_cancelled": "The import was stopped.",
    "job_refused": "The file was not taken in; nothing was kept.",
    "how_far": "[How far is it now?]",
    "job_so_far": "{rows} rows, {share} % of the file read.",
    # Months, years, two stretches
    "sheet": "{name}: {came} came in, {used} was used.",
    "sheet_spilt": "{name}: {came} came in, {used} was used. About {spilt} of sun was spilt.",
    "sheet_empty": "{name}: nothing is in the log.",
    "sheet_of": "{rig}, a sheet of the log.",
    "covered": "{days} days are covered by readings. {italic}: partly or wholly reckoned, not read. · not known.",
    "more": "You use {wh} a day more in the second stretch, and that is more than chance.",
    "less": "You use {wh} a day less in the second stretch, and that is more than chance.",
    "no_difference": "No clear difference in use between the two stretches.",
    "stretches": "The two stretches beside one another.",
    "choose_stretches": "Choose two stretches of days to set beside one another.",
    "chance": "Smaller differences happen by chance, once in twenty times. A capped day counts in the share as “at "
              "least this”.",
    # Several days typed in
    "grid": "Several days from a paper log.",
    "grid_how": "One row a reading, with the figures since the row before. Leave blank what is not known. Tab goes "
                "on, the arrows up and down change the row. If one row is wrong, none is kept, and the fault is shown "
                "beside it.",
    # Copies, and what was changed
    "no_copy_of_late": "No copy could be made of late.",
    "last_copy": "The last copy is of {day}.",
    "no_copy": "There is no copy of the log yet.",
    "copies": "One is made each day while Voltaun runs. The last seven are kept beside the file {database}. To put "
              "one in its place, stop Voltaun. Then run {restore} with the copy’s name in a terminal. What stood "
              "there is kept.",
    "none_yet": "None yet.",
    "changed": "What was changed and removed, and the way back.",
    "unchanged": "Nothing was changed or removed in the last {days} days.",
    "changed_how": "The last {days} days, the latest first. Was the same thing changed again later? Take that back "
                   "first.",
    # Out of reach
    "away": "Type it; it waits on this phone.",
    "away_last": "As this phone knows it, the last reading is of {at}. It may have gone on since.",
    "away_last_level": "As this phone knows it, the last reading is of {at}: {level} then. It may have gone on since.",
    "away_none": "No reading yet.",
    "away_time": "Without a time it is of the moment at which you keep it here.",
    "away_nothing": "Found nothing to keep, expected at least one figure, such as a level of 74%.",
}
