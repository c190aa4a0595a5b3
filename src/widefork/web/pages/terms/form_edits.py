"""What the forms of Terms come to, each as one edit."""

from collections.abc import Callable
from typing import Any

from werkzeug.datastructures import MultiDict

from widefork.core.axes import Month
from widefork.core.changes import Change, Operation
from widefork.core.errors import InvalidModel, InvalidValue, UnknownName
from widefork.core.finance.schedules import SCHEDULES, Schedule, SettingKind
from widefork.core.finance.settlement import SETTLED
from widefork.core.finance.statements import CAPTION_BY_NAME, OPENING_CAPTIONS
from widefork.core.graph.model import Model, ScheduleSettings
from widefork.store import edits
from widefork.store.edits import Apply, together
from widefork.web.pages.terms.fields import read_settings
from widefork.web.pages.terms.view import register_of
from widefork.web.shared import formats
from widefork.web.shared.blocks import read_block
from widefork.web.shared.naming import name_from
from widefork.web.shared.settings import changes_told
from widefork.web.shared.wording import caught_up

LONGEST_LABEL = 60


def form_edit(doing: str, model: Model, form: "MultiDict[str, str]") -> Apply:
    """Return the edit a form of Terms asks for.

    Raises
    ------
    InvalidValue, InvalidModel, UnknownName: what was expected, what came.
    """
    if doing not in FORM_EDITS:
        raise InvalidValue(f"Terms know no “{doing}”. Reload the page and try again.")
    return FORM_EDITS[doing](model, form)


def _given(model: Model, form: "MultiDict[str, str]") -> ScheduleSettings:
    name = form.get("schedule", "")
    for given in model.schedules:
        if given.name == name:
            return given
    raise UnknownName("schedule", name, [given.name for given in model.schedules])


def _label(form: "MultiDict[str, str]", what: str) -> str:
    label = " ".join(form.get("label", "").split())
    if not label or len(label) > LONGEST_LABEL:
        raise InvalidValue(f"{what} needs a name of 1 to {LONGEST_LABEL} letters.")
    return label


def _add(model: Model, form: "MultiDict[str, str]") -> Apply:
    kind: Schedule = SCHEDULES[form.get("kind", "")]
    label = _label(form, kind.label)
    settings = {key: value for key, value in read_settings(kind, form, {}, model).items() if value is not None}
    name = name_from(label, _Taken([*CAPTION_BY_NAME, *(line.name for line in model.lines)], model.schedules))
    return edits.add_schedule(kind.name, name, label, settings, f"{label}: new, {kind.label.lower()}")


class _Taken:
    """Names a schedule cannot have: another's, a line's, or one that a line's name begins with like its own would."""

    def __init__(self, lines: list[str], schedules: tuple[ScheduleSettings, ...]) -> None:
        self.lines, self.schedules = lines, {given.name for given in schedules} | {SETTLED}

    def __contains__(self, name: object) -> bool:
        return name in self.schedules or any(line == name or line.startswith(f"{name}_") for line in self.lines)


def _change(model: Model, form: "MultiDict[str, str]") -> Apply:
    given = _given(model, form)
    kind = SCHEDULES[given.kind]
    label = _label(form, kind.label)
    changed = read_settings(kind, form, given.settings, model)
    renamed = label if label != given.label else ""
    if not changed and not renamed:
        raise InvalidValue("Nothing was changed.")
    what = changes_told(kind.settings, given.settings, {**given.settings, **changed}, model)
    told = ", ".join(filter(None, (f"now called {label}" if renamed else "", what)))
    told = f"{given.label}: {told}"
    return edits.change_schedule(given.name, told, renamed, changed)


def _remove(model: Model, form: "MultiDict[str, str]") -> Apply:
    given = _given(model, form)
    return edits.remove_schedule(given.name, f"{given.label}: removed")


