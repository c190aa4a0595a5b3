"""The operations of the machine: what an instruction may do, and which of its operands are rows.

An instruction is eight whole numbers: operation, target row, operands a, b, c, parameters p, q, and its place in the
table of error values (-1 when it cannot fail).
"""

from enum import IntEnum
from hashlib import sha256

import numpy as np

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
    LEAD = 38
    """a, p months later, or of the last month."""
    KEEP = 49
    """Its own row into place p of what is kept; written into the part of a program that runs, never into a program."""

    WHOLE_PARTS = 60
    """p rows from place a of the lists, rounded together, into p rows from the target on."""


_NO_ROWS = {Op.WHOLE_PARTS}
_ONE_ROW = {
    Op.COPY, Op.NEGATE, Op.NOT, Op.FLOOR, Op.CEILING, Op.MONTHLY_SHARE, Op.LEAD, Op.LAG, Op.RUNNING_TOTAL,
    Op.ROLL_FORWARD, Op.YEAR_TO_DATE, Op.TRAILING, Op.RAMPED, Op.FADING_IN, Op.WHOLE_FLOW, Op.KEEP,
}  # fmt: skip
_THREE_ROWS = {Op.CHOOSE, Op.LEVEL_PAYMENT}

ROW_COUNTS = np.full(max(Op) + 1, 2, dtype=np.int64)
"""By operation, how many of a, b, c are rows, from the first on."""
for _op in Op:
    ROW_COUNTS[_op] = 0 if _op in _NO_ROWS else 1 if _op in _ONE_ROW else 3 if _op in _THREE_ROWS else 2

CAN_FAIL = frozenset({Op.DIVIDE, Op.POWER, Op.MONTHLY_SHARE, Op.LEVEL_PAYMENT})
"""Operations that may give an error value where none of their operands is one."""

VECTOR, STEPPED, SOLVED = 0, 1, 2
"""Kinds of sections: all months at once; month by month; month by month, each until it settles."""


def digest() -> str:
    """Return a short text that stands for all of the above, which is compiled into the kernel."""
    table = [(op.name, int(op), int(ROW_COUNTS[op]), op in CAN_FAIL) for op in Op]
    return sha256(repr((table, COLUMNS, VECTOR, STEPPED, SOLVED)).encode()).hexdigest()[:12]


def refuse_stale(compiled_for: str) -> None:
    """Refuse to load code written for another table: its cache knows of changes to its own file only.

    Raises
    ------
    RuntimeError: says what to write there, which makes that file another one, and so compiled anew.
    """
    if compiled_for != digest():
        raise RuntimeError(f"The table of operations changed: write {digest()!r} where {compiled_for!r} stands.")
