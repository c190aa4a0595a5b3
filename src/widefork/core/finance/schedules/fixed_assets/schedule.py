"""Fixed assets of one kind: bought month by month, depreciated in equal amounts over their life.

Source: IAS 16.50, 16.55, 16.62 (docs/sources.md). The month of purchase is charged in full: decision 0007.
"""

from widefork.core.finance.schedules.schedule import Draft, Schedule, Setting, SettingKind
from widefork.core.language.printing import write_number


def _write(draft: Draft) -> None:
    life = draft.value("life_months")
    owned, remaining = draft.value("opening_net_book_value"), draft.value("opening_remaining_months")
    bought = draft.assume("bought")
    salvage = draft.assume("salvage")
    formula = f"trailing({bought} * (1 - {salvage}), {life}) / {life}"
    if owned:
        formula += f" + (if month_number <= {remaining} then {write_number(owned)} / {remaining} else 0)"
    depreciation = draft.calculate("depreciation", "depreciation", formula, "depreciation")
    draft.calculate("spent", "paid for purchases", bought, "capital_expenditure")
    book_value = draft.name("net_book_value")
    draft.balance(
        "net_book_value",
        "net book value",
        f"before({book_value}) + {bought} - {depreciation}",
        "property_and_equipment",
        owned,
    )


FIXED_ASSETS = Schedule(
    "fixed_assets",
    "Fixed assets",
    "Purchases are depreciated in equal monthly amounts over their life, from the month they are bought.",
    (
        Setting("bought", "bought", SettingKind.SERIES, unit="CUR", is_required=True),
        Setting("life_months", "life in months", SettingKind.WHOLE, is_required=True),
        Setting("salvage", "share of cost left at the end", SettingKind.SERIES, unit="%", is_required=True),
        Setting("opening_net_book_value", "book value already owned", SettingKind.AMOUNT, default=0.0),
        Setting("opening_remaining_months", "months of life left on it", SettingKind.WHOLE, default=1),
    ),
    _write,
)
