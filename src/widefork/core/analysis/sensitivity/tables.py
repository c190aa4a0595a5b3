"""Figures over a range of one lever, or a grid of two; and how strongly a figure reacts to each assumption."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.figures import figure_amounts, figures_amounts
from widefork.core.analysis.lever import Pulls
from widefork.core.changes import Change, Operation
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure
from widefork.core.graph.plan import Plan

Values = NDArray[np.float64]
SMALL_STEP = 1e-3


def one_way(
    plan: Plan, changes: Sequence[Change], figures: Sequence[Figure], lever: Pulls, amounts: Sequence[float]
) -> Values:
    """Return figures at several amounts of a lever, shape (figures, amounts), in each figure's unit.

    Raises
    ------
    UnknownName: a figure or lever on an unknown line.
    """
    return figures_amounts(plan, [lever.onto(changes, amount) for amount in amounts], figures)


def two_way(
    plan: Plan,
    changes: Sequence[Change],
    figure: Figure,
    down: tuple[Pulls, Sequence[float]],
    across: tuple[Pulls, Sequence[float]],
) -> Values:
    """Return a figure over a grid of two levers, shape (amounts down, amounts across).

    Raises
    ------
    UnknownName: a figure or lever on an unknown line. InvalidValue: the same assumption both ways.
    """
    shared = set(down[0].lines) & set(across[0].lines)
    if shared:
        raise InvalidValue(f"{', '.join(sorted(shared))} cannot go down and across; choose two different assumptions.")
    batch = [across[0].onto(down[0].onto(changes, one), two) for one in down[1] for two in across[1]]
    return figure_amounts(plan, batch, figure).reshape(len(down[1]), len(across[1]))


@dataclass(frozen=True)
class Elasticity:
    """How strongly a figure reacts: by how many per cent it moves when the assumption moves by one.

    Parameters
    ----------
    value : NaN where the figure is 0 or has no answer.
    """

    line: str
    value: float


def elasticities(plan: Plan, changes: Sequence[Change], figure: Figure) -> tuple[Elasticity, ...]:
    """Return a figure's elasticity to every assumption behind it, the strongest first.

    All plan months of an assumption are moved by 0.1 % up and down; the middle difference is taken.

    Raises
    ------
    UnknownName: a figure on an unknown line.
    """
    names = plan.assumptions_behind(figure.line)
    factors = (1.0, 1 - SMALL_STEP, 1 + SMALL_STEP)
    batch = [(*changes, Change(name, Operation.SCALE, factor)) for name in names for factor in factors]
    amounts = figure_amounts(plan, batch, figure).reshape(-1, 3) if batch else np.empty((0, 3))
    now, less, more = amounts.T
    with np.errstate(divide="ignore", invalid="ignore"):
        values = np.where(now == 0, np.nan, (more - less) / (2 * SMALL_STEP * now))
    found = [Elasticity(name, float(value)) for name, value in zip(names, values, strict=True)]
    return tuple(sorted(found, key=lambda entry: -abs(np.nan_to_num(entry.value))))
