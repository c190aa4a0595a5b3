"""Ratios and metrics of the statements: lines with reserved names, so that their formula is one gesture away.

All are common practice; where practice differs, the formula says which reading is meant. What needs a year looks at
the last twelve months, and at the months there are, scaled to a year, before there are twelve.
"""

from dataclasses import dataclass

from widefork.core.lines import OverMembers, OverTime, Rollup


@dataclass(frozen=True)
class Ratio:
    """A ratio's entry: a line of its own.

    Parameters
    ----------
    group : under what it is listed. unit : "%", "days", "months", "CUR" for the currency, or "" for times.
    of : numerator and denominator lines to roll up by; empty where a period shows its end. is_flow : months add up.
    """

    name: str
    label: str
    group: str
    formula: str
    unit: str = ""
    of: tuple[str, str] = ("", "")
    is_flow: bool = False

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


_EARNINGS, _WORKING, _DEBT, _CASH = "Earnings", "Working capital", "Debt", "Cash"

RATIOS = (
    Ratio("gross_margin", "Gross margin", _EARNINGS, "gross_profit / revenue", "%", ("gross_profit", "revenue")),
    Ratio("ebitda_margin", "EBITDA margin", _EARNINGS, "ebitda / revenue", "%", ("ebitda", "revenue")),
    Ratio(
        "operating_margin", "Operating margin", _EARNINGS, "operating_profit / revenue", "%",
        ("operating_profit", "revenue"),
    ),
    Ratio("net_margin", "Net margin", _EARNINGS, "net_profit / revenue", "%", ("net_profit", "revenue")),
    Ratio(
        "return_on_capital", "Return on capital employed", _EARNINGS,
        f"{_year('operating_profit')} / (total_assets - current_liabilities)", "%",
    ),
    Ratio("running_profit", "Net profit, running total", _EARNINGS, "running_total(net_profit)", "CUR"),
    Ratio(
        "days_receivable", "Days of receivables", _WORKING,
        "receivables / trailing(revenue, 3) * min(3, month_number) * days_per_month", "days",
    ),
    Ratio(
        "days_payable", "Days of payables", _WORKING,
        "payables / trailing(cost_of_sales, 3) * min(3, month_number) * days_per_month", "days",
    ),
    Ratio(
        "days_inventory", "Days of inventory", _WORKING,
        "inventory / trailing(cost_of_sales, 3) * min(3, month_number) * days_per_month", "days",
    ),
    Ratio(
        "cash_cycle", "Cash conversion cycle", _WORKING, "days_receivable + days_inventory - days_payable", "days"
    ),
    Ratio("current_ratio", "Current ratio", _WORKING, "current_assets / current_liabilities"),
    Ratio("quick_ratio", "Quick ratio", _WORKING, "(cash + receivables + other_receivables) / current_liabilities"),
    Ratio("net_debt", "Net debt", _DEBT, "loans + leases + overdraft + not_funded - cash", "CUR"),
    Ratio("net_debt_to_ebitda", "Net debt to EBITDA", _DEBT, f"net_debt / ({_year('ebitda')})"),
    Ratio(
        "interest_cover", "Interest cover", _DEBT, f"({_year('operating_profit')}) / ({_year('interest_expense')})"
    ),
    Ratio(
        "debt_service", "Debt service", _DEBT, "loan_repayments + lease_repayments + interest_paid", "CUR", is_flow=True
    ),
    Ratio(
        "debt_service_cover", "Debt service cover", _DEBT,
        f"({_year('ebitda')} - {_year('income_tax_paid')}) / ({_year('debt_service')})",
    ),
    Ratio("equity_ratio", "Equity ratio", _DEBT, "total_equity / total_assets", "%", ("total_equity", "total_assets")),
    Ratio(
        "burn", "Burn, mean of three months", _CASH,
        "max(0, -trailing(operating_cash_flow + investing_cash_flow, 3)) / min(3, month_number)", "CUR",
    ),
    Ratio("runway", "Runway above the waterline", _CASH, "max(0, headroom) / burn", "months"),
)  # fmt: skip
