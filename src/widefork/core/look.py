"""How a row is written and set off, and between what limits a number is plausible. No calculation depends on either."""

from dataclasses import dataclass
from enum import StrEnum

from widefork.core.errors import InvalidModel

MOST_DECIMALS = 6


class Scale(StrEnum):
    """What a displayed figure is counted in."""

    ONES = "ones"
    THOUSANDS = "thousands"
    MILLIONS = "millions"
    PERCENT = "percent"

    @property
    def factor(self) -> float:
        """What a value is multiplied by for display."""
        return {"ones": 1.0, "thousands": 1e-3, "millions": 1e-6, "percent": 100.0}[self.value]


class Emphasis(StrEnum):
    """How strongly a row is set."""

    STRONG = "strong"
    QUIET = "quiet"


class Tint(StrEnum):
    """The ground of a row; all of them carry ink at more than 12:1."""

    MIST = "mist"
    SAND = "sand"
    MOSS = "moss"
    CLAY = "clay"


@dataclass(frozen=True)
class Look:
    """How a line is shown; None and False leave it to the unit and the kind of line.

    Parameters
    ----------
    decimals : int, 0 to 6, or None. scale : what its figures are counted in.
    space_above : whether a gap sets it off from the row before.

    Raises
    ------
    InvalidModel: decimals outside those limits.
    """

    decimals: int | None = None
    scale: Scale | None = None
    emphasis: Emphasis | None = None
    tint: Tint | None = None
    space_above: bool = False

    def __post_init__(self) -> None:
        if self.decimals is not None and not 0 <= self.decimals <= MOST_DECIMALS:
            raise InvalidModel(f"A figure has 0 to {MOST_DECIMALS} decimals; {self.decimals} were asked for.", "look")


@dataclass(frozen=True)
class PlausibleRange:
    """Between what an assumption may plausibly lie.

    Parameters
    ----------
    low, likely, high : in the line's unit; or, where ``is_relative``, as a share of what is assumed (-0.1 = 10 % less).

    Raises
    ------
    InvalidModel: not in order, or a share below -1.
    """

    low: float
    likely: float
    high: float
    is_relative: bool = False

    def __post_init__(self) -> None:
        if not self.low <= self.likely <= self.high:
            raise InvalidModel(
                f"A range goes from low over likely to high; {self.low:g}, {self.likely:g}, {self.high:g} does not.",
                "range",
            )
        if self.is_relative and self.low < -1:
            raise InvalidModel(f"Nothing can be more than 100 % lower; {self.low * 100:g} % was given.", "range")
