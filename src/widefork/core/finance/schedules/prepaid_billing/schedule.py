"""Prepaid billing: what is invoiced ahead is owed as service, and becomes revenue month by month.

Source: IFRS 15.106, a contract liability until the service is given (docs/sources.md). The month of the invoice is
the first month served.
"""

from widefork.core.finance.schedules.book import summed
from widefork.core.finance.schedules.schedule import Draft, Schedule
from widefork.core.finance.schedules.setting import Role, Setting, SettingKind
from widefork.core.finance.schedules.spread import spread, spread_late, unposted


def _write(draft: Draft) -> None:
    starts = "Prepaid billing starts from what is invoiced and posts what is earned"
    lines = unposted(draft, draft.lines_of("of"), starts)
    months, opening, left = draft.value("months"), draft.value("opening_balance"), draft.value("opening_months")
    share = draft.assume("share_ahead")
    billed = draft.calculate("billed", "invoiced, without tax", summed(lines))
    ahead = draft.calculate("ahead", "of it for later months", f"{billed} * {share}")
    earned = draft.calculate("released", "earned from earlier invoices", spread(ahead, months, opening, left))
    draft.calculate("earned", "earned", f"{billed} - {ahead} + {earned}", "revenue")
    late = spread_late("revenue", months)
    draft.roll("balance", "owed as service", "deferred_revenue", opening, (ahead,), (earned,), late=late)


PREPAID_BILLING = Schedule(
    "prepaid_billing",
    "Prepaid billing",
    "Trade",
    "A share of what is invoiced is for the months ahead: it is owed as service and becomes revenue month by month.",
    (
        Setting("of", "the lines invoiced ahead", SettingKind.LINES, is_required=True, role=Role.SPREAD_REVENUE),
        Setting("share_ahead", "share invoiced ahead", SettingKind.SERIES, "%", default=1, least=0, most=1),
        Setting("months", "months an invoice covers", SettingKind.WHOLE, default=12, most=120),
        Setting("opening_balance", "owed as service at the start", SettingKind.AMOUNT, default=0.0, least=0),
        Setting("opening_months", "months in which that is earned", SettingKind.WHOLE, default=12, most=120),
    ),
    _write,
    {"of": ["fees"], "months": 12},
    words=lambda draft: f"{draft.shown('share_ahead')} for {draft.value('months')} months ahead",
)
