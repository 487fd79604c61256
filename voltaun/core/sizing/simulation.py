"""The question of additions, and its answer: years drawn, options run through them, and what follows."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from voltaun.core.instants import day_start
from voltaun.core.learned.use import Absence, as_listed_now, day_legs
from voltaun.core.outlook.ask import Known
from voltaun.core.outlook.autonomy import drain
from voltaun.core.outlook.outlook import QUANTILES, Range
from voltaun.core.rig.bank import effective_energy
from voltaun.core.rig.loads import hourly_shape
from voltaun.core.rig.rig import Rig
from voltaun.core.sizing import YEARS
from voltaun.core.sizing import years as weather_years
from voltaun.core.sizing.again import LogAgain, fitted, log_again
from voltaun.core.sizing.choices import Choice, Offer, all_choices, with_fuel
from voltaun.core.sizing.frontier import answer, unbeaten
from voltaun.core.sizing.lanes import Lane
from voltaun.core.sizing.lives import with_cost_a_year
from voltaun.core.sizing.run import Counted, last_levels, run
from voltaun.core.sizing.suns import arranged, under_files
from voltaun.core.sizing.worksheet import SYSTEM_SHARE
from voltaun.core.sizing.years import Years
from voltaun.core.sky.clear_sky import RigSun
from voltaun.core.sky.weather import Weather, on_plane
from voltaun.core.stats import quantiles

SHORT_DAYS = 3.0
"""So many days below the everyday floor in a usual year are enough, unless the user says otherwise."""

SHARE_DAYS = 200.0
"""The usual system share is believed as if so many logged days had shown it: weather comes in spells, so sixty days of
one season tell it no better than to a quarter, and with it the file's answer would be worse than without."""


@dataclass(frozen=True)
class AdditionsAsk:
    """One question: the rig, what its log tells, weather, options and limits.

    offer   what may be had; years  how many are drawn; most_days  what is enough
    other_sun  clear-sky harvest of the offer's other planes, where it has some
    habits  for a season what part of its days is bright, mixed and dark
    replays  whether the files as they stand and the log's own days are run as well
    all_year  whether it is lived in all year, whatever absences the log shows
    """

    rig: Rig
    known: Known
    sun: RigSun | None
    weathers: Sequence[Weather] = ()
    habits: Mapping[str, tuple[float, float, float]] = field(default_factory=dict)
    offer: Offer = Offer()
    other_sun: RigSun | None = None
    years: int = YEARS
    seed: int = 1
    most_days: float = SHORT_DAYS
    replays: bool = True
    all_year: bool = False

    @property
    def believed_sun(self) -> RigSun | None:
        """The clear-sky harvest with the panels as they seem."""
        return self.known.believed(self.rig, self.sun)


@dataclass(frozen=True)
class Spread(Range):
    """A quantity over the years, and its mean."""

    mean: float


@dataclass(frozen=True)
class Outcome:
    """What came of one option over the years; days a year, Wh a year, hours a year."""

    below: Spread
    unserved_days: Spread
    unserved_wh: Spread
    spilt_wh: Spread
    generator_h: Spread
    brought_wh: Spread
    longest: Spread


@dataclass(frozen=True)
class Recorded:
    """A mean a year over the weather files' own years, run as they stand."""

    below: float
    unserved_days: float
    unserved_wh: float
    spilt_wh: float
    generator_h: float


@dataclass(frozen=True)
class Additions:
    """The answer: options with what came of each, which of them are unbeaten, and which is the least that is enough.

    recorded, again  of each option; None without weather files, or without a log of whole days
    best  index into choices, None when nothing is enough
    sharpen  of the things that nobody knows those that move it most, the first one most, as `Years.draws` names them
    away  weeks of the log in which nobody was there, and which come again each year
    between  the same should what is not known of the seasons turn out well, and badly; None where all are known
    """

    ask: AdditionsAsk
    choices: list[Choice]
    outcomes: list[Outcome]
    recorded: list[Recorded] | None
    again: list[LogAgain] | None
    unbeaten: list[bool]
    best: int | None
    between: tuple[int | None, int | None] | None
    guesses: tuple[str, ...]
    sources: tuple[str, ...]
    sharpen: tuple[str, ...] = ()
    away: tuple[Absence, ...] = ()