def _move(model: Model, form: "MultiDict[str, str]") -> Apply:
    given, up = _given(model, form), form.get("way") == "up"
    return edits.move_schedule(given.name, -1 if up else 1, f"{given.label}: moved {'up' if up else 'down'}")


def _detach(model: Model, form: "MultiDict[str, str]") -> Apply:
    given = _given(model, form)
    return edits.detach_schedule(given.name, f"{given.label}: its lines are ordinary ones now")


def _settle(model: Model, form: "MultiDict[str, str]") -> Apply:
    """Say who settles a line: taken out of the schedule it is in, and put into another."""
    line = model.line(form.get("line", ""))
    target = form.get("by", "")
    taken_out: list[Apply] = []
    put_in: list[Apply] = []
    told = "paid in the month"
    for given in model.schedules:
        names = list(given.settings.get("of", ()))
        if given.kind not in ("receivables", "payables", "accrued_costs", "payroll"):
            continue
        if line.name in names and given.name != target:
            left = [name for name in names if name != line.name]
            if not left:
                raise InvalidModel(
                    f"{line.label} is the only line of {given.label}; remove that schedule instead, under its name.",
                    f"schedules/{given.name}",
                )
            taken_out.append(edits.change_schedule(given.name, "", settings={"of": left}))
        if given.name == target and line.name not in names:
            put_in.append(edits.change_schedule(given.name, "", settings={"of": [*names, line.name]}))
            told = f"settled by {given.label}"
    if target and target not in {given.name for given in model.schedules}:
        raise UnknownName("schedule", target, [given.name for given in model.schedules])
    if not taken_out and not put_in:
        raise InvalidValue("Nothing was changed.")
    return together([*taken_out, *put_in], f"{line.label}: {told}")  # out first: one line has one schedule


def _opening(model: Model, form: "MultiDict[str, str]") -> Apply:
    balances = dict(model.opening_balances)
    for name in OPENING_CAPTIONS:
        if name in form:
            text = form[name].strip()
            balances[name] = formats.read_number(text) if text else 0.0
    if balances == dict(model.opening_balances):
        raise InvalidValue("Nothing was changed.")
    told = [
        f"{CAPTION_BY_NAME[name].label} {formats.amount(model.opening_balances.get(name, 0.0), model.currency)} to "
        f"{formats.amount(balance, model.currency)}"
        for name, balance in balances.items()
        if balance != model.opening_balances.get(name, 0.0)
    ]
    return edits.change_model(f"Opening balance sheet: {', '.join(told)}", opening_balances=balances)


def _asset(model: Model, form: "MultiDict[str, str]") -> Apply:
    """Change an asset's row, or add one."""
    given = _given(model, form)
    kind = SCHEDULES[given.kind]
    register = register_of(kind, given)
    dimension = model.dimension_by_name[register]
    member, label = form.get("member", ""), _label(form, "An asset")
    known = dict(dimension.attributes.get(member, {})) if member else {}
    for attribute in kind.attributes:
        if attribute.key not in form:
            continue
        text = form[attribute.key].strip()
        if not text:
            known.pop(attribute.key, None)
        else:
            known[attribute.key] = _attribute(attribute.kind, attribute.unit, text, attribute.label, label)
    if not member:
        return edits.add_member(register, label, f"{label}: new in {given.label}", known)
    dimension.index(member)
    if known == dict(dimension.attributes.get(member, {})) and label == member:
        raise InvalidValue("Nothing was changed.")
    what = changes_told(kind.attributes, dimension.attributes.get(member, {}), known, model)
    told = ", ".join(filter(None, (f"now called {label}" if label != member else "", what)))
    return edits.change_member(register, member, f"{member}, {given.label}: {told}", label, known)


