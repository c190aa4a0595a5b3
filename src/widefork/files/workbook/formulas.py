"""Formulas of a plan as formulas of cells, of one shape in every month of a row."""

from collections.abc import Callable, Mapping, Sequence
from itertools import product

from widefork.core.axes import Dimension
from widefork.core.graph.plan import Plan
from widefork.core.graph.spreading import Spreading
from widefork.core.language import syntax
from widefork.core.language.functions import FUNCTIONS, Kind
from widefork.core.language.syntax import Node
from widefork.core.lines import MemberKey
from widefork.files.workbook.looking_back import LOOKING_BACK
from widefork.files.workbook.pieces import (
    ATOM,
    COMPARED,
    POWER,
    PRODUCT,
    SUM,
    NotInCells,
    Pieces,
    Place,
    Places,
    Ref,
    Text,
    call,
    literal,
    total,
)  # fmt: skip

_OPERATORS = {"+": SUM, "-": SUM, "*": PRODUCT, "/": PRODUCT, "^": POWER}
_COMPARISONS = {"=": "=", "!=": "<>", "<": "<", "<=": "<=", ">": ">", ">=": ">="}
_TOGETHER = "members are rounded together, so that they add up"

NOT_IN_CELLS = {
    "whole_parts": _TOGETHER,
    "whole_flows": f"{_TOGETHER} over time",
    "internal_rate": "a rate is searched for",
}
"""Functions whose lines are written as values, with why."""


def not_in_cells(plan: Plan) -> dict[str, str]:
    """Return the lines that cells cannot hold, with why."""
    found = {}
    for name, tree in plan.computed.items():
        called = [node.function for node in syntax.walk(tree) if isinstance(node, syntax.Call)]
        why = next((NOT_IN_CELLS[function] for function in called if function in NOT_IN_CELLS), "")
        if why:
            found[name.split("·")[0]] = why
    for step in plan.steps:
        found |= dict.fromkeys(step.lines if step.is_solved else (), "it needs itself in the same month")
    return found


def _plain(name: str) -> Callable[[Sequence[Text]], Text]:
    return lambda own: call(name, *(text.pieces for text in own))


def _round(own: Sequence[Text]) -> Text:
    inner = own[0].pieces
    if len(own) == 1:
        return Text(("SIGN(", *inner, ")*INT(ABS(", *inner, ")+0.5)"), PRODUCT)
    factor = ("10^", *own[1].within(ATOM))
    return Text(("SIGN(", *inner, ")*INT(ABS(", *inner, ")*", *factor, "+0.5)/", *factor), PRODUCT)


def _level_payment(own: Sequence[Text]) -> Text:
    rate, months, amount = own[1].pieces, own[2].pieces, own[0].pieces
    return Text(("-PMT(", *rate, ",", *months, ",", *amount, ")"), SUM)


def _present_value(own: Sequence[Text]) -> Text:
    grown: Pieces = ("(1+", *own[1].within(SUM), ")^(", *own[2].within(PRODUCT), "/12)")
    return Text((*own[0].within(PRODUCT), "/", *grown), PRODUCT)


BY_VALUE: Mapping[str, Callable[[Sequence[Text]], Text]] = {
    "min": _plain("MIN"), "max": _plain("MAX"), "abs": _plain("ABS"), "exp": _plain("EXP"), "ln": _plain("LN"),
    "sqrt": _plain("SQRT"), "round_down": _plain("INT"), "round": _round,
    "round_up": lambda own: Text(("-INT(-", *own[0].within(ATOM), ")"), SUM),
    "interest_on": lambda own: Text((*own[0].within(PRODUCT), "*", *own[1].within(POWER), "/12"), PRODUCT),
    "monthly_share": lambda own: Text(("1-(1-", *own[0].within(PRODUCT), ")^(1/12)"), SUM),
    "level_payment": _level_payment, "present_value": _present_value,
}  # fmt: skip
"""Functions of values in one month, by name, each from its arguments as cells."""


