"""The small editor over a cell: what it shows, and what an edit there is called."""

from dataclasses import dataclass

from widefork.core.axes import Month, Period
from widefork.core.changes import Change, Operation, plan_months
from widefork.core.errors import ChangeRefused, InvalidValue
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import MemberKey, OverMembers
from widefork.core.rules import RULES, write_rule
from widefork.web.shared import formats
from widefork.web.shared.context import View

ONLY_THIS_MONTH = {"one_off", "monthly", "seasonal"}
"""Rules whose months are typed one by one, so that an edit usually means just the one."""


@dataclass(frozen=True)
class Editor:
    """What the editor shows. ``refusal`` replaces the field where the cell cannot be edited."""

    line: str
    at: str
    month: str
    month_label: str
    title: str
    unit: str
    value: str
    shown: str
    root_label: str
    root_value: str
    differs: bool
    words: str
    note: str
    reaches_on: bool
    is_whole: bool
    case: str
    case_label: str
    seen: int
    refusal: str


def build_editor(view: View, name: str, members: MemberKey, month: Month) -> Editor:
    """Return what the editor of a cell shows.

    Raises
    ------
    UnknownName, InvalidValue: a line, member or month that is not there.
    """
    snapshot, model = view.snapshot, view.snapshot.model
    line = model.line(name)
    model.timeline.index(month)
    value = _value(view, name, members, month, view.place)
    root = _value(view, name, members, month, 0)
    rule = line.rules.get(members) or line.rules.get(())
    kind = next(iter(write_rule(RULES, rule)), "flat") if rule and isinstance(write_rule(RULES, rule), dict) else "flat"
    case = model.case(view.address.case)
    return Editor(
        name,
        "/".join(members),
        str(month),
        month.label,
        f"{line.label}, {', '.join(members)}" if members else line.label,
        line.unit,
        formats.typed(value, line.unit),
        formats.amount(value, line.unit),
        model.cases[0].label,
        formats.amount(root, line.unit),
        any(
            c.line == name and (not members or not c.members or members[0] in dict(c.members).values())
            for c in case.changes
        )
        and case.parent is not None,
        rule.words(lambda v: formats.amount(v, line.unit)) if rule else line.formula or "",
        line.note,
        line.is_assumption and kind not in ONLY_THIS_MONTH,
        bool(line.dimensions) and not members,
        case.name,
        case.label,
        snapshot.revision,
        _refusal(view, name, month),
    )


def _refusal(view: View, name: str, month: Month) -> str:
    model = view.snapshot.model
    line = model.line(name)
    if model.timeline.is_actual(month):
        return "An actual month: what happened stays as it is. Plan begins in " + model.timeline.first_plan.label + "."
    if not line.is_assumption and model.case(view.address.case).parent is None:
        return "Calculated. Change its formula, or the assumptions behind it."
    try:
        view.snapshot.plan.check_changeable(name)
    except ChangeRefused as fault:
        return fault.sentence
    return ""


def _value(view: View, name: str, members: MemberKey, month: Month, place: int) -> float:
    return float(roll_up(view.snapshot.results, name, [Period("", "", month, month)], members)[0, place])


def refuse_nothing(view: View, change: Change, case: str, members: MemberKey) -> None:
    """Refuse an edit that would do nothing, or that cannot be meant.

    Raises
    ------
    InvalidValue: an actual month, scaling zeros, or setting the total of several members.
    """
    model = view.snapshot.model
    line = model.line(change.line)
    if change.first is not None and model.timeline.is_actual(change.first):
        raise InvalidValue(
            f"Actual months are history and stay as they are. Choose a month from {model.timeline.first_plan.label} on."
        )
    whole = bool(line.dimensions) and not members
    if whole and change.operation is Operation.SET and line.rollup.over_members is OverMembers.SUM:
        count = len(model.dimensions_of(line)[0])
        raise InvalidValue(
            f"This is the total of {count} members. Type +5 % to move all of them, or open the line and set one."
        )
    span = plan_months(change, model.timeline)
    values = view.snapshot.results.values(change.line)
    if members:
        values = values[tuple(d.index(m) for d, m in zip(model.dimensions_of(line), members, strict=True))]
    if change.operation is Operation.SCALE and not values[..., span, view.snapshot.place(case)].any():
        raise InvalidValue(
            f"{line.label} is 0 in these months, so a percentage changes nothing. Type a number to set it, "
            "or + and an amount to add."
        )


def describe_edit(view: View, change: Change, case: str, members: MemberKey) -> str:
    """Return the edit as a sentence for the log."""
    model = view.snapshot.model
    line = model.line(change.line)
    month = change.first or model.timeline.first_plan
    where = f"{line.label}, {', '.join(members)}" if members else line.label
    before = formats.amount(_value(view, change.line, members, month, view.snapshot.place(case)), line.unit)
    what = {
        Operation.SET: f"{before} to {formats.amount(change.amount, line.unit)}",
        Operation.ADD: formats.signed(change.amount, line.unit),
        Operation.SCALE: f"× {change.amount:.6g}",
    }[change.operation]
    reach = f"in {month.label}" if change.last == month else f"from {month.label}"
    return f"{where}: {what} {reach} in {model.case(case).label}"
