"""Notes of Sums."""

NOTES = {
    "blank": "Write over any blank, and the sentence answers.",
    "start": "The blanks start from {rig}. Nothing here is kept.",
}
