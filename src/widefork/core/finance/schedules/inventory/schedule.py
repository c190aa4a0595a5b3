"""Inventory: a stock held to cover the use ahead, or as a share of it; what is bought follows.

Days are walked ahead over the months that come, in 30-day months, as receivables are walked back (decision 0006): 45
days are all of next month's use and half of that of the month after. Stock can fall no faster than it is used:
purchases are never negative.
"""

from widefork.core.finance.schedules.book import summed
from widefork.core.finance.schedules.schedule import Draft, Schedule
from widefork.core.finance.schedules.setting import Role, Setting, SettingKind, choices
from widefork.core.lines import BALANCE

LONGEST_AHEAD = 6
"""Months that are walked; what is held beyond them is reckoned at the use of the last one."""


def _ahead(used: str, days: str) -> str:
    """The formula of so many days of the use to come."""
    months = f"{days} / days_per_month"
    terms = [f"after({used}) * min(1, {months})"]
    terms += [f"after({used}, {n + 1}) * min(1, max(0, {months} - {n}))" for n in range(1, LONGEST_AHEAD - 1)]
    last = LONGEST_AHEAD - 1
    return " + ".join((*terms, f"after({used}, {last + 1}) * max(0, {months} - {last})"))


def _write(draft: Draft) -> None:
    opening = draft.value("opening_balance")
    lines = draft.lines_of("of")
    rates = {draft.book.tax_rate(line.name) for line in lines}
    if len(rates) > 1:
        raise draft.refuse(
            "The materials in one stock need the same sales tax; keep the others in a stock of their own."
        )
    used = draft.calculate("used", "used", summed(lines))
    if draft.value("method") == "days":
        formula = _ahead(used, draft.assume("days"))
    else:
        formula = f"{used} * {draft.assume('percent')}"
    wanted = draft.calculate("wanted", "wanted at month end", formula, rollup=BALANCE)
    stock = draft.name("balance")
    bought = draft.calculate("purchases", "bought, without tax", f"max(0, {wanted} + {used} - before({stock}))")
    draft.roll("balance", "at month end", "inventory", opening, (bought,), (used,))


INVENTORY = Schedule(
    "inventory",
    "Inventory",
    "Trade",
    "Stock covers so many days of the use ahead, or a share of the month's use; what is bought follows from it.",
    (
        Setting("of", "the material lines taken from stock", SettingKind.LINES, is_required=True, role=Role.STOCKED),
        Setting(
            "method", "how much is held", SettingKind.CHOICE, default="days",
            choices=choices(days="days of the use ahead", percent="a share of the month's use"),
        ),
        Setting("days", "days covered", SettingKind.SERIES, "days", default=30, least=0, most=720,
                when=("method", ("days",))),
        Setting("percent", "share of the month's use", SettingKind.SERIES, "%", default=1, least=0,
                when=("method", ("percent",))),
        Setting("opening_balance", "stock at the start", SettingKind.AMOUNT, default=0.0, least=0),
    ),
    _write,
    {"of": ["costs"], "days": 45},
    words=lambda draft: (
        f"{draft.shown('days')} days of the use ahead" if draft.value("method") == "days"
        else f"{draft.shown('percent')} of the month's use"
    ),
)  # fmt: skip
