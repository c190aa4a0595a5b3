"""What the forms of the frame come to, each as one edit."""

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, replace

from widefork.core.axes import Dimension, Month, Timeline
from widefork.core.changes import Change, Operation
from widefork.core.errors import InvalidModel, InvalidValue, UnknownName
from widefork.core.flags import Flag
from widefork.core.graph.model import Model
from widefork.core.language.units import MOST_DECIMALS, UnitForm
from widefork.store import edits
from widefork.store.edits import Apply
from widefork.web.pages.frame.view import MONTH_NAMES
from widefork.web.shared import formats
from widefork.web.shared.naming import name_from

Form = Mapping[str, str]
LONGEST_NAME, LONGEST_PROFILE = 60, 240


def form_edit(doing: str, model: Model, form: Form) -> Apply:
    """Return the edit a form of the frame asks for.

    Raises
    ------
    InvalidValue, InvalidModel, UnknownName: what was expected, what came.
    """
    if doing not in FORM_EDITS:
        raise InvalidValue(f"The frame knows no “{doing}”. Reload the page and try again.")
    try:
        return FORM_EDITS[doing](model, form)
    except InvalidModel as fault:
        raise InvalidValue(str(fault)) from fault


def read_name(text: str, what: str) -> str:
    """Return a display name; raise InvalidValue."""
    name = " ".join(text.split())
    if not name or len(name) > LONGEST_NAME:
        raise InvalidValue(f"{what} needs a name of 1 to {LONGEST_NAME} letters.")
    return name


def _month(text: str, what: str) -> Month | None:
    if not text.strip():
        return None
    try:
        return Month.parse(text.strip())
    except InvalidValue as fault:
        raise InvalidValue(f"{what}: {fault.sentence}") from fault


# the months


def _timeline(model: Model, form: Form) -> Apply:
    now = model.timeline
    count = form.get("months", "").strip()
    if not count.isdecimal() or len(count) > 4:
        raise InvalidValue(f"Expected how many months, like 36; got “{count}”.")
    fiscal = form.get("fiscal_year_start", "").strip()
    timeline = Timeline(
        _month(form.get("start", ""), "The first month") or now.start,
        int(count),
        int(fiscal) if fiscal.isdecimal() and len(fiscal) < 3 else now.fiscal_year_start,
        _month(form.get("last_actual", ""), "The last month of actuals"),
    )
    return edits.change_timeline(timeline, _timeline_words(now, timeline))


def _timeline_words(now: Timeline, then: Timeline) -> str:
    told = []
    if then.start != now.start:
        told.append(f"starts in {then.start.label}, before in {now.start.label}")
    if then.end != now.end:
        told.append(f"ends in {then.end.label}, before in {now.end.label}")
    if then.fiscal_year_start != now.fiscal_year_start:
        years = [MONTH_NAMES[one.fiscal_year_start - 1] for one in (then, now)]
        told.append(f"fiscal years from {years[0]}, before from {years[1]}")
    if then.actual_count != now.actual_count:
        is_now, was = (
            f"actual until {one.last_actual.label}" if one.last_actual else "all plan" for one in (then, now)
        )
        told.append(f"{is_now}, before {was}")
    return f"The model {' and '.join(told) or 'keeps its months'}"


def _close_month(model: Model, form: Form) -> Apply:
    timeline = replace(model.timeline, last_actual=_month(form.get("last_actual", ""), "The last month of actuals"))
    return edits.change_timeline(timeline, _timeline_words(model.timeline, timeline))


def _model(model: Model, form: Form) -> Apply:
    name = read_name(form.get("name", ""), "A model")
    return edits.change_model(f"The model is now called {name}, before {model.name}", name=name)


# dimensions and members


def _add_dimension(model: Model, form: Form) -> Apply:
    label = read_name(form.get("label", ""), "A dimension")
    members = tuple(read_name(part, "A member") for part in form.get("members", "").split(",") if part.strip())
    dimension = Dimension(name_from(label, _taken(model)), members, label)
    return edits.add_dimension(dimension.name, label, members, f"{label}: a dimension of {', '.join(members)}")


def _taken(model: Model) -> set[str]:
    return {*model.dimension_by_name, *(line.name for line in model.lines), *(p.name for p in model.profiles)}


def _dimension(model: Model, form: Form) -> Dimension:
    name = form.get("dimension", "")
    if name not in model.dimension_by_name:
        raise UnknownName("dimension", name, model.dimension_by_name)
    return model.dimension_by_name[name]