class CellFormulas:
    """Writes a plan's formulas as cells.

    Parameters
    ----------
    furthest_back : the most months any flow is counted back for what is open of it.
    """

    def __init__(self, plan: Plan, spreading: Spreading, places: Places, furthest_back: int) -> None:
        self.plan, self.model, self.spreading = plan, plan.model, spreading
        self.places, self.furthest_back = places, furthest_back

    def pieces(self, name: str, key: MemberKey) -> Pieces:
        """Return the formula of a line at a combination of members, in the order of the model's dimensions.

        Raises
        ------
        NotInCells: no cell can hold it.
        """
        place = {d.name: d.index(member) for d, member in zip(self.dimensions_of(name), key, strict=True)}
        return self._value(self.plan.computed[name], place).pieces

    def dimensions_of(self, name: str) -> tuple[Dimension, ...]:
        """Return the dimensions of a line or a piece, in the order of the model's."""
        return tuple(d for d in self.model.dimensions if d.name in self.spreading.of_line(name))

    # Pieces

    def _write(self, node: Node, place: Place) -> Text:
        match node:
            case syntax.Number(value):
                return literal(value)
            case syntax.MonthLiteral(month):
                return literal(float(month.ordinal))
            case syntax.Name() | syntax.At():
                return Text((self._ref(node, place),), ATOM)
            case syntax.Negative(operand):
                return Text(("-", *self._value(operand, place).within(ATOM)), SUM)
            case syntax.Negation(operand):
                return Text(("NOT(", *self._truth(operand, place), ")"), ATOM, True)
            case syntax.Operation(operator, left, right):
                return self._operation(operator, left, right, place)
            case syntax.Conditional(condition, yes, no):
                parts = (self._truth(condition, place), *(self._value(each, place).pieces for each in (yes, no)))
                return call("IF", *parts)
            case syntax.Call():
                return self._call(node, place)
        raise NotInCells(f"no cell holds {type(node).__name__}")

    def _value(self, node: Node, place: Place) -> Text:
        """A condition as 1 or 0."""
        found = self._write(node, place)
        return call("IF", found.pieces, ("1",), ("0",)) if found.is_truth else found

    def _truth(self, node: Node, place: Place) -> Pieces:
        found = self._write(node, place)
        return found.pieces if found.is_truth else (*found.within(SUM), "<>0")

    def _operation(self, operator: str, left: Node, right: Node, place: Place) -> Text:
        if operator in ("and", "or"):
            both = (*self._truth(left, place), ",", *self._truth(right, place))
            return Text((operator.upper(), "(", *both, ")"), ATOM, True)
        first, second = self._value(left, place), self._value(right, place)
        if operator in _COMPARISONS:
            return Text((*first.within(SUM), _COMPARISONS[operator], *second.within(SUM)), COMPARED, True)
        strength = _OPERATORS[operator]
        if operator == "^":
            return Text((*first.within(ATOM), "^", *second.within(ATOM)), strength)
        # a - (b - c) and a / (b / c) keep their brackets; a sum within a sum needs none on its left
        inner = strength if operator in ("+", "*") else strength + 1
        return Text((*first.within(strength), operator, *second.within(inner)), strength)

    def _call(self, node: syntax.Call, place: Place) -> Text:
        name = node.function
        if name in NOT_IN_CELLS:
            raise NotInCells(NOT_IN_CELLS[name])
        match FUNCTIONS[name].kind:
            case Kind.TIME:
                return LOOKING_BACK[name](self, self._ref(node.arguments[0], place).at, node, place)
            case Kind.ELEMENTWISE:
                return BY_VALUE[name]([self._value(argument, place) for argument in node.arguments])
            case Kind.MAPPING:
                return self._mapped(node, place)
        return self._over_members(node, place)

    def value(self, node: Node, place: Place) -> Text:
        """Return a piece at a combination of members, a condition as 1 or 0."""
        return self._value(node, place)

    # Members

    def _over_members(self, node: syntax.Call, place: Place) -> Text:
        value, together = node.arguments[0], self.spreading.taken_together(node)
        over = [d for d in self.model.dimensions if d.name in together]
        keys = [dict(zip((d.name for d in over), k, strict=True)) for k in product(*(range(len(d)) for d in over))]
        whole = total([self._value(value, {**place, **key}) for key in keys])
        if node.function == "mean_over":
            return Text((*whole.within(PRODUCT), f"/{len(keys)}"), PRODUCT)
        if node.function == "share_over":
            return Text((*self._value(value, place).within(PRODUCT), "/", *whole.within(POWER)), PRODUCT)
        return whole

    def _mapped(self, node: syntax.Call, place: Place) -> Text:
        own, other = (self.model.dimension_by_name[name] for name in self.spreading.mapping(node))
        mapping = own.mapping(other.name)
        if node.function == "spread_to":
            member = mapping[own.members[place[own.name]]]
            return self._value(node.arguments[0], {**place, other.name: other.index(member)})
        target = other.members[place[other.name]]
        inner = [k for k, member in enumerate(own) if mapping[member] == target]
        return total([self._value(node.arguments[0], {**place, own.name: k}) for k in inner])

    def _ref(self, node: Node, place: Place) -> Ref:
        name = getattr(node, "name", "")
        if name in self.places.counters:
            return Ref(self.places.counters[name])
        if isinstance(node, syntax.At):
            dimension = self.model.dimension_by_name[self.spreading.dimension_of(name, node.member)]
            place = {**place, dimension.name: dimension.index(node.member)}
        line = self.model.line_by_name.get(name)
        dims = self.model.dimensions_of(line) if line is not None else self.dimensions_of(name)
        return Ref(self.places.lines[name, tuple(d.members[place[d.name]] for d in dims)])
