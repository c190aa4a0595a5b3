"""Functions a formula may call. One line here per function; help and the editor read the entries."""

from widefork.core.language.functions.function import Function, Kind, Past, Second, UnitRule
from widefork.core.language.functions.members import (
    MEAN_OVER,
    SHARE_OVER,
    SPREAD_TO,
    SUM_BY,
    SUM_OVER,
    WHOLE_FLOWS,
    WHOLE_PARTS,
)
from widefork.core.language.functions.numbers import (
    ABSOLUTE,
    EXPONENTIAL,
    GREATEST,
    INTEREST,
    LEAST,
    LEVEL_PAYMENT,
    LOGARITHM,
    MONTHLY_SHARE,
    PRESENT_VALUE,
    ROUND,
    ROUND_DOWN,
    ROUND_UP,
    SQUARE_ROOT,
)
from widefork.core.language.functions.time import (
    AFTER,
    BEFORE,
    FADING_IN,
    INTERNAL_RATE,
    NET_PRESENT_VALUE,
    OUTSTANDING,
    RAMPED,
    RUNNING_TOTAL,
    STRAIGHT_LINE,
    SURVIVING,
    TRAILING,
    TRAILING_MEAN,
    WHOLE_FLOW,
    YEAR_TO_DATE,
)
from widefork.core.registry import Registry

FUNCTIONS: Registry[Function] = Registry(
    "function",
    BEFORE, AFTER, RUNNING_TOTAL, YEAR_TO_DATE, TRAILING, TRAILING_MEAN, RAMPED, SURVIVING, FADING_IN, OUTSTANDING,
    WHOLE_FLOW,
    SUM_OVER, MEAN_OVER, SHARE_OVER, WHOLE_PARTS, WHOLE_FLOWS, SUM_BY, SPREAD_TO,
    LEAST, GREATEST, ROUND, ROUND_DOWN, ROUND_UP, MONTHLY_SHARE, LEVEL_PAYMENT, INTEREST, STRAIGHT_LINE,
    PRESENT_VALUE, NET_PRESENT_VALUE, INTERNAL_RATE,
    ABSOLUTE, EXPONENTIAL, LOGARITHM, SQUARE_ROOT,
)  # fmt: skip

__all__ = ["FUNCTIONS", "Function", "Kind", "Past", "Second", "UnitRule"]
