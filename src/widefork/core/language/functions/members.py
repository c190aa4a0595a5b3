"""Functions over the members of dimensions. The dimension is named after the value; none means all it has."""

import numpy as np

from widefork.core.language.functions.function import Function, Kind, UnitRule, Values


def _total(value: Values, axes: tuple[int, ...]) -> Values:
    return np.asarray(value.sum(axis=axes, keepdims=True))


def _mean(value: Values, axes: tuple[int, ...]) -> Values:
    return np.asarray(value.mean(axis=axes, keepdims=True))


def _share(value: Values, axes: tuple[int, ...]) -> Values:
    whole = value.sum(axis=axes, keepdims=True)
    return np.asarray(value / np.where(whole == 0, np.nan, whole))


SUM_OVER = Function(
    "sum_over",
    ("value", "dimension…"),
    "The sum over a dimension's members.",
    "sum_over(kits, region)",
    Kind.MEMBERS,
    _total,
)
MEAN_OVER = Function(
    "mean_over",
    ("value", "dimension…"),
    "The mean over a dimension's members.",
    "mean_over(price, region)",
    Kind.MEMBERS,
    _mean,
)
SHARE_OVER = Function(
    "share_over",
    ("value", "dimension…"),
    "Each member's share of the sum.",
    "share_over(kits, region)",
    Kind.MEMBERS,
    _share,
    unit_rule=UnitRule.PLAIN,
)
