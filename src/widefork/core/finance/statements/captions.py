"""The captions lines post to, and the totals made of them: all of them lines with reserved names.

Income statement, balance sheet, and cash flow by both methods (IAS 1, IAS 7, IFRS 18; docs/sources.md). Every caption
is positive in its natural sense; ``subtracts`` says where a statement takes it away. In which rows they are shown is
said by the layouts.
"""

from widefork.core.finance.statements.caption import Caption, Emphasis, Statement

_I, _C, _R, _B, _N = Statement.INCOME, Statement.CASH_FLOW, Statement.RECEIPTS, Statement.BALANCE, Statement.NOTE
_SUB, _TOTAL = Emphasis.SUBTOTAL, Emphasis.TOTAL

OPERATING_EXPENSES = ("people_costs", "premises_costs", "marketing_costs", "administration_costs", "bad_debts")

CURRENT_ASSETS = (
    ("cash", "Cash"),
    ("deposits", "Deposits not available"),
    ("receivables", "Receivables"),
    ("other_receivables", "Other receivables"),
    ("inventory", "Inventory"),
    ("prepaid_costs", "Prepaid costs"),
    ("other_current_assets", "Other current assets"),
)
LONG_ASSETS = (
    ("property_and_equipment", "Property and equipment"),
    ("right_of_use_assets", "Leased assets"),
    ("intangible_assets", "Intangible assets"),
    ("other_long_assets", "Other long-term assets"),
)
CURRENT_LIABILITIES = (
    ("overdraft", "Overdraft"),
    ("not_funded", "Not funded"),
    ("loans_short", "Loans due within a year"),
    ("leases_short", "Leases due within a year"),
    ("payables", "Payables"),
    ("deferred_revenue", "Deferred revenue"),
    ("sales_tax_payable", "Sales tax payable"),
    ("payroll_liabilities", "Payroll liabilities"),
    ("accrued_costs", "Accrued costs"),
    ("tax_payable", "Income tax payable"),
    ("other_liabilities", "Other liabilities"),
)
LONG_LIABILITIES = (
    ("loans_long", "Loans due later"),
    ("leases_long", "Leases due later"),
    ("deferred_grants", "Grants not yet earned"),
    ("other_long_liabilities", "Other long-term liabilities"),
)

# Balances of the business itself, whose changes turn profit into cash from operations.
WORKING_ASSETS = (
    "receivables", "other_receivables", "inventory", "prepaid_costs", "other_current_assets", "other_long_assets",
)  # fmt: skip
WORKING_LIABILITIES = (
    "payables", "deferred_revenue", "sales_tax_payable", "payroll_liabilities", "accrued_costs", "deferred_grants",
    "other_liabilities", "other_long_liabilities",
)  # fmt: skip
_BALANCES = {
    name: label for part in (CURRENT_ASSETS, LONG_ASSETS, CURRENT_LIABILITIES, LONG_LIABILITIES) for name, label in part
}
_RELEASED = tuple(
    Caption(f"{n}_released", f"Decrease in {_BALANCES[n].lower()}", _C, f"before({n}) - {n}") for n in WORKING_ASSETS
)
_ADDED = tuple(
    Caption(f"{n}_added", f"Increase in {_BALANCES[n].lower()}", _C, f"{n} - before({n})") for n in WORKING_LIABILITIES
)
_WORKING = " + ".join(caption.name for caption in (*_RELEASED, *_ADDED))
_NOT_IN_CASH = "depreciation - grants_released - disposal_result"


def _balances(entries: tuple[tuple[str, str], ...], **formulas: str) -> tuple[Caption, ...]:
    return tuple(Caption(name, label, _B, formulas.get(name, ""), is_balance=True) for name, label in entries)


def _total(name: str, label: str, formula: str, emphasis: Emphasis = _SUB) -> Caption:
    return Caption(name, label, _B, formula, emphasis, is_balance=True)


def _plus(entries: tuple[tuple[str, str], ...]) -> str:
    return " + ".join(name for name, _ in entries)


INCOME = (
    Caption("revenue", "Revenue", _I, emphasis=_SUB, paid_as="customer_receipts"),
    Caption("cost_of_sales", "Cost of sales", _I, subtracts=True, paid_as="supplier_payments"),
    Caption("gross_profit", "Gross profit", _I, "revenue - cost_of_sales", _SUB),
    Caption("other_income", "Other income", _I, paid_as="other_receipts"),
    Caption("people_costs", "People", _I, subtracts=True, paid_as="staff_payments"),
    Caption("premises_costs", "Premises", _I, subtracts=True, paid_as="supplier_payments"),
    Caption("marketing_costs", "Marketing", _I, subtracts=True, paid_as="supplier_payments"),
    Caption("administration_costs", "Administration", _I, subtracts=True, paid_as="supplier_payments"),
    Caption("bad_debts", "Bad debts", _I, subtracts=True),
    Caption("ebitda", "EBITDA", _I, " - ".join(("gross_profit + other_income", *OPERATING_EXPENSES)), _TOTAL),
    Caption("depreciation", "Depreciation and amortisation", _I, subtracts=True),
    Caption("grants_released", "Depreciation covered by grants", _I),
    Caption("disposal_result", "Result of disposals", _I, is_signed=True),
    Caption(
        "operating_profit", "Operating profit (EBIT)", _I, "ebitda - depreciation + grants_released + disposal_result",
        _SUB,
    ),
    Caption("interest_income", "Interest earned", _I),
    Caption(
        "profit_before_financing", "Profit before financing and income tax", _I, "operating_profit + interest_income",
        _SUB,
    ),
    Caption("interest_expense", "Interest", _I, subtracts=True),
    Caption(
        "profit_before_tax", "Profit before tax", _I, "operating_profit + interest_income - interest_expense", _SUB
    ),
    Caption("income_tax", "Income tax", _I, subtracts=True, paid_as="income_tax_payments"),
    Caption("net_profit", "Net profit", _I, "profit_before_tax - income_tax", _TOTAL),
)  # fmt: skip

