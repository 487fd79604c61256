"""Notes."""

NOTES: dict[str, str] = {}
