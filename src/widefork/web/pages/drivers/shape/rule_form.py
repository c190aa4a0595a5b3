"""Rules as forms: what a rule says as fields, and fields back to a rule; also a phrase back to a rule."""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from widefork.core.axes import Month
from widefork.core.errors import InvalidModel, InvalidValue
from widefork.core.rules import RULES, FieldKind, Rule, RuleField, RuleKind
from widefork.web.shared import formats
from widefork.web.shared.rule_words import read_amount

MOST_ROWS = 400


@dataclass(frozen=True, kw_only=True)
class FieldRow:
    """An input of the form."""

    name: str
    label: str
    value: str
    kind: str
    choices: tuple[str, ...] = ()


_NAMES = {
    FieldKind.AMOUNT: "text",
    FieldKind.TEXT: "text",
    FieldKind.RATE: "text",
    FieldKind.COUNT: "text",
    FieldKind.MONTH: "text",
    FieldKind.CHOICE: "choice",
    FieldKind.WEIGHTS: "wide",
    FieldKind.AMOUNTS: "area",
    FieldKind.BY_MONTH: "area",
    FieldKind.BY_PERIOD: "area",
}


def part_of(kind: RuleKind, rule: Rule, field: RuleField) -> Any:
    """Return what a rule says of one of its fields."""
    document = rule.document()
    return document[field.key] if field.key else document


def field_row(field: RuleField, part: Any, unit: str) -> FieldRow:
    """Return a field as the form shows it, with all its digits."""
    name = f"f.{field.key}"
    match field.kind:
        case FieldKind.AMOUNT:
            text = formats.typed(float(part), unit)
        case FieldKind.RATE:
            text = f"{formats.written_out(float(part) * 100)} %"
        case FieldKind.MONTH:
            text = Month.parse(str(part)).label
        case FieldKind.WEIGHTS:
            text = "/".join(map(formats.written_out, part))
        case FieldKind.AMOUNTS:
            text = "; ".join(formats.typed(float(amount), unit) for amount in part)
        case FieldKind.BY_MONTH:
            text = "\n".join(f"{Month.parse(str(m)).label}: {formats.typed(float(v), unit)}" for m, v in part.items())
        case FieldKind.BY_PERIOD:
            text = "\n".join(f"{_period(key)}: {formats.typed(float(v), unit)}" for key, v in part.items())
        case _:
            text = str(part) if not isinstance(part, list) else "/".join(map(formats.written_out, part))
    choices = (*field.choices, text) if field.choices and text not in field.choices else field.choices
    return FieldRow(name=name, label=field.label, value=text, kind=_NAMES[field.kind], choices=choices)


def _period(key: Any) -> str:
    quarter = re.fullmatch(r"(\d{4})Q([1-4])", str(key))
    return f"Q{quarter[2]} {quarter[1][2:]}" if quarter else f"FY{str(key).removeprefix('FY')[2:]}"


def read_form(kind_name: str, given: Mapping[str, str], unit: str) -> Rule:
    """Return the rule a form says.

    Raises
    ------
    InvalidValue: a field that cannot be read; names it.
    """
    if kind_name not in RULES.names:
        raise InvalidValue(f"Expected a kind of rule; got “{kind_name}”. Choose one above.")
    kind = RULES[kind_name]
    parts = {field.key: _read_field(field, given.get(f"f.{field.key}", ""), unit) for field in kind.fields}
    document = parts[""] if list(parts) == [""] else parts
    try:
        return kind.read(_as_documents(kind, document))
    except InvalidModel as fault:
        raise InvalidValue(str(fault)) from fault


def _as_documents(kind: RuleKind, document: Any) -> Any:
    """Periods as this kind of rule writes them."""
    if kind.name == "by_year":
        return {int(key[2:]): value for key, value in document.items() if key.startswith("FY")} or document
    if kind.name == "seasonal":
        return {**document, "totals": _as_documents(RULES["by_year"], document["totals"])}
    return document


def _read_field(field: RuleField, text: str, unit: str) -> Any:
    said = text.strip()
    try:
        match field.kind:
            case FieldKind.AMOUNT:
                return read_amount(said, unit)
            case FieldKind.TEXT:
                return said
            case FieldKind.RATE:
                return round(formats.read_number(said.removesuffix("%")) / 100, 10)
            case FieldKind.COUNT:
                return int(said) if said.isdecimal() else said
            case FieldKind.MONTH:
                return str(Month.parse(said))
            case FieldKind.WEIGHTS:
                return [formats.read_number(part) for part in said.split("/")]
            case FieldKind.AMOUNTS:
                return [read_amount(part, unit) for part in re.split(r"[;\n\t]", said) if part.strip()]
            case FieldKind.BY_MONTH:
                return {str(Month.parse(key)): value for key, value in _pairs(said, unit)}
            case FieldKind.BY_PERIOD:
                return {_period_key(key): value for key, value in _pairs(said, unit)}
    except InvalidValue as fault:
        raise InvalidValue(f"{field.label or 'This'}: {fault.sentence}") from fault
    return [formats.read_number(part) for part in said.split("/")] if "/" in said else said


def _pairs(text: str, unit: str) -> list[tuple[str, float]]:
    rows = [row for row in re.split(r"[;\n]", text) if row.strip()]
    if not rows or len(rows) > MOST_ROWS:
        raise InvalidValue("Expected one entry a row, like “Jan 27: 46.00”.")
    pairs = []
    for row in rows:
        key, colon, amount = row.partition(":")
        if not colon:
            raise InvalidValue(f"Expected an entry like “Jan 27: 46.00”; got “{row.strip()}”.")
        pairs.append((key.strip(), read_amount(amount, unit)))
    return pairs


def _period_key(text: str) -> str:
    year = re.fullmatch(r"FY(\d{2}|\d{4})", text)
    quarter = re.fullmatch(r"Q([1-4]) (\d{2}|\d{4})", text)
    if year is None and quarter is None:
        raise InvalidValue(f"Expected a fiscal year like FY27 or a quarter like Q1 27; got “{text}”.")
    number = (year[1] if year else quarter[2] if quarter else "")[-2:]
    return f"FY20{number}" if year else f"20{number}Q{quarter[1] if quarter else ''}"
