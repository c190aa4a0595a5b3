"""What stands under a cell while it is edited: where the number comes from, and why it perhaps cannot be typed."""

from dataclasses import dataclass

from widefork.core.axes import Month, Period
from widefork.core.errors import ChangeRefused, InvalidValue
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import MemberKey
from widefork.web.pages.drivers.sheet.gestures import label_of
from widefork.web.shared import formats
from widefork.web.shared.context import View


@dataclass(frozen=True, kw_only=True)
class Hint:
    """What is said about a cell. ``refusal`` says why nothing can be typed there; empty where it can."""

    title: str
    where: str
    shown: str
    unit: str
    words: str
    note: str
    root: str
    differs: bool
    case_label: str
    root_label: str
    refusal: str
    roots_url: str


def build_hint(view: View, name: str, members: MemberKey, month: Month, is_unlocked: bool) -> Hint:
    """Return what is said about a cell.

    Raises
    ------
    UnknownName, InvalidValue: a line, member or month that is not there.
    """
    model = view.snapshot.model
    line = model.line(name)
    model.timeline.index(month)
    if members and len(members) != len(line.dimensions):
        raise InvalidValue(f"{line.label} is spread over {' and '.join(line.dimensions)}; name one of each.")
    for dimension, member in zip(model.dimensions_of(line), members, strict=False):
        dimension.index(member)
    now, root = (_value(view, name, members, month, place) for place in (view.place, 0))
    rule = line.rules.get(members) or line.rules.get(())
    case = model.case(view.address.case)
    return Hint(
        title=label_of(line, members),
        where=month.label,
        shown=formats.amount(now, line.unit),
        unit=line.unit,
        words=rule.words(lambda v: formats.amount(v, line.unit)) if rule else line.formula or "",
        note=line.note,
        root=formats.amount(root, line.unit),
        differs=case.parent is not None and now != root,
        case_label=case.label,
        root_label=model.cases[0].label,
        refusal=_refusal(view, name, month, is_unlocked),
        roots_url=view.address.url("roots", line=name, at="/".join(members), start=month),
    )


def _refusal(view: View, name: str, month: Month, is_unlocked: bool) -> str:
    model = view.snapshot.model
    line = model.line(name)
    if model.timeline.is_actual(month) and not (is_unlocked and not line.is_generated):
        return (
            f"An actual month: what happened stays as it is. Plan begins in {model.timeline.first_plan.label}. "
            "“Unlock actuals” above the sheet lets you correct it."
        )
    if not line.is_assumption and model.case(view.address.case).parent is None:
        return "Calculated. Change its formula, or the assumptions behind it."
    try:
        view.snapshot.plan.check_changeable(name)
    except ChangeRefused as fault:
        return fault.sentence
    return ""


def _value(view: View, name: str, members: MemberKey, month: Month, place: int) -> float:
    return float(roll_up(view.snapshot.results, name, [Period("", "", month, month)], members)[0, place])
