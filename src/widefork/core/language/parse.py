"""Formula text to syntax tree. Raises nothing but FormulaError."""

from functools import cache, lru_cache
from importlib.resources import files
from typing import Any

from lark import Lark, Token, Transformer, UnexpectedInput, v_args
from lark.exceptions import UnexpectedCharacters, UnexpectedToken, VisitError

from widefork.core.axes import Month
from widefork.core.errors import FormulaError
from widefork.core.language import syntax
from widefork.core.language.wording import describe_fault

LONGEST_FORMULA = 100_000
"""Letters; room for the sum of every line of a large model, none for a file pasted by mistake."""
DEEPEST_FORMULA = 120
"""Levels; whatever walks a formula may call itself several times a level."""

_TOO_DEEP = "The formula is nested too deeply. Split it into lines."


@lru_cache(maxsize=8192)
def parse(text: str) -> syntax.Node:
    """Return the syntax tree of a formula.

    Parameters
    ----------
    text : str. For example ``kits_sold * kit_price at Coast``.

    Raises
    ------
    FormulaError: with line, column, what was expected and a suggestion.

    Examples
    --------
    >>> parse("2 + 5 %")
    Operation(operator='+', left=Number(value=2.0, is_percent=False), right=Number(value=0.05, is_percent=True))
    """
    if not text.strip():
        raise FormulaError("The formula is empty. Write what the line is made of, like kits_sold * kit_price.", text)
    if len(text) > LONGEST_FORMULA:
        raise FormulaError(
            f"The formula has {len(text)} characters; {LONGEST_FORMULA} are allowed. Split it into lines.",
            text,
        )
    try:
        tree: syntax.Node = _Build().transform(_parser().parse(text))
    except UnexpectedInput as fault:
        line, column = (fault.line, fault.column) if fault.line > 0 else (1, len(text) + 1)
        if isinstance(fault, UnexpectedToken) and fault.token.type == "$END":
            line, column = text.count("\n") + 1, len(text.splitlines()[-1]) + 1
        found = text[fault.pos_in_stream or 0] if isinstance(fault, UnexpectedCharacters) else fault_token(fault)
        raise FormulaError(describe_fault(text, found, line, column), text, line, column) from None
    except (RecursionError, VisitError):
        raise FormulaError(_TOO_DEEP, text) from None
    if syntax.depth(tree) > DEEPEST_FORMULA:
        raise FormulaError(_TOO_DEEP, text)
    return tree


def fault_token(fault: UnexpectedInput) -> str:
    """Return the piece of text the parser stopped at; empty at the end."""
    token = getattr(fault, "token", None)
    return "" if token is None or token.type == "$END" else str(token)


@cache
def _parser() -> Lark:
    grammar = files("widefork.core.language").joinpath("grammar.lark").read_text("utf-8")
    return Lark(grammar, parser="lalr", propagate_positions=True, maybe_placeholders=False)


def _spot(meta: Any) -> syntax.Spot:
    return syntax.Spot(getattr(meta, "line", 1), getattr(meta, "column", 1))


@v_args(meta=True)
class _Build(Transformer[Token, syntax.Node]):
    """Turns lark's tree into ours, one method per rule of the grammar."""

    def start(self, meta: Any, parts: list[Any]) -> syntax.Node:
        node: syntax.Node = parts[0]
        return node

    def number(self, meta: Any, parts: list[Any]) -> syntax.Node:
        value = float(parts[0].replace(" ", ""))
        is_percent = len(parts) > 1
        return syntax.Number(value / 100 if is_percent else value, is_percent, spot=_spot(meta))

    def month(self, meta: Any, parts: list[Any]) -> syntax.Node:
        return syntax.MonthLiteral(Month.parse(str(parts[0])), spot=_spot(meta))

    def name(self, meta: Any, parts: list[Any]) -> syntax.Node:
        return syntax.Name(str(parts[0]), spot=_spot(meta))

    def at(self, meta: Any, parts: list[Any]) -> syntax.Node:
        return syntax.At(str(parts[0]), str(parts[1]).strip('"'), spot=_spot(meta))

    def call(self, meta: Any, parts: list[Any]) -> syntax.Node:
        return syntax.Call(str(parts[0]), tuple(parts[1:]), spot=_spot(meta))

    def negative(self, meta: Any, parts: list[Any]) -> syntax.Node:
        return syntax.Negative(parts[0], spot=_spot(meta))

    def negation(self, meta: Any, parts: list[Any]) -> syntax.Node:
        return syntax.Negation(parts[0], spot=_spot(meta))

    def conditional(self, meta: Any, parts: list[Any]) -> syntax.Node:
        return syntax.Conditional(*parts, spot=_spot(meta))

    def _binary(self, meta: Any, parts: list[Any]) -> syntax.Node:
        left, operator, right = parts
        return syntax.Operation(str(operator), left, right, spot=_spot(meta))

    comparison = product = _binary

    def sum(self, meta: Any, parts: list[Any]) -> syntax.Node:
        signs, terms = map(str, parts[1::2]), parts[2::2]
        return syntax.add_up(parts[0], list(zip(signs, terms, strict=True)), _spot(meta))

    def power(self, meta: Any, parts: list[Any]) -> syntax.Node:
        return syntax.Operation("^", *parts, spot=_spot(meta))

    def _joined(self, operator: str, meta: Any, parts: list[Any]) -> syntax.Node:
        node: syntax.Node = parts[0]
        for part in parts[1:]:
            node = syntax.Operation(operator, node, part, spot=_spot(meta))
        return node

    def either(self, meta: Any, parts: list[Any]) -> syntax.Node:
        return self._joined("or", meta, parts)

    def both(self, meta: Any, parts: list[Any]) -> syntax.Node:
        return self._joined("and", meta, parts)
