"""Functions a formula may call. One line here per function; help and the editor read the entries."""

from widefork.core.language.functions.function import Function, Kind, Past, UnitRule
from widefork.core.language.functions.members import MEAN_OVER, SHARE_OVER, SUM_OVER
from widefork.core.language.functions.numbers import (
    GREATEST,
    LEAST,
    LEVEL_PAYMENT,
    ROUND,
    ROUND_DOWN,
    ROUND_UP,
)
from widefork.core.language.functions.time import (
    BEFORE,
    OUTSTANDING,
    RAMPED,
    RUNNING_TOTAL,
    TRAILING,
    YEAR_TO_DATE,
)
from widefork.core.registry import Registry

FUNCTIONS: Registry[Function] = Registry(
    "function",
    BEFORE, RUNNING_TOTAL, YEAR_TO_DATE, TRAILING, RAMPED, OUTSTANDING,
    SUM_OVER, MEAN_OVER, SHARE_OVER,
    LEAST, GREATEST, ROUND, ROUND_DOWN, ROUND_UP, LEVEL_PAYMENT,
)  # fmt: skip

__all__ = ["FUNCTIONS", "Function", "Kind", "Past", "UnitRule"]
