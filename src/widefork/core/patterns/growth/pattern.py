"""Growth on a start value: so many in a first month, then a share more each month, with 12-month totals beside it."""

from widefork.core.axes import Month
from widefork.core.finance.schedules.setting import Setting, SettingKind
from widefork.core.lines import BALANCE, OverTime, Rollup
from widefork.core.patterns.pattern import Pattern, PatternDraft


def _write(draft: PatternDraft) -> None:
    many, one = draft.counted()
    first: Month = draft.value("first")
    if not draft.model.timeline.start <= first <= draft.model.timeline.end:
        raise draft.refuse(f"{first.label} lies outside the model's months.", "first")
    start, growth = draft.assume("start", many), draft.assume("growth", "% a month")
    units = draft.name("units")
    begun = f"if month = {first.words} then {start} else before({units}) * (1 + {growth})"
    draft.calculate("units", "a month", many, f"if month < {first.words} then 0 else ({begun})")
    draft.calculate("year", "in twelve months", many, f"trailing({units}, 12)", rollup=BALANCE)
    if draft.has("price"):
        price = draft.assume("price", f"CUR/{one}")
        draft.calculate("revenue", "revenue", "CUR", f"{units} * {price}", "revenue")


GROWTH = Pattern(
    "growth",
    "Growth on a start value",
    "So many in the first month, then so much per cent more each month; a year's totals show what a rate does.",
    (
        Setting("counted", "what is counted", SettingKind.TEXT, default="units", hint="Many of them, such as orders."),
        Setting("first", "first month", SettingKind.MONTH, is_required=True),
        Setting("start", "in the first month", SettingKind.SERIES, is_required=True, least=0),
        Setting("growth", "growth a month", SettingKind.SERIES, "%", is_required=True, least=-1, most=10),
        Setting("price", "price of one", SettingKind.SERIES, "CUR", default=0, least=0),
    ),
    _write,
    {"counted": "orders", "first": "2026-03", "start": 200, "growth": 0.05, "price": 30},
    ("units", "revenue"),
    spreads=True,
    rollups={"start": Rollup(OverTime.NONE), "price": "units"},
)
