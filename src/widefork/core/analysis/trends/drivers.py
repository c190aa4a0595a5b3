"""A series explained by others: price, promotion, weather, heads; and what that gains over the series alone.

Least squares on a trend, a season and the drivers, of amounts or of their logarithms, whichever tests better; what is
left over from one period to the next fades as it did (one round of Cochrane and Orcutt, Journal of the American
Statistical Association 44, 1949). Where drivers are many for what is known, they are held back (ridge) by generalised
cross-validation (Golub, Heath and Wahba, Technometrics 21, 1979).
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from widefork.core.analysis.trends.accuracy import measured, season_scale
from widefork.core.analysis.trends.backtest import origins_of
from widefork.core.analysis.trends.forecast import Band, Candidate, Forecast, Settings, make_forecast
from widefork.core.analysis.trends.intervals import coverage_of, reach_of
from widefork.core.analysis.trends.season import found_season
from widefork.core.analysis.trends.series import Series, Values
from widefork.core.errors import InvalidValue

DRIVERS = "drivers"
LATEST, LIMIT, BASE = "latest error", "limit", "without drivers"
MANY = 6
"""Known periods for each thing that is estimated, below which drivers are held back."""
FEW = 2
"""Drivers that are never held back."""
SPARE = 4
"""Known periods beyond what is estimated, at the least."""
TOGETHER = 10.0
"""Variance inflation from which on the effects of drivers cannot be told apart; common practice."""
USUAL = Settings()
PULLS = tuple(10.0**power for power in np.linspace(-3, 3, 13).tolist())


@dataclass(frozen=True)
class Driver:
    """Something that moves the series.

    Parameters
    ----------
    name : in words said of it. series : what happened, and what is to come as far as it is known. lag : periods later
        in which it is felt.
    """

    name: str
    series: Series
    lag: int = 0


@dataclass(frozen=True)
class Effect:
    """What a driver does.

    Parameters
    ----------
    amount : of the series for one more of the driver; where ``is_elastic``, per cent for one per cent; of logarithms
        else a share for one more. error : its standard error.
    """

    driver: str
    amount: float
    error: float
    is_elastic: bool


@dataclass(frozen=True)
class Explained:
    """A forecast with drivers, beside the one without.

    Parameters
    ----------
    forecast : with drivers where they gain, else without; among its candidates both stand. alone : without.
    gain : share of the mean absolute error that drivers save on the same tests, the drivers known; negative where they
        lose. effects : by driver. parts : by name, what of the forecast with drivers each makes, shape (horizon,): they
        sum to ``with_drivers``. notes : what a reader should know, in sentences.
    usual : by driver, the level its effect is counted from, in its unit: of its latest year; 0 of what is 0 or 1, an
        event. ahead : drivers in the months forecast, as they were taken, shape (drivers, horizon). ground : what comes
        with all drivers at those levels, the latest error in it, shape (horizon,).
    """

    forecast: Forecast
    alone: Forecast
    with_drivers: Values
    gain: float
    effects: tuple[Effect, ...]
    parts: dict[str, Values]
    in_logs: bool
    notes: tuple[str, ...]
    usual: tuple[float, ...]
    ground: Values
    ahead: Values


def explain(
    series: Series,
    drivers: Sequence[Driver],
    settings: Settings = USUAL,
    in_logs: bool | None = None,
    alone: Forecast | None = None,
) -> Explained:
    """Return a forecast by drivers, and what it gains.

    Parameters
    ----------
    in_logs : whether effects are factors, where all that is known lies above 0; None for what tests better.
    alone : the forecast without drivers by these settings, where it was made before.

    Raises
    ------
    InvalidValue: no drivers, two of one name, drivers by other periods or that never vary, too little that is known of
        all of them, and as ``make_forecast``.
    """
    if not drivers:
        raise InvalidValue("Nothing drives the series; give at least one driver, or forecast it by itself.")
    names = [driver.name for driver in drivers]
    twice = next((name for at, name in enumerate(names) if name in [*names[:at], BASE, LATEST, LIMIT]), None)
    if twice is not None:
        raise InvalidValue(f"Drivers are told apart by their names, and “{twice}” is taken; call it otherwise.")
    alone = alone or make_forecast(series, settings)
    count, horizon = len(alone.filled), settings.horizon
    notes: list[str] = []
    columns = [_column(driver, alone, notes) for driver in drivers]
    known = ~np.isnan(alone.series.values)
    for column in columns:
        known = known & ~np.isnan(column[:count])
    frame = _Frame(alone.filled, np.column_stack(columns), known, alone.season)
    if not settings.season and alone.season == 1:
        frame = replace(frame, season=_hidden_season(frame, alone.series))
    frame.check(alone.series, names)
    origins = [origin for origin in origins_of(count, horizon, alone.season) if frame.can_fit(origin)]
    ways = [False, True] if alone.filled[known].min() > 0 else [False]
    ways = [in_logs] if in_logs in ways else ways
    tests = {way: _tested(frame, origins, horizon, way) for way in ways}
    came = _came(alone.series.values, origins, horizon)
    way = min(ways, key=lambda each: _off(came, tests[each]))
    fit = _Fit(frame, count, way)
    said, parts = fit.ahead(horizon, names)
    if alone.settings.is_non_negative:
        limited = np.maximum(said, 0.0)
        if not np.array_equal(limited, said):
            parts[LIMIT] = limited - said
        said = limited
    notes += frame.warnings(names, fit)
    gain = _gain(alone, origins, came, tests[way])
    errors = came - tests[way]
    taken = _taken(alone, said, errors, came, tests[way], gain)
    return Explained(
        taken,
        alone,
        said,
        gain,
        fit.effects(names),
        parts,
        way,
        tuple(notes),
        fit.usual(),
        fit.ground(horizon),
        frame.drivers[count:].T,
    )


def _hidden_season(frame: "_Frame", series: Series) -> int:
    """The season of what drivers leave unexplained: their ups and downs may hide it in the series itself."""
    if not frame.can_fit(len(frame.values)):
        return 1
    fit = _Fit(frame, len(frame.values), bool(frame.values[frame.known].min() > 0))
    left = np.interp(np.arange(len(frame.values)), fit.rows, fit.left)
    return found_season(series, left) if frame.enough(series.per_year) else 1


def _column(driver: Driver, alone: Forecast, notes: list[str]) -> Values:
    """A driver's values over the series' periods and those ahead; what is not known ahead is forecast itself."""
    own, count, horizon = driver.series, len(alone.filled), alone.settings.horizon
    if own.per_year != alone.series.per_year:
        raise InvalidValue(
            f"{driver.name} is by {own.period} and {alone.series.name} by {alone.series.period}; bring both to one."
        )
    if driver.lag < 0:
        raise InvalidValue(f"{driver.name} is felt {driver.lag} periods later; a lag is 0 or more.")
    step = 12 // own.per_year
    begin = (own.start.ordinal - alone.series.start.ordinal) // step + driver.lag
    wanted = np.full(count + horizon, np.nan)
    for place, value in enumerate(own.values.tolist(), begin):
        if 0 <= place < len(wanted):
            wanted[place] = value
    ahead = np.flatnonzero(np.isnan(wanted[count:]))
    if ahead.size:
        known = own.without_ends()
        last = (known.start.ordinal - alone.series.start.ordinal) // step + driver.lag + len(known.values)
        reach = count + horizon - last
        if reach > 0:
            found = make_forecast(known, Settings(horizon=reach, without=("arima", *alone.settings.without)))
            for place, value in enumerate(found.amounts.tolist(), last):
                if place >= count and np.isnan(wanted[place]):
                    wanted[place] = value
            label = alone.series.label_at(count + int(ahead[0]))
            notes.append(f"{driver.name} is not known from {label} on; it was forecast itself ({found.label}).")
        later = wanted[count:]
        gaps = np.isnan(later)
        later[gaps] = np.interp(np.flatnonzero(gaps), np.flatnonzero(~gaps), later[~gaps])
    return wanted


@dataclass(frozen=True)
class _Frame:
    """What the least squares are of: the series, its drivers (periods and those ahead, drivers), and what is known."""

    values: Values
    drivers: Values
    known: np.ndarray
    season: int

    def base(self, start: int, count: int) -> Values:
        places = np.arange(start, start + count)
        columns = [np.ones(count), places / max(len(self.values), 1)]
        columns += [(places % self.season == each).astype(float) for each in range(1, self.season)]
        return np.column_stack(columns)

    @property
    def terms(self) -> int:
        return 2 + max(self.season - 1, 0) + int(self.drivers.shape[1])

    def enough(self, season: int) -> bool:
        """Whether a season of a length can be estimated, too."""
        return int(self.known.sum()) >= self.terms + season - 1 + SPARE

    def can_fit(self, origin: int) -> bool:
        return int(self.known[:origin].sum()) >= self.terms + SPARE

    def check(self, series: Series, names: Sequence[str]) -> None:
        rows = int(self.known.sum())
        if rows < self.terms + SPARE:
            raise InvalidValue(
                f"{series.name} and its drivers are known together in {rows} {series.period}s; {self.terms} things are "
                f"to be estimated, which takes {self.terms + SPARE}. Give more history, or fewer drivers."
            )
        for place, name in enumerate(names):
            if np.ptp(self.drivers[: len(self.values), place][self.known]) == 0:
                raise InvalidValue(
                    f"{name} never varies where {series.name} is known, so nothing can be learnt of it. Take it out, "
                    "or take back a step that leaves its months out."
                )

    def warnings(self, names: Sequence[str], fit: "_Fit") -> list[str]:
        found = [
            f"{name} moves with the others, the trend or the season; its own effect is hardly told apart."
            for name, inflation in zip(names, fit.inflations(), strict=True)
            if inflation > TOGETHER
        ]
        if fit.pull:
            rows = int(self.known.sum())
            found.append(f"{rows} known periods are few for {self.terms} terms; drivers are held back.")
        return found


class _Fit:
    """Least squares at one end of the history."""

    def __init__(self, frame: _Frame, origin: int, in_logs: bool) -> None:
        self.frame, self.origin, self.in_logs = frame, origin, in_logs
        count = len(frame.values)
        past = frame.drivers[:count][frame.known]
        every = frame.drivers.copy()
        self.elastic = [
            in_logs and past[:, at].min() > 0 and float(np.nanmin(every[:, at])) > 0 for at in range(past.shape[1])
        ]
        every[:, self.elastic] = np.log(every[:, self.elastic])
        self.switches = [bool(np.isin(past[:, at], (0.0, 1.0)).all()) for at in range(past.shape[1])]
        self.rows = np.flatnonzero(frame.known[:origin])
        self.means = every[self.rows].mean(axis=0)
        self.sizes = np.where(every[self.rows].std(axis=0) > 0, every[self.rows].std(axis=0), 1.0)
        self.moved = (every - self.means) / self.sizes
        self.own = np.log(frame.values) if in_logs else frame.values
        self.fixed = frame.base(0, origin)[self.rows]
        self.pull = 0.0
        x, y = np.column_stack([self.fixed, self.moved[self.rows]]), self.own[self.rows]
        if frame.drivers.shape[1] > FEW and len(self.rows) < MANY * frame.terms:
            self.pull = self._pull(x, y)
        self.found = self._solve(x, y, self.pull)
        self.left = y - x @ self.found
        steps = np.flatnonzero(np.diff(self.rows) == 1)
        before, after = self.left[steps], self.left[steps + 1]
        size = float(before @ before)
        self.fading = min(max(float(before @ after) / size if size else 0.0, 0.0), 0.95)
        self.x = x

    def _solve(self, x: Values, y: Values, pull: float) -> Values:
        held = np.zeros((self.moved.shape[1], x.shape[1]))
        held[:, x.shape[1] - self.moved.shape[1] :] = np.eye(self.moved.shape[1]) * pull**0.5
        found, *_ = np.linalg.lstsq(np.vstack([x, held]), np.concatenate([y, np.zeros(len(held))]), rcond=None)
        return np.asarray(found)

    def _pull(self, x: Values, y: Values) -> float:
        """How hard drivers are held back: the least generalised cross-validation."""
        best = (float("inf"), 0.0)
        ridge = np.zeros(x.shape[1])
        ridge[x.shape[1] - self.moved.shape[1] :] = 1.0
        for pull in PULLS:
            inner = np.linalg.pinv(x.T @ x + pull * np.diag(ridge))
            left = y - x @ (inner @ (x.T @ y))
            free = len(y) - float(np.trace(x @ inner @ x.T))
            best = min(best, (float(left @ left) * len(y) / max(free, 1e-9) ** 2, pull))
        return best[1]

    def ahead(self, horizon: int, names: Sequence[str] = ()) -> tuple[Values, dict[str, Values]]:
        """What comes next, and what of it is the drivers' and the latest error's; the parts sum to it.

        Of logarithms by the logarithmic mean of the forecast with and without them (Ang, Energy Policy 32, 2004).
        """
        origin, base_terms = self.origin, self.fixed.shape[1]
        base, after = self._without_moves(horizon)
        by_driver = (self.moved[origin : origin + horizon] - self.latest) * self.found[base_terms:]
        found = base + by_driver.sum(axis=1) + after
        moves = [*by_driver.T, after]
        called = [*(names or map(str, range(by_driver.shape[1]))), LATEST]
        if not self.in_logs:
            return found, {BASE: base, **dict(zip(called, moves, strict=True))}
        said, ground = np.exp(found), np.exp(base)
        difference = found - base
        with np.errstate(invalid="ignore", divide="ignore"):
            weight = np.where(np.abs(difference) > 1e-12, (said - ground) / difference, said)
        return said, {BASE: ground, **{name: weight * move for name, move in zip(called, moves, strict=True)}}

    @property
    def latest(self) -> Values:
        """Where drivers' effects are counted from, as they were scaled, shape (drivers,): the latest year known; 0 of
        what is 0 or 1."""
        found = self.moved[self.rows[-min(12, len(self.rows)) :]].mean(axis=0)
        return np.asarray(np.where(self.switches, -self.means / self.sizes, found))

    def usual(self) -> tuple[float, ...]:
        """The same in their units."""
        levels = self.latest * self.sizes + self.means
        return tuple(np.where(self.elastic, np.exp(np.where(self.elastic, levels, 0.0)), levels).tolist())

    def ground(self, horizon: int) -> Values:
        """What comes with all drivers where their effects are counted from."""
        base, after = self._without_moves(horizon)
        return np.asarray(np.exp(base + after) if self.in_logs else base + after)

    def _without_moves(self, horizon: int) -> tuple[Values, Values]:
        """Trend and season with drivers where their effects are counted from, and what is left of the latest error."""
        base_terms = self.fixed.shape[1]
        base = self.frame.base(self.origin, horizon) @ self.found[:base_terms]
        base = base + float(self.latest @ self.found[base_terms:])
        gap = self.origin - 1 - int(self.rows[-1])
        after = float(self.left[-1]) * self.fading ** (np.arange(1, horizon + 1) + gap)
        return np.asarray(base), np.asarray(after)

    def effects(self, names: Sequence[str]) -> tuple[Effect, ...]:
        base_terms, free = self.fixed.shape[1], max(len(self.rows) - len(self.found), 1)
        variance = float(self.left @ self.left) / free
        spread = np.sqrt(np.maximum(np.diag(np.linalg.pinv(self.x.T @ self.x)), 0.0) * variance)
        amounts, errors = (each[base_terms:] / self.sizes for each in (self.found, spread))
        return tuple(map(Effect, names, amounts.tolist(), errors.tolist(), self.elastic))

    def inflations(self) -> list[float]:
        """How much wider each driver's effect is known for what it shares with the others, the trend and the season."""
        found = []
        for at in range(self.moved.shape[1]):
            own = self.moved[self.rows, at]
            others = np.column_stack([self.fixed, np.delete(self.moved[self.rows], at, axis=1)])
            fitted, *_ = np.linalg.lstsq(others, own, rcond=None)
            left = own - others @ fitted
            total = float(((own - own.mean()) ** 2).sum())
            rest = float(left @ left)
            found.append(total / rest if rest > 1e-12 * max(total, 1e-300) else float("inf"))
        return found


