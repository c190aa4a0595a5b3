"""Figures: named, storable questions to a model, such as “lowest cash over the plan”. Evaluated in ``analysis``."""

from dataclasses import dataclass
from enum import StrEnum

from widefork.core.axes import Month
from widefork.core.errors import InvalidModel


class Reduction(StrEnum):
    """How the months of a figure become one answer."""

    VALUE = "value"
    SUM = "sum"
    MEAN = "mean"
    LOWEST = "lowest"
    HIGHEST = "highest"
    FIRST_MONTH = "first_month"
    MONTH_COUNT = "month_count"

    @property
    def gives_month(self) -> bool:
        """Whether the answer is a month instead of an amount."""
        return self is Reduction.FIRST_MONTH

    @property
    def asks_condition(self) -> bool:
        """Whether the figure needs a comparison with a threshold."""
        return self in (Reduction.FIRST_MONTH, Reduction.MONTH_COUNT)


class Comparison(StrEnum):
    """What “in which” asks of a month."""

    AT_LEAST = "at least"
    ABOVE = "above"
    AT_MOST = "at most"
    BELOW = "below"


@dataclass(frozen=True)
class Figure:
    """A named figure: (line, members, period range, reduction).

    Parameters
    ----------
    name, label : str.
    line : str. Name of any line, captions of the statements included.
    members : tuple of str. One member per dimension of the line; () for all, rolled up.
    first, last : Month or None. Inclusive range; None is open to the timeline's start or end.
    reduction : Reduction. VALUE reads the last month of the range; SUM rolls the range up as the line says
        (a balance gives its end, a ratio is divided after rolling up).
    comparison, threshold : for first month in which and number of months in which.
    is_pinned : bool. Shown in the watch strip.

    Raises
    ------
    InvalidModel: the range ends before it begins.
    """

    name: str
    label: str
    line: str
    members: tuple[str, ...] = ()
    first: Month | None = None
    last: Month | None = None
    reduction: Reduction = Reduction.SUM
    comparison: Comparison = Comparison.AT_LEAST
    threshold: float = 0.0
    is_pinned: bool = False

    def __post_init__(self) -> None:
        if self.first is not None and self.last is not None and self.last < self.first:
            raise InvalidModel(
                f"The range ends in {self.last}, before it begins in {self.first}.", f"figures/{self.name}"
            )
