"""Outgoings: a list of costs, each by what drives it, with the caption it stands under and when it is paid."""

from typing import Any

from widefork.core.axes import Month
from widefork.core.finance.schedules.book import total_of
from widefork.core.finance.schedules.setting import COST_CAPTIONS, NAME, Setting, SettingKind, choices
from widefork.core.lines import NO_TOTAL, Line
from widefork.core.patterns.pattern import Pattern, PatternDraft

KINDS = choices(
    monthly="every month",
    yearly="once a year",
    once="once",
    each="for each unit, customer or head",
    share="a share of a line",
    stepped="for every so many, begun",
)
"""An amount that is no flow by itself: what one costs, each time."""


def _write(draft: PatternDraft) -> None:
    paid: dict[float, list[str]] = {}
    parts: set[str] = set()
    for row in draft.value("costs"):
        part = _part(row[NAME], parts)
        parts.add(part)
        _check(draft, row)
        name = _WRITERS[row["kind"]](draft, part, row)
        paid.setdefault(row["after"], []).append(name)
    for days, names in paid.items():
        if days:
            draft.schedule("payables", f"after_{days:g}", f"paid after {days:g} days", of=names, days=days)


def _part(label: str, taken: set[str]) -> str:
    """A row's name as the end of a line's name, different from all others."""
    words = "_".join("".join(letter if letter.isalnum() else " " for letter in label.lower()).split()) or "cost"
    number, found = 2, words
    while found in taken:
        found, number = f"{words}_{number}", number + 1
    return found


def _check(draft: PatternDraft, row: dict[str, Any]) -> None:
    """Refuse a row that lacks what its kind needs; names the row and the column."""
    kind, name = row["kind"], row[NAME]
    label = dict(KINDS)[kind]
    needs = {"share": ("share", "driver"), "each": ("amount", "driver"), "stepped": ("amount", "driver", "every"),
             "once": ("amount", "start")}.get(kind, ("amount",))  # fmt: skip
    columns = {column.key: column.label for column in COSTS}
    for key in needs:
        if row[key] is None:
            raise draft.refuse(f"{name}, {label}: “{columns[key]}” is needed.", "costs")
    if row["start"] is not None and row["end"] is not None and row["end"] < row["start"]:
        raise draft.refuse(f"{name} ends in {row['end'].label}, before it starts in {row['start'].label}.", "costs")
    driver: Line | None = row["driver"]
    if kind in ("each", "stepped") and driver is not None and driver.unit in ("", "%", draft.model.currency):
        raise draft.refuse(
            f"{name}: {driver.label} is in {driver.unit or 'plain numbers'}; expected a line that counts something. "
            "For a part of an amount choose “a share of a line”.",
            "costs",
        )


def _span(row: dict[str, Any], formula: str) -> str:
    """A formula within a row's first and last month."""
    bounds = [f"month >= {row['start'].words}"] if row["start"] is not None else []
    bounds += [f"month <= {row['end'].words}"] if row["end"] is not None else []
    return f"if {' and '.join(bounds)} then {formula} else 0" if bounds else formula


def _monthly(draft: PatternDraft, part: str, row: dict[str, Any]) -> str:
    if row["start"] is None and row["end"] is None:
        return draft.assume_each(part, row[NAME], "CUR", {(): row["amount"]}, (), posts_to=row["under"])
    each = draft.assume_each(f"{part}_amount", f"{row[NAME]}, a month", "CUR", {(): row["amount"]}, (), rollup=NO_TOTAL)
    return draft.calculate(part, row[NAME], "CUR", _span(row, each), row["under"], over=())


def _in_month(draft: PatternDraft, part: str, row: dict[str, Any], when: str) -> str:
    each = draft.assume_each(
        f"{part}_amount", f"{row[NAME]}, each time", "CUR", {(): row["amount"]}, (), rollup=NO_TOTAL
    )
    return draft.calculate(part, row[NAME], "CUR", f"if {when} then {each} else 0", row["under"], over=())


