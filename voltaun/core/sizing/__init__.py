"""What a use calls for."""

YEARS = 40
"""Weather years that are run unless the user says otherwise."""

FUEL_YEARS = 10
"""What takes fuel costs as much as it burns in so many years."""

MOST_PANELS, MOST_STRINGS = 24, 12
"""More panels and strings than this are not looked at: nobody could read the field of them."""
