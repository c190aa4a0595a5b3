"""Ratios and metrics of the statements: lines with reserved names, so that their formula is one gesture away.

All are common practice; where practice differs, the meaning says which reading is meant. What needs a year looks at
the last twelve months, and at the months there are, scaled to a year, before there are twelve.
"""

from dataclasses import dataclass

from widefork.core.lines import OverMembers, OverTime, Rollup


@dataclass(frozen=True)
class Ratio:
    """A ratio's entry: a line of its own.

    Parameters
    ----------
    meaning : what is set against what, and what is left out, as a sentence.
    group : under what it is listed. unit : "%", "days", "months", "CUR" for the currency, or "" for times.
    of : numerator and denominator lines to roll up by; empty where a period shows its end. is_flow : months add up.
    judged_by : where the ratio has no value, the line that says how an upper limit stands: kept at 0 or less.
    source : of the definition.
    """

    name: str
    label: str
    group: str
    formula: str
    meaning: str
    unit: str = ""
    of: tuple[str, str] = ("", "")
    is_flow: bool = False
    judged_by: str = ""
    source: str = "common practice"

    @property
    def rollup(self) -> Rollup:
        """How months become a year: by its parts, or as at the end."""
        if self.is_flow:
            return Rollup()
        if self.of[0]:
            return Rollup(OverTime.RATIO, OverMembers.RATIO, *self.of)
        return Rollup(OverTime.END, OverMembers.MEAN)


def _year(line: str) -> str:
    return f"trailing({line}, 12) * 12 / min(12, month_number)"


def _days(balance: str, flow: str) -> str:
    return f"{balance} / trailing({flow}, 3) * min(3, month_number) * days_per_month"


_EARNINGS, _WORKING, _DEBT, _CASH = "Earnings", "Working capital", "Debt", "Cash"
_LATEST = "of the last twelve months, scaled up to twelve while there are fewer"


def _margin(name: str, label: str, part: str, said: str) -> Ratio:
    return Ratio(name, label, _EARNINGS, f"{part} / revenue", f"{said} over revenue.", "%", (part, "revenue"))


RATIOS = (
    _margin("gross_margin", "Gross margin", "gross_profit", "Gross profit"),
    _margin("ebitda_margin", "EBITDA margin", "ebitda", "EBITDA"),
    _margin("operating_margin", "Operating margin", "operating_profit", "Operating profit"),
    _margin("net_margin", "Net margin", "net_profit", "Net profit"),
    Ratio(
        "return_on_capital", "Return on capital employed", _EARNINGS,
        f"{_year('operating_profit')} / (total_assets - current_liabilities)",
        f"Operating profit {_LATEST}, over total assets less current liabilities at the end.", "%",
    ),
    Ratio(
        "running_profit", "Net profit, running total", _EARNINGS, "running_total(net_profit)",
        "Net profit added up from the model's first month.", "CUR",
    ),
    Ratio(
        "days_receivable", "Days of receivables", _WORKING, _days("receivables", "invoiced_to_customers"),
        "Receivables over what customers were invoiced in three months, sales tax in both; months of 30 days.", "days",
    ),
    Ratio(
        "days_payable", "Days of payables", _WORKING, _days("payables", "invoiced_by_suppliers"),
        "Payables over what suppliers invoiced in three months, sales tax in both and no wages; months of 30 days.",
        "days",
    ),
    Ratio(
        "days_inventory", "Days of inventory", _WORKING, _days("inventory", "taken_from_stock"),
        "Stock over what was taken from stock in three months, at cost, no wages; months of 30 days.", "days",
    ),
    Ratio(
        "cash_cycle", "Cash conversion cycle", _WORKING, "days_receivable + days_inventory - days_payable",
        "Days of receivables and of inventory, less days of payables.", "days",
    ),
    Ratio(
        "current_ratio", "Current ratio", _WORKING, "current_assets / current_liabilities",
        "Current assets over current liabilities.",
    ),
    Ratio(
        "quick_ratio", "Quick ratio", _WORKING, "(cash + receivables + other_receivables) / current_liabilities",
        "Cash and receivables, without stock, over current liabilities.",
    ),
    Ratio(
        "net_debt", "Net debt", _DEBT, "loans + leases + overdraft + not_funded - cash",
        "Loans, leases, the overdraft and what is not funded, less cash.", "CUR",
    ),
    Ratio(
        # Divided by nothing where there are no earnings: a negative number of years of them means nothing.
        "net_debt_to_ebitda", "Net debt to EBITDA", _DEBT, f"net_debt / max(0, {_year('ebitda')})",
        f"Net debt over EBITDA {_LATEST}; not meaningful where that is 0 or less: an upper limit is then kept with net"
        " cash and broken with net debt.", judged_by="net_debt",
    ),
    Ratio(
        "interest_cover", "Interest cover", _DEBT, f"({_year('operating_profit')}) / ({_year('interest_expense')})",
        f"Operating profit over interest, both {_LATEST}; repayments, taxes and investment left out.",
    ),
    Ratio(
        "debt_service", "Debt service", _DEBT, "loan_repayments + lease_repayments + interest_paid",
        "Repaid on loans and leases, and interest paid; the overdraft's movements left out.", "CUR", is_flow=True,
    ),
    Ratio(
        "debt_service_cover", "Debt service cover", _DEBT,
        f"({_year('ebitda')} - {_year('income_tax_paid')}) / ({_year('debt_service')})",
        f"EBITDA less income tax paid, over debt service, all {_LATEST}; working capital and investment left out.",
    ),
    Ratio(
        "debt_service_cover_in_cash", "Debt service cover, in cash", _DEBT,
        f"({_year('operating_cash_flow')} + {_year('interest_paid')} + {_year('investing_cash_flow')})"
        f" / ({_year('debt_service')})",
        f"Cash from operations before interest, less what was invested, over debt service, all {_LATEST}.",
    ),
    Ratio(
        "equity_ratio", "Equity ratio", _DEBT, "total_equity / total_assets", "Equity over total assets.", "%",
        ("total_equity", "total_assets"),
    ),
    Ratio(
        "burn", "Burn, mean of three months", _CASH,
        "max(0, -trailing(operating_cash_flow + investing_cash_flow, 3)) / min(3, month_number)",
        "What operations and investing took a month, over three months; 0 where they brought cash.", "CUR",
    ),
    Ratio(
        "runway", "Runway above the waterline", _CASH, "max(0, headroom) / burn",
        "Room above the waterline over burn: months until it is used up.", "months",
    ),
)  # fmt: skip
