"""A go-between: the value two sides trade, the fee on it, a fee for each deal, and what brings them in."""

from widefork.core.finance.schedules.setting import Setting, SettingKind
from widefork.core.lines import BALANCE
from widefork.core.patterns.pattern import Pattern, PatternDraft


def _write(draft: PatternDraft) -> None:
    buyers, deals_each = draft.assume("buyers", "buyers"), draft.assume("deals_each", "deals/buyer")
    size, fee = draft.assume("deal_size", "CUR/deal"), draft.assume("fee", "%")
    deals = draft.calculate("deals", "deals", "deals", f"{buyers} * {deals_each}")
    traded = draft.calculate("traded", "value traded, not ours", "CUR", f"{deals} * {size}")
    each = draft.assume("fixed_fee", "CUR/deal")
    revenue = draft.calculate("revenue", "fees", "CUR", f"{traded} * {fee} + {deals} * {each}", "revenue")
    if draft.has("incentives"):
        share = draft.assume("incentives", "%")
        draft.calculate("incentive_cost", "incentives", "CUR", f"{traded} * {share}", "marketing_costs")
    draft.ratio("take", "fees, share of what is traded", "%", revenue, traded)
    if draft.has("sellers"):
        sellers = draft.assume("sellers", "sellers")
        draft.ratio("per_seller", "deals of a seller", "deals/seller", deals, sellers)


GO_BETWEEN = Pattern(
    "go_between",
    "Go-between",
    "Two sides trade; a share of the value and a fee for each deal are yours, incentives are a cost.",
    (
        Setting("buyers", "buyers active in a month", SettingKind.SERIES, is_required=True, least=0),
        Setting("deals_each", "deals of each", SettingKind.SERIES, is_required=True, least=0),
        Setting("deal_size", "size of a deal", SettingKind.SERIES, "CUR", is_required=True, least=0),
        Setting("fee", "fee, share of the value", SettingKind.SERIES, "%", is_required=True, least=0, most=1),
        Setting("fixed_fee", "fee for each deal", SettingKind.SERIES, "CUR", default=0, least=0),
        Setting("incentives", "incentives, share of the value", SettingKind.SERIES, "%", default=0, least=0, most=1),
        Setting("sellers", "sellers active in a month", SettingKind.SERIES, default=0, least=0),
    ),
    _write,
    {"buyers": 400, "deals_each": 1.5, "deal_size": 80, "fee": 0.12, "fixed_fee": 0.5, "incentives": 0.01,
     "sellers": 60},
    ("revenue", "traded"),
    rollups={"buyers": BALANCE, "sellers": BALANCE, "deals_each": "buyers", "deal_size": "deals", "fee": "traded",
             "fixed_fee": "deals", "incentives": "traded"},
)  # fmt: skip
