"""Sales tax: charged on sales, taken back on purchases, the difference paid for periods, some months after their end.

Cash includes the tax, income does not (common practice). Periods are those of the calendar year. A payment put off is
a deferral of ``paid``: what is not paid stays owed. Where amounts of a plan have the tax in them, payments are given as
they are known, and each is taken out of revenue in its month.
"""

from widefork.core.finance.schedules.book import Book
from widefork.core.finance.schedules.schedule import Draft, Late, Schedule
from widefork.core.finance.schedules.setting import Role, Setting, SettingKind, choices
from widefork.core.language.printing import write_number
from widefork.core.lines import Line

_PERIOD = {"monthly": 1, "quarterly": 3, "yearly": 12}


def _untaxed(draft: Draft, lines: tuple[Line, ...]) -> str:
    """What the lines invoice without tax: purchases where a line is kept in stock."""
    return Book({**draft.book.roles, Role.SALE_TAXED: {}, Role.PURCHASE_TAXED: {}}).invoiced(lines)


def _equipment(draft: Draft) -> str:
    """What is bought as fixed assets, where that is taxed too; empty for nothing."""
    if draft.value("on_equipment") == "untaxed":
        return ""
    schedules = draft.model.schedules
    others = [given for given in schedules if given.kind == "sales_tax" and given.name != draft.given.name]
    taxed = [given.label for given in others if given.settings.get("on_equipment") == "taxed"]
    if taxed:
        raise draft.refuse(
            f"{taxed[0]} taxes the equipment bought already; leave it out here, or there.", "on_equipment"
        )
    bought = [f"{given.name}_bought" for given in schedules if given.kind == "fixed_assets"]
    bought += [f"sum_over({given.name}_bought)" for given in schedules if given.kind == "asset_register"]
    return " + ".join(bought)


def _write(draft: Draft) -> None:
    period, lag, opening = _PERIOD[draft.value("rhythm")], draft.value("paid_after"), draft.value("opening_balance")
    if not draft.has("rate") and not draft.has("known_payments"):
        raise draft.refuse("Sales tax needs its rate on sales, or its payments as they are known.", "rate")
    rate, purchase_rate = draft.assume("rate"), draft.assume("purchase_rate")
    charged = draft.calculate(
        "charged", "charged on sales", f"({_untaxed(draft, draft.lines_of('on_sales'))}) * {rate}"
    )
    recovered = draft.calculate(
        "recovered", "on purchases", f"({_untaxed(draft, draft.lines_of('on_purchases'))}) * {purchase_rate}"
    )
    takes = [recovered]
    if bought := _equipment(draft):
        equipment = draft.calculate("on_equipment", "on equipment bought", f"({bought}) * {purchase_rate}")
        # This tax is paid with the equipment, beside the purchase itself.
        draft.calculate("with_equipment", "paid with equipment", equipment, "sales_tax_payments")
        takes.append(equipment)
    due = draft.calculate("net", "owed for the month", " - ".join((charged, *takes)))
    months = [month for month in range(1, 13) if (month - lag) % period == 0]
    is_paid = " or ".join(f"month_of_year = {month}" for month in months) if period > 1 else "month_number >= 1"
    first = next(n for n in range(12) if (draft.model.timeline.start.plus(n).month - lag) % period == 0) + 1
    earlier = f"before(trailing({due}, {period}), {lag})" if lag else f"trailing({due}, {period})"
    formula = f"(if {is_paid} then {earlier} else 0)"
    if opening:
        formula += f" + (if month_number = {first} then {write_number(opening)} else 0)"
    adds = [charged]
    if draft.has("known_payments"):
        known = draft.assume("known_payments")
        draft.calculate("taken_out", "taken out of revenue", f"-{known}", "revenue")
        adds.append(draft.calculate("included", "within amounts received", known))
        formula += f" + {known}"
    falls_due = draft.calculate("due", "falls due", formula)
    paid = draft.calculate("paid", "paid", falls_due, "sales_tax_payments")
    # What the books owe more or less than this is settled with the next payment.
    late = Late("sales_tax_payments", lambda moved: f"if {is_paid} then before(trailing({moved}, {period})) else 0")
    draft.roll("balance", "owed at month end", "sales_tax_payable", opening, adds, (*takes, paid), late=late)


SALES_TAX = Schedule(
    "sales_tax",
    "Sales tax",
    "Taxes",
    "Charged on sales and taken back on purchases; the difference is paid some months after each period.",
    (
        Setting("on_sales", "the lines it is charged on", SettingKind.LINES, role=Role.SALE_TAXED),
        Setting("rate", "rate on sales", SettingKind.SERIES, "%", default=0, least=0, most=1),
        Setting("on_purchases", "the cost lines it is paid on", SettingKind.LINES, role=Role.PURCHASE_TAXED),
        Setting("purchase_rate", "rate on purchases", SettingKind.SERIES, "%", default=0, least=0, most=1),
        Setting(
            "on_equipment", "on equipment bought too", SettingKind.CHOICE, default="untaxed",
            choices=choices(untaxed="no", taxed="yes, at the rate on purchases"), is_rare=True),
        Setting(
            "rhythm", "paid for", SettingKind.CHOICE, default="quarterly",
            choices=choices(monthly="each month", quarterly="each quarter", yearly="each year"),
        ),
        Setting("paid_after", "months after the period's end", SettingKind.WHOLE, default=1, least=0, most=11),
        Setting("opening_balance", "owed at the start", SettingKind.AMOUNT, default=0.0),
        Setting(
            "known_payments", "payments as they are known", SettingKind.SERIES, "CUR", default=0, least=0, is_rare=True,
            hint="Where amounts have the tax in them: taken out of revenue in the month they are paid."),
    ),
    _write,
    {"on_sales": ["sales"], "rate": 0.2, "on_purchases": ["costs"], "purchase_rate": 0.2},
    words=lambda draft: f"{draft.shown('rate')}, paid for {draft.shown('rhythm')}",
)  # fmt: skip
