"""Goals: what a figure is to be, as a model keeps them to see whether they still hold."""

from dataclasses import dataclass
from enum import StrEnum
from math import isfinite

from widefork.core.errors import InvalidModel


class Sense(StrEnum):
    """What reaching a target means."""

    AT_LEAST = "at least"
    AT_MOST = "at most"
    EXACTLY = "exactly"

    def room(self, value: float, target: float) -> float:
        """Return by how much a value is better than the target, in its unit; negative is short of it.

        Exactly has no room: 0 where it is met, else minus the distance. NaN stays NaN.
        """
        match self:
            case Sense.AT_LEAST:
                return value - target
            case Sense.AT_MOST:
                return target - value
        return -abs(value - target)

    def holds(self, value: float, target: float) -> bool:
        """Return whether a value reaches the target, to nine digits; exactly to a millionth at least."""
        slack = 1e-9 * max(1.0, abs(target))
        return self.room(value, target) >= -(max(slack, 1e-6) if self is Sense.EXACTLY else slack)


@dataclass(frozen=True)
class PinnedGoal:
    """A goal the model keeps.

    Parameters
    ----------
    figure : name of a stored figure. sense, target : what it is to be, in the figure's unit; the running number of a
        month for a figure that is one, where at most is by then. case : in which it is to hold.

    Raises
    ------
    InvalidModel: a target that is no number.
    """

    name: str
    figure: str
    sense: Sense
    target: float
    case: str
    note: str = ""

    def __post_init__(self) -> None:
        if not isfinite(self.target):
            raise InvalidModel(f"The goal of {self.figure} needs a number as its target.", f"goals/{self.name}")
