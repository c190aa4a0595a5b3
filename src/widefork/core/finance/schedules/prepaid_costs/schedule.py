"""Prepaid costs: an invoice for many months, paid at once and charged month by month."""

from widefork.core.finance.schedules.book import summed
from widefork.core.finance.schedules.schedule import Draft, Schedule
from widefork.core.finance.schedules.setting import COST_CAPTIONS, Role, Setting, SettingKind
from widefork.core.finance.schedules.spread import spread, spread_late, unposted


def _write(draft: Draft) -> None:
    starts = "Prepaid costs start from what is invoiced and post what is used up"
    lines = unposted(draft, draft.lines_of("of"), starts)
    months, opening, left = draft.value("months"), draft.value("opening_balance"), draft.value("opening_months")
    invoiced = draft.calculate("invoiced", "invoiced, without tax", summed(lines))
    used = draft.calculate("used", "used up", spread(invoiced, months, opening, left), draft.value("caption"))
    late = spread_late(draft.value("caption"), months)
    draft.roll("balance", "paid ahead", "prepaid_costs", opening, (invoiced,), (used,), late=late)


PREPAID_COSTS = Schedule(
    "prepaid_costs",
    "Prepaid costs",
    "Trade",
    "What is invoiced for many months, such as insurance, is charged month by month.",
    (
        Setting("of", "the lines invoiced ahead", SettingKind.LINES, is_required=True, role=Role.SPREAD_COST),
        Setting("months", "months an invoice covers", SettingKind.WHOLE, default=12, most=120),
        Setting("caption", "charged to", SettingKind.CHOICE, default="administration_costs", choices=COST_CAPTIONS),
        Setting("opening_balance", "paid ahead at the start", SettingKind.AMOUNT, default=0.0, least=0),
        Setting("opening_months", "months in which that is used up", SettingKind.WHOLE, default=12, most=120),
    ),
    _write,
    {"of": ["fees"], "months": 12},
    words=lambda draft: f"invoiced for {draft.value('months')} months",
)
