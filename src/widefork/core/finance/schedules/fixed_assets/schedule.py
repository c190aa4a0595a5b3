"""Fixed assets of one kind: bought month by month, depreciated in equal amounts over their life.

Source: IAS 16.50, 16.55, 16.62; IAS 38.97 for intangible assets (docs/sources.md). The month of purchase is charged
in full unless the charge starts the month after: decision 0007.
"""

from widefork.core.finance.schedules.schedule import Draft, Schedule
from widefork.core.finance.schedules.setting import Setting, SettingKind, choices
from widefork.core.finance.schedules.spread import spread, spread_late

KINDS = choices(property_and_equipment="property and equipment", intangible_assets="intangible assets")
SPENT_AS = {"property_and_equipment": "capital_expenditure", "intangible_assets": "intangibles_bought"}


def _write(draft: Draft) -> None:
    life, kind = draft.value("life_months"), draft.value("caption")
    owned, remaining = draft.value("opening_net_book_value"), draft.value("opening_remaining_months")
    bought = draft.assume("bought")
    salvage = draft.assume("salvage")
    charged = f"{bought} * (1 - {salvage})"
    if draft.value("charged_from") == "month_after":
        charged = f"before({bought}) * (1 - {salvage})"
    formula = spread(charged, life, owned, remaining)
    depreciation = draft.calculate("depreciation", "depreciation", formula, "depreciation")
    draft.calculate("spent", "paid for purchases", bought, SPENT_AS[kind])
    late = spread_late("depreciation", life)
    draft.roll("net_book_value", "net book value", kind, owned, (bought,), (depreciation,), late=late)


FIXED_ASSETS = Schedule(
    "fixed_assets",
    "Fixed assets",
    "Assets",
    "Purchases are depreciated in equal monthly amounts over their life, from the month they are bought.",
    (
        Setting("caption", "what they are", SettingKind.CHOICE, default="property_and_equipment", choices=KINDS),
        Setting("bought", "bought", SettingKind.SERIES, unit="CUR", is_required=True, least=0),
        Setting("life_months", "life in months", SettingKind.WHOLE, is_required=True, most=600),
        Setting("salvage", "share of cost left at the end", SettingKind.SERIES, unit="%", default=0, least=0, most=1),
        Setting(
            "charged_from", "first charged in", SettingKind.CHOICE, default="month_bought",
            choices=choices(month_bought="the month bought", month_after="the month after"),
        ),
        Setting("opening_net_book_value", "book value already owned", SettingKind.AMOUNT, default=0.0, least=0),
        Setting("opening_remaining_months", "months of life left on it", SettingKind.WHOLE, default=1, most=600),
    ),
    _write,
    {"bought": {"one_off": {"2026-03": 6000}}, "life_months": 12, "salvage": 0.1},
    words=lambda draft: f"over {draft.value('life_months')} months",
)  # fmt: skip
