"""Functions over the members of dimensions. The dimension is named after the value; none means all it has."""

import numpy as np
from numpy.typing import NDArray

from widefork.core.language.functions.function import FAR, NEARLY, TINY, Function, Kind, UnitRule, Values


def _total(value: Values, axes: tuple[int, ...]) -> Values:
    return np.asarray(value.sum(axis=axes, keepdims=True))


def _mean(value: Values, axes: tuple[int, ...]) -> Values:
    return np.asarray(value.mean(axis=axes, keepdims=True))


def _share(value: Values, axes: tuple[int, ...]) -> Values:
    whole = value.sum(axis=axes, keepdims=True)
    return np.asarray(value / np.where(whole == 0, np.nan, whole))


def _whole_parts(value: Values, axes: tuple[int, ...]) -> Values:
    """Members rounded so that they add up to the rounded whole: largest remainder, the first of equals."""
    parts = np.moveaxis(value, axes, range(-len(axes), 0))
    shape = parts.shape
    flat = parts.reshape(*shape[: value.ndim - len(axes)], -1)
    total = flat.sum(axis=-1, keepdims=True)
    sign = np.where(total < 0, -1.0, 1.0)
    below = np.floor(flat * sign + NEARLY)
    missing = np.floor(total * sign + 0.5 + NEARLY) - below.sum(axis=-1, keepdims=True)
    order = np.argsort(-np.round(flat * sign - below, 9), axis=-1, kind="stable")
    rank = np.argsort(order, axis=-1, kind="stable")
    whole = np.where(np.isnan(total), np.nan, (below + (rank < missing)) * sign)
    return np.moveaxis(whole.reshape(shape), range(-len(axes), 0), axes)


def _whole_flows(value: Values, axes: tuple[int, ...]) -> Values:
    """Members' flows in whole numbers that add up to the rounded whole in every month and over time.

    What a member is owed is its flow so far less what it was given. Each month hands out what the rounded whole has
    grown by: to whom is owed a whole one first, then to whom will be soonest, as this month's flows go on. Nothing is
    taken back. While the shares hold, each stays within one of its exact running total (earliest deadline first, as in
    R. Tijdeman, The chairman assignment problem, 1980).
    """
    parts = np.moveaxis(value, axes, range(-len(axes), 0))
    shape = parts.shape
    flat = parts.reshape(*shape[: value.ndim - len(axes)], -1)  # (..., months, batch, parts)
    given = np.zeros_like(flat)
    for place in np.ndindex(*flat.shape[:-3], flat.shape[-2]):
        lead, entry = place[:-1], place[-1]
        given[(*lead, slice(None), entry)] = _handed_out(flat[(*lead, slice(None), entry)])
    return np.moveaxis(given.reshape(shape), range(-len(axes), 0), axes)


def _handed_out(flows: Values) -> Values:
    """One entry's flows in whole numbers, shape (months, parts)."""
    given = np.zeros_like(flows)
    owed = np.zeros(flows.shape[-1])
    running, whole = 0.0, 0.0
    for month, flow in enumerate(flows):
        owed = owed + flow
        for amount in flow.tolist():  # one after another, as the compiled kernel does
            running += amount
        if np.isnan(running):
            given[month:] = np.nan
            break
        handed = np.floor(np.maximum(owed, 0.0) + NEARLY)
        # By the running total, not by what is owed: a half rounded up is owed a half back, and must not be taken back.
        before, whole = whole, float(np.sign(running) * np.floor(abs(running) + 0.5 + NEARLY))
        missing = int(whole - before - handed.sum())
        for _ in range(abs(missing)):
            step = 1.0 if missing > 0 else -1.0
            handed[_next(owed - handed, flow, handed, step)] += step
        given[month], owed = handed, owed - handed
    return given


def _next(left: Values, flow: Values, handed: Values, step: float) -> int:
    """Who is given one more, or one less: whose whole one is due first, or last."""
    left = left if step > 0 else left + 1.0
    waits = (1.0 - left) / np.maximum(flow, TINY) + np.where(left > NEARLY, 0.0, FAR)
    if step > 0:
        return int(np.argmin(waits))
    return int(np.argmax(np.where((handed > 0) | ~(handed > 0).any(), waits, -np.inf)))


def _sum_by(value: Values, own: int, other: int, places: NDArray[np.int64], count: int) -> Values:
    """Members summed into those they belong to: axis ``own`` becomes 1, axis ``other`` as long as its dimension."""
    groups = [value.take(np.flatnonzero(places == place), axis=own) for place in range(count)]
    return np.concatenate([group.sum(axis=own, keepdims=True) for group in groups], axis=other)


def _spread_to(value: Values, own: int, other: int, places: NDArray[np.int64], count: int) -> Values:
    """Each member given the value of the one it belongs to: the inverse way along the same mapping."""
    return np.concatenate([value.take([place], axis=other) for place in places], axis=own)


SUM_OVER = Function(
    "sum_over",
    ("value", "dimension…"),
    "The sum over a dimension's members.",
    "sum_over(kits, region)",
    Kind.MEMBERS,
    _total,
    adds_up=True,
)
MEAN_OVER = Function(
    "mean_over",
    ("value", "dimension…"),
    "The mean over a dimension's members.",
    "mean_over(price, region)",
    Kind.MEMBERS,
    _mean,
    adds_up=True,
)
SHARE_OVER = Function(
    "share_over",
    ("value", "dimension…"),
    "Each member's share of the sum.",
    "share_over(kits, region)",
    Kind.MEMBERS,
    _share,
    keeps_members=True,
    unit_rule=UnitRule.PLAIN,
)
WHOLE_PARTS = Function(
    "whole_parts",
    ("value", "dimension…"),
    "Each member as a whole number, so that they add up to the rounded whole.",
    "whole_parts(kits, region)",
    Kind.MEMBERS,
    _whole_parts,
    keeps_members=True,
)
WHOLE_FLOWS = Function(
    "whole_flows",
    ("flow", "dimension…"),
    "Each member's flow in whole numbers that add up to the rounded whole, in every month and over time.",
    "whole_flows(kits, region)",
    Kind.MEMBERS,
    _whole_flows,
    keeps_members=True,
    sees_past=True,
)
SUM_BY = Function(
    "sum_by",
    ("value", "dimension"),
    "The sum by the members of another dimension that the value's own members belong to.",
    "sum_by(customer_sales, region)",
    Kind.MAPPING,
    _sum_by,
    adds_up=True,
)
SPREAD_TO = Function(
    "spread_to",
    ("value", "dimension"),
    "For each member of a dimension, the value of the member it belongs to.",
    "spread_to(kits, customer)",
    Kind.MAPPING,
    _spread_to,
)
