"""Whether a formula makes sense: names, numbers of arguments, members and dimensions. Places faults in its text."""

from collections.abc import Mapping
from dataclasses import dataclass

from widefork.core.errors import FormulaError, UnknownName
from widefork.core.language import syntax
from widefork.core.language.functions import FUNCTIONS, Function, Kind, Second
from widefork.core.language.syntax import Node

Dimensions = frozenset[str]


@dataclass(frozen=True)
class Scope:
    """The names a formula may use.

    Parameters
    ----------
    lines : dimensions of each line by name.
    members : members of each dimension by its name.
    counters, profiles : names.
    maps : (dimension, dimension its members belong to).
    """

    lines: Mapping[str, tuple[str, ...]]
    members: Mapping[str, tuple[str, ...]]
    counters: frozenset[str]
    profiles: frozenset[str]
    maps: frozenset[tuple[str, str]] = frozenset()


def check_formula(tree: Node, text: str, scope: Scope, allowed: tuple[str, ...]) -> None:
    """Check a formula against the names around it.

    Parameters
    ----------
    tree : its syntax tree. text : its text, for places.
    scope : the names it may use.
    allowed : dimensions the line itself is spread over.

    Raises
    ------
    FormulaError: an unknown name, a wrong number of arguments, or values over a dimension the line does not have.
    """
    left_over = _Checker(text, scope).dimensions(tree) - set(allowed)
    if left_over:
        named = " and ".join(sorted(left_over))
        raise FormulaError(
            f"This gives a value for each {named}, but the line is not spread over {named}. "
            f"Sum it with sum_over(…, {sorted(left_over)[0]}), pick a member with “at”, or spread the line.",
            text,
        )


class _Checker:
    def __init__(self, text: str, scope: Scope) -> None:
        self.text, self.scope = text, scope

    def fault(self, node: Node, sentence: str) -> FormulaError:
        return FormulaError(sentence, self.text, node.spot.line, node.spot.column)

    def dimensions(self, node: Node) -> Dimensions:
        """Return the dimensions a piece's values are spread over, checking it on the way."""
        match node:
            case syntax.Name(name):
                return self._name(node, name)
            case syntax.At(name, member):
                return self._at(node, name, member)
            case syntax.Call(function, arguments):
                return self._call(node, function, arguments)
        found: Dimensions = frozenset()
        for child in syntax.children(node):
            found |= self.dimensions(child)
        return found

    def _name(self, node: Node, name: str) -> Dimensions:
        if name in self.scope.counters:
            return frozenset()
        if name in self.scope.profiles:
            raise self.fault(
                node, f"{name} is a profile; it can only be used in a function, like ramped(hires, {name})."
            )
        return frozenset(self._line(node, name))

    def _line(self, node: Node, name: str) -> tuple[str, ...]:
        if name in self.scope.lines:
            return self.scope.lines[name]
        if name in FUNCTIONS:
            raise self.fault(node, f"{name} is a function and needs brackets: {FUNCTIONS[name].usage}.")
        known = [*self.scope.lines, *self.scope.counters]
        sentence = UnknownName("line or counter", name, known).sentence
        raise self.fault(node, sentence)

    def _at(self, node: Node, name: str, member: str) -> Dimensions:
        own = self._line(node, name)
        for dimension in own:
            if member in self.scope.members[dimension]:
                return frozenset(own) - {dimension}
        if not own:
            raise self.fault(
                node,
                f"{name} is not spread over any dimension, so “at {member}” picks nothing. Leave it out.",
            )
        known = [m for dimension in own for m in self.scope.members[dimension]]
        raise self.fault(node, UnknownName(f"member of {' or '.join(own)}", member, known).sentence)

    def _call(self, node: Node, name: str, arguments: tuple[Node, ...]) -> Dimensions:
        if name not in FUNCTIONS:
            raise self.fault(node, UnknownName("function", name, FUNCTIONS.names).sentence)
        function = FUNCTIONS[name]
        if not function.fewest <= len(arguments) <= function.most:
            raise self.fault(node, f"{name} is written {function.usage}; {len(arguments)} arguments were given.")
        if function.kind is Kind.MEMBERS:
            return self._over_members(function, arguments)
        if function.kind is Kind.MAPPING:
            return self._mapped(function, arguments)
        # A written number, because the months looked back decide the order of computation.
        if function.second is Second.MONTHS and len(arguments) > 1 and not _is_whole(arguments[1]):
            raise self.fault(arguments[1], f"The months of {name} are written as a whole number from 1, like 12.")
        if function.second is Second.PROFILE:
            self._profile(function, arguments[-1])
            arguments = arguments[:-1]
        found: Dimensions = frozenset()
        for argument in arguments:
            found |= self.dimensions(argument)
        return found

    def _profile(self, function: Function, argument: Node) -> None:
        if not isinstance(argument, syntax.Name) or argument.name not in self.scope.profiles:
            known = ", ".join(sorted(self.scope.profiles)) or "none yet"
            raise self.fault(argument, f"The last argument of {function.name} is a profile's name. Known: {known}.")

    def _mapped(self, function: Function, arguments: tuple[Node, ...]) -> Dimensions:
        own = self.dimensions(arguments[0])
        named = arguments[1]
        if not isinstance(named, syntax.Name) or named.name not in self.scope.members:
            raise self.fault(named, f"Expected a dimension here: {', '.join(self.scope.members)}.")
        pair = mapped_pair(function.name, own, named.name, self.scope.maps)
        if pair is None:
            spread = " and ".join(sorted(own)) or "no dimension"
            raise self.fault(
                named,
                f"The value is spread over {spread}, and {named.name} is not mapped to it; "
                f"give the members of one an attribute named like the other.",
            )
        gone, come = pair if function.name == "sum_by" else pair[::-1]
        return own - {gone} | {come}

    def _over_members(self, function: Function, arguments: tuple[Node, ...]) -> Dimensions:
        own = self.dimensions(arguments[0])
        if len(arguments) == 1:
            return own if function.keeps_members else frozenset()
        named: set[str] = set()
        for argument in arguments[1:]:
            if not isinstance(argument, syntax.Name) or argument.name not in self.scope.members:
                raise self.fault(argument, f"Expected a dimension here: {', '.join(self.scope.members)}.")
            if argument.name not in own:
                raise self.fault(
                    argument,
                    f"The value is not spread over {argument.name}, so there is nothing to take together.",
                )
            named.add(argument.name)
        return own if function.keeps_members else own - named


def mapped_pair(function: str, own: Dimensions, named: str, maps: frozenset[tuple[str, str]]) -> tuple[str, str] | None:
    """Return (dimension, dimension it belongs to) that a mapping function goes along; None where there is none."""
    if function == "sum_by":
        return next(((one, named) for one in sorted(own) if (one, named) in maps and named not in own), None)
    return next(((named, other) for other in sorted(own) if (named, other) in maps and named not in own), None)


def _is_whole(node: Node) -> bool:
    return isinstance(node, syntax.Number) and not node.is_percent and node.value >= 1 and node.value == int(node.value)