CASH_FLOW = (
    Caption("profit_for_cash_flow", "Net profit", _C, "net_profit"),
    Caption("operating_profit_for_cash_flow", "Operating profit", _C, "operating_profit"),
    Caption("depreciation_added_back", "Depreciation added back", _C, "depreciation"),
    Caption("grants_taken_out", "Depreciation covered by grants", _C, "grants_released", subtracts=True),
    Caption("disposals_taken_out", "Result of disposals taken out", _C, "disposal_result", subtracts=True),
    Caption("interest_capitalised", "Interest added to loans", _C),
    *_RELEASED,
    *_ADDED,
    Caption("tax_payable_added", "Increase in income tax payable", _C, "tax_payable - before(tax_payable)"),
    Caption(
        "operating_cash_flow", "Cash from operations", _C,
        "profit_for_cash_flow + depreciation_added_back - grants_taken_out - disposals_taken_out"
        f" + interest_capitalised + {_WORKING} + tax_payable_added", _SUB,
    ),
    Caption("income_tax_paid", "Income tax paid", _C, "income_tax - tax_payable_added", subtracts=True),
    Caption(
        "operating_category_cash", "Cash from operating activities", _C,
        "operating_profit_for_cash_flow + depreciation_added_back - grants_taken_out - disposals_taken_out"
        f" + {_WORKING} - income_tax_paid", _SUB,
    ),
    Caption("interest_received", "Interest received", _C, "interest_income"),
    Caption("capital_expenditure", "Purchases of equipment", _C, subtracts=True),
    Caption("intangibles_bought", "Purchases of intangible assets", _C, subtracts=True),
    Caption("disposal_proceeds", "Assets sold", _C),
    Caption("asset_grants_received", "Grants for assets", _C),
    Caption("deposits_placed", "Deposits placed, less released", _C, "deposits - before(deposits)", subtracts=True),
    Caption("unexplained_invested", "Unexplained, in long-term assets", _C, subtracts=True, is_signed=True),
    Caption(
        "investing_cash_flow", "Cash from investing", _C,
        "disposal_proceeds + asset_grants_received - capital_expenditure - intangibles_bought - deposits_placed"
        " - unexplained_invested", _SUB,
    ),
    Caption(
        "investing_category_cash", "Cash from investing activities", _C, "investing_cash_flow + interest_received",
        _SUB,
    ),
    Caption("interest_paid", "Interest paid", _C, "interest_expense - interest_capitalised", subtracts=True),
    Caption("loan_drawdowns", "Loans drawn", _C),
    Caption("loan_repayments", "Loans repaid", _C, subtracts=True),
    Caption("lease_repayments", "Leases repaid", _C, subtracts=True),
    Caption("share_issue", "Paid in by owners", _C),
    Caption("owners_draw", "Drawn by owners", _C, subtracts=True),
    Caption("dividends", "Dividends", _C, subtracts=True),
    Caption("overdraft_drawn", "Overdraft drawn, less repaid", _C, "overdraft - before(overdraft)"),
    Caption("not_funded_change", "Increase in what is not funded", _C, "not_funded - before(not_funded)"),
    Caption("unexplained_borrowed", "Unexplained, in loans and leases", _C, is_signed=True),
    Caption(
        "financing_cash_flow", "Cash from financing", _C,
        "loan_drawdowns - loan_repayments - lease_repayments + share_issue - owners_draw - dividends + overdraft_drawn"
        " + not_funded_change + unexplained_borrowed", _SUB,
    ),
    Caption(
        "financing_category_cash", "Cash from financing activities", _C, "financing_cash_flow - interest_paid", _SUB
    ),
    Caption("unexplained_cash", "Unexplained movement of cash", _C, is_signed=True),
    Caption(
        "net_cash_flow", "Change in cash", _C,
        "operating_cash_flow + investing_cash_flow + financing_cash_flow + unexplained_cash", _TOTAL,
    ),
)  # fmt: skip

