"""The signed shares of a formula's value: sums by term, choices by the branch taken, functions over time or members by
the month or member each share comes from, everything else as one piece with its factors."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import replace
from itertools import product
from typing import Any

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.explain.found import Contribution, Part
from widefork.core.axes import Month
from widefork.core.graph.formulas import FormulaValues
from widefork.core.graph.model import Model
from widefork.core.graph.plan import Plan
from widefork.core.language import syntax
from widefork.core.language.functions import FUNCTIONS, Kind
from widefork.core.language.printing import print_formula
from widefork.core.language.syntax import Node

Values = NDArray[np.float64]
Members = dict[str, str]
PartsOf = Callable[[Node, Members, Month], tuple[Part, ...]]
Wrap = Callable[[Node], Node]


class OneOf(Mapping[str, Values]):
    """The arrays of one entry of a batch."""

    def __init__(self, arrays: Mapping[str, Values], batch: int) -> None:
        self.arrays, self.batch = arrays, batch

    def __getitem__(self, name: str) -> Values:
        array = self.arrays[name]
        return array[..., [min(self.batch, array.shape[-1] - 1)]]

    def __iter__(self) -> Iterator[str]:
        return iter(self.arrays)

    def __len__(self) -> int:
        return len(self.arrays)


def one_value(array: Values, model: Model, here: Members) -> float:
    """Return the value at some members of a piece that was evaluated in one month for one entry of a batch."""
    return float(at_members(array, model, here).ravel()[0])


def at_members(array: Values, model: Model, here: Members) -> Values:
    """Return the array with each dimension named in ``here`` cut to that member."""
    for axis, dimension in enumerate(model.dimensions):
        if array.shape[axis] > 1 and dimension.name in here:
            array = array.take([dimension.index(here[dimension.name])], axis=axis)
    return array


class Contributions:
    """Finds the signed shares of computed formulas.

    Parameters
    ----------
    formulas : values of pieces for one entry of a batch.
    parts : finds what a piece reads.
    """

    def __init__(self, formulas: FormulaValues, plan: Plan, parts: PartsOf) -> None:
        self.formulas, self.plan, self.model, self.parts = formulas, plan, plan.model, parts

    def of(self, tree: Node, here: Members, month: Month) -> list[Contribution]:
        """Return shares that add up to the formula's value at these members in this month."""
        place = self.model.timeline.index(month)
        self.here, self.month, self.window = here, month, slice(place, place + 1)
        return list(self._shares(tree, 1.0, lambda piece: piece, ""))

    def _value(self, node: Node) -> float:
        return one_value(self.formulas.value_of(node, self.window), self.model, self.here)

    def _words(self, node: Node) -> str:
        return print_formula(spelled_out(node, self.plan))

    def _shares(self, node: Node, sign: float, wrap: Wrap, note: str) -> Iterator[Contribution]:
        match node:
            case syntax.Operation("+" | "-" as operator, left, right):
                yield from self._shares(left, sign, wrap, note)
                yield from self._shares(right, sign if operator == "+" else -sign, wrap, note)
            case syntax.Negative(operand):
                yield from self._shares(operand, -sign, wrap, note)
            case syntax.Operation("*" | "/", left, right) if _splits(left):
                yield from self._shares(left, sign, lambda piece: wrap(replace(node, left=piece)), note)
            case syntax.Operation("*", left, right) if _splits(right):
                yield from self._shares(right, sign, lambda piece: wrap(replace(node, right=piece)), note)
            case syntax.Conditional(condition, yes, no):
                holds = self._value(condition) != 0
                asked = f"as {self._words(condition)} {'holds' if holds else 'does not hold'}"
                yield from self._shares(yes if holds else no, sign, wrap, _joined(note, asked))
            case syntax.Call("min" | "max" as function, arguments):
                yield from self._chosen(function, arguments, sign, wrap, note)
            case syntax.Call(function, _) if FUNCTIONS[function].adds_up:
                yield from self._from_sources(node, sign, wrap, note)
            case _:
                whole = wrap(node)
                parts = self.parts(whole, self.here, self.month)
                yield Contribution(self._words(whole), sign * self._value(whole), parts, note)

    def _chosen(
        self, function: str, arguments: tuple[Node, ...], sign: float, wrap: Wrap, note: str
    ) -> Iterator[Contribution]:
        """All to the least or greatest; the others are named with their distance."""
        values = [self._value(argument) for argument in arguments]
        taken = int(np.argmin(values) if function == "min" else np.argmax(values))
        others = ", ".join(
            f"{self._words(argument)} is {abs(value - values[taken]):.10g} away"
            for place, (argument, value) in enumerate(zip(arguments, values, strict=True))
            if place != taken
        )
        word = "the least" if function == "min" else "the greatest"
        yield from self._shares(arguments[taken], sign, wrap, _joined(note, f"{word}; {others}" if others else ""))

    def _from_sources(self, node: syntax.Call, sign: float, wrap: Wrap, note: str) -> Iterator[Contribution]:
        """What each month or member would give alone."""
        is_over_time = FUNCTIONS[node.function].kind is Kind.TIME
        shares = self._by_month(node) if is_over_time else self._by_member(node)
        for share, words, parts in shares:
            amount = sign * self._value(wrap(syntax.Number(share)))
            if amount != 0:
                yield Contribution(f"{self._words(wrap(node))}: {words}", amount, parts, note)

    def _by_month(self, node: syntax.Call) -> Iterator[tuple[float, str, tuple[Part, ...]]]:
        looked_at = node.arguments[0]
        past = self.formulas.past(looked_at)
        months = past.values.shape[-2]
        nothing = replace(past, history=np.zeros_like(past.history), opening=np.zeros_like(past.opening))
        alone = np.where(np.eye(months, dtype=bool), past.values, 0.0)
        start = replace(past, values=np.zeros_like(past.values))
        early = one_value(self.formulas.over_time(node, start, self.window), self.model, self.here)
        if early:
            yield early, "before the start", ()
        given = self.formulas.over_time(node, replace(nothing, values=alone), self.window)
        shares = np.broadcast_to(at_members(given, self.model, self.here).reshape(-1, given.shape[-1])[0], (months,))
        for place in np.flatnonzero(shares):
            month = self.model.timeline.months[place]
            yield float(shares[place]), month.label, self.parts(looked_at, self.here, month)

    def _by_member(self, node: syntax.Call) -> Iterator[tuple[float, str, tuple[Part, ...]]]:
        whole = self.formulas.value_of(node.arguments[0], self.window)
        names = {argument.name for argument in node.arguments[1:] if isinstance(argument, syntax.Name)}
        spread = [d for axis, d in enumerate(self.model.dimensions) if whole.shape[axis] > 1]
        if FUNCTIONS[node.function].kind is Kind.MEMBERS:
            spread = [d for d in spread if not names or d.name in names]
        else:  # summed along the mapping, so by the members that are mapped
            spread = [d for d in spread if d.name not in self.here]
        outer = {name: member for name, member in self.here.items() if name not in {d.name for d in spread}}
        for key in product(*spread):
            inner = dict(zip((d.name for d in spread), key, strict=True))
            masked = np.zeros_like(whole)
            at: list[Any] = [slice(None)] * whole.ndim
            for axis, dimension in enumerate(self.model.dimensions):
                if dimension.name in inner:
                    at[axis] = dimension.index(inner[dimension.name])
            masked[tuple(at)] = whole[tuple(at)]
            alone = self.formulas.over_members(node, masked)
            share = one_value(alone, self.model, self.here)
            yield share, ", ".join(key), self.parts(node.arguments[0], outer | inner, self.month)


def spelled_out(node: Node, plan: Plan) -> Node:
    """Return a computed piece as the user wrote it: auxiliary lines replaced by what they stand for."""

    def spell(piece: Node) -> Node:
        if isinstance(piece, syntax.Name) and piece.name not in plan.model.line_by_name and piece.name in plan.computed:
            return spelled_out(plan.computed[piece.name], plan)
        return piece

    return syntax.rebuild(node, spell)


def _splits(node: Node) -> bool:
    match node:
        case syntax.Operation("+" | "-", _, _):
            return True
        case syntax.Negative(operand):
            return _splits(operand)
        case syntax.Operation("*", left, right):
            return _splits(left) or _splits(right)
        case syntax.Operation("/", left, _):
            return _splits(left)
    return False


def _joined(note: str, further: str) -> str:
    return "; ".join(words for words in (note, further) if words)
