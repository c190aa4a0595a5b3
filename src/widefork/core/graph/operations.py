"""What the operators of formulas compute. An error value stays one through all of them."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

Values = NDArray[np.float64]


def keep_errors(truth: NDArray[np.bool_], *operands: Values) -> Values:
    """Truth as 1 and 0, but an error value stays one: a comparison must not hide it."""
    result = truth.astype(float)
    for operand in operands:
        result = np.where(np.isnan(operand), np.nan, result)
    return result


def _divide(left: Values, right: Values) -> Values:
    with np.errstate(over="ignore"):
        return left / np.where(right == 0, np.nan, right)


def _power(left: Values, right: Values) -> Values:
    with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
        raised = np.power(left, right)
    return np.where(np.isnan(left) | np.isnan(right) | np.isinf(raised), np.nan, raised)


def _quiet(operate: Callable[[Values, Values], Values]) -> Callable[[Values, Values], Values]:
    """The operation without a word about numbers beyond all size: what comes of them shows where it is read."""

    def operated(left: Values, right: Values) -> Values:
        with np.errstate(over="ignore", invalid="ignore"):
            return operate(left, right)

    return operated


OPERATIONS: dict[str, Callable[[Values, Values], Values]] = {
    "+": _quiet(np.add),
    "-": _quiet(np.subtract),
    "*": _quiet(np.multiply),
    "/": _divide,
    "^": _power,
    "=": lambda a, b: keep_errors(a == b, a, b),
    "!=": lambda a, b: keep_errors(a != b, a, b),
    "<": lambda a, b: keep_errors(a < b, a, b),
    "<=": lambda a, b: keep_errors(a <= b, a, b),
    ">": lambda a, b: keep_errors(a > b, a, b),
    ">=": lambda a, b: keep_errors(a >= b, a, b),
    "and": lambda a, b: keep_errors((a != 0) & (b != 0), a, b),
    "or": lambda a, b: keep_errors((a != 0) | (b != 0), a, b),
}