def _tested(frame: _Frame, origins: Sequence[int], horizon: int, in_logs: bool) -> Values:
    said = np.full((len(origins), horizon), np.nan)
    for row, origin in enumerate(origins):
        reach = min(horizon, len(frame.values) - origin)
        known = ~np.isnan(frame.drivers[origin : origin + reach]).any(axis=1)
        found = _Fit(frame, origin, in_logs).ahead(reach)[0]
        said[row, :reach] = np.where(known, found, np.nan)
    return said


def _came(values: Values, origins: Sequence[int], horizon: int) -> Values:
    came = np.full((len(origins), horizon), np.nan)
    for row, origin in enumerate(origins):
        part = values[origin : origin + horizon]
        came[row, : len(part)] = part
    return came


def _off(came: Values, said: Values) -> float:
    errors = np.abs(came - said)
    return float(np.nanmean(errors)) if np.isfinite(errors).any() else float("inf")


def _gain(alone: Forecast, origins: Sequence[int], came: Values, said: Values) -> float:
    """The share of the error that drivers save, on cells both were tested on; NaN where there are none."""
    rows = [alone.test.origins.index(origin) for origin in origins if origin in alone.test.origins]
    if not rows or len(rows) != len(origins) or not alone.errors.size:
        return float("nan")
    without, own = np.abs(alone.errors[rows]), np.abs(came - said)
    both = ~(np.isnan(without) | np.isnan(own))
    size = float(without[both].mean()) if both.any() else 0.0
    return 1 - float(own[both].mean()) / size if size else float("nan")


