"""Levers: an assumption that may move, and how; alone or several together."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue
from widefork.core.graph.plan import Plan


class Pulls(Protocol):
    """Anything that turns one amount into changes."""

    @property
    def lines(self) -> tuple[str, ...]:
        """The assumptions moved."""

    @property
    def is_whole(self) -> bool:
        """Whether only whole amounts count."""

    def changes(self, amount: float) -> tuple[Change, ...]:
        """Return what an amount does."""


@dataclass(frozen=True)
class Lever:
    """The assumption that may change, and how: SET to an amount, or SCALE by a factor where its months differ.

    Parameters
    ----------
    is_whole : bool. Only whole amounts count, such as people or machines.
    """

    line: str
    operation: Operation = Operation.SET
    members: tuple[tuple[str, str], ...] = ()
    is_whole: bool = False

    @property
    def lines(self) -> tuple[str, ...]:
        """The assumption moved."""
        return (self.line,)

    def changes(self, amount: float) -> tuple[Change, ...]:
        """Return the change for one amount."""
        return (Change(self.line, self.operation, amount, self.members),)


@dataclass(frozen=True)
class Together:
    """Several levers moved in proportion: at 0 each stands at its start, at 1 at its end, between in a straight line.

    Parameters
    ----------
    ways : (lever, amount at 0, amount at 1).
    """

    ways: tuple[tuple[Lever, float, float], ...]
    is_whole: bool = False

    @property
    def lines(self) -> tuple[str, ...]:
        """The assumptions moved."""
        return tuple(lever.line for lever, _, _ in self.ways)

    def amounts(self, share: float) -> tuple[float, ...]:
        """Return each lever's amount at a share of the way; whole where the lever is."""
        found = []
        for lever, start, end in self.ways:
            amount = start + share * (end - start)
            found.append(float(np.floor(amount + 0.5)) if lever.is_whole else amount)
        return tuple(found)

    def changes(self, amount: float) -> tuple[Change, ...]:
        """Return what all levers do at a share of the way."""
        pulled = zip(self.ways, self.amounts(amount), strict=True)
        return tuple(change for (lever, _, _), own in pulled for change in lever.changes(own))


def usual_lever(
    plan: Plan, changes: Sequence[Change], line: str, members: tuple[tuple[str, str], ...] = ()
) -> tuple[Lever, float]:
    """Return how an assumption is best moved, and its amount now: set it where its plan months are all alike,
    else scale it.

    Raises
    ------
    UnknownName: no such line. InvalidValue: a line that is not an assumption.
    """
    if not plan.model.line(line).is_assumption:
        raise InvalidValue(f"{plan.model.line(line).label} is calculated; choose an assumption to change.")
    values = evaluate(plan, [changes], [line]).values(line)[..., plan.model.timeline.actual_count :, 0]
    alike = values.size > 0 and bool(np.all(values == values.flat[0]))
    if alike:
        return Lever(line, Operation.SET, members), float(values.flat[0])
    return Lever(line, Operation.SCALE, members), 1.0
