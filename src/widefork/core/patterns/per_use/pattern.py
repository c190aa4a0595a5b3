"""Paid per use: users, what each uses, and a price for one use that changes beyond volumes."""

from typing import Any

from widefork.core.finance.schedules.setting import Setting, SettingKind
from widefork.core.lines import BALANCE, NO_TOTAL
from widefork.core.patterns.pattern import Pattern, PatternDraft


def _write(draft: PatternDraft) -> None:
    many, one = draft.counted()
    users, each = draft.assume("users", "users"), draft.assume("uses_each", f"{many}/user")
    price = draft.assume("price", f"CUR/{one}")
    uses = draft.calculate("uses", "used", many, f"{users} * {each}")
    steps = draft.value("steps") or ()
    pieces = _pieces(draft, steps, uses, price, many, one) if steps else [f"{uses} * {price}"]
    revenue = draft.calculate("revenue", "revenue", "CUR", " + ".join(pieces), "revenue")
    if draft.has("serve"):
        serve = draft.assume("serve", f"CUR/{one}")
        draft.calculate("serving", "cost of what is used", "CUR", f"{uses} * {serve}", "cost_of_sales")
    draft.ratio("earned_each", "earned for one", f"CUR/{one}", revenue, uses)


def _pieces(
    draft: PatternDraft, steps: tuple[dict[str, Any], ...], uses: str, price: str, many: str, one: str
) -> list[str]:
    """What lies between two volumes costs the price of the lower one; beyond the last, its price holds on."""
    volumes = [row["volume"] for row in steps]
    if volumes != sorted(set(volumes)):
        raise draft.refuse("The volumes of the price steps need to rise from row to row.", "steps")
    prices, pieces, reached = [price], [], ""
    for number, row in enumerate(steps, 1):
        label = f"price step {number}"
        volume = draft.assume_each(f"volume_{number}", f"{label}, from", many, {(): row["volume"]}, (), rollup=NO_TOTAL)
        prices.append(draft.assume_each(f"price_{number}", label, f"CUR/{one}", {(): row["price"]}, ()))
        within = f"min({uses}, {volume})" + (f" - min({uses}, {reached})" if reached else "")
        pieces.append(f"({within}) * {prices[number - 1]}" if reached else f"{within} * {prices[number - 1]}")
        reached = volume
    return [*pieces, f"max(0, {uses} - {reached}) * {prices[-1]}"]


STEPS = (
    Setting("volume", "from so many a month", SettingKind.AMOUNT, is_required=True, least=0),
    Setting("price", "price of one beyond", SettingKind.AMOUNT, "CUR", is_required=True, least=0),
)

PER_USE = Pattern(
    "per_use",
    "Paid per use",
    "Users times what each uses times the price of one use, which may change beyond volumes.",
    (
        Setting("counted", "what is counted", SettingKind.TEXT, default="uses", hint="Many of them, such as alarms."),
        Setting("users", "users", SettingKind.SERIES, is_required=True, least=0),
        Setting("uses_each", "used by each a month", SettingKind.SERIES, is_required=True, least=0),
        Setting("price", "price of one", SettingKind.SERIES, "CUR", is_required=True, least=0),
        Setting("steps", "price steps by volume", SettingKind.ROWS, columns=STEPS,
                hint="What is used beyond a volume in a month costs that step's price."),
        Setting("serve", "cost of one to you", SettingKind.SERIES, "CUR", default=0, least=0),
    ),
    _write,
    {"counted": "alarms", "users": 80, "uses_each": 15, "price": 0.5,
     "steps": [{"name": "Many", "volume": 1000, "price": 0.2}, {"name": "Very many", "volume": 1150, "price": 0.1}]},
    ("revenue", "uses"),
    spreads=True,
    rollups={"users": BALANCE, "uses_each": "users", "price": "uses", "serve": "uses"},
)  # fmt: skip
