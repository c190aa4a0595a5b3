"""What a method of forecasting is: a choice made once on early history, and forecasts from any later end of it."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

from widefork.core.analysis.trends.series import Values


class Fit(Protocol):
    """A method with its orders chosen."""

    def ahead(self, values: Values, horizon: int) -> Values:
        """Return the next periods after values without gaps, shape (horizon,); amounts are estimated on these values.

        Raises
        ------
        ValueError, ArithmeticError, numpy.linalg.LinAlgError: values it cannot be estimated on.
        """

    @property
    def words(self) -> str:
        """What was chosen, in words; empty where there is nothing to choose."""


@dataclass(frozen=True)
class Method:
    """A way of forecasting.

    Parameters
    ----------
    name : in files and commands. label : in tables. source : where it is described.
    least : values it needs, given the season's length.
    choose : given values without gaps and the season's length, returns it with its orders chosen.
    is_simple : one of the benchmarks every other is measured against.
    """

    name: str
    label: str
    source: str
    least: Callable[[int], int]
    choose: Callable[[Values, int], Fit]
    is_simple: bool = False
