"""Events and visits: how many of each type, who comes up to what the place holds, and what it takes to run them."""

from widefork.core.finance.schedules.setting import NAME, Setting, SettingKind
from widefork.core.lines import MemberKey
from widefork.core.patterns.pattern import Pattern, PatternDraft
from widefork.core.rules import Rule


def _write(draft: PatternDraft) -> None:
    rows = draft.value("types")
    over = (draft.members("type", "type", [row[NAME] for row in rows]),)

    def column(key: str) -> dict[MemberKey, Rule | float]:
        return {(row[NAME],): row[key] for row in rows}

    held = draft.assume_each("held", "held", "events", column("events"), over)
    wanted = draft.assume_each("expected", "visitors expected at one", "visitors/event", column("expected"), over)
    full = {(row[NAME],): row["expected"] if row["holds"] is None else row["holds"] for row in rows}
    holds = draft.assume_each("holds", "visitors the place holds", "visitors/event", full, over)
    price = draft.assume_each("price", "price of a ticket", "CUR/visitor", column("price"), over)
    extras = draft.assume_each("extras", "spent by a visitor besides", "CUR/visitor", column("extras"), over)
    there = draft.calculate("there", "visitors at one", "visitors/event", f"min({wanted}, {holds})", over=over)
    visitors = draft.calculate("visitors", "visitors", "visitors", f"{held} * {there}", over=over)
    draft.calculate("turned_away", "turned away, the place is full", "visitors", f"{held} * ({wanted} - {there})",
                    over=over)  # fmt: skip
    tickets = draft.calculate("tickets", "tickets", "CUR", f"{visitors} * {price}", "revenue", over=over)
    besides = draft.calculate("besides", "spent besides", "CUR", f"{visitors} * {extras}", "revenue", over=over)
    draft.calculate("revenue", "revenue", "CUR", f"{tickets} + {besides}", over=over)
    costs = []
    if draft.has("per_staff"):
        served = draft.assume("per_staff", "visitors/staff")
        each = draft.calculate("staff_each", "staff at one", "staff/event", f"round_up({there} / {served})", over=over)
        days = draft.assume("days", "days")
        draft.calculate("staff_days", "days of staff needed", "staff days", f"{held} * {each} * {days}", over=over)
        for key, label in (("day_cost", "staff"), ("allowance", "travel")):
            if draft.has(key):
                cost = draft.assume(key, "CUR/staff/day")
                needed = draft.assume("travel_days", "days") if key == "allowance" else days
                costs.append(draft.calculate(f"{label}_cost", label, "CUR", f"{held} * {each} * {needed} * {cost}",
                                             "cost_of_sales", over=over))  # fmt: skip
    elif draft.has("allowance") or draft.has("day_cost"):
        raise draft.refuse("Staff costs need to know how many visitors one of the staff can look after.", "per_staff")
    if draft.has("venue"):
        fee = draft.assume("venue", "CUR/event")
        costs.append(draft.calculate("venue_cost", "the place", "CUR", f"{held} * {fee}", "cost_of_sales", over=over))
    if costs:
        kept = draft.calculate("margin", "gross margin", "CUR", " - ".join((draft.name("revenue"), *costs)), over=over)
        draft.ratio("margin_share", "gross margin, share", "%", kept, draft.name("revenue"), over=over)


TYPES = (
    Setting("events", "how many a month", SettingKind.SERIES, is_required=True, least=0,
            hint="A number a month, “every 3 months from Mar 27”, or on dates: “once: 1 in Mar 27, 1 in Jun 27”."),
    Setting("expected", "visitors expected", SettingKind.AMOUNT, is_required=True, least=0),
    Setting("holds", "the place holds", SettingKind.AMOUNT, least=0),
    Setting("price", "price", SettingKind.AMOUNT, "CUR", default=0.0, least=0),
    Setting("extras", "spent besides, each", SettingKind.AMOUNT, "CUR", default=0.0, least=0),
)  # fmt: skip

EVENTS = Pattern(
    "events",
    "Events and visits",
    "Events by type on dates or by number, visitors up to what the place holds, what they spend, and the staff needed.",
    (
        Setting("types", "types of event", SettingKind.ROWS, columns=TYPES, is_required=True),
        Setting("per_staff", "visitors one of the staff looks after", SettingKind.SERIES, default=1, least=1),
        Setting("days", "days of work for one event", SettingKind.SERIES, default=1, least=0),
        Setting("day_cost", "cost of a day of staff", SettingKind.SERIES, "CUR", default=0, least=0),
        Setting("travel_days", "days of travel for one event", SettingKind.SERIES, default=1, least=0),
        Setting("allowance", "travel allowance a day", SettingKind.SERIES, "CUR", default=0, least=0),
        Setting("venue", "cost of the place for one event", SettingKind.SERIES, "CUR", default=0, least=0),
    ),
    _write,
    {"types": [
        {"name": "Open day", "events": {"every": {"amount": 1, "months": 3, "since": "2026-03"}}, "expected": 120,
         "holds": 90, "price": 15, "extras": 4},
        {"name": "Course", "events": 2, "expected": 12, "holds": 16, "price": 180},
     ], "per_staff": 25, "days": 2, "day_cost": 160, "travel_days": 1, "allowance": 45, "venue": 200},
    ("revenue", "visitors"),
    rollups={"expected": "held", "holds": "held", "there": "held", "staff_each": "held", "venue": "held",
             "price": "visitors", "extras": "visitors"},
)  # fmt: skip
