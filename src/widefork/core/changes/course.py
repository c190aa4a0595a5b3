"""Courses: amounts of one change that differ by month, counted from the change's first month.

A pasted row, a ramp, a forecast or a drawn shape is so one change, and moves as a whole when its start moves.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Month, Timeline
from widefork.core.rules.rule import Rule

Values = NDArray[np.float64]
MOST_NAMED = 6
"""Amounts a phrase names."""


class Course(Protocol):
    """How an amount runs from a change's first month on."""

    def values(self, count: int, amount: float, fiscal_year_start: int) -> Values:
        """Return the first ``count`` months' amounts, shape (count,); NaN leaves a month as it is.

        ``amount`` is the change's own, which a course may be a multiple of.
        """
        ...

    def later(self, months: int) -> "Course":
        """Return what is left of the course when its first months are cut off."""
        ...

    def words(self, show: Callable[[float], str]) -> str:
        """Return the course as a short phrase; ``show`` writes an amount."""
        ...


@dataclass(frozen=True)
class ByHand:
    """Every month typed; None leaves a month as it is. The change ends with the last one."""

    amounts: tuple[float | None, ...]

    def values(self, count: int, amount: float, fiscal_year_start: int) -> Values:
        """Return the amounts typed."""
        typed = [np.nan if typed is None else typed for typed in self.amounts[:count]]
        return np.array([*typed, *[np.nan] * (count - len(typed))], dtype=float)

    def later(self, months: int) -> "Course":
        """Return the amounts that are left, perhaps none."""
        return ByHand(self.amounts[months:])

    def words(self, show: Callable[[float], str]) -> str:
        """Return ``5; as it was; 7``; of many months, the first and how many."""
        named = ["as it was" if amount is None else show(amount) for amount in self.amounts]
        more = f"; and {len(named) - MOST_NAMED} more months" if len(named) > MOST_NAMED + 1 else ""
        return "; ".join(named[:MOST_NAMED] if more else named) + more


@dataclass(frozen=True)
class ByRule:
    """An entry rule. ``since`` is the month of the rule that stands in the change's first month."""

    rule: Rule
    since: Month

    def values(self, count: int, amount: float, fiscal_year_start: int) -> Values:
        """Return what the rule gives from ``since`` on."""
        return self.rule.values(Timeline(self.since, count, fiscal_year_start))

    def later(self, months: int) -> "Course":
        """Return the rule from a later month of it on."""
        return replace(self, since=self.since.plus(months))

    def words(self, show: Callable[[float], str]) -> str:
        """Return the rule in words."""
        return self.rule.words(show)


@dataclass(frozen=True)
class ByAge:
    """The change's amount times a profile of the model, by months since the start; the last value holds.

    Parameters
    ----------
    profile : its name. curve : its values. age : of the change's first month.
    """

    profile: str
    curve: tuple[float, ...]
    age: int = 0

    def values(self, count: int, amount: float, fiscal_year_start: int) -> Values:
        """Return amount × curve."""
        ages = np.minimum(np.arange(self.age, self.age + count), len(self.curve) - 1)
        return amount * np.array(self.curve)[ages]

    def later(self, months: int) -> "Course":
        """Return the curve from a later age on."""
        return replace(self, age=self.age + months)

    def words(self, show: Callable[[float], str]) -> str:
        """Return ``along ramp_up``."""
        return f"along {self.profile}"
