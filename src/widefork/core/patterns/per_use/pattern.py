"""Paid per use: users, what each uses, and a price for one use that falls beyond a volume."""

from widefork.core.finance.schedules.setting import Setting, SettingKind
from widefork.core.patterns.pattern import Pattern, PatternDraft


def _write(draft: PatternDraft) -> None:
    many, one = draft.counted()
    users, each = draft.assume("users", "users"), draft.assume("uses_each", f"{many}/user")
    price = draft.assume("price", f"CUR/{one}")
    uses = draft.calculate("uses", "used", many, f"{users} * {each}")
    formula = f"{uses} * {price}"
    if draft.has("from_volume") != draft.has("volume_price"):
        raise draft.refuse(
            "A lower price for more needs both: from how many a month on, and the price beyond.", "from_volume"
        )
    if draft.has("from_volume"):
        volume, beyond = draft.assume("from_volume", many), draft.assume("volume_price", f"CUR/{one}")
        formula = f"min({uses}, {volume}) * {price} + max(0, {uses} - {volume}) * {beyond}"
    draft.calculate("revenue", "revenue", "CUR", formula, "revenue")


PER_USE = Pattern(
    "per_use",
    "Paid per use",
    "Users times what each uses times the price of one use, which may fall beyond a volume.",
    (
        Setting("counted", "what is counted", SettingKind.TEXT, default="uses", hint="Many of them, such as alarms."),
        Setting("users", "users", SettingKind.SERIES, is_required=True, least=0),
        Setting("uses_each", "used by each a month", SettingKind.SERIES, is_required=True, least=0),
        Setting("price", "price of one", SettingKind.SERIES, "CUR", is_required=True, least=0),
        Setting("from_volume", "cheaper from so many a month on", SettingKind.SERIES, default=0, least=0),
        Setting("volume_price", "price of one beyond that", SettingKind.SERIES, "CUR", default=0, least=0),
    ),
    _write,
    {"counted": "alarms", "users": 80, "uses_each": 15, "price": 0.5, "from_volume": 1000, "volume_price": 0.2},
    ("revenue", "uses"),
    spreads=True,
)