RECEIPTS = (
    Caption("customer_receipts", "Received from customers", _R),
    Caption("other_receipts", "Other receipts", _R),
    Caption("supplier_payments", "Paid to suppliers", _R, subtracts=True),
    Caption("staff_payments", "Paid to and for people", _R, subtracts=True),
    Caption("sales_tax_payments", "Sales tax paid", _R, subtracts=True, is_signed=True),
    Caption("income_tax_payments", "Income tax paid", _R, subtracts=True),
    Caption("other_payments", "Other payments", _R, subtracts=True),
    Caption("unexplained_paid", "Unexplained, in what is owned", _R, subtracts=True, is_signed=True),
    Caption("unexplained_received", "Unexplained, in what is owed", _R, is_signed=True),
    Caption(
        "receipts_less_payments", "Cash from operating activities, before interest", _R,
        "customer_receipts + other_receipts - supplier_payments - staff_payments - sales_tax_payments"
        " - income_tax_payments - other_payments - unexplained_paid + unexplained_received", _SUB,
    ),
    Caption(
        "operating_cash_direct", "Cash from operations", _R,
        "receipts_less_payments + interest_received - interest_paid", _SUB,
    ),
)  # fmt: skip

BALANCE_SHEET = (
    *_balances(CURRENT_ASSETS, cash="cash_after_overdraft + overdraft + not_funded"),
    _total("current_assets", "Current assets", _plus(CURRENT_ASSETS)),
    *_balances(LONG_ASSETS),
    Caption("asset_grants", "Grants for assets", _B, subtracts=True, is_balance=True),
    _total("long_assets", "Long-term assets", f"{_plus(LONG_ASSETS)} - asset_grants"),
    _total("total_assets", "Total assets", "current_assets + long_assets", _TOTAL),
    # What nobody lends: a debt for as long as it lasts, so that cash is never negative and no ratio flatters (IAS 1).
    *_balances(CURRENT_LIABILITIES, not_funded="max(0, -(cash_after_overdraft + overdraft_limit))"),
    _total("current_liabilities", "Current liabilities", _plus(CURRENT_LIABILITIES)),
    *_balances(LONG_LIABILITIES),
    _total("long_liabilities", "Long-term liabilities", _plus(LONG_LIABILITIES)),
    _total("total_liabilities", "Total liabilities", "current_liabilities + long_liabilities"),
    Caption("share_capital", "Share capital", _B, "before(share_capital) + share_issue", is_balance=True),
    Caption(
        "retained_earnings", "Retained earnings", _B,
        "before(retained_earnings) + net_profit - dividends - owners_draw", is_balance=True,
    ),
    Caption(
        "unexplained_equity", "Unexplained movements", _B, "before(unexplained_equity) + unexplained_cash",
        is_balance=True, is_signed=True,
    ),
    _total("total_equity", "Equity", "share_capital + retained_earnings + unexplained_equity"),
    _total("equity_and_liabilities", "Equity and liabilities", "total_equity + total_liabilities", _TOTAL),
)  # fmt: skip

NOTES = (
    Caption("loans", "Loans", _N, "loans_short + loans_long", is_balance=True),
    Caption("leases", "Lease liabilities", _N, "leases_short + leases_long", is_balance=True),
    Caption(
        "flow_before_overdraft", "Change in cash before the overdraft", _N,
        "operating_cash_flow + investing_cash_flow + financing_before_overdraft",
    ),
    Caption(
        "financing_before_overdraft", "Financing before the overdraft", _N,
        "loan_drawdowns - loan_repayments - lease_repayments + share_issue - owners_draw - dividends"
        " + unexplained_borrowed",
    ),
    Caption(
        "cash_after_overdraft", "Cash after overdraft", _N, "before(cash_after_overdraft) + flow_before_overdraft",
        is_balance=True,
    ),
    Caption(
        "invoiced_to_customers", "Invoiced to customers, tax included", _N,
        "customer_receipts + receivables - before(receivables) + bad_debts",
    ),
    Caption(
        "invoiced_by_suppliers", "Invoiced by suppliers, tax included", _N,
        "supplier_payments + payables - before(payables)",
    ),
    Caption("taken_from_stock", "Taken from stock", _N, "0"),  # written from what the stocks say they used
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
    Caption(
        "methods_difference", "Difference between both methods of the cash flow", _N,
        "operating_cash_flow - operating_cash_direct",
    ),
)  # fmt: skip

CAPTIONS = (*INCOME, *CASH_FLOW, *RECEIPTS, *BALANCE_SHEET, *NOTES)
CAPTION_BY_NAME = {caption.name: caption for caption in CAPTIONS}
POSTABLE = tuple(caption.name for caption in CAPTIONS if not caption.formula)
OFFERED = (*(c.name for c in INCOME if c.paid_as), "interest_income", "interest_expense", "share_issue", "dividends")
"""The captions a line of the user's own is asked to post to: each is settled in cash by itself or by a schedule."""
ROWS_WITHIN = tuple(caption.name for caption in INCOME if caption.paid_as)
"""The captions within which rows of the user's own may stand."""
CHECKS = ("balance_difference", "cash_difference", "methods_difference")
OPENING_CAPTIONS = ("cash", "share_capital", "retained_earnings")
"""Captions whose opening balance stands in the model itself; all others open from their schedules."""
