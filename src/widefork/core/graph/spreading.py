"""Over which dimensions pieces of formulas are spread."""

from widefork.core.graph.plan import Plan, maps_of
from widefork.core.language import syntax
from widefork.core.language.check import mapped_pair
from widefork.core.language.functions import FUNCTIONS, Kind
from widefork.core.language.syntax import Node


class Spreading:
    """The dimensions of a plan's lines, of the pieces they were divided into, and of any piece of a formula.

    Parameters
    ----------
    plan : checked; a formula that cannot be stands among its problems and is not asked about.
    """

    def __init__(self, plan: Plan) -> None:
        self.plan, self.model = plan, plan.model
        self.by_name: dict[str, frozenset[str]] = {line.name: frozenset(line.dimensions) for line in plan.model.lines}
        for name in plan.computed:
            self.of_line(name)

    def of(self, node: Node) -> frozenset[str]:
        """Return the dimensions a piece's values are spread over."""
        match node:
            case syntax.Name(name):
                return self.of_line(name)
            case syntax.At(name, member):
                return self.of_line(name) - {self.dimension_of(name, member)}
            case syntax.Call(function, arguments) if FUNCTIONS[function].kind is Kind.MEMBERS:
                dims = self.of(arguments[0])
                return dims if FUNCTIONS[function].keeps_members else dims - self.taken_together(node)
            case syntax.Call(function, arguments) if FUNCTIONS[function].kind is Kind.MAPPING:
                own, other = self.mapping(node)
                dims = self.of(arguments[0])
                return dims - {own} | {other} if function == "sum_by" else dims - {other} | {own}
        found: frozenset[str] = frozenset()
        for child in syntax.children(node):
            found |= self.of(child)
        return found

    def of_line(self, name: str) -> frozenset[str]:
        """Return the dimensions of a line or of a piece with a name; none for a counter."""
        if name not in self.by_name and name in self.plan.computed:
            self.by_name[name] = self.of(self.plan.computed[name])
        return self.by_name.get(name, frozenset())

    def dimension_of(self, name: str, member: str) -> str:
        """Return the dimension of a line that has a member."""
        dims = self.model.line_by_name[name].dimensions
        return next(d.name for d in self.model.dimensions if d.name in dims and member in d.members)

    def taken_together(self, node: syntax.Call) -> frozenset[str]:
        """Return the dimensions whose members a function takes together: those named, or all there are."""
        named = {argument.name for argument in node.arguments[1:] if isinstance(argument, syntax.Name)}
        dims = self.of(node.arguments[0])
        return frozenset(d for d in dims if not named or d in named)

    def mapping(self, node: syntax.Call) -> tuple[str, str]:
        """Return the dimension a mapping leads from, and the one it leads to."""
        named = getattr(node.arguments[1], "name", "")
        pair = mapped_pair(node.function, self.of(node.arguments[0]), named, maps_of(self.model))
        if pair is None:
            raise TypeError(f"{node.function} has no mapping to go along")
        return pair
