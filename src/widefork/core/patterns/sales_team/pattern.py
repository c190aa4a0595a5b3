"""A sales team, from the bottom up: sellers, what each closes when ramped, and how long ramping takes.

A ramp is so many months, rising evenly, or what a new seller closes in each of the first months.
"""

from widefork.core.finance.schedules.setting import Setting, SettingKind
from widefork.core.lines import BALANCE
from widefork.core.patterns.pattern import Pattern, PatternDraft


def _write(draft: PatternDraft) -> None:
    ramp = draft.profile("ramp", "ramp", _ramp(draft))
    there, hired = draft.assume("sellers", "sellers"), draft.assume("hired", "sellers")
    quota, attained = draft.assume("quota", "deals/seller"), draft.assume("attainment", "%")
    draft.calculate("heads", "sellers in all", "sellers", f"{there} + running_total({hired})", rollup=BALANCE)
    able = draft.calculate(
        "ramped", "sellers, counted as ramped", "sellers", f"{there} + ramped({hired}, {ramp})", rollup=BALANCE
    )
    deals = draft.calculate("deals", "deals", "deals", f"{able} * {quota} * {attained}")
    if draft.has("deal_size"):
        size = draft.assume("deal_size", "CUR/deal")
        draft.calculate("revenue", "revenue", "CUR", f"{deals} * {size}", "revenue")
    if draft.has("commission"):
        if not draft.has("deal_size"):
            raise draft.refuse("A commission is a share of what is sold: give the size of a deal too.", "commission")
        share = draft.assume("commission", "%")
        draft.calculate("commissions", "commissions", "CUR", f"{draft.name('revenue')} * {share}", "people_costs")


def _ramp(draft: PatternDraft) -> tuple[float, ...]:
    """What a new seller closes by month since the first, as shares of a ramped one; 1 at the end."""
    amounts = draft.value("ramp_amounts")
    if not amounts:
        months = draft.value("ramp_months")
        return tuple((age + 1) / (months + 1) for age in range(months + 1))
    quota = float(draft.rule("quota").values(draft.model.timeline)[0])
    if not quota:
        raise draft.refuse("What a new one closes is a share of a ramped seller's deals, which are 0.", "ramp_amounts")
    return (*(amount / quota for amount in amounts), 1.0)


SALES_TEAM = Pattern(
    "sales_team",
    "Sales team, from the bottom up",
    "Sellers and those hired, what a ramped one closes in a month, and what of it is attained.",
    (
        Setting("sellers", "sellers there already", SettingKind.SERIES, is_required=True, least=0),
        Setting("hired", "hired in a month", SettingKind.SERIES, default=0, least=0),
        Setting("quota", "deals of a ramped seller a month", SettingKind.SERIES, is_required=True, least=0),
        Setting("attainment", "share of that attained", SettingKind.SERIES, "%", default=1, least=0, most=2),
        Setting("ramp_months", "months until ramped", SettingKind.WHOLE, default=4, least=0, most=24),
        Setting("ramp_amounts", "or deals of a new one in the first months", SettingKind.AMOUNTS, least=0,
                hint="Such as 0; 1; 2; 4, then what a ramped seller closes."),
        Setting("deal_size", "size of a deal", SettingKind.SERIES, "CUR", default=0, least=0),
        Setting("commission", "commission, share of what is sold", SettingKind.SERIES, "%", default=0, least=0, most=1),
    ),
    _write,
    {"sellers": 2, "hired": {"one_off": {"2026-02": 1, "2026-06": 2}}, "quota": 5, "attainment": 0.8, "ramp_months": 3,
     "deal_size": 900, "commission": 0.06},
    ("deals", "revenue"),
    rollups={"sellers": BALANCE, "quota": "ramped", "attainment": "ramped", "deal_size": "deals",
             "commission": "revenue"},
)  # fmt: skip
