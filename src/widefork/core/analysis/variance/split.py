"""An amount that is a quantity times a price, split into what volume, mix and price did to it.

Volume is valued at the plan's average price, price at the quantity there really was (common practice: sales volume,
sales mix and sales price variances). On a cost line, price reads as cost.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.graph.calculate import Results
from widefork.core.graph.plan import Plan
from widefork.core.language.syntax import Name, Operation

Values = NDArray[np.float64]


@dataclass(frozen=True)
class Split:
    """Parts of a difference, actual less plan, in currency; they add up to it.

    Parameters
    ----------
    other : what the plan's amount had beside quantity times price, such as an adjustment of a case.
    """

    volume: float
    mix: float
    price: float
    other: float = 0.0


@dataclass(frozen=True)
class Factors:
    """The lines an amount is the product of."""

    quantity: str
    price: str


def factors_of(plan: Plan, name: str) -> Factors | None:
    """Return what an amount is the product of, where its formula is a quantity times a price; None where it is not.

    A price has a unit “per” something (EUR/kit); a share has none and is no price.
    """
    tree = plan.formulas.get(name)
    if not isinstance(tree, Operation) or tree.operator != "*":
        return None
    if not isinstance(tree.left, Name) or not isinstance(tree.right, Name):
        return None
    sides = [tree.left.name, tree.right.name]
    if any(side not in plan.model.line_by_name for side in sides):
        return None
    prices = [side for side in sides if "/" in plan.model.line(side).unit]
    quantities = [side for side in sides if side not in prices and not plan.model.line(side).unit.startswith("%")]
    if len(prices) != 1 or len(quantities) != 1 or plan.model.line(name).unit != plan.model.currency:
        return None
    return Factors(quantities[0], prices[0])


def split_line(planned: Results, actual: Results, name: str, place: int, planned_place: int) -> Split | None:
    """Return a line's difference in a month, split; None where it is not a quantity times a price in the plan, or
    where nobody said what the quantity really was.

    Parameters
    ----------
    planned, actual : results whose first change list is compared. place, planned_place : of the month in each.
    """
    factors = factors_of(planned.plan, name)
    lines = actual.plan.model.line_by_name
    if factors is None or name not in lines or factors.quantity not in lines:
        return None
    line = planned.plan.model.line(name)
    if not _is_known(actual, factors.quantity, place):
        return None
    if any(
        results.plan.model.line(other).dimensions != line.dimensions
        for results in (planned, actual)
        for other in (name, factors.quantity)
    ):
        return None
    quantity = planned.values(factors.quantity)[..., planned_place, 0]
    amounts = planned.values(name)[..., planned_place, 0]
    really, quantity_then = actual.values(name)[..., place, 0], actual.values(factors.quantity)[..., place, 0]
    if quantity.shape != quantity_then.shape:
        return None
    return split_amount(quantity, planned.values(factors.price)[..., planned_place, 0], amounts, quantity_then, really)


def _is_known(actual: Results, quantity: str, place: int) -> bool:
    """Whether a month's quantity, or one in the same unit that it is made of, was given: else it is the plan's."""
    model = actual.plan.model
    if place >= model.timeline.actual_count:
        return True
    unit = model.line(quantity).unit
    for name in actual.plan.upstream([quantity]):
        line = model.line_by_name.get(name)
        if line is None or line.unit != unit:
            continue
        if any(place < len(months) and months[place] == months[place] for months in line.actuals.values()):
            return True
    return False


def split_amount(quantity: Values, price: Values, planned: Values, quantity_then: Values, amount: Values) -> Split:
    """Return the parts of Σ amount − Σ planned.

    Parameters
    ----------
    quantity, price, planned : the plan's, by member. quantity_then, amount : what they really were; same shape.
    """
    at_plan = price * np.ones_like(quantity)
    worth = float((quantity * at_plan).sum())
    whole, whole_then = float(quantity.sum()), float(quantity_then.sum())
    valued = float((quantity_then * at_plan).sum())
    # Without any planned quantity there is no planned mix: all of it is volume.
    volume = (whole_then - whole) * worth / whole if whole else valued - worth
    return Split(
        volume, valued - worth - volume, float(np.sum(amount)) - valued, worth - float(np.sum(planned))
    )  # fmt: skip
