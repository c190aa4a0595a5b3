"""Dividends: a share of the last fiscal year's profit, or amounts given; never an expense (common practice)."""

from widefork.core.finance.schedules.schedule import Draft, Schedule
from widefork.core.finance.schedules.setting import Setting, SettingKind


def _write(draft: Draft) -> None:
    pieces = []
    if draft.has("amount"):
        pieces.append(draft.assume("amount"))
    if draft.has("share"):
        share, paid_in = draft.assume("share"), draft.value("paid_in_fiscal_month")
        earned = draft.balance("profit_to_date", "profit this fiscal year", "year_to_date(net_profit)")
        last = draft.name("last_year")
        draft.balance(
            "last_year", "profit of the last fiscal year",
            f"if fiscal_month = 1 and year_number > 1 then before({earned}) else before({last})",
            "", draft.value("opening_profit"),
        )  # fmt: skip
        pieces.append(f"(if fiscal_month = {paid_in} then max(0, {last}) * {share} else 0)")
    draft.calculate("paid", "paid", " + ".join(pieces) or "0", "dividends")


DIVIDENDS = Schedule(
    "dividends",
    "Dividends",
    "Money",
    "A share of the last fiscal year's profit, paid in one month of the next; or amounts given.",
    (
        Setting("amount", "amounts", SettingKind.SERIES, unit="CUR", default=0, least=0),
        Setting("share", "share of last year's profit", SettingKind.SERIES, unit="%", default=0, least=0, most=1),
        Setting("paid_in_fiscal_month", "paid in fiscal month", SettingKind.WHOLE, default=6, most=12),
        Setting("opening_profit", "profit of the year before the start", SettingKind.AMOUNT, default=0.0),
    ),
    _write,
    {"share": 0.3, "paid_in_fiscal_month": 4},
    words=lambda draft: (
        f"{draft.shown('share')} of last year's profit" if draft.has("share") else draft.shown("amount")
    ),
)
