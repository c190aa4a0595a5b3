"""Bought once for good: some of those who pay every month buy out instead of renewing, and cost upkeep from then on."""

from widefork.core.finance.schedules.setting import Setting, SettingKind
from widefork.core.lines import BALANCE
from widefork.core.patterns.pattern import Pattern, PatternDraft


def _write(draft: PatternDraft) -> None:
    joining, fee = draft.assume("joining", "customers"), draft.assume("fee", "CUR/customer")
    churn, share = draft.assume("churn", "%"), draft.assume("buying", "%")
    price = draft.assume("price", "CUR/customer")
    paying = draft.name("paying")
    due = draft.calculate("due", "would renew", "customers", f"before({paying}) * (1 - {churn})")
    bought = draft.calculate("bought", "bought for good", "customers", f"{due} * {share}")
    left = draft.calculate("left", "left", "customers", f"before({paying}) - {due}")
    draft.balance("paying", "customers paying monthly", "customers",
                  f"before({paying}) + {joining} - {left} - {bought}", draft.value("at_start"))  # fmt: skip
    owners = draft.name("owners")
    draft.balance("owners", "customers who own it", "customers", f"before({owners}) + {bought}",
                  draft.value("owners_at_start"))  # fmt: skip
    once = draft.calculate("once", "bought for good, revenue", "CUR", f"{bought} * {price}", "revenue")
    monthly = draft.calculate("monthly", "paid monthly, revenue", "CUR", f"{paying} * {fee}", "revenue")
    draft.calculate("revenue", "revenue", "CUR", f"{once} + {monthly}")
    draft.balance("recurring", "recurring revenue a month", "CUR/month", monthly)
    draft.calculate("given_up", "recurring revenue given up by those who own it", "CUR/month", f"{owners} * {fee}",
                    rollup=BALANCE)  # fmt: skip
    if draft.has("upkeep"):
        upkeep = draft.assume("upkeep", "CUR/customer")
        draft.calculate("upkeep_cost", "upkeep for those who own it", "CUR", f"{owners} * {upkeep}", "cost_of_sales")
    draft.ratio("once_share", "share of revenue paid once", "%", once, draft.name("revenue"))


BOUGHT_ONCE = Pattern(
    "bought_once",
    "Bought once for good",
    "Customers pay monthly; some buy out instead of renewing: revenue once, less of it every month, and upkeep.",
    (
        Setting("joining", "new customers a month", SettingKind.SERIES, is_required=True, least=0),
        Setting("fee", "price a month", SettingKind.SERIES, "CUR", is_required=True, least=0),
        Setting("buying", "share of those who would renew that buy instead", SettingKind.SERIES, "%", is_required=True,
                least=0, most=1),
        Setting("price", "price for good", SettingKind.SERIES, "CUR", is_required=True, least=0),
        Setting("churn", "share of customers leaving a month", SettingKind.SERIES, "%", default=0, least=0, most=1),
        Setting("upkeep", "upkeep for one who owns it, a month", SettingKind.SERIES, "CUR", default=0, least=0),
        Setting("at_start", "paying monthly at the start", SettingKind.AMOUNT, default=0.0, least=0),
        Setting("owners_at_start", "owning it at the start", SettingKind.AMOUNT, default=0.0, least=0),
    ),
    _write,
    {"joining": 30, "fee": 12, "buying": 0.02, "price": 300, "churn": 0.03, "upkeep": 1.5, "at_start": 200},
    ("revenue", "paying"),
    rollups={"fee": "paying", "churn": "paying", "buying": "due", "price": "bought", "upkeep": "owners"},
)  # fmt: skip
