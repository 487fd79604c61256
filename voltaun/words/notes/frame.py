"""Notes that stand on every page."""

NOTES = {
    "dead_clock": "This machine’s clock says {says}, but the log’s newest reading is of {newest}. Set the clock; "
                  "until then type the true time with each reading. The pages look from the newest reading on.",
    "to_come": "A reading is of a time still to come, {newest}. Either it is a slip: [look at it]; or this machine’s "
               "clock is behind.",
    "unreadable": "Left out, since it cannot be read: {readings} of this log. In a terminal, voltaun check tells "
                  "which, and which copy is whole.",
}
