"""Checks that always run over every case. One line here per check."""

from widefork.core.finance.checks.books import UNEXPLAINED
from widefork.core.finance.checks.check import Check, Checked, Finding
from widefork.core.finance.checks.inputs import COMPUTED, LEFT_OUT, LOOPS, POSSIBLE, SHARES, TWICE
from widefork.core.finance.checks.limits import COVENANTS, OWN, LimitTest, limit_tests
from widefork.core.finance.checks.statements import BALANCES, CASH, EARNINGS, METHODS, OPENING, SCHEDULES_TIE
from widefork.core.registry import Registry

ALL_CHECKS: Registry[Check] = Registry(
    "check",
    COMPUTED,
    OPENING,
    BALANCES,
    CASH,
    METHODS,
    EARNINGS,
    SCHEDULES_TIE,
    SHARES,
    TWICE,
    LEFT_OUT,
    POSSIBLE,
    LOOPS,
    UNEXPLAINED,
    OWN,
    COVENANTS,
)

__all__ = ["ALL_CHECKS", "Check", "Checked", "Finding", "LimitTest", "limit_tests"]