def _rename_dimension(model: Model, form: Form) -> Apply:
    dimension = _dimension(model, form)
    label = read_name(form.get("label", ""), "A dimension")
    name = form.get("name", "").strip() or dimension.name
    if not re.fullmatch(r"[^\W\d_A-Z]\w*", name) or name != name.lower():
        raise InvalidValue(f"A name for formulas is lower-case words joined by underscores; got “{name}”.")
    return edits.change_dimension(dimension.name, f"{dimension.label}: now called {label}", name, label)


def _remove_dimension(model: Model, form: Form) -> Apply:
    dimension = _dimension(model, form)
    return edits.remove_dimension(dimension.name, f"{dimension.label or dimension.name}: dimension removed")


def _add_member(model: Model, form: Form) -> Apply:
    dimension = _dimension(model, form)
    member = read_name(form.get("label", ""), "A member")
    return edits.add_member(dimension.name, member, f"{member}: new in {dimension.label or dimension.name}")


def _rename_member(model: Model, form: Form) -> Apply:
    dimension, member = _dimension(model, form), form.get("member", "")
    dimension.index(member)
    label = read_name(form.get("label", ""), "A member")
    return edits.change_member(dimension.name, member, f"{member}: now called {label}", new_name=label)


def _describe_member(model: Model, form: Form) -> Apply:
    dimension, member = _dimension(model, form), form.get("member", "")
    dimension.index(member)
    key = "_".join(form.get("attribute", "").lower().split())
    if not key:
        raise InvalidValue("An attribute needs a name, like fee or start.")
    known = dict(dimension.attributes.get(member, {}))
    said = " ".join(form.get("value", "").split())
    was = known.pop(key, None)
    if said:
        known[key] = _value(said)
    before = "nothing" if was is None else formats.written_out(was) if isinstance(was, float) else was
    told = f"{member}: {key} {before} to {said or 'nothing'}"
    return edits.change_member(dimension.name, member, told, attributes=known)


def _value(text: str) -> str | float:
    try:
        return formats.read_number(text)
    except InvalidValue:
        return text


def _move_member(model: Model, form: Form) -> Apply:
    dimension, member = _dimension(model, form), form.get("member", "")
    by = -1 if form.get("way") == "up" else 1
    return edits.move_member(dimension.name, member, by, f"{member}: moved {'up' if by < 0 else 'down'}")


def _remove_member(model: Model, form: Form) -> Apply:
    dimension, member = _dimension(model, form), form.get("member", "")
    return edits.remove_member(dimension.name, member, f"{member}: removed from {dimension.label or dimension.name}")


def _retire_member(model: Model, form: Form) -> Apply:
    """From a month on, all that is assumed to flow there is 0; levels and history stay."""
    dimension, member = _dimension(model, form), form.get("member", "")
    dimension.index(member)
    month = _month(form.get("month", ""), "Retired from")
    if month is None:
        raise InvalidValue(f"Say from which month {member} is retired, like {model.timeline.first_plan.label}.")
    model.timeline.index(month)
    flows = [
        Change(line.name, Operation.SET, 0.0, ((dimension.name, member),), month)
        for line in model.lines
        if line.is_assumption and line.is_flow and dimension.name in line.dimensions
    ]
    if not flows:
        raise InvalidValue(f"No assumption that flows is spread over {dimension.label}; there is nothing to end.")
    sentence = f"{member}: retired from {month.label}, {len(flows)} lines end"
    return edits.change_cells(model.cases[0].name, flows, sentence)


# profiles and flags


def _amounts(text: str) -> tuple[float, ...]:
    parts = [part for part in re.split(r"[;\n]|,\s+|\s+(?=[-−\d])", text) if part.strip()]
    if not parts or len(parts) > LONGEST_PROFILE:
        raise InvalidValue(f"Expected 1 to {LONGEST_PROFILE} percentages by month of age, like 0 %, 40 %, 100 %.")
    return tuple(formats.read_number(part.strip(" ,").removesuffix("%")) / 100 for part in parts)


def _add_profile(model: Model, form: Form) -> Apply:
    label = read_name(form.get("label", ""), "A profile")
    name = name_from(label, _taken(model))
    return edits.add_profile(name, label, _amounts(form.get("amounts", "")), f"{label}: a new profile")


def _change_profile(model: Model, form: Form) -> Apply:
    name = form.get("profile", "")
    label = read_name(form.get("label", ""), "A profile")
    amounts = _amounts(form.get("amounts", ""))
    known = next((one for one in model.profiles if one.name == name), None)
    was = f"{_shown(known.values)} to " if known is not None else ""
    return edits.change_profile(name, f"{label}: {was}{_shown(amounts)}", label=label, amounts=list(amounts))


