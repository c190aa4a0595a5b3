"""The table of operations: what formulas may compute, plainly and in the machine; and what an instruction may do.

An instruction is eight whole numbers: operation, target row, operands a, b, c, parameters p, q, and its place in the
table of error values (-1 when it cannot fail).
"""

from collections.abc import Callable
from dataclasses import dataclass
from enum import IntEnum
from hashlib import sha256

import numpy as np

from widefork.core.graph.operations import OPERATIONS
from widefork.core.language.functions import FUNCTIONS, Kind
from widefork.core.language.functions.function import Values

COLUMNS = 8


class Op(IntEnum):
    """What an instruction computes. Below LEAD: each month by itself. From there: other months. Last: many rows."""

    COPY = 0
    ADD = 1
    SUBTRACT = 2
    MULTIPLY = 3
    DIVIDE = 4
    POWER = 5
    NEGATE = 6
    NOT = 7
    EQUAL = 8
    UNEQUAL = 9
    LESS = 10
    LESS_EQUAL = 11
    GREATER = 12
    GREATER_EQUAL = 13
    AND = 14
    OR = 15
    LEAST = 16
    GREATEST = 17
    CHOOSE = 18
    ROUND = 19
    FLOOR = 20
    CEILING = 21
    MONTHLY_SHARE = 22
    LEVEL_PAYMENT = 23
    ABSOLUTE = 25
    EXPONENTIAL = 26
    LOGARITHM = 27
    SQUARE_ROOT = 28
    OVERLAY = 24
    """a, but b in the months in which b is known (not an error value)."""

    LAG = 40
    """a, p months before; history q."""
    RUNNING_TOTAL = 41
    ROLL_FORWARD = 42
    """Its own month before plus a; history q."""
    YEAR_TO_DATE = 43
    TRAILING = 44
    """Sum of the last p months of a; history q."""
    RAMPED = 45
    """a by joining month × profile p; history q."""
    FADING_IN = 46
    """a by the steps of profile p; history q."""
    OUTSTANDING = 47
    """The last b days of a; history p."""
    WHOLE_FLOW = 48
    NET_PRESENT = 50
    """All months of a so far, discounted at the yearly rate b."""
    INTERNAL_RATE = 51
    """The yearly rate at which all months of a so far are worth nothing."""
    LEAD = 38
    """a, p months later, or of the last month."""
    KEEP = 49
    """Its own row into place p of what is kept; written into the part of a program that runs, never into a program."""

    WHOLE_PARTS = 60
    """p rows from place a of the lists, rounded together, into p rows from the target on."""
    WHOLE_FLOWS = 61
    """The same, so that they also add up over all months so far."""


MANY_ROWS = frozenset({Op.WHOLE_PARTS, Op.WHOLE_FLOWS})
"""Operations that read a list of rows and write as many."""

_NO_ROWS = MANY_ROWS
_ONE_ROW = {
    Op.COPY, Op.NEGATE, Op.NOT, Op.FLOOR, Op.CEILING, Op.MONTHLY_SHARE, Op.LEAD, Op.LAG, Op.RUNNING_TOTAL,
    Op.ROLL_FORWARD, Op.YEAR_TO_DATE, Op.TRAILING, Op.RAMPED, Op.FADING_IN, Op.WHOLE_FLOW, Op.KEEP,
    Op.INTERNAL_RATE,
    Op.ABSOLUTE, Op.EXPONENTIAL, Op.LOGARITHM, Op.SQUARE_ROOT,
}  # fmt: skip
_THREE_ROWS = {Op.CHOOSE, Op.LEVEL_PAYMENT}

ROW_COUNTS = np.full(max(Op) + 1, 2, dtype=np.int64)
"""By operation, how many of a, b, c are rows, from the first on."""
for _op in Op:
    ROW_COUNTS[_op] = 0 if _op in _NO_ROWS else 1 if _op in _ONE_ROW else 3 if _op in _THREE_ROWS else 2

CAN_FAIL = frozenset(
    {
        Op.DIVIDE, Op.POWER, Op.MONTHLY_SHARE, Op.LEVEL_PAYMENT, Op.EXPONENTIAL, Op.LOGARITHM, Op.SQUARE_ROOT,
        Op.NET_PRESENT, Op.INTERNAL_RATE,
    }
)  # fmt: skip
"""Operations that may give an error value where none of their operands is one."""

