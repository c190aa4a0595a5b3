"""Receipts and payments by kind: every row that moves cash, but for the overdraft that fills the gap by itself."""

from dataclasses import dataclass

from widefork.core.finance.statements import CAPTION_BY_NAME
from widefork.core.graph.model import Model
from widefork.core.graph.plan import Plan
from widefork.core.lines import Line
from widefork.core.liquidity import DayRule


@dataclass(frozen=True)
class Kind:
    """A kind of receipt or payment: a caption, positive in its sense, and when in the month it usually moves."""

    name: str
    is_receipt: bool
    days: DayRule

    @property
    def label(self) -> str:
        """The caption's label."""
        return CAPTION_BY_NAME[self.name].label

    @property
    def sign(self) -> int:
        """+1 where it raises cash, -1 where it lowers it."""
        return 1 if self.is_receipt else -1


_SPREAD, _END, _FIRST = DayRule(spread=True), DayRule(), DayRule(1)

KINDS = (
    Kind("customer_receipts", True, _SPREAD),
    Kind("other_receipts", True, _END),
    Kind("interest_received", True, _END),
    Kind("disposal_proceeds", True, _END),
    Kind("asset_grants_received", True, _END),
    Kind("loan_drawdowns", True, _FIRST),
    Kind("share_issue", True, _FIRST),
    Kind("unexplained_received", True, _END),
    Kind("unexplained_borrowed", True, _END),
    Kind("unexplained_cash", True, _END),
    Kind("supplier_payments", False, _SPREAD),
    Kind("staff_payments", False, _END),
    Kind("sales_tax_payments", False, _END),
    Kind("income_tax_payments", False, _END),
    Kind("other_payments", False, _END),
    Kind("interest_paid", False, _END),
    Kind("capital_expenditure", False, _END),
    Kind("intangibles_bought", False, _END),
    Kind("deposits_placed", False, _END),
    Kind("loan_repayments", False, _END),
    Kind("lease_repayments", False, _END),
    Kind("owners_draw", False, _END),
    Kind("dividends", False, _END),
    Kind("unexplained_paid", False, _END),
    Kind("unexplained_invested", False, _END),
)
"""Together they are the change in cash after overdraft, month by month (a law in the tests)."""


def lines_of(kind: Kind, model: Model) -> tuple[Line, ...]:
    """Return the lines a kind is made of, in reading order; none where a formula makes it."""
    return tuple(line for line in model.lines if line.posts_to == kind.name)


@dataclass(frozen=True)
class Handle:
    """What can be done about a receipt or payment.

    Parameters
    ----------
    line : what a change of it is about. is_direct : the settlement itself; else an amount that is put off of it.
    caught_up : line of the amounts caught up; empty where it catches up by itself. reason : why nothing can be done.
    at_most : a balance no payment exceeds, so that putting it off puts all off. Empty where amounts stay as they are.
    """

    line: str
    is_direct: bool
    caught_up: str = ""
    at_most: str = ""
    reason: str = ""

    @property
    def catches_up(self) -> bool:
        """Whether it is paid later in months that are chosen; else what follows from it rises by itself."""
        return self.is_direct or bool(self.caught_up)


def handle_of(plan: Plan, name: str) -> Handle:
    """Return how a receipt or payment line can be put off or changed."""
    line = plan.model.line(name)
    owner = next((s for s in plan.model.schedules if line.source is not None and s.name == line.source.schedule), None)
    if owner is not None and owner.kind == "loan":
        return Handle(f"{owner.name}_postponed", is_direct=False, at_most=f"{owner.name}_balance")
    if owner is not None and f"{owner.name}_put_off" in plan.model.line_by_name:
        return Handle(f"{owner.name}_put_off", is_direct=False, caught_up=f"{owner.name}_caught_up")
    if line.name in plan.own_past or not line.is_flow:
        return Handle("", is_direct=False, reason=f"{line.label} follows from what is owed; change its terms instead.")
    if line.dimensions:
        return Handle("", is_direct=False, reason=f"{line.label} is made of many; change them in their register.")
    return Handle(name, is_direct=True)
