"""A forecast of one series: methods tested on its own past, the best of them or their mean taken on, with intervals."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from widefork.core.analysis.trends.accuracy import Accuracy, measured, season_scale
from widefork.core.analysis.trends.backtest import MOST_ORIGINS, BackTest, Told, run_back_test
from widefork.core.analysis.trends.gaps import filled_by
from widefork.core.analysis.trends.intervals import coverage_of, least_errors, reach_of
from widefork.core.analysis.trends.methods import BY_HAND, METHOD_BY_NAME, SHAPE_OF_ANOTHER, Like, Method, borrowing
from widefork.core.analysis.trends.season import check_season, found_season
from widefork.core.analysis.trends.series import SHORTEST, Series, Values
from widefork.core.axes import Month
from widefork.core.errors import InvalidValue, UnknownName
from widefork.core.history import Gaps

BEST = "best"
"""Whichever tests best."""
COMBINED = "mean_of_best"
IN_MEAN = 3
LONGEST_HORIZON = 240
OFTEN_ZERO = 0.3
"""Share of zeros from which on demand comes now and then."""


@dataclass(frozen=True)
class Settings:
    """What a person may set.

    Parameters
    ----------
    horizon : periods ahead. season : its length in periods; 0 to have it found, 1 for none.
    method : one by its name, ``best`` for whichever tests best, or ``mean_of_best``.
    levels : of the intervals, each above 0 and below 1. gaps : how they are filled.
    is_non_negative : forecasts and intervals do not go below 0; None for so where nothing known does.
    is_whole : forecasts are whole numbers.
    growth : at most this share up or down on the same period a year before; None for no limit.
    without : methods that are not tried. fills : how single gaps are filled, by any month of theirs.
    amount : what a simple way by hand takes: a rate for ``last_year`` and ``shape_of_years``, a count of periods for
        ``mean_of_last``.
    like : whose shape is borrowed, for ``shape_of_another``.
    """

    horizon: int = 12
    season: int = 0
    method: str = BEST
    levels: tuple[float, ...] = (0.8, 0.95)
    gaps: Gaps = Gaps.INTERPOLATE
    is_non_negative: bool | None = None
    is_whole: bool = False
    growth: float | None = None
    without: tuple[str, ...] = ()
    fills: tuple[tuple[Month, Gaps], ...] = ()
    amount: float = 0.0
    like: Like | None = None

    def __post_init__(self) -> None:
        if not 1 <= self.horizon <= LONGEST_HORIZON:
            raise InvalidValue(f"A forecast reaches 1 to {LONGEST_HORIZON} periods ahead; {self.horizon} was given.")
        if self.method not in (BEST, COMBINED, SHAPE_OF_ANOTHER, *METHOD_BY_NAME, *BY_HAND):
            raise UnknownName("method", self.method, [BEST, COMBINED, *METHOD_BY_NAME])
        if self.method in BY_HAND:
            BY_HAND[self.method](self.amount, 12)  # refused here where it cannot be
        if self.method == SHAPE_OF_ANOTHER and self.like is None:
            raise InvalidValue("Say whose shape is borrowed: a like series of which more is known.")
        for level in self.levels:
            if not 0 < level < 1:
                raise InvalidValue(f"An interval holds more than 0 % and less than 100 %; {level * 100:g} % was given.")
        if self.growth is not None and self.growth < 0:
            raise InvalidValue(f"Growth is limited to 0 % or more a year; {self.growth * 100:g} % was given.")


@dataclass(frozen=True)
class Band:
    """An interval: its level, and both ends, shape (horizon,); NaN where too little is known for it."""

    level: float
    low: Values
    high: Values


@dataclass(frozen=True)
class Candidate:
    """One way of forecasting with its test. ``by_horizon`` is off by how much, as a share, shape (horizon,)."""

    name: str
    label: str
    words: str
    accuracy: Accuracy
    by_horizon: Values


@dataclass(frozen=True)
class Forecast:
    """A forecast with all that speaks for and against it.

    Parameters
    ----------
    series : as it was forecast from, first to last known value. filled : its values without gaps.
    season : its length, 1 for none. amounts : shape (horizon,). bands : by level, in the order asked for.
    method, label, words : what it was made by. parts : the methods averaged; empty for a single one.
    candidates : every method tested, the best first. test : what they said. errors : of the one taken.
    coverage : by level, the share of tests inside intervals of the other tests.
    notes : what a reader should know, in sentences. refused : by method, why it was not tried.
    """

    series: Series
    filled: Values
    season: int
    settings: Settings
    amounts: Values
    bands: tuple[Band, ...]
    method: str
    label: str
    words: str
    parts: tuple[str, ...]
    candidates: tuple[Candidate, ...]
    test: BackTest
    errors: Values
    coverage: Mapping[float, float]
    notes: tuple[str, ...] = ()
    refused: Mapping[str, str] = field(default_factory=dict)

    @property
    def candidate(self) -> Candidate | None:
        """The one taken, among the candidates; None where nothing could be tested."""
        return next((each for each in self.candidates if each.name == self.method), None)


def make_forecast(
    series: Series,
    settings: Settings = Settings(),
    most_origins: int = MOST_ORIGINS,
    told: Told = lambda done, of: True,
) -> Forecast:
    """Return a forecast of a series. ``told`` hears how many tests are done; False from it leaves the rest.

    Raises
    ------
    InvalidValue: too few values, a season longer than half of them, negative values where none can be; left.
    """
    own = series.without_ends()
    _check(own, settings)
    known = own.values
    if settings.is_non_negative is None:
        settings = replace(settings, is_non_negative=bool(np.nanmin(known) >= 0))
    filled = filled_by(own, settings.gaps, settings.fills)
    season = check_season(settings.season, own.known_count) if settings.season else found_season(own, filled)
    notes = list(_notes(own, filled, season, settings))
    scored = known if settings.gaps is not Gaps.ZERO else filled
    by_name = _methods(settings, own.per_year)
    methods = [method for method in by_name.values() if _is_tried(method, filled, season, settings)]
    test = run_back_test(filled, scored, season, settings.horizon, methods, most_origins, told)
    scale = season_scale(scored[: test.origins[0]] if test.origins else scored, season)
    singles = sorted(
        (_candidate(by_name[name], test, scale) for name in test.tested), key=lambda each: _rank(each.accuracy)
    )
    best = _averaged([each for each in singles if each.name in METHOD_BY_NAME], filled, season)
    if len(best) > 1:
        said = test.mean_of(best)
        mean = _scored(COMBINED, f"Mean of the best {_COUNTS[len(best)]}", ", ".join(best), test.came, said, scale)
        singles = sorted([*singles, mean], key=lambda each: _rank(each.accuracy))
    chosen = _chosen(settings, singles, filled, season, test)
    parts = best if chosen == COMBINED else ()
    amounts, words = _ahead(chosen, parts, filled, season, settings.horizon, test, by_name)
    errors = np.full((0, settings.horizon), np.nan)
    if parts or chosen in test.tested:
        errors = test.came - (test.mean_of(parts) if parts else test.tested[chosen].ahead)
    limited = _limited(amounts, filled, season, own.per_year, settings)
    bands = tuple(_band(limited, errors, level, settings) for level in settings.levels)
    for band in bands:
        if np.isnan(band.low).any():
            notes.append(
                f"Too short for {band.level * 100:g} %: an interval needs {least_errors(band.level)} tested "
                f"{own.period}s, and there are {int((~np.isnan(errors)).sum())}."
            )
    label = next((each.label for each in singles if each.name == chosen), _label(chosen, by_name))
    return Forecast(
        own, filled, season, settings, limited, bands, chosen, label, words, parts, tuple(singles), test, errors,
        {level: coverage_of(errors, level) for level in settings.levels}, tuple(notes), test.refused,
    )  # fmt: skip


_COUNTS = {2: "two", 3: "three"}


def _label(name: str, methods: Mapping[str, Method]) -> str:
    return methods[name].label if name in methods else name


def _methods(settings: Settings, per_year: int) -> dict[str, Method]:
    """All methods by name, the one that was asked for with its amount or another series among them."""
    own = dict(METHOD_BY_NAME)
    if settings.method in BY_HAND:
        own[settings.method] = BY_HAND[settings.method](settings.amount, per_year)
    if settings.like is not None:
        own[SHAPE_OF_ANOTHER] = borrowing(settings.like, per_year)
    return own


def _check(series: Series, settings: Settings) -> None:
    if series.known_count < SHORTEST:
        raise InvalidValue(
            f"{series.name} has {series.known_count} known value{'' if series.known_count == 1 else 's'}; a forecast "
            f"needs at least {SHORTEST}. Give it more history, or take a rule by hand."
        )
    if settings.is_non_negative and np.nanmin(series.values) < 0:
        place = int(np.nanargmin(series.values))
        raise InvalidValue(
            f"{series.name} is to stay at 0 or above, but {series.label_at(place)} is {series.values[place]:g}. "
            "Correct it, or allow negative amounts."
        )


def _is_tried(method: Method, values: Values, season: int, settings: Settings) -> bool:
    """Whether a method is for such a series: nothing seasonal without a season, nothing for demand that comes now and
    then but where it does; what was asked for is tried in any case."""
    if settings.method == method.name:
        return True
    if method.name in settings.without:
        return False
    if method.name == "seasonal_naive":
        return season > 1
    if method.name == "croston":
        return bool((values == 0).mean() >= OFTEN_ZERO and values.min() >= 0 and values.any())
    return True


def _candidate(method: Method, test: BackTest, scale: float) -> Candidate:
    found = test.tested[method.name]
    return _scored(method.name, method.label, found.fit.words if found.fit else "", test.came, found.ahead, scale)


def _scored(name: str, label: str, words: str, came: Values, said: Values, scale: float) -> Candidate:
    by_horizon = np.array([measured(came[:, at], said[:, at], scale).off for at in range(came.shape[1])])
    return Candidate(name, label, words, measured(came, said, scale), by_horizon)


def _rank(accuracy: Accuracy) -> float:
    return accuracy.mae if np.isfinite(accuracy.mae) else float("inf")


def _averaged(singles: Sequence[Candidate], values: Values, season: int) -> tuple[str, ...]:
    """The methods whose mean is a candidate: the best few that are no simple ones."""
    able = [each.name for each in singles if not METHOD_BY_NAME[each.name].is_simple and each.name != "mean"]
    if season > 1 and len(values) <= 2 * season + 2:
        # Two seasons cannot tell a season from chance: the same period of last year belongs in.
        able = ["seasonal_naive", *able] if any(each.name == "seasonal_naive" for each in singles) else able
    return tuple(able[:IN_MEAN])


def _chosen(settings: Settings, ranked: Sequence[Candidate], values: Values, season: int, test: BackTest) -> str:
    """The name of what is taken."""
    names = [each.name for each in ranked]
    if settings.method not in (BEST, COMBINED):
        return settings.method
    if settings.method == COMBINED and COMBINED in names:
        return COMBINED
    if not names or not np.isfinite(_rank(ranked[0].accuracy)):
        return "seasonal_naive" if season > 1 else "naive"
    if season > 1 and len(values) <= 2 * season + 2:
        names = [name for name in names if name in ("seasonal_naive", COMBINED)] or names
    return names[0]


def _ahead(
    chosen: str,
    parts: Sequence[str],
    values: Values,
    season: int,
    horizon: int,
    test: BackTest,
    methods: Mapping[str, Method],
) -> tuple[Values, str]:
    """What is taken says of the periods ahead, and how it was chosen, in words: orders are chosen anew on all of it."""
    if parts:
        found = [_single(part, values, season, horizon, test, methods)[0] for part in parts]
        return np.asarray(np.mean(found, axis=0)), ", ".join(methods[part].label for part in parts)
    return _single(chosen, values, season, horizon, test, methods)


def _single(
    name: str, values: Values, season: int, horizon: int, test: BackTest, methods: Mapping[str, Method]
) -> tuple[Values, str]:
    method = methods[name]
    try:
        if len(values) < method.least(season):
            raise ValueError(name)
        fit = method.choose(values, season)
        said = fit.ahead(values, horizon)
        if np.isfinite(said).all():
            return said, fit.words
    except (ValueError, ArithmeticError, np.linalg.LinAlgError):
        pass
    tested = test.tested.get(name)
    if tested is not None and tested.fit is not None:
        return tested.fit.ahead(values, horizon), tested.fit.words
    raise InvalidValue(
        f"{method.label} cannot be estimated on this series: it needs {method.least(season)} values, and "
        f"{len(values)} are known. Choose another method, or a shorter season."
    )


def _limited(amounts: Values, values: Values, season: int, per_year: int, settings: Settings) -> Values:
    """A forecast within what was set: growth on a year before, not below 0, whole."""
    found = amounts.copy()
    if settings.growth is not None:
        every = np.concatenate([values, found])
        for place in range(len(values), len(every)):
            before = every[place - per_year] if place >= per_year else values[-1]
            room = abs(before) * settings.growth
            every[place] = min(max(every[place], before - room), before + room)
        found = every[len(values) :]
    if settings.is_non_negative:
        found = np.maximum(found, 0.0)
    return np.asarray(np.floor(found + 0.5)) if settings.is_whole else found


def _band(amounts: Values, errors: Values, level: float, settings: Settings) -> Band:
    sizes = reach_of(errors, level).sizes if errors.size else np.full(len(amounts), np.nan)
    low = amounts - sizes
    return Band(level, np.maximum(low, 0.0) if settings.is_non_negative else low, amounts + sizes)


def _notes(series: Series, values: Values, season: int, settings: Settings) -> list[str]:
    """What a reader should know of the series."""
    found = []
    gaps = len(values) - series.known_count
    if gaps:
        found.append(f"{gaps} {series.period}{'' if gaps == 1 else 's'} unknown; filled: {settings.gaps.value}.")
    if np.ptp(values) == 0:
        found.append(f"Every value is {values[0]:g}; nothing can be learnt but that.")
    odd = odd_places(series, values, season)
    if odd:
        names = ", ".join(series.label_at(place) for place in odd[:4])
        more = f" and {len(odd) - 4} more" if len(odd) > 4 else ""
        found.append(f"Far off the others: {names}{more}. Nothing is removed; look whether they belong in.")
    if season > 1 and len(values) <= 2 * season + 2:
        found.append(f"Two seasons are little: the same {series.period} of last year stays in what is proposed.")
    return found


def odd_places(series: Series, values: Values, season: int) -> list[int]:
    """Return the places of values far off the others: beyond five times the usual distance from the median of the two
    values beside and, with a season, of the same period of other years.

    The usual distance is the median of all distances, as far as it is not 0.
    """
    count = len(values)
    if count < 6:
        return []
    expected = np.empty(count)
    for place in range(count):
        beside = [at for at in (place - 2, place - 1, place + 1, place + 2) if 0 <= at < count]
        level = float(np.median(values[beside]))
        if season > 1 and count >= 3 * season:
            shares = []
            for other in range(place % season, count, season):
                near = [at for at in (other - 2, other - 1, other + 1, other + 2) if 0 <= at < count]
                middle = float(np.median(values[near]))
                if other != place and middle:
                    shares.append(values[other] - middle)
            level += float(np.median(shares)) if shares else 0.0
        expected[place] = level
    distances = np.abs(values - expected)
    usual = float(np.median(distances))
    floor = 0.05 * float(np.median(np.abs(values)))
    known = ~np.isnan(series.values)
    return np.flatnonzero((distances > 5 * max(usual, floor, 1e-12)) & known).tolist()
