"""The present value of equal payments, in numbers: for opening balances, which are given and not calculated."""

from math import expm1, log1p


def annuity(monthly_rate: float, months: int) -> float:
    """Return the present value of 1 at each of so many months' ends: (1 − (1 + i)^−n) / i; n without interest."""
    return -expm1(-months * log1p(monthly_rate)) / monthly_rate if monthly_rate else float(months)
