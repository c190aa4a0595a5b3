"""Subscriptions paid by the month or by the year: monthly customers leave any month, yearly ones at renewal.

Churn is one over the expected lifetime (common practice). A yearly plan is billed at once and earned month by month,
through prepaid billing.
"""

from widefork.core.axes import Month
from widefork.core.finance.schedules.setting import Setting, SettingKind
from widefork.core.lines import BALANCE
from widefork.core.patterns.pattern import Pattern, PatternDraft


def _write(draft: PatternDraft) -> None:
    launch: Month = draft.value("launch") or draft.model.timeline.start
    trial = draft.value("trial_months")
    joining, price = draft.assume("joining", "customers"), draft.assume("price", "CUR/customer")
    yearly, free = draft.assume("yearly_share", "%"), draft.assume("free_months", "months")
    lifetime = draft.assume("lifetime", "months")
    came = f"before({joining}, {trial})" if trial else joining
    joined = draft.calculate("joined", "joined, paying", "customers",
                             f"if month < {launch.plus(trial).words} then 0 else {came}")  # fmt: skip
    monthly, by_year = draft.name("monthly"), draft.name("yearly")
    left = draft.calculate("left_monthly", "monthly ones left", "customers", f"before({monthly}) / {lifetime}")
    staying = f"before({monthly}) + {joined} * (1 - {yearly}) - {left}"
    draft.balance("monthly", "customers paying monthly", "customers", staying, draft.value("monthly_at_start"))
    signed = draft.name("signed")
    # Whoever signed a year ago renews or leaves; the share that stays a year is what lifetime leaves of it.
    ending = f"before({signed}, 12)"
    renewed = draft.calculate("renewed", "renewed for a year", "customers", f"{ending} * max(0, 1 - 12 / {lifetime})")
    gone = draft.calculate("left_yearly", "left at renewal", "customers", f"{ending} - {renewed}")
    begun = draft.value("yearly_at_start")
    draft.calculate("signed", "signed for a year", "customers", f"{joined} * {yearly} + {renewed}",
                    history=(begun / 12,) * 12 if begun else ())  # fmt: skip
    draft.balance("yearly", "customers paying yearly", "customers",
                  f"before({by_year}) + {joined} * {yearly} - {gone}", begun)  # fmt: skip
    draft.balance("customers", "customers", "customers", f"{monthly} + {by_year}",
                  draft.value("monthly_at_start") + begun)  # fmt: skip
    draft.calculate("revenue", "revenue from monthly plans", "CUR", f"{monthly} * {price}", "revenue")
    billed = draft.calculate("billed", "billed for a year ahead", "CUR", f"{signed} * {price} * (12 - {free})")
    ahead = begun * float(draft.value("price").values(draft.model.timeline)[0])
    months_free = float(draft.value("free_months").values(draft.model.timeline)[0])
    opening = ahead * (12 - months_free) / 12 * 5.5  # twelve even cohorts have 0 to 11 months left, 5.5 on average
    draft.schedule("prepaid_billing", "ahead", "paid ahead", of=[billed], share_ahead=1, months=12,
                   **({"opening_balance": opening, "opening_months": 11} if opening else {}))  # fmt: skip
    if opening:
        draft.notices.append(
            "What yearly customers have paid ahead at the start counts as owed to them; set it against the opening "
            "balance sheet under Terms."
        )
    recurring = draft.calculate("recurring", "recurring revenue a month", "CUR/month",
                                f"{monthly} * {price} + {by_year} * {price} * (12 - {free}) / 12",
                                rollup=BALANCE)  # fmt: skip
    # What recurs is read at a period's end, as the customers are (common practice).
    a_year = f"{recurring} * months_per_year"
    draft.calculate("recurring_year", "recurring revenue a year", "CUR/year", a_year, rollup=BALANCE)
    lost = draft.calculate("churned", "customers left", "customers", f"{left} + {gone}")
    were = f"before({draft.name('customers')})"
    draft.calculate("churn", "share of customers leaving", "%", f"if {were} = 0 then 0 else {lost} / {were}")


SUBSCRIPTION = Pattern(
    "subscription",
    "Subscription",
    "New customers pay by the month or by the year; monthly ones leave any month, yearly ones at renewal.",
    (
        Setting("joining", "new customers a month", SettingKind.SERIES, is_required=True, least=0),
        Setting("price", "price a month", SettingKind.SERIES, "CUR", is_required=True, least=0),
        Setting("lifetime", "months a customer stays", SettingKind.SERIES, is_required=True, least=1,
                hint="One over it leaves each month."),
        Setting("yearly_share", "share that pays by the year", SettingKind.SERIES, "%", default=0, least=0, most=1),
        Setting("free_months", "months free with a yearly plan", SettingKind.SERIES, default=0, least=0, most=11),
        Setting("launch", "launched in", SettingKind.MONTH),
        Setting("trial_months", "months until they pay", SettingKind.WHOLE, default=0, least=0, most=24,
                hint="A free trial, or selling that begins later."),
        Setting("monthly_at_start", "paying monthly at the start", SettingKind.AMOUNT, default=0.0, least=0),
        Setting("yearly_at_start", "paying yearly at the start", SettingKind.AMOUNT, default=0.0, least=0),
    ),
    _write,
    {"joining": 20, "price": 15, "lifetime": 25, "yearly_share": 0.4, "free_months": 2, "launch": "2026-02",
     "trial_months": 1},
    ("recurring", "customers"),
)  # fmt: skip
