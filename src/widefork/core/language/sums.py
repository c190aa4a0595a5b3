"""Formulas that only add lines up and take lines away."""

from dataclasses import dataclass

from widefork.core.language.parse import parse
from widefork.core.language.syntax import Call, Name, Negative, Node, Operation


@dataclass(frozen=True)
class Term:
    """One line of such a sum: 1 where it adds, -1 where it takes; ``is_before``: its value a month before."""

    name: str
    sign: float
    is_before: bool = False


def terms_of(formula: str, sign: float = 1.0) -> tuple[Term, ...]:
    """Return the lines a formula adds up and takes away, members taken together; none where it does anything else.

    Parameters
    ----------
    sign : of the whole formula, where it is a part of another sum.

    Examples
    --------
    >>> [(term.name, term.sign) for term in terms_of("sum_over(sales) - (rent + wages)")]
    [('sales', 1.0), ('rent', -1.0), ('wages', -1.0)]
    >>> terms_of("sales * 2")
    ()
    """
    terms: list[Term] = []
    return tuple(terms) if formula and _collects(parse(formula), sign, terms) else ()


def _collects(node: Node, sign: float, terms: list[Term]) -> bool:
    match node:
        case Name(name) | Call("sum_over", (Name(name),)):
            terms.append(Term(name, sign))
            return True
        case Call("before", (Name(name),)):
            terms.append(Term(name, sign, is_before=True))
            return True
        case Negative(operand):
            return _collects(operand, -sign, terms)
        case Operation("+" | "-" as operator, left, right):
            other = sign if operator == "+" else -sign
            return _collects(left, sign, terms) and _collects(right, other, terms)
    return False
