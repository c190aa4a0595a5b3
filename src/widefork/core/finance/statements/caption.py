"""What a caption of the statements is."""

from dataclasses import dataclass
from enum import StrEnum


class Statement(StrEnum):
    """The statements a caption can stand in, and notes that belong to none."""

    INCOME = "income"
    CASH_FLOW = "cash_flow"
    RECEIPTS = "receipts"
    BALANCE = "balance"
    NOTE = "note"


class Emphasis(StrEnum):
    """How much a row weighs on the page."""

    PART = "part"
    SUBTOTAL = "subtotal"
    TOTAL = "total"


@dataclass(frozen=True)
class Caption:
    """A reserved line of the statements.

    Parameters
    ----------
    formula : str. Empty when it is the sum of the lines posted to it.
    subtracts : bool. Whether the statement takes it away; the line itself stays positive (decision 0001).
    is_balance : bool. Read at a period's end.
    is_signed : bool. Lines posted to it may be of either sign, such as the result of a disposal.
    paid_as : str. Caption of receipts and payments under which a line posted here is settled, where no schedule
        settles it; empty where posting here moves no cash by itself.
    """

    name: str
    label: str
    statement: Statement
    formula: str = ""
    emphasis: Emphasis = Emphasis.PART
    subtracts: bool = False
    is_balance: bool = False
    is_signed: bool = False
    paid_as: str = ""
