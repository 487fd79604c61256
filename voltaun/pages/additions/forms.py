"""The worksheet's inputs; what is left blank is taken from the log, the loads or the rig."""

from wtforms import Form, SelectField

from voltaun.pages.fields import QuantityField, TemperatureField
from voltaun.words.sentences import month

_POSITIVE = 0.001


class WorksheetForm(Form):
    """All of them may be blank."""

    use_wh_per_day = QuantityField("Use a day, Wh", "energy", low=_POSITIVE, high=1e7)
    reserve_days = QuantityField("Days in reserve", "number", low=_POSITIVE, high=60)
    recovery_days = QuantityField("Days to recover", "number", low=_POSITIVE, high=365)
    everyday_floor = QuantityField("Everyday floor, %", "percent")
    bank_temp_c = TemperatureField("Coldest bank, °C", low=-60, high=60)
    design_month = SelectField("Design month", default="", choices=[("", "the one with least sun"),
                                                        *((str(n), month(n)) for n in range(1, 13))])
    peak_sun_hours = QuantityField("Peak-sun hours a day", "number", low=_POSITIVE, high=24)
    array_share = QuantityField("Array share, %", "percent")
    largest_running_w = QuantityField("Running at once, AC, W", "power", low=_POSITIVE, high=1e6)
    panel_w = QuantityField("One panel, W", "power", low=_POSITIVE, high=1e5)
