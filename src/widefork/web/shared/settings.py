"""Settings of schedules and questions of patterns as text in a field, and back."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from widefork.core.axes import Month
from widefork.core.errors import InvalidModel, InvalidValue
from widefork.core.finance.schedules import NAME, Setting, SettingKind
from widefork.core.graph.model import Model
from widefork.core.lines import Line
from widefork.core.rules import RULES, read_rule, write_rule
from widefork.web.shared import formats
from widefork.web.shared.rule_words import exact, exact_phrase, read_amount, read_phrase


@dataclass(frozen=True, kw_only=True)
class Question:
    """A question as its field; ``when`` names the choice it hangs on, as ``key=word|word``."""

    key: str
    label: str
    kind: str
    usual: str
    unit: str
    hint: str
    when: str
    is_required: bool
    choices: tuple[tuple[str, str], ...]
    columns: tuple["Question", ...] = ()


def question_of(question: Setting, currency: str) -> Question:
    """Return a question as its field, its columns too."""
    unit = question.unit.replace("CUR", currency)
    usual = "" if question.default is None else setting_text(question, question.default, unit)
    if question.kind in (SettingKind.SERIES, SettingKind.AMOUNT) and question.default == 0:
        usual = ""
    when = f"{question.when[0]}={'|'.join(question.when[1])}" if question.when else ""
    return Question(
        key=question.key,
        label=question.label,
        kind=question.kind.name.lower(),
        usual=usual,
        unit=unit if not unit.startswith("%") else "%",
        hint=question.hint,
        when=when,
        is_required=question.is_required,
        choices=question.choices,
        columns=tuple(question_of(column, currency) for column in question.columns),
    )


def setting_text(setting: Setting, value: Any, unit: str) -> str:
    """Return an answer as a field shows it."""
    match setting.kind:
        case SettingKind.SERIES:
            return exact_phrase(read_rule(RULES, value), unit).removeprefix("flat ")
        case SettingKind.AMOUNT:
            return exact(float(value), unit)
        case SettingKind.AMOUNTS:
            return "; ".join(formats.written_out(float(entry)) for entry in value)
        case SettingKind.MONTH:
            return Month.parse(str(value)).label
        case SettingKind.ROWS:
            return f"{len(value)} rows"
    return str(value)


def read_answer(setting: Setting, form: Mapping[str, str], model: Model) -> Any:
    """Return what a form answers to a question; None where it does not.

    A series may be the name or label of a line there is already, or a share of it (“12 % of Sign-ups”). Rows
    come as ``<key>.<place>.<column>``.

    Parameters
    ----------
    model : with all its lines.

    Raises
    ------
    InvalidValue: what cannot be read, with the question, and the row's name, before it.
    """
    if setting.kind is SettingKind.ROWS:
        return _rows(setting, form, model) or None
    typed = form.get(setting.key, "").strip()
    if setting.kind in (SettingKind.SERIES, SettingKind.LINE) and typed:
        line = line_called(typed, model)
        if setting.kind is SettingKind.LINE:
            if line is None:
                raise InvalidValue(f"{setting.label.capitalize()}: expected the name of a line; got “{typed}”.")
            return line.name
        if line is not None:
            return {"line": line.name}
        if (read := member_called(typed, model) or _share_called(typed, model)) is not None:
            return read
    return read_setting(setting, typed, None, model)


def line_called(typed: str, model: Model) -> Line | None:
    """Return the line whose name or label was typed; None where there is none."""
    wanted = typed.strip().lower()
    named = model.line_by_name.get(wanted)
    return named or next((line for line in model.lines if line.label.lower() == wanted), None)


def member_called(typed: str, model: Model) -> dict[str, str] | None:
    """Return the line and member that “Heads at Support” means, as a pattern's answer; None where it means none."""
    for split in re.finditer(r" at ", typed):
        line = line_called(typed[: split.start()], model)
        wanted = typed[split.end() :].strip().strip('"').lower()
        members = [m for d in model.dimensions_of(line) for m in d.members] if line is not None else []
        found = next((member for member in members if member.lower() == wanted), None)
        if line is not None and found is not None:
            return {"line": line.name, "at": found}
    return None


MOST_TOLD = 3
"""Settings a sentence of the log names with both values; of more it says how many."""
NOTHING = "nothing"


