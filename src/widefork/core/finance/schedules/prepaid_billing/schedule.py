"""Prepaid billing: what is invoiced ahead is owed as service, and becomes revenue month by month.

Source: IFRS 15.106, a contract liability until the service is given (docs/sources.md). The month of the invoice is
the first month served.
"""

from widefork.core.finance.schedules.book import summed
from widefork.core.finance.schedules.schedule import Draft, Schedule
from widefork.core.finance.schedules.setting import Role, Setting, SettingKind
from widefork.core.language.printing import write_number


def _write(draft: Draft) -> None:
    lines = draft.lines_of("of")
    posted = [line.label for line in lines if line.posts_to]
    if posted:
        raise draft.refuse(
            f"{posted[0]} posts to the income statement already. Prepaid billing starts from what is invoiced and "
            "posts what is earned; let the line post nowhere.",
            "of",
        )
    months, opening, left = draft.value("months"), draft.value("opening_balance"), draft.value("opening_months")
    share = draft.assume("share_ahead")
    billed = draft.calculate("billed", "invoiced, without tax", summed(lines))
    ahead = draft.calculate("ahead", "of it for later months", f"{billed} * {share}")
    formula = f"trailing({ahead}, {months}) / {months}"
    if opening:
        formula += f" + (if month_number <= {left} then {write_number(opening)} / {left} else 0)"
    earned = draft.calculate("released", "earned from earlier invoices", formula)
    draft.calculate("earned", "earned", f"{billed} - {ahead} + {earned}", "revenue")
    draft.roll("balance", "owed as service", "deferred_revenue", opening, (ahead,), (earned,))


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
