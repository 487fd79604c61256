"""Voltaun: a logbook that reckons, for people who live off-grid."""

__version__ = "0.1.0"
