"""Units at a price, with what a unit costs in material and labour."""

from widefork.core.finance.schedules.setting import Setting, SettingKind
from widefork.core.patterns.pattern import Pattern, PatternDraft


def _write(draft: PatternDraft) -> None:
    many, one = draft.counted()
    units, price = draft.assume("units", many), draft.assume("price", f"CUR/{one}")
    revenue = draft.calculate("revenue", "revenue", "CUR", f"{units} * {price}", "revenue")
    costs = []
    for key, label in (("material", "material"), ("labour", "labour")):
        if draft.has(f"{key}_price"):
            each = draft.assume(f"{key}_price", f"CUR/{one}")
            costs.append(draft.calculate(key, label, "CUR", f"{units} * {each}", "cost_of_sales"))
    if costs:
        kept = draft.calculate("margin", "gross margin", "CUR", " - ".join((revenue, *costs)))
        draft.ratio("margin_share", "gross margin, share", "%", kept, revenue)


UNITS = Pattern(
    "units",
    "Units at a price",
    "So many a month at a price each, with what each costs in material and labour.",
    (
        Setting("counted", "what is counted", SettingKind.TEXT, default="units", hint="Many of them, such as kits."),
        Setting("units", "sold a month", SettingKind.SERIES, is_required=True, least=0),
        Setting("price", "price of one", SettingKind.SERIES, "CUR", is_required=True, least=0),
        Setting("material_price", "material for one", SettingKind.SERIES, "CUR", default=0, least=0),
        Setting("labour_price", "labour for one", SettingKind.SERIES, "CUR", default=0, least=0),
    ),
    _write,
    {"counted": "kits", "units": 100, "price": 49, "material_price": 12, "labour_price": 5},
    ("revenue", "margin"),
    spreads=True,
)
