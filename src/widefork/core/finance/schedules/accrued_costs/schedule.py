"""Accrued costs: charged month by month, paid in one sum every so many months."""

from widefork.core.finance.schedules.schedule import Draft, Late, Schedule
from widefork.core.finance.schedules.setting import Role, Setting, SettingKind
from widefork.core.language.printing import write_number


def _write(draft: Draft) -> None:
    every, first, opening = draft.value("every"), draft.value("first_paid"), draft.value("opening_balance")
    draft.refuse_before_start(first, "first_paid", "Give the next month it is paid in.")
    charged = draft.calculate("charged", "charged, tax included", draft.book.invoiced(draft.lines_of("of")))
    months = f"(month - {first.words}) / {every}"
    is_paid = f"month >= {first.words} and {months} = round_down({months})"
    # The first payment settles everything since the start, whatever its distance.
    upto = f"if month = {first.words} then running_total({charged}) + {write_number(opening)}"
    formula = f"{upto} else (if {is_paid} then trailing({charged}, {every}) else 0)"
    paid = draft.calculate("paid", "paid", formula, "supplier_payments")
    late = Late("supplier_payments", lambda moved: f"if {is_paid} then before(trailing({moved}, {every})) else 0")
    draft.roll("balance", "owed at month end", "accrued_costs", opening, (charged,), (paid,), late=late)


ACCRUED_COSTS = Schedule(
    "accrued_costs",
    "Accrued costs",
    "Trade",
    "Costs charged month by month and paid in one sum every so many months, such as an audit or a bonus.",
    (
        Setting("of", "the cost lines paid in arrears", SettingKind.LINES, is_required=True, role=Role.SETTLED),
        Setting("every", "paid every so many months", SettingKind.WHOLE, default=12, most=120),
        Setting("first_paid", "month first paid", SettingKind.MONTH, is_required=True),
        Setting("opening_balance", "owed at the start", SettingKind.AMOUNT, default=0.0, least=0),
    ),
    _write,
    {"of": ["costs"], "every": 3, "first_paid": "2026-04"},
    words=lambda draft: f"every {draft.value('every')} months from {draft.shown('first_paid')}",
)
