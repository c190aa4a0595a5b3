"""In which rows the captions are shown: the same figures, laid out in the classic way or by category.

By category follows IFRS 18 (in place of IAS 1 from 2027, with its changes to IAS 7; docs/sources.md): an operating
profit, then income from investing, then the cost of financing; a cash flow that starts from operating profit, with
interest received under investing and interest paid under financing.
"""

from collections.abc import Mapping
from dataclasses import dataclass

from widefork.core.finance.statements.caption import Statement
from widefork.core.finance.statements.captions import BALANCE_SHEET, CASH_FLOW, INCOME, RECEIPTS
from widefork.core.registry import Registry


@dataclass(frozen=True)
class Layout:
    """A layout's entry in the registry: names of captions from top to bottom, by statement."""

    name: str
    label: str
    summary: str
    rows: Mapping[Statement, tuple[str, ...]]


_BALANCE = tuple(caption.name for caption in BALANCE_SHEET)
_RECEIPTS = tuple(caption.name for caption in RECEIPTS[:-1])
_WORKING = tuple(
    c.name for c in CASH_FLOW if c.name.endswith(("_released", "_added")) and c.name != "tax_payable_added"
)
_BACK = ("depreciation_added_back", "grants_taken_out", "disposals_taken_out")
_INVESTED = (
    "capital_expenditure",
    "intangibles_bought",
    "disposal_proceeds",
    "asset_grants_received",
    "deposits_placed",
    "unexplained_invested",
)
_FINANCED = (
    "loan_drawdowns", "loan_repayments", "lease_repayments", "share_issue", "owners_draw", "dividends",
    "overdraft_drawn", "not_funded_change", "unexplained_borrowed",
)  # fmt: skip
_CLASSIC_END = (
    *_INVESTED, "investing_cash_flow", *_FINANCED, "financing_cash_flow", "unexplained_cash",
    "net_cash_flow",
)  # fmt: skip
_CATEGORY_END = (
    *_INVESTED, "interest_received", "investing_category_cash",
    *_FINANCED, "interest_paid", "financing_category_cash", "unexplained_cash",
    "net_cash_flow",
)  # fmt: skip

CLASSIC = Layout(
    "classic",
    "Classic",
    "Profit before interest, then interest, then tax; a cash flow that starts from net profit.",
    {
        Statement.INCOME: tuple(c.name for c in INCOME if c.name != "profit_before_financing"),
        Statement.CASH_FLOW: (
            "profit_for_cash_flow", *_BACK, "interest_capitalised", *_WORKING, "tax_payable_added",
            "operating_cash_flow", *_CLASSIC_END,
        ),
        Statement.RECEIPTS: (
            *_RECEIPTS[:-1], "interest_received", "interest_paid", "operating_cash_direct", *_CLASSIC_END,
        ),
        Statement.BALANCE: _BALANCE,
    },
)  # fmt: skip

BY_CATEGORY = Layout(
    "by_category",
    "By category",
    "Operating, investing and financing apart, as IFRS 18 asks from 2027; a cash flow that starts from operating "
    "profit.",
    {
        Statement.INCOME: tuple(c.name for c in INCOME),
        Statement.CASH_FLOW: (
            "operating_profit_for_cash_flow", *_BACK, *_WORKING, "income_tax_paid", "operating_category_cash",
            *_CATEGORY_END,
        ),
        Statement.RECEIPTS: (*_RECEIPTS, *_CATEGORY_END),
        Statement.BALANCE: _BALANCE,
    },
)  # fmt: skip

LAYOUTS: Registry[Layout] = Registry("layout", CLASSIC, BY_CATEGORY)