VECTOR, STEPPED, SOLVED = 0, 1, 2
"""Kinds of sections: all months at once; month by month; month by month, each until it settles."""


@dataclass(frozen=True)
class Computed:
    """What a formula may compute.

    Parameters
    ----------
    name : an operator's sign or a function's name, as written in formulas.
    plain : what the plain evaluator calls; see ``Function.evaluate`` for what functions of each kind are given.
    op : the instruction of it; None where the writer of programs puts it together from several.
    is_vector : every month by itself, so all of them at once wherever its operands are known.
    is_mean : divided by the number of months looked back on.
    """

    name: str
    plain: Callable[..., Values]
    op: Op | None
    is_vector: bool
    is_mean: bool = False


_OPERATORS = {
    "+": Op.ADD, "-": Op.SUBTRACT, "*": Op.MULTIPLY, "/": Op.DIVIDE, "^": Op.POWER, "=": Op.EQUAL, "!=": Op.UNEQUAL,
    "<": Op.LESS, "<=": Op.LESS_EQUAL, ">": Op.GREATER, ">=": Op.GREATER_EQUAL, "and": Op.AND, "or": Op.OR,
}  # fmt: skip
_BY_VALUE = {
    "min": Op.LEAST, "max": Op.GREATEST, "round": Op.ROUND, "round_down": Op.FLOOR, "round_up": Op.CEILING,
    "monthly_share": Op.MONTHLY_SHARE, "level_payment": Op.LEVEL_PAYMENT,
    "abs": Op.ABSOLUTE, "exp": Op.EXPONENTIAL, "ln": Op.LOGARITHM, "sqrt": Op.SQUARE_ROOT,
}  # fmt: skip
_LOOKING_BACK = {
    "before": Op.LAG, "after": Op.LEAD, "running_total": Op.RUNNING_TOTAL, "year_to_date": Op.YEAR_TO_DATE,
    "trailing": Op.TRAILING, "ramped": Op.RAMPED, "surviving": Op.RAMPED, "fading_in": Op.FADING_IN,
    "outstanding": Op.OUTSTANDING, "whole_flow": Op.WHOLE_FLOW, "net_present_value": Op.NET_PRESENT,
    "internal_rate": Op.INTERNAL_RATE,
}  # fmt: skip
_MEANS = ("trailing_mean", "straight_line")
_PUT_TOGETHER = (
    "interest_on", "present_value", "sum_over", "mean_over", "share_over", "whole_parts", "whole_flows", "sum_by",
    "spread_to",
)  # fmt: skip


def _plain(name: str) -> Callable[..., Values]:
    return FUNCTIONS[name].evaluate


TABLE: dict[str, Computed] = {
    entry.name: entry
    for entry in (
        *(Computed(sign, OPERATIONS[sign], op, True) for sign, op in _OPERATORS.items()),
        *(Computed(name, _plain(name), op, True) for name, op in _BY_VALUE.items()),
        *(Computed(name, _plain(name), op, False) for name, op in _LOOKING_BACK.items()),
        *(Computed(name, _plain(name), Op.TRAILING, False, is_mean=True) for name in _MEANS),
        *(Computed(name, _plain(name), None, FUNCTIONS[name].kind is not Kind.TIME) for name in _PUT_TOGETHER),
    )
}
"""Everything formulas compute; a function that is not in it is evaluated plainly, and with it its whole model."""


def digest() -> str:
    """Return a short text that stands for all of the above, which is compiled into the kernel."""
    ops = [(op.name, int(op), int(ROW_COUNTS[op]), op in CAN_FAIL) for op in Op]
    written = [(entry.name, entry.op, entry.is_vector, entry.is_mean) for entry in TABLE.values()]
    return sha256(repr((ops, written, COLUMNS, VECTOR, STEPPED, SOLVED)).encode()).hexdigest()[:12]


def refuse_stale(compiled_for: str) -> None:
    """Refuse to load code written for another table: its cache knows of changes to its own file only.

    Raises
    ------
    RuntimeError: says what to write there, which makes that file another one, and so compiled anew.
    """
    if compiled_for != digest():
        raise RuntimeError(f"The table of operations changed: write {digest()!r} where {compiled_for!r} stands.")
