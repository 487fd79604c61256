"""The form of a reading, on Today and in Log, and asking about its figures."""
