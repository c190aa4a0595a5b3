"""How a line's amounts are spread where the model says more of it than a plausible range; and what goes together."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from widefork.core.errors import InvalidModel
from widefork.core.look import PlausibleRange


class Shape(StrEnum):
    """What a spread looks like."""

    TRIANGULAR = "triangular"
    UNIFORM = "uniform"
    NORMAL = "normal"
    LOGNORMAL = "lognormal"
    PERT = "pert"
    DISCRETE = "discrete"


class Redrawn(StrEnum):
    """How often an amount is drawn anew."""

    ONCE = "once"
    YEAR = "year"
    MONTH = "month"


class Applied(StrEnum):
    """What a drawn amount does to what is assumed."""

    USUAL = "as usual"
    FACTOR = "factor"
    ADDITION = "addition"
    VALUE = "value"


USUAL_SHARE = 0.8
"""A range holds what happens in 80 of 100 cases: from P10 to P90."""


@dataclass(frozen=True)
class SpreadSetting:
    """How a line, or one of its members, is drawn at random.

    Each combination of members is drawn by the most precise of what is said of it: what is said of single members goes
    before what is said of the line, or its range.

    Parameters
    ----------
    line : an assumption, or a calculated line that may be changed after its formula.
    members : (dimension, member) pairs of the line; empty for all of it.
    applied : as a factor where the range's likely amount is above 0, else as an addition, unless one is named. A value
        stands in place of what is assumed, in every month it is drawn for.
    held : the share of what may happen that its range holds, above 0 and below 1.
    plausible : its range, for members and lines that cannot have one themselves; None for the line's own.
    persistence : of one period to the next, from 0 to below 1; 0 for what is drawn once.

    Raises
    ------
    InvalidModel: a share or persistence out of its bounds.
    """

    line: str
    shape: Shape = Shape.TRIANGULAR
    held: float = USUAL_SHARE
    rhythm: Redrawn = Redrawn.ONCE
    persistence: float = 0.0
    plausible: PlausibleRange | None = None
    applied: Applied = Applied.USUAL
    members: tuple[tuple[str, str], ...] = ()

    @property
    def name(self) -> str:
        """What it is called among others: the line, with its members."""
        return spread_name(self.line, self.members)

    def __post_init__(self) -> None:
        place = f"spreads/{self.line}"
        if len({dimension for dimension, _ in self.members}) < len(self.members):
            raise InvalidModel("A spread names one member of a dimension; write one for each member.", place)
        if not 0 < self.held < 1:
            said = f"A range holds more than 0 % and less than 100 %; {self.held * 100:g} % was given."
            raise InvalidModel(said, place)
        if not 0 <= self.persistence < 1:
            said = f"Persistence lies from 0 % to below 100 %; {self.persistence * 100:g} % was given."
            raise InvalidModel(said, place)
        if self.persistence and self.rhythm is Redrawn.ONCE:
            raise InvalidModel("What is drawn once for the whole plan has no persistence.", place)


def spread_name(line: str, members: Sequence[tuple[str, str]]) -> str:
    """Return what a spread is called: the line, with its members."""
    return " ".join((line, *(member for _, member in members)))


@dataclass(frozen=True)
class Correlation:
    """Two lines whose drawn amounts go together; of single members, those that are drawn of the same one.

    Parameters
    ----------
    coefficient : of the numbers behind the amounts, -1 to 1.

    Raises
    ------
    InvalidModel: a line with itself, or beyond ±1.
    """

    one: str
    other: str
    coefficient: float

    def __post_init__(self) -> None:
        place = f"correlations/{self.one}"
        if self.one == self.other:
            raise InvalidModel("A line goes together with itself anyway; name two.", place)
        if not -1 <= self.coefficient <= 1:
            raise InvalidModel(f"A correlation lies between -1 and 1; {self.coefficient:g} was given.", place)