def changes_told(settings: Sequence[Setting], before: Mapping[str, Any], after: Mapping[str, Any], model: Model) -> str:
    """Return what of some settings became what, as “days until customers pay 47 to 40”; empty for nothing.

    Parameters
    ----------
    before, after : by key; what is missing or None is what is usual.
    """
    told = []
    for setting in settings:
        was, became = (_told(setting, document.get(setting.key), model) for document in (before, after))
        if before.get(setting.key) != after.get(setting.key):
            told.append(f"{setting.label} {was} to {became}" if was != became else setting.label)
    more = len(told) - MOST_TOLD
    return ", ".join(told[:MOST_TOLD]) + (f" and {more} more" if more > 0 else "")


def _told(setting: Setting, value: Any, model: Model) -> str:
    value = setting.default if value is None else value
    if value is None or value == ():
        return NOTHING
    if setting.kind is SettingKind.LINES:
        return " and ".join(known.label if (known := model.line_by_name.get(name)) else str(name) for name in value)
    if setting.kind is SettingKind.CHOICE:
        return dict(setting.choices).get(value, str(value))
    if setting.kind is SettingKind.LINE:
        return known.label if (known := model.line_by_name.get(str(value))) else str(value)
    return setting_text(setting, value, setting.unit.replace("CUR", model.currency))


_SHARE_OF = re.compile(r"(?P<share>[^%]+)%\s+of\s+(?P<what>.+)")


def _share_called(typed: str, model: Model) -> dict[str, Any] | None:
    """Return what “12 % of Sign-ups” means, as a pattern's answer; None where it means none."""
    said = _SHARE_OF.fullmatch(typed)
    if said is None:
        return None
    line = line_called(said["what"], model)
    read = {"line": line.name} if line is not None else member_called(said["what"], model)
    if read is None:
        raise InvalidValue(f"“{said['what']}” is no line here, of which {said['share'].strip()} % could be taken.")
    return {**read, "share": formats.read_number(said["share"]) / 100}


def _rows(setting: Setting, form: Mapping[str, str], model: Model) -> list[dict[str, Any]]:
    begins = f"{setting.key}."
    places = sorted({int(key.split(".")[1]) for key in form if re.fullmatch(rf"{setting.key}\.\d+\.\w+", key)})
    found = []
    for place in places:
        cells = {column.key: form.get(f"{begins}{place}.{column.key}", "") for column in setting.columns}
        name = " ".join(form.get(f"{begins}{place}.{NAME}", "").split())
        typed = [cells[column.key] for column in setting.columns if column.kind is not SettingKind.CHOICE]
        if not name and not any(cell.strip() for cell in typed):
            continue
        try:
            row = {column.key: _read_cell(column, cells, model) for column in setting.columns}
        except InvalidValue as fault:
            raise InvalidValue(f"{name or f'Row {place + 1}'}, {fault.sentence}") from fault
        found.append({NAME: name, **{key: value for key, value in row.items() if value is not None}})
    return found


def _read_cell(column: Setting, cells: Mapping[str, str], model: Model) -> Any:
    """A cell's answer; only a column of lines takes the name of one."""
    if column.kind is SettingKind.LINE:
        return read_answer(column, cells, model)
    return read_setting(column, cells[column.key], None, model)


def read_setting(setting: Setting, typed: str, now: Any, model: Model) -> Any:
    """Return what was typed into a setting's field as the open text format has it; None where nothing was.

    Parameters
    ----------
    now : what stands there; kept with all its digits where the field still shows it. None for nothing.

    Raises
    ------
    InvalidValue: what cannot be read, with the setting's name before it.
    """
    unit = setting.unit.replace("CUR", model.currency)
    text = typed.strip()
    if not text:
        return None
    if now is not None and text == setting_text(setting, now, unit):
        return now  # what is not touched keeps every digit
    try:
        value = _value(setting, text, unit, model.timeline.start)
        if now is None and setting.default is not None and value == setting.default:
            return None
        return value
    except (InvalidValue, InvalidModel) as fault:
        raise InvalidValue(f"{setting.label.capitalize()}: {getattr(fault, 'sentence', fault)}") from fault


def _value(setting: Setting, text: str, unit: str, first: Month) -> Any:
    match setting.kind:
        case SettingKind.SERIES:
            return write_rule(RULES, read_phrase(text, unit, first))
        case SettingKind.AMOUNT:
            return read_amount(text, unit)
        case SettingKind.AMOUNTS:
            return [read_amount(part, unit) for part in re.split(r"[;\n\t]", text) if part.strip()]
        case SettingKind.WHOLE:
            if not text.isdecimal() or len(text) > 4:
                raise InvalidValue(f"expected a whole number; got “{text}”.")
            return int(text)
        case SettingKind.MONTH:
            return str(Month.parse(text))
    return text
