"""Distributions fitted to a range that is said to hold a share of what may happen."""

from collections.abc import Callable
from math import log, sqrt

from widefork.core.analysis.chance.distributions import (
    Discrete,
    Distribution,
    Lognormal,
    Normal,
    Pert,
    Triangular,
    Uniform,
)
from widefork.core.errors import InvalidValue
from widefork.core.spreads import USUAL_SHARE, Shape

THREE_POINTS = (0.3, 0.4, 0.3)
"""Shares of P10, P50 and P90 that keep mean and variance of most shapes; Swanson's rule, in Hurst, Brown and Swanson,
"Swanson's 30-40-30 rule", AAPG Bulletin 84 (2000)."""


def fitted(shape: Shape, low: float, likely: float, high: float, held: float = USUAL_SHARE) -> Distribution:
    """Return the distribution of a shape of which a range holds a share, as much being below as above it.

    Parameters
    ----------
    low, likely, high : of the range; ``likely`` is the peak of a triangular or PERT distribution and the middle point
        of a discrete one; the others do not use it. held : above 0 and below 1; 1 for a shape with ends.

    Raises
    ------
    InvalidValue: a range that does not rise or has no width, a share outside its bounds, a lognormal range not above 0.
    """
    if not low <= likely <= high:
        raise InvalidValue(f"A range goes from low over likely to high; {low:g}, {likely:g}, {high:g} does not.")
    if low == high:
        raise InvalidValue(f"A range from {low:g} to {high:g} has no width; there is nothing to draw.")
    has_ends = shape in (Shape.TRIANGULAR, Shape.UNIFORM, Shape.PERT, Shape.DISCRETE)
    if not 0 < held <= 1 or (held == 1 and not has_ends):
        raise InvalidValue(f"A range holds more than 0 % and less than 100 %; {held * 100:g} % was given.")
    return _FITS[shape](low, likely, high, held)


def _uniform(low: float, likely: float, high: float, held: float) -> Distribution:
    middle, half = (low + high) / 2, (high - low) / held / 2
    return Uniform(middle - half, middle + half)


def _normal(low: float, likely: float, high: float, held: float) -> Distribution:
    return Normal((low + high) / 2, (high - low) / 2 / _deviations(held))


def _lognormal(low: float, likely: float, high: float, held: float) -> Distribution:
    if low <= 0:
        raise InvalidValue(f"A lognormal spread lies above 0; its range begins at {low:g}. Choose another shape.")
    return Lognormal((log(low) + log(high)) / 2, (log(high) - log(low)) / 2 / _deviations(held))


def _deviations(held: float) -> float:
    from scipy.special import ndtri  # imported where used: it is slow to load

    return float(ndtri(0.5 + held / 2))


def _triangular(low: float, likely: float, high: float, held: float) -> Distribution:
    # With the peak at a share r of the width, P is at sqrt(P r) of it, and 1 - P at 1 - sqrt(P (1 - r)).
    outside = (1 - held) / 2
    below, width = _placed(
        low, likely, high, outside, lambda r: sqrt(outside * r), lambda r: 1 - sqrt(outside * (1 - r))
    )
    return Triangular(likely - below * width, likely, likely + (1 - below) * width)


def _pert(low: float, likely: float, high: float, held: float) -> Distribution:
    from scipy.special import betaincinv  # imported where used: it is slow to load

    outside = (1 - held) / 2

    def at(share: float) -> Callable[[float], float]:
        return lambda r: float(betaincinv(1 + 4 * r, 5 - 4 * r, share))

    below, width = _placed(low, likely, high, outside, at(outside), at(1 - outside))
    return Pert(likely - below * width, likely, likely + (1 - below) * width)


def _placed(
    low: float,
    likely: float,
    high: float,
    outside: float,
    lower: Callable[[float], float],
    upper: Callable[[float], float],
) -> tuple[float, float]:
    """At which share of the whole width the peak lies, and that width.

    Parameters
    ----------
    lower, upper : where the range's ends lie in a distribution from 0 to 1 with its peak at a share.
    """
    from scipy.optimize import brentq  # imported where used: it is slow to load

    if outside == 0:
        return (likely - low) / (high - low), high - low
    left, right = likely - low, high - likely

    def gap(r: float) -> float:
        return left * (upper(r) - r) - right * (r - lower(r))

    # The peak lies within the range: between where it meets the lower end and where it meets the upper one.
    first = brentq(lambda r: r - lower(r), 1e-9, 1 - 1e-9) if lower(1e-9) > 1e-9 else 1e-9
    last = brentq(lambda r: upper(r) - r, 1e-9, 1 - 1e-9) if upper(1 - 1e-9) < 1 - 1e-9 else 1 - 1e-9
    if gap(first) <= 0:  # the likely amount is the low one, or as good as that
        peak = first
    elif gap(last) >= 0:
        peak = last
    else:
        peak = float(brentq(gap, first, last, xtol=1e-14))
    return peak, (high - low) / (upper(peak) - lower(peak))


def _discrete(low: float, likely: float, high: float, held: float) -> Distribution:
    return Discrete((low, likely, high), THREE_POINTS)


_FITS: dict[Shape, Callable[[float, float, float, float], Distribution]] = {
    Shape.TRIANGULAR: _triangular,
    Shape.UNIFORM: _uniform,
    Shape.NORMAL: _normal,
    Shape.LOGNORMAL: _lognormal,
    Shape.PERT: _pert,
    Shape.DISCRETE: _discrete,
}
