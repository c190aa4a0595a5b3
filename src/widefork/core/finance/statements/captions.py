"""The captions lines post to, and the totals made of them: all of them lines with reserved names.

Classic layout of income statement, balance sheet and indirect cash flow (IAS 1, IAS 7; docs/sources.md). Every
caption is positive in its natural sense; ``subtracts`` says where a statement takes it away.
"""

from dataclasses import dataclass
from enum import StrEnum


class Statement(StrEnum):
    """The three statements, and notes that belong to none."""

    INCOME = "income"
    CASH_FLOW = "cash_flow"
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
    is_balance : bool. Read at a period's end.
    """

    name: str
    label: str
    statement: Statement
    formula: str = ""
    emphasis: Emphasis = Emphasis.PART
    subtracts: bool = False
    is_balance: bool = False


_I, _C, _B, _N = Statement.INCOME, Statement.CASH_FLOW, Statement.BALANCE, Statement.NOTE
_SUB, _TOTAL = Emphasis.SUBTOTAL, Emphasis.TOTAL

OPERATING_EXPENSES = ("people_costs", "premises_costs", "marketing_costs", "administration_costs")

CAPTIONS = (
    Caption("revenue", "Revenue", _I, emphasis=_SUB),
    Caption("cost_of_sales", "Cost of sales", _I, subtracts=True),
    Caption("gross_profit", "Gross profit", _I, "revenue - cost_of_sales", _SUB),
    Caption("people_costs", "People", _I, subtracts=True),
    Caption("premises_costs", "Premises", _I, subtracts=True),
    Caption("marketing_costs", "Marketing", _I, subtracts=True),
    Caption("administration_costs", "Administration", _I, subtracts=True),
    Caption("ebitda", "EBITDA", _I, " - ".join(("gross_profit", *OPERATING_EXPENSES)), _TOTAL),
    Caption("depreciation", "Depreciation", _I, subtracts=True),
    Caption("operating_profit", "Operating profit (EBIT)", _I, "ebitda - depreciation", _SUB),
    Caption("interest_expense", "Interest", _I, subtracts=True),
    Caption("profit_before_tax", "Profit before tax", _I, "operating_profit - interest_expense", _SUB),
    Caption("income_tax", "Income tax", _I, subtracts=True),
    Caption("net_profit", "Net profit", _I, "profit_before_tax - income_tax", _TOTAL),
    Caption("profit_for_cash_flow", "Net profit", _C, "net_profit"),
    Caption("depreciation_added_back", "Depreciation added back", _C, "depreciation"),
    Caption("receivables_released", "Decrease in receivables", _C, "before(receivables) - receivables"),
    Caption("payables_added", "Increase in payables", _C, "payables - before(payables)"),
    Caption("tax_payable_added", "Increase in tax payable", _C, "tax_payable - before(tax_payable)"),
    Caption(
        "operating_cash_flow", "Cash from operations", _C,
        "profit_for_cash_flow + depreciation_added_back + receivables_released + payables_added + tax_payable_added",
        _SUB,
    ),
    Caption("capital_expenditure", "Purchases of equipment", _C, subtracts=True),
    Caption("investing_cash_flow", "Cash from investing", _C, "-capital_expenditure", _SUB),
    Caption("loan_drawdowns", "Loans drawn", _C),
    Caption("loan_repayments", "Loans repaid", _C, subtracts=True),
    Caption("share_issue", "Paid in by owners", _C),
    Caption("dividends", "Dividends", _C, subtracts=True),
    Caption("overdraft_drawn", "Overdraft drawn, less repaid", _C, "overdraft - before(overdraft)"),
    Caption(
        "financing_cash_flow", "Cash from financing", _C,
        "loan_drawdowns - loan_repayments + share_issue - dividends + overdraft_drawn", _SUB,
    ),
    Caption(
        "net_cash_flow", "Change in cash", _C, "operating_cash_flow + investing_cash_flow + financing_cash_flow", _TOTAL
    ),
    Caption("cash", "Cash", _B, "cash_after_overdraft + overdraft", is_balance=True),
    Caption("receivables", "Receivables", _B, is_balance=True),
    Caption("current_assets", "Current assets", _B, "cash + receivables", _SUB, is_balance=True),
    Caption("property_and_equipment", "Property and equipment", _B, is_balance=True),
    Caption("total_assets", "Total assets", _B, "current_assets + property_and_equipment", _TOTAL, is_balance=True),
    Caption("payables", "Payables", _B, is_balance=True),
    Caption("tax_payable", "Tax payable", _B, is_balance=True),
    Caption("overdraft", "Overdraft", _B, is_balance=True),
    Caption("loans", "Loans", _B, is_balance=True),
    Caption(
        "total_liabilities", "Total liabilities", _B, "payables + tax_payable + overdraft + loans", _SUB,
        is_balance=True,
    ),
    Caption("share_capital", "Share capital", _B, "before(share_capital) + share_issue", is_balance=True),
    Caption(
        "retained_earnings", "Retained earnings", _B, "before(retained_earnings) + net_profit - dividends",
        is_balance=True,
    ),
    Caption("total_equity", "Equity", _B, "share_capital + retained_earnings", _SUB, is_balance=True),
    Caption(
        "equity_and_liabilities", "Equity and liabilities", _B, "total_equity + total_liabilities", _TOTAL,
        is_balance=True,
    ),
    Caption(
        "flow_before_overdraft", "Change in cash before the overdraft", _N,
        "operating_cash_flow + investing_cash_flow + loan_drawdowns - loan_repayments + share_issue - dividends",
    ),
    Caption(
        "cash_after_overdraft", "Cash after overdraft", _N, "before(cash_after_overdraft) + flow_before_overdraft",
        is_balance=True,
    ),
    Caption("overdraft_limit", "Overdraft limit", _N, is_balance=True),
    Caption("waterline", "Waterline", _N, "-overdraft_limit", is_balance=True),
    Caption("headroom", "Room above the waterline", _N, "cash_after_overdraft - waterline", is_balance=True),
    Caption(
        "balance_difference", "Difference of the balance sheet", _N, "total_assets - equity_and_liabilities",
        is_balance=True,
    ),
    Caption(
        "cash_difference", "Difference between cash flow and balance sheet", _N, "cash - before(cash) - net_cash_flow"
    ),
)  # fmt: skip

CAPTION_BY_NAME = {caption.name: caption for caption in CAPTIONS}
POSTABLE = tuple(caption.name for caption in CAPTIONS if not caption.formula)
CHECKS = ("balance_difference", "cash_difference")
OPENING_CAPTIONS = ("cash", "share_capital", "retained_earnings")
"""Captions whose opening balance stands in the model itself; all others open from their schedules."""
