"""Measures of a row of flows, positive in and negative out.

All rates are yearly and effective. Flow k, counted from 0, lies k periods after the day it is valued at and is worth
(1 + rate) ^ (-k / periods a year) of itself; in the mid-period form every flow but the first lies half a period
earlier. Conventions of any text on corporate finance, such as Brealey, Myers and Allen, Principles of Corporate
Finance.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.errors import InvalidValue

Values = NDArray[np.float64]
MONTHS = 12
LEAST_RATE, MOST_RATE = -0.99, 100.0
"""Between which yearly rates returns are looked for: the loss of 99 % a year, and a hundredfold."""
POINTS = 4000
"""Discount factors tried for a change of sign; two rates closer than these are not told apart."""


def _shares(count: int, rate: float, periods: int, is_mid: bool) -> Values:
    """What one of every flow is worth."""
    if not rate > -1:
        raise InvalidValue(f"A discount rate is above -100 %; {rate * 100:g} % was given.")
    at = np.arange(count, dtype=float)
    if is_mid:
        at[1:] -= 0.5
    return np.asarray((1 + rate) ** (-at / periods))


def present_value(flows: Sequence[float], rate: float, periods: int = MONTHS, is_mid: bool = False) -> float:
    """Return what flows are worth on the day of the first.

    Parameters
    ----------
    flows : the first on the day of valuation, the others a period apart; put 0 first where nothing happens that day.
    rate : yearly, effective, above -1. periods : a year. is_mid : flows come in the middle of their periods.

    Raises
    ------
    InvalidValue: a rate of -100 % or less.
    """
    return float(np.dot(np.asarray(flows, dtype=float), _shares(len(flows), rate, periods, is_mid)))


def internal_rates(flows: Sequence[float], periods: int = MONTHS) -> tuple[float, ...]:
    """Return every yearly rate at which flows are worth nothing, rising; none where there is no such rate.

    Flows that change their sign more than once may have several, and then none of them ranks one plan before another.
    Rates from -99 % to 10,000 % are found, those at which the worth touches 0 without crossing it are not.
    """
    from scipy.optimize import brentq  # imported where used: it is slow to load

    given = np.asarray(flows, dtype=float)
    if not ((given > 0).any() and (given < 0).any()):
        return ()

    def worth(factor: float) -> float:
        return float(np.polyval(given[::-1], factor))

    # By discount factor of a period, so that no rate is overflown; the greatest factor is the lowest rate.
    low, high = ((1 + rate) ** (-1 / periods) for rate in (MOST_RATE, LEAST_RATE))
    factors = np.geomspace(low, high, POINTS)
    values = np.polyval(given[::-1], factors)
    found = [float(factor) for factor in factors[values == 0]]
    for place in np.flatnonzero(np.sign(values[:-1]) * np.sign(values[1:]) < 0):
        found.append(float(brentq(worth, factors[place], factors[place + 1], xtol=1e-15, rtol=1e-14)))
    return tuple(sorted(factor**-periods - 1 for factor in found))


def modified_rate(flows: Sequence[float], finance: float, reinvest: float, periods: int = MONTHS) -> float:
    """Return the yearly rate at which what is paid in grows to what comes out: the modified internal rate of return.

    Parameters
    ----------
    finance : yearly rate at which payments are discounted to the first day. reinvest : at which receipts grow to the
        last.

    Returns
    -------
    NaN where nothing is paid, nothing comes out, or there is one flow only.

    Raises
    ------
    InvalidValue: a rate of -100 % or less.
    """
    given = np.asarray(flows, dtype=float)
    paid = -present_value(np.minimum(given, 0.0).tolist(), finance, periods)
    received = present_value(np.maximum(given, 0.0).tolist(), reinvest, periods)
    if len(given) < 2 or paid <= 0 or received <= 0:
        return float("nan")
    years = (len(given) - 1) / periods
    return float((received * (1 + reinvest) ** years / paid) ** (1 / years) - 1)


@dataclass(frozen=True)
class PayBack:
    """When flows have paid back what they took.

    Parameters
    ----------
    periods : from the first flow, the last one counted in part as its flow comes evenly; NaN where they never do within
        those given. is_for_good : whether they stay paid back to the end.
    """

    periods: float
    is_for_good: bool


def pay_back(flows: Sequence[float], rate: float = 0.0, periods: int = MONTHS, is_mid: bool = False) -> PayBack:
    """Return when the running total of flows is 0 again, discounted where a rate is given.

    Raises
    ------
    InvalidValue: a rate of -100 % or less.
    """
    total = np.cumsum(np.asarray(flows, dtype=float) * _shares(len(flows), rate, periods, is_mid))
    if not len(total) or total.min() >= 0:
        return PayBack(0.0, True)
    first_short = int(np.argmax(total < 0))
    above = np.flatnonzero(total[first_short:] >= 0)
    if not above.size:
        return PayBack(float("nan"), False)
    place = first_short + int(above[0])
    before, step = float(total[place - 1]), float(total[place] - total[place - 1])
    return PayBack(place - 1 + (-before / step), bool((total[place:] >= 0).all()))


def profitability(flows: Sequence[float], rate: float, periods: int = MONTHS, is_mid: bool = False) -> float:
    """Return what comes in for each unit of what goes out, both at their present value; NaN where nothing goes out.

    The profitability index: above 1 where flows are worth more than they cost. Raises as ``present_value``.
    """
    given = np.asarray(flows, dtype=float)
    paid = -present_value(np.minimum(given, 0.0).tolist(), rate, periods, is_mid)
    received = present_value(np.maximum(given, 0.0).tolist(), rate, periods, is_mid)
    return received / paid if paid > 0 else float("nan")