def simulate_additions(ask: AdditionsAsk, going: Callable[[float], bool] = lambda part: True) -> Additions | None:
    """Run every option through the years; None when `going` says no. Raises ValueError when no use or sun is known."""
    rig, known = ask.rig, ask.known
    leaving = drain(rig, known.learned, None)
    if leaving is None:
        raise ValueError("use a day: found neither a log nor loads, expected one of them")
    if ask.sun is None or not rig.arrays:
        raise ValueError("sun: found no array in the rig, expected one to reckon with")
    choices = all_choices(rig, ask.offer)
    lanes = [each.lane for each in choices]
    planes, share, drawn = _drawn(ask)
    counted = run(rig, drawn, lanes, going)
    if counted is None:
        return None
    outcomes = [_outcome(counted, n) for n in range(len(choices))]
    choices = [with_cost_a_year(rig, with_fuel(rig, of, came.generator_h.mean), leaving.wh)
               for of, came in zip(choices, outcomes, strict=True)]
    usual, hard = ([getattr(of.below, name) for of in outcomes] for name in ("p50", "p90"))
    aims = ask.offer.aims
    recorded = _as_recorded(ask, planes, share, lanes) if planes and ask.replays else None
    again = log_again(rig, known, ask.believed_sun, lanes, aims, ask.other_sun) if ask.replays else None
    best = answer(choices, usual, hard, ask.most_days)
    return Additions(ask, choices, outcomes, recorded, again, unbeaten(choices, usual), best,
                     _between(ask, choices, outcomes) if drawn.guesses else None, drawn.guesses, drawn.sources,
                     _moved_by(drawn, counted.below[best or 0]),
                     () if ask.all_year else tuple(weather_years.away_by_log(rig, known)))


def _drawn(ask: AdditionsAsk) -> tuple[list[list[np.ndarray]], float, Years]:
    """The files' planes, what part of their irradiance gets into the battery, and the years that are drawn."""
    rig, known, aims = ask.rig, ask.known, ask.offer.aims
    legs = as_listed_now(rig, day_legs(known.account.intervals))
    planes = [[on_plane(of, array.tilt_deg, array.azimuth_deg) for array in (*rig.arrays, *aims.others(rig))]
              for of in ask.weathers]
    share = system_share(ask, planes) if planes else SYSTEM_SHARE
    if planes:
        return planes, share, weather_years.from_files(rig, known, legs, planes, ask.weathers, share, ask.years,
                                                       ask.seed, aims, ask.all_year)
    return planes, share, weather_years.from_log(rig, known, legs, ask.believed_sun, ask.years, ask.seed, ask.habits,
                                                 aims, ask.other_sun, ask.all_year)


def outcome_of(ask: AdditionsAsk, lane: Lane) -> Outcome:
    """What comes of one option by itself, as of a worksheet's answer that the field has not."""
    counted = run(ask.rig, _drawn(ask)[2], [lane])
    assert counted is not None
    return _outcome(counted, 0)


TELLS = 3.0
"""What is drawn tells of the days below when so many standard errors lie between its correlation and none."""


def _moved_by(drawn: Years, below: np.ndarray) -> tuple[str, ...]:
    """What was drawn of what nobody knows that the days below follow, the closest first: by its correlation with the
    root of the days over the years."""
    days = np.sqrt(below)
    if len(days) < 4 or not days.std():
        return ()
    found = []
    for name, values in drawn.draws.items():
        if values.std() > 1e-9:
            near = abs(float(np.corrcoef(values, days)[0, 1]))
            if near * np.sqrt(len(days)) > TELLS:
                found.append((near, name))
    return tuple(name for _, name in sorted(found, reverse=True))


def _between(ask: AdditionsAsk, choices: list[Choice], outcomes: list[Outcome]) -> tuple[int | None, int | None]:
    """The least that is enough in the better and in the worse half of the years, taken at the middle of each."""
    well, badly = ([getattr(of.below, name) for of in outcomes] for name in ("p25", "p75"))
    hard = [of.below.p90 for of in outcomes]
    return answer(choices, well, hard, ask.most_days), answer(choices, badly, hard, ask.most_days)


