"""The difference of a figure between two change lists, split exactly by cause.

Up to 12 causes: the Shapley value over all coalitions, evaluated as one batch. Beyond: the mean over random orders,
each taken forwards and backwards, with its standard error. Either way the steps add up to the whole difference.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from math import nan

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.bridge.causes import Cause, Causes
from widefork.core.analysis.figures import figure_amounts
from widefork.core.analysis.shapley import coalitions, shapley_values
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure
from widefork.core.graph.plan import Plan

MOST_EXACT = 12
USUAL_ORDERS = 200

Values = NDArray[np.float64]


class Grouping(StrEnum):
    """What causes are taken together by."""

    LINE = "line"
    SECTION = "section"
    NOTE = "note"

    def of(self, cause: Cause) -> str:
        """Return the name of what a cause belongs to."""
        names = {Grouping.LINE: cause.group, Grouping.SECTION: cause.section}
        return names.get(self, "") or cause.note or cause.label


@dataclass(frozen=True)
class Step:
    """What one cause contributes, in the figure's unit (months where the figure gives months).

    Parameters
    ----------
    error : its standard error; 0 where all coalitions were evaluated.
    alone, last : what it does with no other cause, and when all others have happened; NaN where that was not asked.
    count : how many causes it stands for.
    """

    cause: Cause
    amount: float
    error: float = 0.0
    alone: float = nan
    last: float = nan
    count: int = 1


@dataclass(frozen=True)
class Bridge:
    """A difference by cause.

    Parameters
    ----------
    start, end : the figure under the first and the second case. steps : add up to ``end`` less ``start``.
    orders : random orders taken; 0 where the split is exact.
    """

    figure: Figure
    start: float
    end: float
    steps: tuple[Step, ...]
    orders: int = 0

    def backwards(self) -> "Bridge":
        """Return the same difference seen from its other end: every step with the opposite sign."""
        steps = tuple(replace(step, amount=-step.amount, alone=-step.last, last=-step.alone) for step in self.steps)
        return replace(self, start=self.end, end=self.start, steps=steps)

    def grouped(self, by: Grouping = Grouping.LINE) -> tuple[Step, ...]:
        """Return what causes that belong together contribute together, in the order they first come.

        What several do alone does not add up to what they do together, and so stays unsaid.
        """
        found: dict[str, Step] = {}
        for step in self.steps:
            key = by.of(step.cause)
            known = found.get(key)
            if known is None:
                cause = step.cause if by is Grouping.LINE else replace(step.cause, key=f"{by}:{key}", label=key)
                found[key] = replace(step, cause=cause)
                continue
            amount, error = known.amount + step.amount, float(np.hypot(known.error, step.error))
            found[key] = Step(known.cause, amount, error, count=known.count + step.count)
        return tuple(found.values())


def bridge(plan: Plan, causes: Causes, figure: Figure, seed: int = 0, orders: int = USUAL_ORDERS) -> Bridge:
    """Return the difference of a figure split by cause, whatever the order the causes are thought to come in.

    The other way round, the same two cases give the exact negative.

    Parameters
    ----------
    seed, orders : of the sampling beyond 12 causes; ``orders`` even.

    Raises
    ------
    InvalidValue: a figure that has no answer under some coalition.
    """
    if causes.is_backwards:  # one computation for both ways, so that one is the very negative of the other
        return bridge(plan, replace(causes, is_backwards=False), figure, seed, orders).backwards()
    count = len(causes.causes)
    if count > MOST_EXACT:
        return _sampled(plan, causes, figure, seed, orders)
    worth = _worth(plan, causes, figure, coalitions(count))
    amounts = shapley_values(worth)
    steps = [
        Step(
            cause,
            float(amount),
            alone=float(worth[2**place] - worth[0]),
            last=float(worth[-1] - worth[2**count - 1 - 2**place]),
        )
        for place, (cause, amount) in enumerate(zip(causes.causes, amounts, strict=True))
    ]
    return Bridge(figure, float(worth[0]), float(worth[-1]), tuple(steps))


def walk(plan: Plan, causes: Causes, figure: Figure, order: Sequence[str]) -> Bridge:
    """Return the difference walked in a chosen order: each cause contributes what it adds when its turn comes.

    Parameters
    ----------
    order : keys of causes; a group stands for those of its causes that are not named themselves.

    Raises
    ------
    InvalidValue: an order that does not name every cause once, or a figure without an answer on the way.
    """
    keys = [cause.key for cause in causes.causes]
    places: list[int] = []
    for key in order:
        places += [
            place
            for place, cause in enumerate(causes.causes)
            if cause.key == key or (cause.group == key and cause.key not in order)
        ]
    if sorted(places) != list(range(len(keys))):
        raise InvalidValue(f"The order names every cause once: {', '.join(keys)}.")
    taken = np.array([[place in places[:count] for place in range(len(keys))] for count in range(len(keys) + 1)])
    worth = _worth(plan, causes, figure, taken.reshape(len(keys) + 1, len(keys)))
    steps = [Step(causes.causes[place], float(gain)) for place, gain in zip(places, np.diff(worth), strict=True)]
    return Bridge(figure, float(worth[0]), float(worth[-1]), tuple(steps))


def _sampled(plan: Plan, causes: Causes, figure: Figure, seed: int, orders: int) -> Bridge:
    if orders < 4 or orders % 2:
        raise InvalidValue(f"Random orders are taken in pairs, at least two of them; {orders} were asked for.")
    count, chance = len(causes.causes), np.random.default_rng(seed)
    forwards = [chance.permutation(count) for _ in range(orders // 2)]
    walks = [order for pair in forwards for order in (pair, pair[::-1])]
    steps = np.zeros((len(walks), count + 1, count), dtype=bool)
    for place, order in enumerate(walks):
        for turn, cause in enumerate(order):
            steps[place, turn + 1 :, cause] = True
    distinct, back = np.unique(steps.reshape(-1, count), axis=0, return_inverse=True)
    single = np.eye(count, dtype=bool)
    each = _worth(plan, causes, figure, np.concatenate([distinct, single, ~single]))
    worth = each[: len(distinct)][back.reshape(-1)].reshape(len(walks), count + 1)
    alone = each[len(distinct) : -count] - worth[0, 0]
    last = worth[0, -1] - each[-count:]
    gains = np.zeros((len(walks), count))
    for place, order in enumerate(walks):
        gains[place, order] = np.diff(worth[place])
    pairs = gains.reshape(-1, 2, count).mean(axis=1)
    errors = pairs.std(axis=0, ddof=1) / np.sqrt(len(pairs))
    amounts = pairs.mean(axis=0)
    found = zip(causes.causes, amounts.tolist(), errors.tolist(), alone.tolist(), last.tolist(), strict=True)
    return Bridge(figure, float(worth[0, 0]), float(worth[0, -1]), tuple(Step(*step) for step in found), orders)


def _worth(plan: Plan, causes: Causes, figure: Figure, taken: NDArray[np.bool_]) -> Values:
    worth = figure_amounts(plan, [causes.list_for(_places(row)) for row in taken], figure)
    if not np.isfinite(worth).all():
        named = [causes.causes[place].label for place in _places(taken[int(np.argmin(np.isfinite(worth)))])]
        with_these = f"with {', '.join(named)}" if named else "to begin with"
        raise InvalidValue(f"{figure.label} has no answer {with_these}, so its difference cannot be split by cause.")
    return worth


def _places(row: Iterable[bool]) -> frozenset[int]:
    return frozenset(place for place, is_in in enumerate(row) if is_in)
