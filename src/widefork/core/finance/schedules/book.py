"""Who settles, taxes or stocks which line: what schedules need to know of one another before they write."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from widefork.core.errors import InvalidModel
from widefork.core.finance.schedules.setting import Role
from widefork.core.graph.model import ScheduleSettings
from widefork.core.lines import Line


@dataclass(frozen=True)
class Book:
    """The roles schedules have for lines.

    Parameters
    ----------
    roles : by role and line's name, the schedule that has it.
    """

    roles: Mapping[Role, Mapping[str, ScheduleSettings]]

    @classmethod
    def of(cls, named: Iterable[tuple[ScheduleSettings, Role, Iterable[str]]]) -> "Book":
        """Return the book of (schedule, role, lines it names).

        Raises
        ------
        InvalidModel: a line named twice for the same; names both schedules.
        """
        roles: dict[Role, dict[str, ScheduleSettings]] = {role: {} for role in Role}
        for given, role, names in named:
            for name in dict.fromkeys(names):
                first = roles[role].setdefault(name, given)
                if first is not given:
                    raise InvalidModel(
                        f"{name} is {role.value} {first.label} already; take it out there, or here.",
                        f"schedules/{given.name}",
                    )
        return cls(roles)

    def has(self, role: Role, line: str) -> bool:
        """Return whether some schedule has this role for a line."""
        return line in self.roles[role]

    def settlers_of_stocks(self) -> dict[str, ScheduleSettings]:
        """Return, by stock, the schedule that settles what is bought for it.

        Raises
        ------
        InvalidModel: materials of one stock settled by two schedules; what is bought cannot be told apart.
        """
        found: dict[str, ScheduleSettings] = {}
        for line, stock in self.roles[Role.STOCKED].items():
            settler = self.roles[Role.SETTLED].get(line)
            if settler is not None and found.setdefault(stock.name, settler) is not settler:
                raise InvalidModel(
                    f"{found[stock.name].label} and {settler.label} both settle materials of {stock.label}. What is "
                    "bought for one stock has one set of terms; keep the others in a stock of their own.",
                    f"schedules/{settler.name}",
                )
        return found

    def invoiced(self, lines: Iterable[Line]) -> str:
        """Return the formula of what is invoiced for lines in a month, sales tax included; ``0`` for none.

        For what is kept in stock, that is its purchases, not its use.
        """
        pieces: dict[str, None] = {}
        for line in lines:
            stock = self.roles[Role.STOCKED].get(line.name)
            piece = f"{stock.name}_purchases" if stock is not None else total_of(line)
            rate = self.tax_rate(line.name)
            pieces[f"{piece} * (1 + {rate})" if rate else piece] = None
        return " + ".join(pieces) or "0"

    def tax_rate(self, line: str) -> str:
        """Return the name of the assumption that holds the sales tax rate of a line; empty for none."""
        for role, part in ((Role.SALE_TAXED, "rate"), (Role.PURCHASE_TAXED, "purchase_rate")):
            if line in self.roles[role]:
                return f"{self.roles[role][line].name}_{part}"
        return ""


def total_of(line: Line) -> str:
    """Return the formula of a line with its members taken together."""
    return f"sum_over({line.name})" if line.dimensions else line.name


def summed(lines: Iterable[Line]) -> str:
    """Return the formula that adds lines up, members taken together; ``0`` for none."""
    return " + ".join(total_of(line) for line in lines) or "0"
