"""How drawn numbers become change lists: which number moves what, together with which others."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.chance.correlation import can_be, checked_correlations, nearest_correlations, root_of
from widefork.core.analysis.chance.spreads import MOST_DELAY, Spread
from widefork.core.changes import Change, Operation
from widefork.core.errors import InvalidValue
from widefork.core.graph.batch import Amounts
from widefork.core.graph.plan import Plan
from widefork.core.spreads import Redrawn

Values = NDArray[np.float64]


@dataclass(frozen=True)
class Layout:
    """What every number of a draw stands for.

    Parameters
    ----------
    spreads : in the order their changes apply, delays before all others. ways : the changes of each, one a period.
    roots : by rhythm, the places of the spreads drawn in it, and what makes their numbers go together.
    cases : (name, its changes, share of the draws); one with all of them, or several drawn by their weights.
    correlations : as they hold; ``is_repaired`` where those asked for could not be.
    """

    spreads: tuple[Spread, ...]
    ways: tuple[tuple[Change, ...], ...]
    roots: tuple[tuple[tuple[int, ...], Values], ...]
    cases: tuple[tuple[str, tuple[Change, ...], float], ...]
    correlations: Values | None = None
    is_repaired: bool = False

    @property
    def dimensions(self) -> int:
        """Numbers a draw takes: one for each change, and one for the case where several are drawn."""
        return sum(len(ways) for ways in self.ways) + (len(self.cases) > 1)

    @property
    def columns(self) -> tuple[slice, ...]:
        """Which numbers belong to each spread."""
        ends = np.cumsum([len(ways) for ways in self.ways])
        return tuple(slice(int(end) - len(ways), int(end)) for end, ways in zip(ends, self.ways, strict=True))

    def drivers(self, standard: Values) -> Values:
        """Return the numbers behind the amounts once they go together and persist, the same shape.

        Parameters
        ----------
        standard : independent standard normal numbers, shape (draws, dimensions). What comes out is standard normal in
            every column, too.
        """
        moved = standard.copy()
        columns = self.columns
        for places, root in self.roots:
            periods = len(self.ways[places[0]])
            for period in range(periods):
                at = [columns[place].start + period for place in places]
                moved[:, at] = standard[:, at] @ root.T
        for spread, own in zip(self.spreads, columns, strict=True):
            if spread.persistence:
                new = np.sqrt(1 - spread.persistence**2)
                for period in range(own.start + 1, own.stop):
                    moved[:, period] = spread.persistence * moved[:, period - 1] + new * moved[:, period]
        return moved

    def amounts(self, drivers: Values) -> Values:
        """Return the amounts drawn, shape (draws, changes); delays whole and capped."""
        found = np.empty((len(drivers), sum(len(ways) for ways in self.ways)))
        for spread, own in zip(self.spreads, self.columns, strict=True):
            amounts = spread.distribution.amounts(drivers[:, own])
            if spread.operation is Operation.DELAY:
                amounts = np.clip(np.floor(amounts + 0.5), 0, MOST_DELAY)
            found[:, own] = amounts
        return found

    def batches(self, drivers: Values) -> Iterator[tuple[NDArray[np.int64], Amounts]]:
        """Yield batches that differ in amounts only, each with the draws it is of: one for each case and set of delays.

        Parameters
        ----------
        drivers : as ``drivers`` returns them; the last column chooses the case where there are several.
        """
        amounts = self.amounts(drivers)
        late = sum(spread.operation is Operation.DELAY for spread in self.spreads)
        split = sum(len(ways) for ways in self.ways[:late])
        delays = self._parts(0, late)
        parts = self._parts(late, len(self.spreads))
        columns = np.array([split + number for number, _ in parts], dtype=np.int64)
        keys = np.column_stack([self._case_of(drivers), amounts[:, :split]])
        for key in np.unique(keys, axis=0):
            rows = np.flatnonzero((keys == key).all(axis=1))
            changes = self.cases[int(key[0])][1]
            pulled = (way.with_amount(float(key[1 + number])) for number, way in delays)
            shared = (*changes, *(way for way in pulled if way.amount))
            yield rows, Amounts(shared, tuple(way for _, way in parts), amounts[rows][:, columns])

    def _parts(self, first: int, last: int) -> list[tuple[int, Change]]:
        """The changes of some spreads, each with which of their numbers it takes: several take the same one where a
        spread moves a part of a line."""
        found: list[tuple[int, Change]] = []
        number = 0
        for spread, ways in zip(self.spreads[first:last], self.ways[first:last], strict=True):
            for way in ways:
                found += [(number, replace(way, members=members)) for members in spread.parts or (way.members,)]
                number += 1
        return found

    def _case_of(self, drivers: Values) -> Values:
        if len(self.cases) == 1:
            return np.zeros(len(drivers))
        from scipy.special import ndtr  # imported where used: it is slow to load

        edges = np.cumsum([share for _, _, share in self.cases])[:-1]
        return np.searchsorted(edges, ndtr(drivers[:, -1]), side="right").astype(float)


def lay_out(
    plan: Plan,
    case: str,
    spreads: Sequence[Spread],
    correlations: Values | None = None,
    by_weights: bool = False,
) -> Layout:
    """Return what a draw of these spreads stands for.

    Parameters
    ----------
    case : what is drawn stands on it. by_weights : on every case that has a weight instead, as often as it says.
    correlations : of the numbers behind the amounts, shape (spreads, spreads); they hold between spreads drawn in the
        same rhythm, of the same period. What cannot be is repaired to the nearest that can.

    Raises
    ------
    InvalidValue: nothing to draw, one thing twice, correlations of another shape or beyond ±1, no weights.
    UnknownName, ChangeRefused: a line that cannot be changed.
    """
    if not spreads:
        raise InvalidValue("Nothing is spread, so nothing can be drawn. Give an assumption a plausible range first.")
    if plan.model.timeline.first_plan > plan.model.timeline.end:
        raise InvalidValue("All months are actual, so nothing is left to be drawn. Let the model go on further.")
    for spread in spreads:
        plan.model.line(spread.line)
        plan.check_changeable(spread.line)
    names = [spread.name for spread in spreads]
    twice = next((name for name in names if names.count(name) > 1), None)
    if twice is not None:
        raise InvalidValue(f"{twice} is spread twice; say it once.")
    matrix, is_repaired = None, False
    if correlations is not None:
        matrix = checked_correlations(correlations, len(spreads))
        _check_rhythms(spreads, matrix)
        is_repaired = not can_be(matrix)
        matrix = nearest_correlations(matrix) if is_repaired else matrix
    order = sorted(range(len(spreads)), key=lambda place: spreads[place].operation is not Operation.DELAY)
    ordered = tuple(spreads[place] for place in order)
    if matrix is not None:
        matrix = matrix[np.ix_(order, order)]
    return Layout(
        ordered,
        tuple(spread.ways(plan) for spread in ordered),
        () if matrix is None else _roots(ordered, matrix),
        _cases(plan, case, by_weights),
        matrix,
        is_repaired,
    )


def _check_rhythms(spreads: Sequence[Spread], matrix: Values) -> None:
    """Refuse a correlation between what is drawn in different rhythms: their numbers never meet."""
    for one, other in zip(*np.nonzero(np.triu(matrix, 1)), strict=True):
        first, second = spreads[int(one)], spreads[int(other)]
        if first.rhythm is not second.rhythm:
            raise InvalidValue(
                f"{first.name} is drawn {_RHYTHMS[first.rhythm]} and {second.name} {_RHYTHMS[second.rhythm]}; "
                "what goes together is drawn in the same rhythm."
            )


_RHYTHMS = {Redrawn.ONCE: "once", Redrawn.YEAR: "by year", Redrawn.MONTH: "by month"}


def _roots(spreads: Sequence[Spread], matrix: Values) -> tuple[tuple[tuple[int, ...], Values], ...]:
    found = []
    for rhythm in Redrawn:
        places = tuple(place for place, spread in enumerate(spreads) if spread.rhythm is rhythm)
        own = matrix[np.ix_(places, places)]
        if len(places) > 1 and not np.array_equal(own, np.eye(len(places))):
            found.append((places, root_of(own)))
    return tuple(found)


def _cases(plan: Plan, case: str, by_weights: bool) -> tuple[tuple[str, tuple[Change, ...], float], ...]:
    model = plan.model
    if not by_weights:
        return ((model.case(case).name, model.changes_of(case), 1.0),)
    weighted = [(each.name, each.weight) for each in model.cases if each.weight]
    total = sum(weight for _, weight in weighted)
    if not weighted:
        raise InvalidValue("No case has a weight; give the cases one on their tree first.")
    return tuple((name, model.changes_of(name), weight / total) for name, weight in weighted)