def system_share(ask: AdditionsAsk, planes: Sequence[Sequence[np.ndarray]]) -> float:
    """What part of the irradiance on the planes gets into the battery: what the log's days bring, capped ones as "at
    least", against what the files' climate gives at that time of the year; drawn towards the usual share while there
    are few of them. (The days that were not capped alone would be the dark ones.)"""
    rig = ask.rig
    shade = np.array([np.mean(array.shade_by_month) for array in rig.arrays])
    rated = np.array([array.rated_w for array in rig.arrays]) * shade
    told = ask.known.skies
    shares = weather_years.month_shares(told, {}, rig.place.latitude)
    by_day = np.zeros(365)
    for of, weather in zip(planes, ask.weathers, strict=True):
        sums = np.sum([watts * plane[:24 * weather.days].reshape(-1, 24).sum(axis=1) / 1000
                       for watts, plane in zip(rated, of, strict=False)], axis=0)
        for n, at in enumerate(weather.dates):
            by_day[min(at.timetuple().tm_yday, 365) - 1] += sums[n] / (weather.days / 365) / len(ask.weathers)
    smooth = np.convolve(np.concatenate((by_day[-15:], by_day, by_day[:15])), np.ones(31) / 31, "valid")
    sun = ask.believed_sun
    assert sun is not None
    got = expected = 0.0
    for day in told:
        start = day_start(day.day, rig.zone).timestamp()
        got += shares[day.day.month - 1] * float(sun.total.between(start, start + 86_400))
        expected += smooth[min(day.day.timetuple().tm_yday, 365) - 1]
    if not expected:
        return SYSTEM_SHARE
    count = len(told)
    return float((got / expected * count + SYSTEM_SHARE * SHARE_DAYS) / (count + SHARE_DAYS))


def _as_recorded(ask: AdditionsAsk, planes: Sequence[Sequence[np.ndarray]], share: float,
                 lanes: Sequence[Lane]) -> list[Recorded]:
    """Each file as it stands, after one lap to find the level it begins at; nothing is drawn."""
    rig = ask.rig
    sums = np.zeros((5, len(lanes)))
    whole = 0.0
    for of, weather in zip(planes, ask.weathers, strict=True):
        years, laid = _plain(ask, of, weather, share), [fitted(lane, weather.dates) for lane in lanes]
        counted = run(rig, years, laid, early_days=0, start=last_levels(rig, years, laid))
        assert counted is not None
        sums += np.array([each[:, 0] for each in (counted.below, counted.unserved_days, counted.unserved_wh,
                                                  counted.spilt_wh, counted.generator_h)])
        whole += weather.days / 365
    return [Recorded(*(float(value) for value in column)) for column in (sums / whole).T]


def _plain(ask: AdditionsAsk, planes: Sequence[np.ndarray], weather: Weather, share: float) -> Years:
    """A file as one long year with nothing drawn: the use as it is on the mean, the bank as it is in force."""
    rig, days = ask.rig, weather.dates
    hours = 24 * len(days)
    aims = ask.offer.aims
    rows = np.array([plane[:hours] for plane in planes]) * under_files(rig, share, days, aims)
    suns = arranged(rig, rows[:, :, None], aims, days)
    by_month = {month: drain(rig, ask.known.learned, month) for month in range(1, 13)}
    use = np.array([0.0 if (of := by_month[day.month]) is None else of.use_wh + of.hidden_wh for day in days])
    shapes = np.array([hourly_shape(rig, month) for month in range(1, 13)])
    by_hour = (use[:, None] * shapes[[day.month - 1 for day in days]]).reshape(-1, 1)
    return Years(suns.sun, by_hour.astype(np.float32), np.ones(1, np.float32), effective_energy(rig).wh, (), ("file",),
                 suns.added_to, suns.others)


def _outcome(of: Counted, n: int) -> Outcome:
    return Outcome(*(_spread(each[n]) for each in (of.below, of.unserved_days, of.unserved_wh, of.spilt_wh,
                                                   of.generator_h, of.brought_wh, of.longest)))


def _spread(values: np.ndarray) -> Spread:
    p10, p25, p50, p75, p90 = quantiles(values, QUANTILES).tolist()
    return Spread(p10, p25, p50, p75, p90, float(values.mean()))
