"""Functions of single values. NaN marks an error value and passes through all of them."""

import numpy as np

from widefork.core.language.functions.function import Function, Kind, UnitRule, Values


def _least(first: Values, *others: Values) -> Values:
    for other in others:
        first = np.minimum(first, other)
    return first


def _greatest(first: Values, *others: Values) -> Values:
    for other in others:
        first = np.maximum(first, other)
    return first


def _round_half_up(value: Values, digits: Values | None = None) -> Values:
    factor = 1.0 if digits is None else 10.0**digits
    return np.asarray(np.sign(value) * np.floor(np.abs(value) * factor + 0.5) / factor)


def _level_payment(principal: Values, monthly_rate: Values, months: Values) -> Values:
    """Payment that clears ``principal`` in equal amounts: p × i / (1 − (1 + i)^−n); p / n without interest."""
    with np.errstate(divide="ignore", invalid="ignore"):
        factor = monthly_rate / -np.expm1(-months * np.log1p(monthly_rate))
        payment = principal * np.where(monthly_rate == 0, 1 / np.where(months == 0, np.nan, months), factor)
    return np.asarray(payment, dtype=float)


def _monthly_share(yearly_share: Values) -> Values:
    """The share a month that compounds to a yearly one: 1 − (1 − s)^(1/12)."""
    return np.asarray(1 - np.power(np.where(yearly_share <= 1, 1 - yearly_share, np.nan), 1 / 12))


def _exponential(value: Values) -> Values:
    with np.errstate(over="ignore"):
        found = np.exp(value)
    return np.asarray(np.where(np.isfinite(found), found, np.nan))


def _logarithm(value: Values) -> Values:
    return np.log(np.where(value > 0, value, np.nan))


def _square_root(value: Values) -> Values:
    return np.sqrt(np.where(value >= 0, value, np.nan))


def _interest(balance: Values, yearly_rate: Values) -> Values:
    return balance * yearly_rate / 12


def _present_value(amount: Values, yearly_rate: Values, months: Values) -> Values:
    """An amount so many months later, worth today: a / (1 + r)^(m / 12), r a yearly effective rate above -100 %."""
    with np.errstate(over="ignore", invalid="ignore", divide="ignore"):
        found = amount / np.power(np.where(yearly_rate > -1, 1 + yearly_rate, np.nan), months / 12)
    return np.asarray(np.where(np.isfinite(found), found, np.nan))


LEAST = Function(
    "min",
    ("value", "value…"),
    "The least of the values.",
    "min(demand, capacity)",
    Kind.ELEMENTWISE,
    _least,
    unit_rule=UnitRule.ALIKE,
)
GREATEST = Function(
    "max",
    ("value", "value…"),
    "The greatest of the values.",
    "max(0, profit)",
    Kind.ELEMENTWISE,
    _greatest,
    unit_rule=UnitRule.ALIKE,
)
ROUND = Function(
    "round",
    ("value", "digits?"),
    "Rounded, halves away from zero.",
    "round(kits, 0)",
    Kind.ELEMENTWISE,
    _round_half_up,
)
ROUND_DOWN = Function(
    "round_down", ("value",), "The whole number below.", "round_down(kits / 12)", Kind.ELEMENTWISE, np.floor
)
ROUND_UP = Function("round_up", ("value",), "The whole number above.", "round_up(kits / 12)", Kind.ELEMENTWISE, np.ceil)
LEVEL_PAYMENT = Function(
    "level_payment",
    ("principal", "monthly_rate", "months"),
    "The equal monthly payment, at each month's end, that repays a principal with interest.",
    "level_payment(90000, 6 % / 12, 60)",
    Kind.ELEMENTWISE,
    _level_payment,
)
MONTHLY_SHARE = Function(
    "monthly_share",
    ("yearly_share",),
    "The share a month that compounds to a share a year, such as 14 % leaving.",
    "heads * monthly_share(14 %)",
    Kind.ELEMENTWISE,
    _monthly_share,
    unit_rule=UnitRule.PLAIN,
)
ABSOLUTE = Function("abs", ("value",), "The size without its sign.", "abs(gap)", Kind.ELEMENTWISE, np.abs)
EXPONENTIAL = Function(
    "exp", ("value",), "e to the power of the value.", "exp(0.02 * month_number)", Kind.ELEMENTWISE, _exponential,
    unit_rule=UnitRule.NUMBER,
)  # fmt: skip
LOGARITHM = Function(
    "ln", ("value",), "The natural logarithm; of a value above 0.", "ln(index)", Kind.ELEMENTWISE, _logarithm,
    unit_rule=UnitRule.NUMBER,
)  # fmt: skip
SQUARE_ROOT = Function(
    "sqrt", ("value",), "The square root; of a value from 0.", "sqrt(variance)", Kind.ELEMENTWISE, _square_root,
    unit_rule=UnitRule.NUMBER,
)  # fmt: skip
PRESENT_VALUE = Function(
    "present_value",
    ("amount", "yearly_rate", "months"),
    "What an amount so many months later is worth today, at a yearly effective rate: a twelfth of the year each month.",
    "present_value(free_cash_flow, 12 %, month_number)",
    Kind.ELEMENTWISE,
    _present_value,
)
INTEREST = Function(
    "interest_on",
    ("balance", "yearly_rate"),
    "A month's interest: a twelfth of the nominal yearly rate on a balance.",
    "interest_on(before(loan), 6 %)",
    Kind.ELEMENTWISE,
    _interest,
)
