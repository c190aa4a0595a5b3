"""Income tax on the fiscal year's profit so far, losses carried forward, paid the year after."""

from widefork.core.finance.schedules.schedule import Draft, Schedule, Setting, SettingKind
from widefork.core.lines import BALANCE


def _write(draft: Draft) -> None:
    rate = draft.assume("rate")
    owed, losses = draft.value("opening_payable"), draft.value("opening_losses")
    pays_in: int = draft.value("paid_in_fiscal_month")
    so_far = draft.calculate(
        "profit_to_date", "profit this fiscal year", "year_to_date(profit_before_tax)", rollup=BALANCE
    )
    available, left = draft.name("losses_available"), draft.name("losses_left")
    draft.balance(
        "losses_available",
        "losses usable this year",
        f"if fiscal_month = 1 then before({left}) else before({available})",
        "",
        losses,
    )
    draft.balance("losses_left", "losses carried forward", f"max(0, {available} - {so_far})", "", losses)
    to_date = draft.balance("to_date", "tax on the year so far", f"{rate} * max(0, {so_far} - {available})", "", 0.0)
    charge = draft.calculate(
        "charge", "charge", f"{to_date} - (if fiscal_month = 1 then 0 else before({to_date}))", "income_tax"
    )
    payable, last_year = draft.name("payable"), draft.name("last_year")
    draft.balance(
        "last_year",
        "owed for the last year",
        f"if fiscal_month = 1 then before({payable}) else before({last_year})",
        "",
        owed,
    )
    paid = draft.calculate("paid", "paid", f"if fiscal_month = {pays_in} then {last_year} else 0")
    draft.balance("payable", "owed at month end", f"before({payable}) + {charge} - {paid}", "tax_payable", owed)


INCOME_TAX = Schedule(
    "income_tax",
    "Income tax",
    "A rate on the fiscal year's profit so far, after losses carried forward; paid in one sum in the year after.",
    (
        Setting("rate", "rate", SettingKind.SERIES, unit="%", is_required=True),
        Setting("opening_payable", "tax owed at the start", SettingKind.AMOUNT, default=0.0),
        Setting("opening_losses", "losses carried into the first year", SettingKind.AMOUNT, default=0.0),
        Setting(
            "paid_in_fiscal_month",
            "fiscal month in which last year's tax is paid",
            SettingKind.WHOLE,
            default=5,
        ),
    ),
    _write,
)