def _paste_assets(model: Model, form: "MultiDict[str, str]") -> Apply:
    """Take assets as a clipboard carries them: a row each, the name first; headings say which column is which."""
    given = _given(model, form)
    kind = SCHEDULES[given.kind]
    register = register_of(kind, given)
    dimension = model.dimension_by_name[register]
    rows = read_block(form.get("text", ""))
    attributes = kind.attributes
    headings = {setting.label.lower(): setting for setting in attributes}
    if len(rows[0]) > 1 and all(cell.lower() in headings for cell in rows[0][1:] if cell):
        attributes = tuple(headings[cell.lower()] for cell in rows[0][1:] if cell)
        rows = rows[1:]
    if not rows or len(rows[0]) > len(attributes) + 1:
        expected = ", ".join(setting.label for setting in attributes)
        raise InvalidValue(f"Expected the name and up to {len(attributes)} columns ({expected}); got {len(rows[0])}.")
    steps: list[Apply] = []
    for row in rows:
        name = row[0]
        if not name or len(name) > LONGEST_LABEL:
            raise InvalidValue(
                f"An asset needs a name of 1 to {LONGEST_LABEL} letters in the first column; got “{name}”."
            )
        known = dict(dimension.attributes.get(name, {}))
        for setting, cell in zip(attributes, row[1:], strict=False):
            if cell:
                words = {label.lower(): word for word, label in setting.choices}
                text = words.get(cell.lower(), cell)
                known[setting.key] = _attribute(setting.kind, setting.unit, text, setting.label, name)
        if name in dimension.members:
            steps.append(edits.change_member(register, name, "", name, known))
        else:
            steps.append(edits.add_member(register, name, "", known))
    return together(steps, f"{given.label}: {len(rows)} {'asset' if len(rows) == 1 else 'assets'} pasted")


def _attribute(kind: SettingKind, unit: str, text: str, label: str, asset: str) -> str | float:
    if kind in (SettingKind.TEXT, SettingKind.CHOICE):
        return text
    try:
        if kind is SettingKind.MONTH:
            return str(Month.parse(text))
        value = formats.read_number(text.removesuffix("%"))
    except InvalidValue as fault:
        raise InvalidValue(f"{asset}, {label}: {fault.sentence}") from fault
    return value / 100 if unit.startswith("%") else value


def _remove_asset(model: Model, form: "MultiDict[str, str]") -> Apply:
    given = _given(model, form)
    member = form.get("member", "")
    register = register_of(SCHEDULES[given.kind], given)
    model.dimension_by_name[register].index(member)
    return edits.remove_member(register, member, f"{member}: removed from {given.label}")


def put_off(model: Model, form: "MultiDict[str, str]") -> tuple[Change, str]:
    """Return the change that puts a settlement off for some months and catches up, and its sentence.

    Parameters
    ----------
    model : with all its lines.

    Raises
    ------
    InvalidValue, UnknownName: what was expected, what came.
    """
    line = model.line(form.get("line", ""))
    share = formats.read_number(form.get("share", "100").strip().removesuffix("%") or "100") / 100
    months = form.get("over", "").strip()
    if not months.isdecimal() or not 1 <= int(months) <= 120:
        raise InvalidValue(f"Caught up over how many months? Expected 1 to 120; got “{months}”.")
    first, last = (Month.parse(form.get(key, "").strip()) for key in ("first", "last"))
    if last < first:
        raise InvalidValue(f"{last.label} is before {first.label}.")
    change = Change(line.name, Operation.DEFER, share, (), first, last, catch_up_months=int(months))
    paid = caught_up(last, int(months), model.timeline.end)
    when = f"in {first.label}" if first == last else f"from {first.label} to {last.label}"
    told = f"{line.label}: {share * 100:g} % put off {when}, {paid}"
    return change, told


FORM_EDITS: dict[str, Callable[[Model, Any], Apply]] = {
    "add": _add,
    "change": _change,
    "remove": _remove,
    "detach": _detach,
    "move": _move,
    "settle": _settle,
    "opening": _opening,
    "asset": _asset,
    "paste_assets": _paste_assets,
    "remove_asset": _remove_asset,
}
