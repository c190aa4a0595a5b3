"""Money added: by owners, a loan, a grant, deposits, invoices discounted, assets sold and leased back, a limit.

Each is a schedule that stands in the model at 0 for every case, and a change of its amounts in one case. Invoices
discounted with recourse, and assets leased back on terms that are no sale, are borrowing (IFRS 9.3.2.6, IFRS 16.103;
docs/sources.md).
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from widefork.core.axes import Month
from widefork.core.changes import Change, Operation
from widefork.core.errors import InvalidValue
from widefork.core.graph.model import Model, ScheduleSettings


@dataclass(frozen=True)
class Money:
    """A way of adding money: its entry in the registry.

    Parameters
    ----------
    name, label : label is that of the schedule, too. question : what ``months`` asks for; empty where it is not asked.
    has_rate : it costs interest. kind : of the schedule. settings : the schedule's, at 0.
    changes : of the schedule's lines, given its name, the amount, its month, months and the rate.
    reuses : setting that an existing schedule of the kind needs for being used again; empty for always another one.
    """

    name: str
    label: str
    summary: str
    kind: str
    question: str
    has_rate: bool
    settings: Callable[["Ask"], dict[str, Any]]
    changes: Callable[[str, "Ask"], tuple[Change, ...]]
    reuses: str = ""


@dataclass(frozen=True)
class Ask:
    """What somebody adds: an amount above 0 in a month, for so many months, at a rate a year."""

    amount: float
    month: Month
    months: int
    rate: float


def _one(line: str, ask: Ask) -> Change:
    return Change(line, Operation.ADD, ask.amount, (), ask.month, ask.month)


def _loan_settings(ask: Ask) -> dict[str, Any]:
    return {"amount": 0, "drawn_in": str(ask.month), "rate": ask.rate, "term_months": ask.months, "repayment": "level"}


def _loan_changes(name: str, ask: Ask) -> tuple[Change, ...]:
    return (Change(f"{name}_amount", Operation.ADD, ask.amount),)


def _held(name: str, ask: Ask) -> tuple[Change, ...]:
    """Taken in, and given back evenly over the months after."""
    first = ask.month.plus(1)
    back = Change(f"{name}_taken", Operation.ADD, ask.amount / ask.months, (), first, ask.month.plus(ask.months))
    return (_one(f"{name}_added", ask), back)


def _discounted(name: str, ask: Ask) -> tuple[Change, ...]:
    """Lent against invoices, given back at once when customers pay."""
    end = ask.month.plus(ask.months)
    return (_one(f"{name}_added", ask), Change(f"{name}_taken", Operation.ADD, ask.amount, (), end, end))


def _raised(name: str, ask: Ask) -> tuple[Change, ...]:
    """Not money but room for it."""
    last = ask.month.plus(ask.months - 1)
    return (Change(f"{name}_limit", Operation.ADD, ask.amount, (), ask.month, last),)


_LIABILITY = {"caption": "other_liabilities", "added": 0, "taken": 0}

MONEY = (
    Money("owners", "Paid in by owners", "New shares or a contribution; not paid back.", "equity", "", False,
          lambda ask: {"paid_in": 0, "drawn": 0}, lambda name, ask: (_one(f"{name}_paid_in", ask),), reuses="paid_in"),
    Money("loan", "Short loan", "Level payments from the month after.", "loan", "repaid over months", True,
          _loan_settings, _loan_changes),
    Money("grant", "Emergency grant", "Need not be paid back; income when granted.", "grant", "", False,
          lambda ask: {"granted": 0, "treatment": "income"}, lambda name, ask: (_one(f"{name}_granted", ask),)),
    Money("deposits", "Deposits from customers", "Paid ahead; set against what they owe in the months after.",
          "other_balance", "set against over months", False, lambda ask: dict(_LIABILITY), _held),
    Money("invoices", "Invoices discounted", "Lent against invoices at once; given back when customers pay.",
          "other_balance", "months until customers pay", False, lambda ask: dict(_LIABILITY), _discounted),
    Money("limit", "Higher overdraft limit", "Agreed for some months; it draws and repays by itself.", "overdraft",
          "for months", True, lambda ask: {"limit": 0, "rate": ask.rate}, _raised, reuses="limit"),
    Money("lease_back", "Assets sold and leased back", "Paid at once, rent every month; borrowing by its nature.",
          "loan", "leased back for months", True, _loan_settings, _loan_changes),
)  # fmt: skip
MONEY_BY_NAME = {one.name: one for one in MONEY}


def schedule_for(money: Money, ask: Ask, model: Model) -> tuple[ScheduleSettings, bool]:
    """Return the schedule an addition is a change of, and whether it is to be added to the model.

    Raises
    ------
    InvalidValue: no amount, an actual month, or months out of range.
    """
    timeline = model.timeline
    if not 0 < ask.amount < 1e12:
        raise InvalidValue(f"Expected an amount above 0; got {ask.amount:g}.")
    if not timeline.first_plan <= ask.month <= timeline.end:
        raise InvalidValue(f"Money comes in a month of the plan, {timeline.first_plan.label} to {timeline.end.label}.")
    if not 1 <= ask.months <= 360:
        raise InvalidValue(f"Expected 1 to 360 months; got {ask.months}.")
    if not 0 <= ask.rate <= 1:
        raise InvalidValue(f"A rate lies between 0 % and 100 % a year; got {ask.rate * 100:g} %.")
    known = next(
        (given for given in model.schedules if given.kind == money.kind and money.reuses in given.settings), None
    )
    if money.reuses and known is not None:
        return known, False
    taken = {given.label for given in model.schedules}
    label = next(
        label for n in range(1, 1000) if (label := money.label if n == 1 else f"{money.label} {n}") not in taken
    )
    return ScheduleSettings(money.kind, "", label, money.settings(ask)), True


def changes_for(money: Money, name: str, ask: Ask) -> tuple[Change, ...]:
    """Return the changes that bring the money, of a schedule's lines by its name."""
    return money.changes(name, ask)
