"""A market from the top down: its size, what of it can be reached, and the share taken; or the share a plan implies."""

from widefork.core.finance.schedules.setting import Setting, SettingKind, choices
from widefork.core.graph.model import Limit, Rhythm
from widefork.core.lines import BALANCE, OverTime, Rollup
from widefork.core.patterns.pattern import Pattern, PatternDraft


def _write(draft: PatternDraft) -> None:
    size, reach = draft.assume("size", "CUR a year"), draft.assume("reach", "%")
    reachable = draft.calculate("reachable", "reachable, a month", "CUR", f"{size} / months_per_year * {reach}")
    if draft.value("counts") == "revenue":
        share = draft.assume("share", "%")
        revenue = draft.calculate("revenue", "revenue", "CUR", f"{reachable} * {share}", "revenue")
    else:
        revenue = "revenue"
        if draft.has("share"):
            # From the top down: what the share expected would be, beside what the plan comes to.
            share = draft.assume("share", "%")
            expected = draft.calculate("expected", "revenue the share expected would give", "CUR",
                                       f"{reachable} * {share}")  # fmt: skip
            draft.ratio("against", "the plan's revenue against that", "%", revenue, expected)
        implied = draft.ratio("implied", "share of the reachable market the plan takes", "%", revenue, reachable)
        if draft.has("flag_above"):
            most = float(draft.value("flag_above"))
            name = draft.name("limit")
            note = "Top down and bottom up are the same business."
            draft.limits.append(
                Limit(name, f"{draft.label}: share implied", implied, None, most, Rhythm.YEAR, note=note)
            )
    if draft.has("each"):
        each = draft.assume("each", "CUR/customer")
        draft.calculate(
            "customers", "customers implied", "customers", f"if {each} = 0 then 0 else {revenue} / {each}",
        )  # fmt: skip


MARKET = Pattern(
    "market",
    "Market, from the top down",
    "The size of a market, what of it can be reached and the share taken; or the share your plan implies, as a check.",
    (
        Setting("size", "size of the market a year", SettingKind.SERIES, "CUR", is_required=True, least=0),
        Setting("reach", "share that can be reached", SettingKind.SERIES, "%", is_required=True, least=0, most=1),
        Setting("counts", "it is", SettingKind.CHOICE, default="check",
                choices=choices(check="a check on the plan's revenue", revenue="revenue of its own")),
        Setting("share", "share taken, or expected", SettingKind.SERIES, "%", default=0, least=0, most=1,
                hint="As a check: the revenue it would give stands beside the plan's."),
        Setting("flag_above", "flag an implied share above", SettingKind.AMOUNT, "%", least=0, most=1,
                when=("counts", ("check",))),
        Setting("each", "revenue of a customer a month", SettingKind.SERIES, "CUR", default=0, least=0),
    ),
    _write,
    {"size": {"growth": {"base": 1200000, "rate": 0.04, "pace": "once a year", "since": "2027-01"}}, "reach": 0.3,
     "counts": "revenue", "share": 0.05, "each": 50},
    ("reachable", "revenue"),
    rollups={"size": Rollup(OverTime.NONE), "reach": "size", "share": "reachable", "customers": BALANCE},
)  # fmt: skip
