"""Syntax tree back to text: the inverse of ``parse``, and the same with something else in place of names."""

import re
from collections.abc import Callable, Iterator

import numpy as np

from widefork.core.language import syntax
from widefork.core.language.syntax import LONG_SUM, Node, add_up

_STRENGTH = {
    "or": 1,
    "and": 2,
    "=": 4,
    "!=": 4,
    "<": 4,
    "<=": 4,
    ">": 4,
    ">=": 4,
    "+": 5,
    "-": 5,
    "*": 6,
    "/": 6,
    "^": 8,
}
_PLAIN_MEMBER = re.compile(r"[^\W\d]\w*")

Show = Callable[[Node], str | None]


def print_formula(node: Node, show: Show = lambda _: None) -> str:
    """Return a formula's text with as few brackets as keep its meaning.

    Parameters
    ----------
    node : the tree.
    show : asked for every piece; a text it returns stands in the piece's place (None: written out).

    Examples
    --------
    >>> from widefork.core.language.parse import parse
    >>> print_formula(parse("(a+b)*before(c,12)/(2*d)"))
    '(a + b) * before(c, 12) / (2 * d)'
    """
    return _write(node, show, 0)


def _write(node: Node, show: Show, outer: int) -> str:
    shown = show(node)
    if shown is not None:
        return shown
    text, strength = _text(node, show)
    return f"({text})" if strength < outer else text


def _text(node: Node, show: Show) -> tuple[str, int]:
    match node:
        case syntax.Number(value, is_percent):
            digits = write_number(float(f"{value * 100:.15g}") if is_percent else value)
            return f"{digits} %" if is_percent else digits, 9
        case syntax.MonthLiteral(month):
            return month.words, 9
        case syntax.Name(name):
            return name, 9
        case syntax.At(name, member):
            return _at(name, member), 9
        case syntax.Call(function, arguments):
            return f"{function}({', '.join(_write(a, show, 0) for a in arguments)})", 9
        case syntax.Negative(operand):
            return f"-{_write(operand, show, 7)}", 7
        case syntax.Negation(operand):
            return f"not {_write(operand, show, 3)}", 3
        case syntax.Conditional(condition, yes, no):
            parts = (_write(condition, show, 1), _write(yes, show, 0), _write(no, show, 0))
            return "if {} then {} else {}".format(*parts), 0
        case syntax.Operation("+" | "-", _, syntax.Operation("+" | "-")) if (halves := _halved(node)) is not None:
            first, *others = halves
            pieces = [_write(first[1], show, 5), *(f"{sign} {_write(term, show, 6)}" for sign, term in others)]
            return " ".join(pieces), 5
        case syntax.Operation(operator, left, right):
            return _operation(operator, left, right, show)
    raise TypeError(f"no text for {type(node).__name__}")


def _halved(node: Node) -> list[tuple[str, Node]] | None:
    """The terms of a sum that was long and so was halved, with their signs; None for brackets somebody wrote."""
    terms = list(_terms(node, "+"))
    whole = add_up(terms[0][1], terms[1:], node.spot)
    return terms if len(terms) > LONG_SUM and whole == node else None


def _terms(node: Node, sign: str) -> Iterator[tuple[str, Node]]:
    if isinstance(node, syntax.Operation) and node.operator in ("+", "-"):
        yield from _terms(node.left, sign)
        yield from _terms(node.right, "+" if sign == node.operator else "-")
    else:
        yield sign, node


def _at(name: str, member: str) -> str:
    return f"{name} at {write_member(member)}"


def write_member(member: str) -> str:
    """Return a member's name as formulas write it: in quotes where it is not one plain word."""
    return member if _PLAIN_MEMBER.fullmatch(member) else f'"{member}"'


def _operation(operator: str, left: Node, right: Node, show: Show) -> tuple[str, int]:
    strength = _STRENGTH[operator]
    if operator == "^":
        return f"{_write(left, show, 9)} ^ {_write(right, show, 7)}", strength
    inner = strength + 1 if strength == 4 else strength
    return f"{_write(left, show, inner)} {operator} {_write(right, show, strength + 1)}", strength


def write_number(value: float) -> str:
    """Return a number as formulas write it: every digit, never an exponent.

    Examples
    --------
    >>> write_number(1234567.25), write_number(1e-7), write_number(36.0)
    ('1234567.25', '0.0000001', '36')
    """
    return str(np.format_float_positional(value, trim="-"))
