"""The syntax tree of a formula, and small ways to walk it."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, fields, replace
from typing import Any

from widefork.core.axes import Month

LONG_SUM = 16
"""How many terms a sum has before its tree is halved."""


@dataclass(frozen=True)
class Spot:
    """Where a piece stands in the formula's text, from 1."""

    line: int = 1
    column: int = 1


@dataclass(frozen=True)
class Node:
    """Base of all pieces of a formula."""

    spot: Spot = field(default=Spot(), compare=False, repr=False, kw_only=True)


@dataclass(frozen=True)
class Number(Node):
    """A literal; ``value`` is already divided by 100 where ``is_percent``."""

    value: float
    is_percent: bool = False


@dataclass(frozen=True)
class MonthLiteral(Node):
    """A month such as Sep 2026; compares with the counter ``month``."""

    month: Month


@dataclass(frozen=True)
class Name(Node):
    """A line, counter or profile by name."""

    name: str


@dataclass(frozen=True)
class At(Node):
    """One member of a line: ``kit_price at Coast``."""

    name: str
    member: str


@dataclass(frozen=True)
class Operation(Node):
    """Two operands: + - * / ^ < <= > >= = != and or."""

    operator: str
    left: Node
    right: Node


@dataclass(frozen=True)
class Negative(Node):
    """Minus one operand."""

    operand: Node


@dataclass(frozen=True)
class Negation(Node):
    """Not one operand."""

    operand: Node


@dataclass(frozen=True)
class Conditional(Node):
    """If condition then one thing else another."""

    condition: Node
    yes: Node
    no: Node


@dataclass(frozen=True)
class Call(Node):
    """A function with its arguments."""

    function: str
    arguments: tuple[Node, ...]


def add_up(first: Node, others: Sequence[tuple[str, Node]], spot: Spot) -> Node:
    """Return a sum of terms, each after the first with its + or -.

    A long one is halved, and its halves again: the sum of a thousand lines is then ten levels deep, and whatever walks
    a tree by calling itself can walk it.
    """
    if len(others) < LONG_SUM:
        total = first
        for sign, term in others:
            total = Operation(sign, total, term, spot=spot)
        return total
    half = len(others) // 2
    outer, middle = others[half]
    # What is taken away with the middle term is added again inside the part that is taken away.
    after = [("+" if sign == outer else "-", term) for sign, term in others[half + 1 :]]
    return Operation(outer, add_up(first, others[:half], spot), add_up(middle, after, middle.spot), spot=spot)


def depth(node: Node) -> int:
    """Return how many pieces stand inside one another at most."""
    deepest, level = 0, [node]
    while level:
        deepest += 1
        level = [child for parent in level for child in children(parent)]
    return deepest


def children(node: Node) -> tuple[Node, ...]:
    """Return the pieces directly inside a piece."""
    found: list[Node] = []
    for slot in fields(node):
        value = getattr(node, slot.name)
        if isinstance(value, Node):
            found.append(value)
        elif isinstance(value, tuple):
            found.extend(piece for piece in value if isinstance(piece, Node))
    return tuple(found)


def walk(node: Node) -> Iterator[Node]:
    """Yield the piece and everything inside it, outermost first."""
    yield node
    for child in children(node):
        yield from walk(child)


def rebuild(node: Node, change: Callable[[Node], Node]) -> Node:
    """Return the tree with ``change`` applied to every piece, innermost first."""
    renewed: dict[str, Any] = {}
    for slot in fields(node):
        value = getattr(node, slot.name)
        if isinstance(value, Node):
            renewed[slot.name] = rebuild(value, change)
        elif isinstance(value, tuple):
            renewed[slot.name] = tuple(rebuild(v, change) if isinstance(v, Node) else v for v in value)
    return change(replace(node, **renewed) if renewed else node)


def names_in(node: Node) -> tuple[str, ...]:
    """Return the names a formula uses, each once, in reading order."""
    return tuple(dict.fromkeys(piece.name for piece in walk(node) if isinstance(piece, Name | At)))