def _taken(alone: Forecast, said: Values, errors: Values, came: Values, tested: Values, gain: float) -> Forecast:
    """The forecast with drivers among its candidates, taken where it gains; intervals are of its own tests."""
    begun = alone.series.values[: alone.test.origins[0]] if alone.test.origins else alone.series.values
    scale = season_scale(begun, alone.season)
    by_horizon = np.array([measured(came[:, at], tested[:, at], scale).off for at in range(came.shape[1])])
    own = Candidate(DRIVERS, "With drivers", "", measured(came, tested, scale), by_horizon)
    ranked = sorted((*alone.candidates, own), key=lambda each: np.nan_to_num(each.accuracy.mae, nan=np.inf))
    if not gain > 0:
        return replace(alone, candidates=tuple(ranked))
    sizes = {level: reach_of(errors, level).sizes for level in alone.settings.levels}
    floor = 0.0 if alone.settings.is_non_negative else -np.inf
    bands = tuple(Band(level, np.maximum(said - size, floor), said + size) for level, size in sizes.items())
    whole = np.floor(said + 0.5) if alone.settings.is_whole else said
    return replace(
        alone, amounts=whole, bands=bands, method=DRIVERS, label="With drivers", words="", parts=(), errors=errors,
        candidates=tuple(ranked), coverage={level: coverage_of(errors, level) for level in alone.settings.levels},
    )  # fmt: skip
