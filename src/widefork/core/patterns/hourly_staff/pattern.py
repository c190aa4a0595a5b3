"""Staff paid by the hour: the hours there is work for, never fewer than agreed, at a wage with its charges."""

from widefork.core.finance.schedules.setting import Setting, SettingKind
from widefork.core.patterns.pattern import Pattern, PatternDraft


def _write(draft: PatternDraft) -> None:
    needed, wage = draft.assume("needed", "hours"), draft.assume("wage", "CUR/hour")
    paid = needed
    if draft.has("agreed"):
        paid = f"max({needed}, {draft.assume('agreed', 'hours')})"
    hours = draft.calculate("hours", "hours paid", "hours", paid)
    more = ""
    if draft.has("overtime_from"):
        usual, extra = draft.assume("overtime_from", "hours"), draft.assume("overtime_extra", "%")
        over = draft.calculate("overtime", "hours of overtime", "hours", f"max(0, {hours} - {usual})")
        more = f" + {over} * {wage} * {extra}"
    pay = draft.calculate("pay", "wages", "CUR", f"{hours} * {wage}{more}", "people_costs")
    if draft.has("charge_rate"):
        rate = draft.assume("charge_rate", "%")
        draft.calculate("charges", "employer's charges", "CUR", f"{pay} * {rate}", "people_costs")
    full = draft.assume("full_time", "hours/head")
    draft.ratio("heads", "in full-time heads", "heads", hours, full)


HOURLY_STAFF = Pattern(
    "hourly_staff",
    "Staff by the hour",
    "Hours there is work for, never fewer than agreed, at a wage by the hour with overtime and charges.",
    (
        Setting("needed", "hours needed a month", SettingKind.SERIES, is_required=True, least=0,
                hint="A number, or a line: so many hours for each of what is sold."),
        Setting("wage", "wage by the hour", SettingKind.SERIES, "CUR", is_required=True, least=0),
        Setting("agreed", "hours agreed, paid in any case", SettingKind.SERIES, default=0, least=0),
        Setting("overtime_from", "overtime beyond hours a month", SettingKind.SERIES, default=0, least=0),
        Setting("overtime_extra", "paid more for overtime", SettingKind.SERIES, "%", default=0.25, least=0, most=1),
        Setting("charge_rate", "employer's charges", SettingKind.SERIES, "%", default=0, least=0, most=1),
        Setting("full_time", "hours a month of a full-time head", SettingKind.SERIES, default=160, least=0),
    ),
    _write,
    {"needed": {"steps": {"2026-01": 300, "2026-06": 420}}, "wage": 18, "agreed": 320, "overtime_from": 400,
     "charge_rate": 0.21},
    ("pay", "hours"),
    group="Costs",
    rollups={"wage": "hours", "overtime_extra": "overtime", "charge_rate": "pay"},
)  # fmt: skip
