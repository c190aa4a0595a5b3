"""Why one value differs from another: the difference split among the direct parts of the line, exactly.

Terms of a sum are split one by one. Within a term (a product, a ratio, a choice) each part gets its Shapley value, so
that the order in which parts are thought to move does not matter.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.explain.contributions import OneOf, at_members, spelled_out
from widefork.core.analysis.shapley import coalitions, shapley_values
from widefork.core.axes import Month, Period
from widefork.core.errors import InvalidValue
from widefork.core.graph.calculate import Results
from widefork.core.graph.formulas import FormulaValues
from widefork.core.graph.operations import OPERATIONS, keep_errors
from widefork.core.graph.rollup import roll_up, weighed_cells, weighed_mean
from widefork.core.language import syntax
from widefork.core.language.functions import FUNCTIONS, Kind
from widefork.core.language.functions.function import NEARLY
from widefork.core.language.printing import print_formula
from widefork.core.language.syntax import Node
from widefork.core.lines import Line, MemberKey, OverMembers, OverTime

Values = NDArray[np.float64]
MOST_PARTS = 12
"""Parts of one term that are told apart; further ones are taken together."""


@dataclass(frozen=True)
class Point:
    """One end of a difference: an entry of a batch, and a range of months."""

    batch: int
    first: Month
    last: Month


@dataclass(frozen=True)
class Share:
    """What one direct part contributes to a difference.

    Parameters
    ----------
    words : str. The part as it stands in the formula: “kit_price”, “before(cash)”.
    line : the line it reads, "" for a counter or for what is no part of the formula.
    amount : signed, in the unit of the explained line.
    """

    words: str
    line: str
    amount: float


@dataclass(frozen=True)
class Difference:
    """Why a value differs.

    Parameters
    ----------
    before, after : the values at both ends. shares : greatest first; they add up to ``after`` less ``before``.
    """

    before: float
    after: float
    shares: tuple[Share, ...]


def explain_difference(results: Results, name: str, members: MemberKey, before: Point, after: Point) -> Difference:
    """Return the difference between two values of a line, split among its direct parts.

    Parameters
    ----------
    results : an evaluation that holds both ends. members : () for the whole.
    before, after : the ends; ranges of the same number of months.

    Raises
    ------
    UnknownName: no such line or member. InvalidValue: ranges of different lengths.
    """
    spans = [point.last.ordinal - point.first.ordinal for point in (before, after)]
    if spans[0] != spans[1]:
        raise InvalidValue("Two ranges are compared month by month, so they need the same number of months.")
    line = results.plan.model.line(name)
    ends = [_value(results, name, members, point) for point in (before, after)]
    gap = ends[1] - ends[0]
    if not np.isfinite(gap):
        return Difference(ends[0], ends[1], ())
    amounts = _Splitter(results, before, after).split(line, members)
    rest = gap - sum(share.amount for share in amounts)
    size = max(1.0, *(abs(end) for end in ends), *(abs(share.amount) for share in amounts))
    if abs(rest) > NEARLY * size:
        amounts.append(Share("given" if line.is_assumption else "actuals and direct changes", "", rest))
    shown = [share for share in amounts if abs(share.amount) > 1e-15 * size]
    return Difference(ends[0], ends[1], tuple(sorted(shown, key=lambda share: -abs(share.amount))))


def _value(results: Results, name: str, members: MemberKey, point: Point) -> float:
    return float(roll_up(results, name, [Period("", "", point.first, point.last)], members)[0, point.batch])


class _Splitter:
    def __init__(self, results: Results, before: Point, after: Point) -> None:
        self.results, self.plan, self.model = results, results.plan, results.plan.model
        self.ends = (before, after)
        self.values = [FormulaValues(self.model, OneOf(results.arrays, point.batch)) for point in self.ends]

    def split(self, line: Line, members: MemberKey) -> list[Share]:
        rollup, is_range = line.rollup, self.ends[0].first != self.ends[0].last
        whole = bool(line.dimensions) and not members
        if (is_range and rollup.over_time is OverTime.RATIO) or (whole and rollup.over_members is OverMembers.RATIO):
            return self._ratio(line, members)
        if (is_range and rollup.over_time is OverTime.WEIGHTED) or (
            whole and rollup.over_members is OverMembers.WEIGHTED
        ):
            return self._weighted(line, members)
        tree = self.plan.computed.get(line.name)
        if tree is None:
            return []
        here = dict(zip(line.dimensions, members, strict=False))
        scale = self._scale(line, whole)
        found: dict[tuple[str, str], float] = {}
        for sign, term in _terms(tree, 1.0):
            for part, cells in self._term(term):
                total = sign * scale * float(self._cells(cells, line, here).sum())
                key = self._named(part)
                found[key] = found.get(key, 0.0) + total
        return [Share(words, name, amount) for (words, name), amount in found.items()]

    def _ratio(self, line: Line, members: MemberKey) -> list[Share]:
        """The numerator's part and the denominator's, by Shapley."""
        parts = (line.rollup.numerator, line.rollup.denominator)
        here = dict(zip(line.dimensions, members, strict=False))
        keys = []
        for name in parts:
            own = self.model.line(name).dimensions
            keys.append(tuple(here[d] for d in own) if own and all(d in here for d in own) else ())
        above, below = (
            [_value(self.results, name, key, point) for point in self.ends]
            for name, key in zip(parts, keys, strict=True)
        )
        worth = np.array([above[a] / below[b] for b in (0, 1) for a in (0, 1)])
        shares = shapley_values(worth)
        return [Share(name, name, float(amount)) for name, amount in zip(parts, shares, strict=True)]

    def _weighted(self, line: Line, members: MemberKey) -> list[Share]:
        """What the line itself says, and what its weights do, by Shapley."""
        ends = [
            weighed_cells(self.results, line, Period("", "", point.first, point.last), members, point.batch)
            for point in self.ends
        ]
        worth = np.array([weighed_mean(ends[a][0], ends[b][1]) for b in (0, 1) for a in (0, 1)])
        shares, by = shapley_values(worth), line.rollup.denominator
        return [Share(line.name, line.name, float(shares[0])), Share(f"mix of {by}", by, float(shares[1]))]

    def _scale(self, line: Line, whole: bool) -> float:
        scale = 1.0
        if line.rollup.over_time in (OverTime.MEAN, OverTime.NONE):  # none: there is a value where all are the same
            scale /= self.ends[0].last.ordinal - self.ends[0].first.ordinal + 1
        if whole and line.rollup.over_members in (OverMembers.MEAN, OverMembers.NONE):
            scale /= max(1, len(self.model.keys_of(line)))
        return scale

    def _windows(self, line: Line) -> list[slice]:
        windows = []
        for point in self.ends:
            first, last = (self.model.timeline.index(month) for month in (point.first, point.last))
            windows.append(slice(last, last + 1) if line.rollup.over_time is OverTime.END else slice(first, last + 1))
            if line.rollup.over_time is OverTime.START:
                windows[-1] = slice(first, first + 1)
        return windows

    def _cells(self, cells: Values, line: Line, here: dict[str, str]) -> Values:
        """A share's values over the members and months that are rolled up."""
        windows = self._windows(line)
        offset = windows[0].start - self.model.timeline.index(self.ends[0].first)
        count = windows[0].stop - windows[0].start
        months = cells.shape[-2]
        cells = np.broadcast_to(cells, (*cells.shape[:-2], max(months, offset + count), cells.shape[-1]))
        cells = cells[..., offset : offset + count, :]
        full = tuple(len(d) if d.name in line.dimensions else 1 for d in self.model.dimensions)
        return at_members(np.broadcast_to(cells, (*full, *cells.shape[-2:])), self.model, here)

    def _term(self, term: Node) -> Iterator[tuple[Node, Values]]:
        """Each part of a term with its share, shape (members or 1..., months of the range, 1)."""
        spans = [
            slice(self.model.timeline.index(point.first), self.model.timeline.index(point.last) + 1)
            for point in self.ends
        ]
        ends: dict[Node, tuple[Values, Values]] = {}
        for leaf in dict.fromkeys(_leaves(term)):
            before, after = (v.value_of(leaf, span) for v, span in zip(self.values, spans, strict=True))
            ends[leaf] = (before, after)
        moving = [leaf for leaf, (one, two) in ends.items() if not np.array_equal(one, two)]
        players = [[leaf] for leaf in moving[: MOST_PARTS - 1]]
        if len(moving) >= MOST_PARTS:
            players.append(moving[MOST_PARTS - 1 :])
        picks = coalitions(len(players))
        chosen: dict[Node, Values] = {leaf: one[None] for leaf, (one, _) in ends.items()}
        for place, group in enumerate(players):
            for leaf in group:
                one, two = ends[leaf]
                held = picks[:, place].reshape(-1, *([1] * one.ndim))
                chosen[leaf] = np.where(held, two[None], one[None])
        worth = _combine(term, chosen)
        shares = shapley_values(np.broadcast_to(worth, (len(picks), *worth.shape[1:])))
        broken = np.isnan(shares).any(axis=0)  # some mixture of both ends has no value: the term stays in one piece
        for group, share in zip(players, shares, strict=True):
            yield group[0], np.where(broken, 0.0, share)
        if broken.any():
            yield term, np.where(broken, worth[-1] - worth[0], 0.0)

    def _named(self, part: Node) -> tuple[str, str]:
        spelled = spelled_out(part, self.plan)
        names = [name for name in syntax.names_in(spelled) if name in self.model.line_by_name]
        return print_formula(spelled), names[0] if names else ""


