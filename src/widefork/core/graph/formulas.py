"""What a formula's pieces are worth, from values already there: broadcasting over members, months and batch."""

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from widefork.core.graph.counters import counter_values
from widefork.core.graph.model import Model
from widefork.core.graph.operations import OPERATIONS, keep_errors
from widefork.core.graph.plan import maps_of
from widefork.core.language import syntax
from widefork.core.language.check import mapped_pair
from widefork.core.language.functions import FUNCTIONS, Function, Kind, Past, Second
from widefork.core.language.syntax import Node
from widefork.core.lines import Line

Values = NDArray[np.float64]


class FormulaValues:
    """Evaluates pieces of computed formulas.

    Parameters
    ----------
    model : the model, all lines included.
    arrays : by line name (auxiliary lines included), shape (members or 1 for each of the model's dimensions...,
        months, batch or 1). Read at each call, so that it may still be filling up.
    """

    def __init__(self, model: Model, arrays: Mapping[str, Values]) -> None:
        self.model, self.arrays = model, arrays
        self.ones = (1,) * len(model.dimensions)
        counted = counter_values(model.timeline, model.flags)
        self.counters = {name: values.reshape(*self.ones, -1, 1) for name, values in counted.items()}
        self.fiscal_months = self.counters["fiscal_month"].ravel().astype(np.int64)
        self.profiles = {p.name: np.array(p.values) for p in model.profiles}

    def value_of(self, node: Node, window: slice) -> Values:
        """Return a piece's values in a window of months, shape (members or 1..., window, batch or 1)."""
        match node:
            case syntax.Number(value):
                return np.full((*self.ones, 1, 1), value)
            case syntax.MonthLiteral(month):
                return np.full((*self.ones, 1, 1), float(month.ordinal))
            case syntax.Name(name):
                return self.series(name)[..., window, :]
            case syntax.At(name, member):
                return self._pick(self.series(name), name, member)[..., window, :]
            case syntax.Negative(operand):
                return -self.value_of(operand, window)
            case syntax.Negation(operand):
                truth = self.value_of(operand, window)
                return keep_errors(truth == 0, truth)
            case syntax.Conditional(condition, yes, no):
                asked = self.value_of(condition, window)
                chosen = np.where(asked != 0, self.value_of(yes, window), self.value_of(no, window))
                return np.where(np.isnan(asked), np.nan, chosen)
            case syntax.Operation(operator, left, right):
                return OPERATIONS[operator](self.value_of(left, window), self.value_of(right, window))
            case syntax.Call(function, arguments):
                return self._call(function, arguments, window)
        raise TypeError(f"cannot evaluate {type(node).__name__}")

    def series(self, name: str) -> Values:
        """Return a line's or counter's values."""
        return self.counters[name] if name in self.counters else self.arrays[name]

    def _pick(self, array: Values, line: str, member: str) -> Values:
        for axis, dimension in enumerate(self.model.dimensions):
            if dimension.name in self.model.line_by_name[line].dimensions and member in dimension.members:
                place = dimension.index(member)
                return array.take([place], axis=axis) if array.shape[axis] > 1 else array
        raise KeyError(member)

    def _call(self, name: str, arguments: tuple[Node, ...], window: slice) -> Values:
        function = FUNCTIONS[name]
        if function.kind is Kind.ELEMENTWISE:
            return function.evaluate(*(self.value_of(argument, window) for argument in arguments))
        if function.sees_past:
            so_far = self.value_of(arguments[0], slice(0, window.stop))
            return self.over_members(syntax.Call(name, arguments), so_far)[..., window, :]
        if function.kind in (Kind.MEMBERS, Kind.MAPPING):
            return self.over_members(syntax.Call(name, arguments), self.value_of(arguments[0], window))
        return self.over_time(syntax.Call(name, arguments), self.past(arguments[0]), window)

    def over_time(self, call: syntax.Call, past: Past, window: slice) -> Values:
        """Return what a function over time makes of the months it looks back on."""
        function = FUNCTIONS[call.function]
        match function.second, call.arguments[1:]:
            case Second.PROFILE, (syntax.Name(profile),):
                return function.evaluate(past, window, self.profiles[profile])
            case Second.MONTHS, (syntax.Number(months),):
                return function.evaluate(past, window, int(months))
            case Second.VALUE, (beside,):
                return function.evaluate(past, window, self.value_of(beside, window))
        return function.evaluate(past, window)

    def over_members(self, call: syntax.Call, value: Values) -> Values:
        """Return what a function over members makes of the values of its first argument."""
        function = FUNCTIONS[call.function]
        if function.kind is Kind.MAPPING:
            return self._mapped(function, value, call)
        named = {argument.name for argument in call.arguments[1:] if isinstance(argument, syntax.Name)}
        axes = tuple(a for a, d in enumerate(self.model.dimensions) if not named or d.name in named)
        return function.evaluate(value, axes)

    def _mapped(self, function: Function, value: Values, call: syntax.Call) -> Values:
        named = getattr(call.arguments[1], "name", "")
        read = syntax.names_in(call.arguments[0])
        known = [self.model.line_by_name[name] for name in read if name in self.model.line_by_name]
        # A dimension with one member leaves no trace in the shape; whether the value has it, its lines say.
        single = {name for line in known for name in line.dimensions}
        is_sure = len(known) == len(read)
        spread = frozenset(
            d.name
            for a, d in enumerate(self.model.dimensions)
            if value.shape[a] > 1 or (len(d) == 1 and (d.name in single or not is_sure))
        )
        pair = mapped_pair(function.name, spread - {named}, named, maps_of(self.model))
        if pair is None:
            raise TypeError(f"{function.name} has no mapping to go along")
        own, other = (self.model.dimension_by_name[name] for name in pair)
        places = np.array([other.index(own.mapping(other.name)[member]) for member in own])
        axes = [self.model.dimensions.index(dimension) for dimension in (own, other)]
        return function.evaluate(value, *axes, places, len(other))

    def past(self, node: Node) -> Past:
        """Return the months a function over time looks back on."""
        if not isinstance(node, syntax.Name | syntax.At):
            raise TypeError("a time function looks back on a line")
        line = self.model.line_by_name.get(node.name)
        history = self._early(line)
        opening = np.full((*self.ones, 1, 1), line.opening if line is not None else 0.0)
        values = self.series(node.name)
        if isinstance(node, syntax.At):
            values = self._pick(values, node.name, node.member)
            history = self._pick(history, node.name, node.member)
        return Past(values, history, opening, self.fiscal_months)

    def _early(self, line: Line | None) -> Values:
        """A line's months before the first one, shape (members..., months, 1)."""
        known = self.model.early_values.get(line.name) if line is not None else None
        if line is None or known is None:
            return np.array(line.history if line is not None else ()).reshape(*self.ones, -1, 1)
        sizes = [len(dimension) for dimension in self.model.dimensions_of(line)]
        values = np.array(list(known.values())).reshape(*sizes, -1)
        in_order = [d.name for d in self.model.dimensions if d.name in line.dimensions]
        moved = values.transpose(*(line.dimensions.index(name) for name in in_order), -1)
        shape = tuple(len(d) if d.name in line.dimensions else 1 for d in self.model.dimensions)
        return moved.reshape(*shape, -1, 1)
