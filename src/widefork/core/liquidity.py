"""How liquidity is read: the lowest level allowed, on which days money moves, and what is under way."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from widefork.core.errors import InvalidValue
from widefork.core.rules import Rule

USUAL_DAYS_UNDER_WAY, MOST_DAYS_UNDER_WAY = 3, 20
SPREAD, MONTH_END = "spread", "end"
DAY_WORDS = {SPREAD: "spread over working days", MONTH_END: "at month end"}


@dataclass(frozen=True)
class DayRule:
    """On which days of a month its amount is received or paid.

    Parameters
    ----------
    day : 1 to 31, a fixed day, or the month's last where it is shorter; None for ``spread``.
    spread : evenly over the month's days from Monday to Friday. Neither is the month's last day.
    """

    day: int | None = None
    spread: bool = False

    @classmethod
    def parse(cls, text: str) -> "DayRule":
        """Return the rule of a text: ``spread``, ``end``, or a day from 1 to 31; raise InvalidValue."""
        given = text.strip().lower()
        if given == SPREAD:
            return cls(spread=True)
        if given == MONTH_END:
            return cls()
        if given.isascii() and given.isdecimal() and 1 <= int(given) <= 31:
            return cls(int(given))
        raise InvalidValue(f"Expected a day from 1 to 31, “{SPREAD}” or “{MONTH_END}”; got “{text.strip()}”.")

    @property
    def text(self) -> str:
        """The rule as ``parse`` reads it."""
        return SPREAD if self.spread else MONTH_END if self.day is None else str(self.day)

    @property
    def words(self) -> str:
        """The rule as a phrase."""
        return f"on day {self.day}" if self.day is not None else DAY_WORDS[self.text]


@dataclass(frozen=True)
class Liquidity:
    """How a model's liquidity is read.

    Parameters
    ----------
    level : the lowest level allowed of cash after overdraft, in currency; None for what the overdraft allows.
    days : by line or caption of receipts and payments, when in the month; its kind's usual days where not said.
    under_way : receivables that are money on its way to the bank already, such as card sales; schedules by name.
    under_way_days : on which working day of the next month what is under way at a month's end arrives.
    """

    level: Rule | None = None
    days: Mapping[str, DayRule] = field(default_factory=dict)
    under_way: tuple[str, ...] = ()
    under_way_days: int = USUAL_DAYS_UNDER_WAY

    def __post_init__(self) -> None:
        if not 1 <= self.under_way_days <= MOST_DAYS_UNDER_WAY:
            raise InvalidValue(
                f"Money under way arrives after 1 to {MOST_DAYS_UNDER_WAY} working days; got {self.under_way_days}."
            )