def _terms(node: Node, sign: float) -> Iterator[tuple[float, Node]]:
    match node:
        case syntax.Operation("+" | "-" as operator, left, right):
            yield from _terms(left, sign)
            yield from _terms(right, sign if operator == "+" else -sign)
        case syntax.Negative(operand):
            yield from _terms(operand, -sign)
        case _:
            yield sign, node


def _is_leaf(node: Node) -> bool:
    if isinstance(node, syntax.Call):
        return FUNCTIONS[node.function].kind is not Kind.ELEMENTWISE
    return isinstance(node, syntax.Name | syntax.At | syntax.Number | syntax.MonthLiteral)


def _leaves(node: Node) -> Iterator[Node]:
    if _is_leaf(node):
        yield node
        return
    for child in syntax.children(node):
        yield from _leaves(child)


def _combine(node: Node, chosen: dict[Node, Values]) -> Values:
    """A term's value from those of its leaves."""
    if node in chosen:
        return chosen[node]
    below = [_combine(child, chosen) for child in syntax.children(node)]
    match node:
        case syntax.Operation(operator, _, _):
            return OPERATIONS[operator](*below)
        case syntax.Negative(_):
            return -below[0]
        case syntax.Negation(_):
            return keep_errors(below[0] == 0, below[0])
        case syntax.Conditional(_, _, _):
            return np.where(np.isnan(below[0]), np.nan, np.where(below[0] != 0, below[1], below[2]))
        case syntax.Call(function, _):
            return FUNCTIONS[function].evaluate(*below)
    raise TypeError(f"cannot combine {type(node).__name__}")