def _yearly(draft: PatternDraft, part: str, row: dict[str, Any]) -> str:
    first: Month = row["start"] or draft.model.timeline.start
    last = f" and month <= {row['end'].words}" if row["end"] is not None else ""
    return _in_month(draft, part, row, f"month_of_year = {first.month} and month >= {first.words}{last}")


def _once(draft: PatternDraft, part: str, row: dict[str, Any]) -> str:
    return _in_month(draft, part, row, f"month = {row['start'].words}")


def _each(draft: PatternDraft, part: str, row: dict[str, Any]) -> str:
    driver: Line = row["driver"]
    one = driver.unit.removesuffix("s") if "/" not in driver.unit else driver.unit
    price = draft.assume_each(f"{part}_price", f"{row[NAME]}, for each", f"CUR/{one}", {(): row["amount"]}, ())
    return draft.calculate(part, row[NAME], "CUR", _span(row, f"{total_of(driver)} * {price}"), row["under"], over=())


def _share(draft: PatternDraft, part: str, row: dict[str, Any]) -> str:
    share = draft.assume_each(f"{part}_share", f"{row[NAME]}, share", "%", {(): row["share"]}, ())
    formula = _span(row, f"{total_of(row['driver'])} * {share}")
    return draft.calculate(part, row[NAME], "CUR", formula, row["under"], over=())


def _stepped(draft: PatternDraft, part: str, row: dict[str, Any]) -> str:
    driver: Line = row["driver"]
    step = draft.assume_each(f"{part}_every", f"{row[NAME]}, for every", driver.unit, {(): row["every"]}, (),
                             rollup=NO_TOTAL)  # fmt: skip
    amount = draft.assume_each(f"{part}_amount", f"{row[NAME]}, each", "CUR", {(): row["amount"]}, (), rollup=NO_TOTAL)
    formula = _span(row, f"round_up({total_of(driver)} / {step}) * {amount}")
    return draft.calculate(part, row[NAME], "CUR", formula, row["under"], over=())


_WRITERS = {"monthly": _monthly, "yearly": _yearly, "once": _once, "each": _each, "share": _share, "stepped": _stepped}

COSTS = (
    Setting("kind", "comes", SettingKind.CHOICE, default="monthly", choices=KINDS),
    Setting("amount", "amount", SettingKind.SERIES, "CUR", least=0),
    Setting("share", "share", SettingKind.SERIES, "%", least=0),
    Setting("driver", "of, or for each", SettingKind.LINE, hint="A line: kits sold, customers, headcount, revenue."),
    Setting("every", "for every", SettingKind.AMOUNT, least=0.001),
    Setting("start", "from, or in", SettingKind.MONTH),
    Setting("end", "to", SettingKind.MONTH),
    Setting("under", "stands under", SettingKind.CHOICE, default="administration_costs", choices=COST_CAPTIONS),
    Setting("after", "paid after days", SettingKind.AMOUNT, default=0.0, least=0, most=720),
)

OUTGOINGS = Pattern(
    "outgoings",
    "Outgoings",
    "A list of costs by what drives them, under which heading each stands, and after how many days it is paid.",
    (Setting("costs", "costs", SettingKind.ROWS, columns=COSTS, is_required=True),),
    _write,
    {"costs": [
        {"name": "Insurance", "kind": "yearly", "amount": 1200, "start": "2026-03"},
        {"name": "Cloud", "kind": "each", "amount": 0.5, "driver": "customers", "under": "cost_of_sales", "after": 30},
        {"name": "Vans", "kind": "stepped", "amount": 700, "driver": "heads", "every": 3, "after": 30},
        {"name": "Advice", "kind": "share", "share": 0.02, "driver": "fees", "under": "marketing_costs"},
        {"name": "Move", "kind": "once", "amount": 5000, "start": "2026-06", "under": "premises_costs"},
        {"name": "Rent of a store", "kind": "monthly", "amount": 400, "start": "2026-04", "end": "2026-12",
         "under": "premises_costs"},
        {"name": "Books", "amount": {"steps": {"2026-01": 300, "2027-01": 350}}},
    ]},
    (),
    group="Costs",
)  # fmt: skip
