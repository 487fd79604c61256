"""Readings, intervals, days, samples."""
