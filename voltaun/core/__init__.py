"""The reckoning: frozen dataclasses and pure functions.

Nothing here imports Flask or sqlite3, and nothing reads a clock, a file or a random state that it was
not handed.
"""
