"""Forecasts of parts and of their totals made to add up, with what that changed."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from widefork.core.analysis.trends.forecast import Band, Forecast
from widefork.core.analysis.trends.series import Series, Values
from widefork.core.errors import InvalidValue

TOTAL = "Total"
Members = tuple[tuple[str, str], ...]


class AddUp(StrEnum):
    """Who gives way where parts and totals do not add up.

    ``bottom_up`` : totals are the sums of their parts. ``top_down`` : the total stands, and is shared as the last year
    was. ``minimum_trace`` : everybody gives way, the more the less sure it is.
    """

    BOTTOM_UP = "bottom-up"
    TOP_DOWN = "top-down"
    MINIMUM_TRACE = "minimum trace"


@dataclass(frozen=True)
class Family:
    """Parts and their totals.

    Parameters
    ----------
    parts : series that nothing else adds up to, over the same periods. totals : by name, which of the parts it sums.
    """

    parts: tuple[Series, ...]
    totals: Mapping[str, tuple[int, ...]]

    @property
    def series(self) -> tuple[Series, ...]:
        """All of them, totals first; a total is unknown where one of its parts is."""
        stacked = np.stack([part.values for part in self.parts])
        sums = [
            replace(self.parts[0], name=name, values=stacked[list(places)].sum(axis=0))
            for name, places in self.totals.items()
        ]
        return (*sums, *self.parts)

    @property
    def sums(self) -> Values:
        """Which parts each of ``series`` sums, shape (series, parts)."""
        rows = [np.isin(np.arange(len(self.parts)), places).astype(float) for places in self.totals.values()]
        return np.vstack([*rows, np.eye(len(self.parts))])


def family_of(series: Mapping[str, Series], members: Mapping[str, Members]) -> Family:
    """Return the parts with their total, and a total for each member where members are told apart by several columns.

    Parameters
    ----------
    series : by name; brought to the same periods, unknown where one says nothing. members : by name, what tells it from
        the others.

    Raises
    ------
    InvalidValue: fewer than two parts, or parts by different periods.
    """
    own = list(series.values())
    if len(own) < 2:
        raise InvalidValue("One series adds up to itself; totals need at least two parts.")
    if len({each.per_year for each in own}) > 1:
        raise InvalidValue("Parts by different periods do not add up; bring them all by month, by quarter or by year.")
    step = 12 // own[0].per_year
    first = min(each.start.ordinal for each in own)
    last = max(each.start.ordinal + step * len(each.values) for each in own)
    count = (last - first) // step
    parts = []
    for each in own:
        values = np.full(count, np.nan)
        begin = (each.start.ordinal - first) // step
        values[begin : begin + len(each.values)] = each.values
        parts.append(replace(each, start=each.start.plus(-begin * step), values=values))
    totals: dict[str, tuple[int, ...]] = {TOTAL: tuple(range(len(parts)))}
    columns = {column for name in series for column, _ in members.get(name, ())}
    if len(columns) > 1:
        for place, name in enumerate(series):
            for column, member in members.get(name, ()):
                key = f"{column} {member}"
                totals[key] = (*totals.get(key, ()), place)
    kept = {name: places for name, places in totals.items() if len(places) > 1 and name not in series}
    return Family(tuple(parts), kept)


def added_up(family: Family, forecasts: Sequence[Forecast], way: AddUp) -> tuple[Forecast, ...]:
    """Return the forecasts so that totals are the sums of their parts, exactly.

    Minimum trace after Wickramasuriya, Athanasopoulos and Hyndman, Journal of the American Statistical Association 114
    (2019): forecasts give way by the inverse of the covariance of what they were off by one period ahead, shrunk
    towards its diagonal after Schäfer and Strimmer, Statistical Applications in Genetics and Molecular Biology 4
    (2005). Intervals move along with their forecasts and keep their widths.

    Parameters
    ----------
    forecasts : of ``family.series``, in that order, over the same horizon.

    Raises
    ------
    InvalidValue: forecasts that are not of this family.
    """
    sums = family.sums
    if len(forecasts) != len(sums):
        raise InvalidValue(f"The family has {len(sums)} series; {len(forecasts)} forecasts were given.")
    base = np.stack([each.amounts for each in forecasts])
    count = len(family.parts)
    parts: Values
    match way:
        case AddUp.BOTTOM_UP:
            parts = base[-count:]
        case AddUp.TOP_DOWN:
            parts = _shares(family)[:, None] * base[0]
        case AddUp.MINIMUM_TRACE:
            weights = np.linalg.inv(_covariance(forecasts))
            parts = np.asarray(np.linalg.solve(sums.T @ weights @ sums, sums.T @ weights @ base))
    if all(each.settings.is_non_negative for each in forecasts):
        parts = np.maximum(parts, 0.0)
    if all(each.settings.is_whole for each in forecasts):
        parts = np.floor(parts + 0.5)
    found = np.asarray(sums @ parts)
    return tuple(_moved(each, amounts) for each, amounts in zip(forecasts, found, strict=True))


def _shares(family: Family) -> Values:
    """Each part's share of the last year that is known of all."""
    stacked = np.stack([part.values for part in family.parts])
    known = ~np.isnan(stacked).any(axis=0)
    latest = np.flatnonzero(known)[-family.parts[0].per_year :]
    sums = np.nansum(stacked[:, latest], axis=1) if latest.size else np.nansum(stacked, axis=1)
    total = float(sums.sum())
    return np.asarray(sums / total if total else np.full(len(sums), 1 / len(sums)))


def _covariance(forecasts: Sequence[Forecast]) -> Values:
    """Covariance of what each was off by one period ahead, shrunk; its diagonal alone where tests differ."""
    errors = [each.errors[:, 0] if each.errors.size else np.empty(0) for each in forecasts]
    sizes = np.array([float(np.nanmean(own**2)) if np.isfinite(own).any() else np.nan for own in errors])
    usual = float(np.nanmean(sizes)) if np.isfinite(sizes).any() else 1.0
    sizes = np.where(np.isfinite(sizes), sizes, usual)
    sizes = np.maximum(sizes, 1e-9 * max(usual, 1e-300))
    alike = {each.test.origins for each in forecasts}
    if len(alike) > 1 or not errors[0].size:
        return np.diag(sizes)
    together = np.stack(errors)
    together = together[:, ~np.isnan(together).any(axis=0)]
    count = together.shape[1]
    if count < 4:
        return np.diag(sizes)
    scaled = together / np.sqrt(sizes)[:, None]
    products = scaled[:, None, :] * scaled[None, :, :]
    correlation = products.mean(axis=2)
    doubt = products.var(axis=2) / max(count - 1, 1)
    off = ~np.eye(len(sizes), dtype=bool)
    strength = float((correlation[off] ** 2).sum())
    shrink = min(1.0, max(float(doubt[off].sum()) / strength if strength else 1.0, 1e-3))
    correlation = np.where(off, (1 - shrink) * correlation, 1.0)
    return np.asarray(correlation * np.sqrt(np.outer(sizes, sizes)))


def _moved(forecast: Forecast, amounts: Values) -> Forecast:
    by = amounts - forecast.amounts
    floor = 0.0 if forecast.settings.is_non_negative else -np.inf
    bands = tuple(Band(each.level, np.maximum(each.low + by, floor), each.high + by) for each in forecast.bands)
    return replace(forecast, amounts=amounts, bands=bands)
