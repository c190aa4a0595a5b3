"""Customer metrics of lines already there: leaving, lifetime value, what winning one costs and when it pays back."""

from widefork.core.finance.schedules.book import total_of
from widefork.core.finance.schedules.setting import Setting, SettingKind
from widefork.core.lines import Line
from widefork.core.patterns.pattern import Pattern, PatternDraft


def _write(draft: PatternDraft) -> None:
    customers, revenue, joined, left = (_whole(draft, key) for key in ("customers", "revenue", "joined", "left"))
    were = f"before({customers})"
    leaving = draft.calculate("leaving", "share of customers leaving a month", "%",
                              f"if {were} = 0 then 0 else {left} / {were}")  # fmt: skip
    # A quarter's leavers are steadier than a month's, and still follow the plan (common practice).
    lately = draft.calculate("lately", "share leaving a month, over three months", "%",
                             f"trailing_mean({leaving}, 3)")  # fmt: skip
    draft.calculate("stays", "months a customer stays", "months", f"if {lately} = 0 then 0 else 1 / {lately}")
    share, unit = draft.assume("margin", "%"), f"CUR/{_one(draft, 'customers')}"
    each = draft.calculate("each", "gross margin of a customer a month", unit,
                           f"if {customers} = 0 then 0 else {revenue} * {share} / {customers}")  # fmt: skip
    worth = draft.calculate("worth", "lifetime value", unit, f"if {lately} = 0 then 0 else {each} / {lately}")
    if draft.has("spend"):
        won, spend = f"trailing({joined}, 3)", f"trailing({_whole(draft, 'spend')}, 3)"
        cost = draft.calculate("acquisition", "cost of winning one, over three months", unit,
                               f"if {won} = 0 then 0 else {spend} / {won}")  # fmt: skip
        draft.calculate("times", "lifetime value, times that cost", "", f"if {cost} = 0 then 0 else {worth} / {cost}")
        draft.calculate("pay_back", "months until one has paid for itself", "months",
                        f"if {each} = 0 then 0 else {cost} / {each}")  # fmt: skip
    if draft.has("heads"):
        heads = _whole(draft, "heads")
        draft.calculate("per_head", "revenue per head a month", f"CUR/{_one(draft, 'heads')}",
                        f"if {heads} = 0 then 0 else {revenue} / {heads}")  # fmt: skip


def _whole(draft: PatternDraft, key: str) -> str:
    """A line already there, its members taken together."""
    return total_of(draft.value(key))


def _one(draft: PatternDraft, key: str) -> str:
    line: Line = draft.value(key)
    return line.unit.removesuffix("s") or "customer"


CUSTOMER_METRICS = Pattern(
    "customer_metrics",
    "Customer metrics",
    "Leaving, lifetime value, cost of winning a customer, pay-back and revenue per head, read from lines you have.",
    (
        Setting("customers", "customers at the month's end", SettingKind.LINE, is_required=True),
        Setting("joined", "customers who joined", SettingKind.LINE, is_required=True),
        Setting("left", "customers who left", SettingKind.LINE, is_required=True),
        Setting("revenue", "their revenue", SettingKind.LINE, is_required=True),
        Setting("margin", "gross margin of it", SettingKind.SERIES, "%", default=1, least=0, most=1),
        Setting("spend", "spent on winning them", SettingKind.LINE),
        Setting("heads", "heads who look after them", SettingKind.LINE),
    ),
    _write,
    {"customers": "customers", "joined": "joined", "left": "left", "revenue": "fees", "margin": 0.8,
     "spend": "advertising", "heads": "heads"},
    ("worth", "each"),
    group="Reading",
)  # fmt: skip
