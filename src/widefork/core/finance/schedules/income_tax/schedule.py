"""Income tax on the fiscal year's profit so far, after losses carried forward; paid in instalments or the year after.

A loss pays no tax and is carried forward (common practice); how much of a year's profit losses may cover and for how
many years they last differs by country, and so is asked. The oldest losses are used first.
"""

from widefork.core.finance.schedules.schedule import Draft, Late, Schedule
from widefork.core.finance.schedules.setting import Setting, SettingKind, choices
from widefork.core.language.printing import write_number
from widefork.core.lines import BALANCE

_INSTALMENTS = {"none": (), "quarterly": (3, 6, 9, 12), "monthly": tuple(range(1, 13))}


def _write(draft: Draft) -> None:
    rate = draft.assume("rate")
    owed, losses = draft.value("opening_payable"), draft.value("opening_losses")
    so_far = draft.calculate(
        "profit_to_date", "profit this fiscal year", "year_to_date(profit_before_tax)", rollup=BALANCE
    )
    available, left = draft.name("losses_available"), draft.name("losses_left")
    expired = _expiry(draft) if draft.has("losses_expire_after") else ""
    draft.balance(
        "losses_available", "losses usable this year",
        f"if fiscal_month = 1 then before({left}){f' - {expired}' if expired else ''} else before({available})",
        "", losses,
    )  # fmt: skip
    usable = available
    if draft.has("loss_cover"):
        usable = f"min({available}, max(0, {so_far}) * {draft.assume('loss_cover')})"
    used = draft.balance("losses_used", "losses used this year", f"max(0, min({usable}, {so_far}))")
    draft.balance("losses_left", "losses carried forward", f"{available} - {used} + max(0, -{so_far})", "", losses)
    to_date = draft.balance("to_date", "tax on the year so far", f"{rate} * (max(0, {so_far}) - {used})")
    charge = draft.calculate(
        "charge", "charge", f"{to_date} - (if fiscal_month = 1 then 0 else before({to_date}))", "income_tax"
    )
    _write_payments(draft, to_date, charge, owed)


def _write_payments(draft: Draft, to_date: str, charge: str, owed: float) -> None:
    pays_in, months = draft.value("paid_in_fiscal_month"), _INSTALMENTS[draft.value("instalments")]
    timeline = draft.model.timeline
    # What is owed at the start and past its month of payment is paid at once.
    overdue = owed if timeline.fiscal_month(timeline.start) > pays_in else 0.0
    last_charge, last_year = draft.name("last_charge"), draft.name("last_year")
    instalments = ""
    if months:
        draft.balance(
            "last_charge", "tax of the last fiscal year",
            f"if fiscal_month = 1 and year_number > 1 then before({to_date}) else before({last_charge})",
            "", draft.value("opening_charge"),
        )  # fmt: skip
        share = draft.assume("instalment_share")
        is_month = " or ".join(f"fiscal_month = {month}" for month in months)
        instalments = f"if {is_month} then {last_charge} * {share} / {len(months)} else 0"
        instalments = draft.calculate("instalment", "instalment", instalments)
        in_year = draft.balance("instalments_to_date", "instalments this fiscal year", f"year_to_date({instalments})")
        rest = f"before({to_date}) - before({in_year})"
    else:
        rest = f"before({to_date})"
    # What the year before the start still owes is given; every later year owes its tax less its instalments.
    draft.balance(
        "last_year", "owed for the last year",
        f"if fiscal_month = 1 and year_number > 1 then {rest} else before({last_year})", "", owed - overdue,
    )  # fmt: skip
    falls = f"(if fiscal_month = {pays_in} then {last_year} else 0)"
    if instalments:
        falls += f" + {instalments}"
    if overdue:
        falls += f" + (if month_number = 1 then {write_number(overdue)} else 0)"
    due = draft.calculate("due", "falls due", falls)
    # Tax depends on interest and so on cash: a change of what is paid would act on itself, so it is put off by amounts.
    late, later = draft.assume("put_off"), draft.assume("caught_up")
    paid = draft.calculate("paid", "paid", f"{due} - min({late}, max(0, {due})) + {later}", "income_tax_payments")
    draft.roll(
        "payable", "owed at month end", "tax_payable", owed, (charge,), (paid,), late=Late("income_tax_payments")
    )


def _expiry(draft: Draft) -> str:
    """Losses no longer usable: what was lost so many years ago and has neither been used nor expired since."""
    years, opening = draft.value("losses_expire_after"), draft.value("opening_losses")
    so_far, gone = draft.name("profit_to_date"), draft.name("losses_gone")
    made = draft.name("losses_made")
    draft.balance(
        "losses_made", "losses so far, all years",
        f"before({made}) + (if fiscal_month = 12 then max(0, -{so_far}) else 0)", "", opening,
    )  # fmt: skip
    # The opening losses count as made in the year before the start.
    past = f"(if year_number > {years} + 1 then before({made}, {12 * years + 1}) else "
    past += f"(if year_number > {years} then {write_number(opening)} else 0))"
    expired = draft.calculate(
        "losses_expired", "losses expired", f"if fiscal_month = 1 then max(0, {past} - before({gone})) else 0"
    )
    used = draft.name("losses_used")
    draft.balance(
        "losses_gone", "losses used or expired so far",
        f"before({gone}) + {expired} + (if fiscal_month = 12 then {used} else 0)",
    )  # fmt: skip
    return expired


INCOME_TAX = Schedule(
    "income_tax",
    "Income tax",
    "Taxes",
    "A rate on the fiscal year's profit so far, after losses carried forward; paid in instalments or the year after.",
    (
        Setting("rate", "rate", SettingKind.SERIES, unit="%", is_required=True, least=0, most=1),
        Setting("opening_payable", "tax owed at the start", SettingKind.AMOUNT, default=0.0),
        Setting("opening_losses", "losses carried into the first year", SettingKind.AMOUNT, default=0.0, least=0),
        Setting(
            "loss_cover", "share of a year's profit losses may cover", SettingKind.SERIES, unit="%", default=1,
            least=0, most=1, is_rare=True),
        Setting("losses_expire_after", "years until a loss expires", SettingKind.WHOLE, most=30, is_rare=True),
        Setting(
            "paid_in_fiscal_month", "fiscal month in which last year's tax is paid", SettingKind.WHOLE, default=5,
            most=12,
        ),
        Setting(
            "instalments", "instalments on this year's tax", SettingKind.CHOICE, default="none",
            choices=choices(none="none", quarterly="each quarter", monthly="each month"), is_rare=True),
        Setting(
            "instalment_share", "instalments of a year, as a share of last year's tax", SettingKind.SERIES, unit="%",
            default=1, least=0, when=("instalments", ("quarterly", "monthly")), is_rare=True),
        Setting("put_off", "put off", SettingKind.SERIES, unit="CUR", default=0, least=0, is_rare=True),
        Setting("caught_up", "caught up", SettingKind.SERIES, unit="CUR", default=0, least=0, is_rare=True),
        Setting("opening_charge", "tax of the year before the start", SettingKind.AMOUNT, default=0.0, least=0,
                when=("instalments", ("quarterly", "monthly")), is_rare=True),
    ),
    _write,
    {"rate": 0.25},
    words=lambda draft: f"{draft.shown('rate')} of the year's profit",
)  # fmt: skip
