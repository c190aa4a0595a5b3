"""A device with a plan: devices sold from stock, a share of them with a monthly plan, and some replaced later."""

from widefork.core.finance.schedules.setting import Setting, SettingKind
from widefork.core.lines import BALANCE
from widefork.core.patterns.pattern import WHOLE, Pattern, PatternDraft


def _write(draft: PatternDraft) -> None:
    sold, price = draft.assume("sold", "devices"), draft.assume("price", "CUR/device")
    share, fee = draft.assume("share", "% customers/device"), draft.assume("fee", "CUR/customer")
    churn, worn = draft.assume("churn", "%"), draft.assume("replaced_after", "months")
    customers = draft.name("customers")
    joined = draft.calculate("joined", "joined the plan", "customers", draft.whole(f"{sold} * {share}"))
    left = draft.calculate(
        "left", "left the plan", "customers", draft.whole(f"before({customers}) * {churn}", most=f"before({customers})")
    )
    draft.balance("customers", "customers on the plan", "customers", f"before({customers}) + {joined} - {left}",
                  draft.value("at_start"))  # fmt: skip
    # Devices in use wear out evenly over their life: one over it is replaced each month (common practice).
    each = draft.assume_each("devices_each", "devices of a customer", "devices/customer", {(): 1.0}, ())
    worn_out = draft.whole(f"if {worn} = 0 then 0 else before({customers}) * {each} / {worn}")
    replaced = draft.calculate("replaced", "replaced", "devices", worn_out)
    needed = draft.calculate("needed", "devices needed", "devices", f"{sold} + {replaced}")
    hardware = draft.calculate("hardware", "devices sold", "CUR", f"{sold} * {price}", "revenue")
    plans = draft.calculate("plans", "plans", "CUR", f"{customers} * {fee}", "revenue")
    draft.calculate("recurring", "recurring revenue a month", "CUR/month", plans, rollup=BALANCE)
    draft.calculate("revenue", "revenue", "CUR", f"{hardware} + {plans}")
    if draft.has("cost"):
        cost = draft.assume("cost", "CUR/device")
        used = draft.calculate("devices_cost", "cost of devices", "CUR", f"{needed} * {cost}", "cost_of_sales")
        kept = draft.calculate("margin", "gross margin", "CUR", f"{hardware} + {plans} - {used}")
        draft.ratio("margin_share", "gross margin, share", "%", kept, draft.name("revenue"))
        if draft.has("cover_days"):
            draft.schedule("inventory", "stock", "stock", of=[used], method="days",
                           days=draft.value("cover_days"))  # fmt: skip
            draft.calculate("in_stock", "devices in stock", "devices",
                            f"if {cost} = 0 then 0 else {draft.name('stock_balance')} / {cost}",
                            rollup=BALANCE)  # fmt: skip
    elif draft.has("cover_days"):
        raise draft.refuse("A stock needs the cost of a device: give that too.", "cover_days")


DEVICE = Pattern(
    "device",
    "Device with a plan",
    "Devices sold from stock, the share of them that takes a plan, and those replaced when they wear out.",
    (
        Setting("sold", "devices sold a month", SettingKind.SERIES, is_required=True, least=0),
        Setting("price", "price of a device", SettingKind.SERIES, "CUR", is_required=True, least=0),
        Setting("share", "share that takes a plan", SettingKind.SERIES, "%", is_required=True, least=0, most=1),
        Setting("fee", "plan, a month", SettingKind.SERIES, "CUR", is_required=True, least=0),
        Setting("churn", "share leaving the plan a month", SettingKind.SERIES, "%", default=0, least=0, most=1),
        Setting("cost", "cost of a device", SettingKind.SERIES, "CUR", default=0, least=0),
        Setting("replaced_after", "months until a device is replaced, free", SettingKind.SERIES, default=0, least=0,
                hint="0 for never."),
        Setting("cover_days", "days of sales kept in stock", SettingKind.AMOUNT, least=0, most=720),
        Setting("at_start", "customers on the plan at the start", SettingKind.AMOUNT, default=0.0, least=0),
        WHOLE,
    ),
    _write,
    {"sold": 40, "price": 120, "share": 0.7, "fee": 8, "churn": 0.02, "cost": 65, "replaced_after": 48,
     "cover_days": 30, "at_start": 150},
    ("revenue", "customers"),
    rollups={"price": "sold", "share": "sold", "fee": "customers", "churn": "customers",
             "devices_each": "customers", "cost": "needed"},
)  # fmt: skip
