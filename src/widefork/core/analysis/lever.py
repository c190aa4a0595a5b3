"""Levers: what may move, and how; alone or several together."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np

from widefork.core.axes import Month
from widefork.core.changes import Change, Operation, Step, Switch
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue
from widefork.core.graph.calculate import ChangeList
from widefork.core.graph.model import Model
from widefork.core.graph.plan import Plan


class Pulls(Protocol):
    """Anything that turns one amount into what a case does further."""

    @property
    def lines(self) -> tuple[str, ...]:
        """The lines moved."""

    @property
    def is_whole(self) -> bool:
        """Whether only whole amounts count."""

    def steps(self, amount: float) -> tuple[Step, ...]:
        """Return what an amount does, as a case would keep it."""

    def onto(self, changes: Sequence[Change], amount: float) -> ChangeList:
        """Return the changes of a case with an amount of this upon them."""


@dataclass(frozen=True)
class Lever:
    """The assumption that may change, and how: SET to an amount, SCALE by a factor where its months differ, ADD, or
    DELAY by whole months.

    Parameters
    ----------
    is_whole : bool. Only whole amounts count, such as people or machines.
    first, last : the months between which it changes; None is open.
    """

    line: str
    operation: Operation = Operation.SET
    members: tuple[tuple[str, str], ...] = ()
    is_whole: bool = False
    first: Month | None = None
    last: Month | None = None

    @property
    def lines(self) -> tuple[str, ...]:
        """The assumption moved."""
        return (self.line,)

    def changes(self, amount: float) -> tuple[Change, ...]:
        """Return the change for one amount."""
        return (Change(self.line, self.operation, amount, self.members, self.first, self.last),)

    def steps(self, amount: float) -> tuple[Step, ...]:
        """Return the change for one amount."""
        return self.changes(amount)

    def onto(self, changes: Sequence[Change], amount: float) -> ChangeList:
        """Return changes with one amount upon them."""
        return (*changes, *self.changes(amount))


@dataclass(frozen=True)
class SwitchLever:
    """When a move starts, or how strong it is, in one case.

    Parameters
    ----------
    switch : the move as it is on, or would be. is_start : the amount is the running number of the month it starts in;
        else its strength. further : changes upon those of the case, besides.
    """

    model: Model
    case: str
    switch: Switch
    is_start: bool
    further: tuple[Change, ...] = ()

    @property
    def lines(self) -> tuple[str, ...]:
        """The lines the move changes."""
        return tuple(dict.fromkeys(change.line for change in self.model.move_by_name[self.switch.move].changes))

    @property
    def is_whole(self) -> bool:
        """Whether only whole amounts count: months."""
        return self.is_start

    def switched(self, amount: float) -> Switch:
        """Return the move switched on as an amount says."""
        if self.is_start:
            return replace(self.switch, start=Month.from_ordinal(int(amount)))
        return replace(self.switch, strength=amount)

    def steps(self, amount: float) -> tuple[Step, ...]:
        """Return the move switched on as an amount says."""
        return (self.switched(amount),)

    def onto(self, changes: Sequence[Change], amount: float) -> ChangeList:
        """Return the case's changes with the move so; ``changes`` are those of the case and ``further``."""
        return pull(changes, ((self, amount),))


OneLever = Lever | SwitchLever


def pull(changes: Sequence[Change], pulled: Sequence[tuple[OneLever, float]]) -> ChangeList:
    """Return the changes of a case with several levers pulled at once.

    Moves are switched where the case has them, and what levers do to lines comes after all of it.
    """
    moves = [(lever, amount) for lever, amount in pulled if isinstance(lever, SwitchLever)]
    ground: ChangeList = tuple(changes)
    if moves:
        one = moves[0][0]
        switches = [lever.switched(amount) for lever, amount in moves]
        ground = one.model.changes_with(one.case, (*switches, *one.further))
    return (*ground, *(c for lever, amount in pulled if isinstance(lever, Lever) for c in lever.changes(amount)))


@dataclass(frozen=True)
class Together:
    """Several levers moved in proportion: at 0 each stands at its start, at 1 at its end, between in a straight line.

    Parameters
    ----------
    ways : (lever, amount at 0, amount at 1).
    """

    ways: tuple[tuple[OneLever, float, float], ...]
    is_whole: bool = False

    @property
    def lines(self) -> tuple[str, ...]:
        """The assumptions moved."""
        return tuple(line for lever, _, _ in self.ways for line in lever.lines)

    def amounts(self, share: float) -> tuple[float, ...]:
        """Return each lever's amount at a share of the way; whole where the lever is."""
        found = []
        for lever, start, end in self.ways:
            amount = start + share * (end - start)
            found.append(float(np.floor(amount + 0.5)) if lever.is_whole else amount)
        return tuple(found)

    def steps(self, amount: float) -> tuple[Step, ...]:
        """Return what all levers do at a share of the way."""
        pulled = zip(self.ways, self.amounts(amount), strict=True)
        return tuple(step for (lever, _, _), own in pulled for step in lever.steps(own))

    def onto(self, changes: Sequence[Change], amount: float) -> ChangeList:
        """Return changes with all levers at a share of the way."""
        pulled = zip(self.ways, self.amounts(amount), strict=True)
        return pull(changes, tuple((lever, own) for (lever, _, _), own in pulled))


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
    named = dict(members)
    for place, dimension in reversed(tuple(enumerate(plan.model.dimensions_of(plan.model.line(line))))):
        if dimension.name in named:
            values = values.take([dimension.index(named[dimension.name])], axis=place)
    alike = values.size > 0 and bool(np.all(values == values.flat[0]))
    if alike:
        return Lever(line, Operation.SET, members), float(values.flat[0])
    return Lever(line, Operation.SCALE, members), 1.0
