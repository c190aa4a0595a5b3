"""A funnel: visits become leads, leads become customers; what winning one costs, is worth, and when it is paid back."""

from widefork.core.finance.schedules.setting import Setting, SettingKind
from widefork.core.patterns.pattern import WHOLE, Pattern, PatternDraft


def _write(draft: PatternDraft) -> None:
    visits, leads_rate = draft.assume("visits", "visits"), draft.assume("lead_rate", "% leads/visit")
    won_rate = draft.assume("win_rate", "% customers/lead")
    leads = draft.calculate("leads", "leads", "leads", draft.whole(f"{visits} * {leads_rate}"))
    won = draft.calculate("won", "customers won", "customers", draft.whole(f"{leads} * {won_rate}"))
    parts = [draft.assume("spend", "CUR")]
    if draft.has("lead_cost"):
        parts.append(f"{leads} * {draft.assume('lead_cost', 'CUR/lead')}")
    if draft.has("customer_cost"):
        parts.append(f"{won} * {draft.assume('customer_cost', 'CUR/customer')}")
    spend = draft.calculate("cost", "spent on winning them", "CUR", " + ".join(parts), "marketing_costs")
    cost_each = draft.ratio("acquisition", "cost of winning one", "CUR/customer", spend, won)
    if draft.has("each"):
        each, margin = draft.assume("each", "CUR/customer"), draft.assume("margin", "%")
        lifetime = draft.assume("lifetime", "months")
        earned = draft.calculate("each_earned", "gross margin of one a month", "CUR/customer", f"{each} * {margin}")
        draft.calculate("worth", "worth of one over its lifetime", "CUR/customer", f"{earned} * {lifetime}")
        draft.calculate(
            "pay_back", "months until one has paid for itself", "months",
            f"if {earned} = 0 then 0 else {cost_each} / {earned}",
        )  # fmt: skip


FUNNEL = Pattern(
    "funnel",
    "Funnel",
    "Visits become leads and leads customers, at what cost; what one is worth and when it has paid for itself.",
    (
        Setting("visits", "visits a month", SettingKind.SERIES, is_required=True, least=0),
        Setting("lead_rate", "share of visits that become leads", SettingKind.SERIES, "%", is_required=True, least=0,
                most=1),
        Setting("win_rate", "share of leads that become customers", SettingKind.SERIES, "%", is_required=True, least=0,
                most=1),
        Setting("spend", "spent a month", SettingKind.SERIES, "CUR", default=0, least=0),
        Setting("lead_cost", "spent for each lead", SettingKind.SERIES, "CUR", default=0, least=0),
        Setting("customer_cost", "spent for each customer won", SettingKind.SERIES, "CUR", default=0, least=0),
        WHOLE,
        Setting("each", "revenue of a customer a month", SettingKind.SERIES, "CUR", default=0, least=0),
        Setting("margin", "gross margin of that", SettingKind.SERIES, "%", default=1, least=0, most=1),
        Setting("lifetime", "months a customer stays", SettingKind.SERIES, default=24, least=1),
    ),
    _write,
    {"visits": 8000, "lead_rate": 0.03, "win_rate": 0.25, "spend": 1500, "lead_cost": 6, "customer_cost": 10,
     "each": 40, "margin": 0.75,
     "lifetime": 20},
    ("won", "cost"),
    rollups={"lead_rate": "visits", "win_rate": "leads", "lead_cost": "leads", "customer_cost": "won"},
)  # fmt: skip