def _shown(amounts: Sequence[float]) -> str:
    more = f" and {len(amounts) - 8} more" if len(amounts) > 8 else ""
    return ", ".join(f"{amount * 100:.4g} %" for amount in amounts[:8]) + more


def _remove_profile(model: Model, form: Form) -> Apply:
    name = form.get("profile", "")
    return edits.remove_profile(name, f"{name}: profile removed")


def _flag(form: Form, name: str) -> Flag:
    months = []
    for part in re.split(r"[,\s]+", form.get("months", "").strip()):
        if part[:3].title() in MONTH_NAMES:
            months.append(MONTH_NAMES.index(part[:3].title()) + 1)
        elif part:
            raise InvalidValue(f"Expected months of the year like Jun, Jul, Aug; got “{part}”.")
    return Flag(
        name,
        read_name(form.get("label", ""), "A flag"),
        _month(form.get("first", ""), "From"),
        _month(form.get("last", ""), "To"),
        tuple(sorted(set(months))),
        form.get("counts") == "yes",
        " ".join(form.get("note", "").split()),
    )


def _add_flag(model: Model, form: Form) -> Apply:
    taken = {*_taken(model), *(flag.name for flag in model.flags)}
    flag = _flag(form, name_from(form.get("label", ""), taken))
    return edits.add_flag(flag, f"{flag.label}: a new {'counter' if flag.counts else 'flag'}")


def _change_flag(model: Model, form: Form) -> Apply:
    flag = _flag(form, form.get("flag", ""))
    known = next((one for one in model.flags if one.name == flag.name), flag)
    was, became = _months_marked(known), _months_marked(flag)
    told = f"marks {became}, before {was}" if was != became else "changed"
    if known.label != flag.label:
        told = f"now called {flag.label}" + (f", {told}" if was != became else "")
    return edits.change_flag(flag, f"{known.label}: {told}")


def _months_marked(flag: Flag) -> str:
    span = f"from {flag.first.label}" if flag.first else ""
    span += f" to {flag.last.label}" if flag.last else ""
    of_year = ", ".join(MONTH_NAMES[month - 1] for month in flag.months_of_year)
    return " ".join(filter(None, (of_year, span.strip()))) or "every month"


def _remove_flag(model: Model, form: Form) -> Apply:
    name = form.get("flag", "")
    return edits.remove_flag(name, f"{name}: flag removed")


# units


def _unit(model: Model, form: Form) -> Apply:
    """A unit spelled and shown as the form says; where it says nothing, as usual again."""
    many, one = (" ".join(form.get(key, "").split()) for key in ("unit", "one"))
    text = form.get("decimals", "").strip()
    if text and not (text.isascii() and text.isdecimal() and len(text) == 1):
        raise InvalidValue(f"How many decimals? Expected 0 to {MOST_DECIMALS}, or nothing for as usual; got “{text}”.")
    unit = UnitForm(many, one, int(text) if text else None)
    others = [asdict(known) for known in model.units if known.many != many]
    is_usual = not unit.one and unit.decimals is None
    words = [f"one {unit.one}"] if unit.one else []
    words += [f"{unit.decimals} decimal{'' if unit.decimals == 1 else 's'}"] if unit.decimals is not None else []
    before = next((known for known in model.units if known.many == many), None)
    was = [] if before is None else [f"one {before.one}"] * bool(before.one)
    if before is not None and before.decimals is not None:
        was.append(f"{before.decimals} decimal{'' if before.decimals == 1 else 's'}")
    usual = "spelled and shown as usual"
    sentence = f"Unit {many}: {', '.join(words) or usual}, before {', '.join(was) or usual}"
    return edits.change_model(sentence, units=others if is_usual else [*others, asdict(unit)])


FORM_EDITS: dict[str, Callable[[Model, Form], Apply]] = {
    "timeline": _timeline,
    "close": _close_month,
    "model": _model,
    "add_dimension": _add_dimension,
    "rename_dimension": _rename_dimension,
    "remove_dimension": _remove_dimension,
    "add_member": _add_member,
    "rename_member": _rename_member,
    "describe_member": _describe_member,
    "move_member": _move_member,
    "remove_member": _remove_member,
    "retire_member": _retire_member,
    "add_profile": _add_profile,
    "change_profile": _change_profile,
    "remove_profile": _remove_profile,
    "add_flag": _add_flag,
    "change_flag": _change_flag,
    "remove_flag": _remove_flag,
    "unit": _unit,
}
