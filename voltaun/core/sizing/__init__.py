"""What a use calls for."""

YEARS = 40
"""Weather years that are run unless the user says otherwise."""

MOST_PANELS, MOST_STRINGS = 24, 12
"""More panels and strings than this are not looked at: nobody could read the field of them."""
