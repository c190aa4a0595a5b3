"""The shape of an assumption, opened under its row: its rule as words, as a form and as a curve to drag."""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Grain, Month
from widefork.core.errors import InvalidModel, InvalidValue
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import Line, MemberKey
from widefork.core.look import PlausibleRange
from widefork.core.rules import RULES, FieldKind, Rule, RuleField, RuleKind, read_rule, read_words, write_rule
from widefork.web.pages.drivers.gestures import label_of
from widefork.web.pages.drivers.view import Asked, Builder
from widefork.web.shared import formats
from widefork.web.shared.context import View

Values = NDArray[np.float64]
CURVE_HEIGHT, CURVE_MARGIN = 164.0, 20.0
MOST_ROWS = 400


@dataclass(frozen=True)
class FieldRow:
    """An input of the form."""

    name: str
    label: str
    value: str
    kind: str
    choices: tuple[str, ...] = ()


@dataclass(frozen=True)
class CurvePoint:
    """A month of the curve."""

    month: str
    label: str
    x: float
    y: float
    value: str
    text: str
    can_move: bool


@dataclass(frozen=True)
class Curve:
    """The curve over the sheet's columns; ``grid`` are (y, label). ``per_unit`` is pixels a unit as typed."""

    width: float
    height: float
    path: str
    root: str
    wanted: str
    band: tuple[float, float] | None
    points: tuple[CurvePoint, ...]
    grid: tuple[tuple[float, str], ...]
    boundary: float | None
    per_unit: float


@dataclass(frozen=True)
class Shape:
    """All of the strip."""

    name: str
    at: str
    title: str
    unit: str
    kinds: tuple[tuple[str, str, str, bool], ...]
    kind: str
    phrase: str
    fields: tuple[tuple[FieldRow, ...], ...]
    keeps: str
    note: str
    plausible: str
    latest: str
    reach: str
    curve: Curve | None
    close_url: str
    is_own: bool
    root_label: str
    is_root: bool


def build_shape(view: View, asked: Asked, latest: str, column_width: int) -> Shape | None:
    """Return the strip of the row that is asked for; None where there is none, or it is no assumption."""
    name, _, at = asked.shaped.partition("@")
    members = tuple(part for part in at.split("/") if part)
    line = view.snapshot.model.line_by_name.get(name)
    if line is None or not line.is_assumption or len(members) not in (0, len(line.dimensions)):
        return None
    if any(m not in d.members for d, m in zip(view.snapshot.model.dimensions_of(line), members, strict=False)):
        return None
    rule = line.rules.get(members) or line.rules.get(()) or next(iter(line.rules.values()))
    now = values_now(view, line, members, view.place)
    present = kind_of(rule)
    kind = RULES[asked.kind] if asked.kind in RULES.names else present
    shown, keeps = rule, ""
    if kind is not present:
        shown = kind.read(kind.fit(view.snapshot.model.timeline, now))
        keeps = _keeps(kind, now, shown.values(view.snapshot.model.timeline))
    builder = Builder(view, asked)
    return Shape(
        name,
        at,
        label_of(line, members),
        line.unit,
        tuple((k.name, k.label, view.address.url(shape=asked.shaped, kind=k.name), k is kind) for k in RULES),
        kind.name,
        shown.words(lambda value: _exact(value, line.unit)),
        tuple(_field(field, _part(kind, shown, field), line.unit) for field in kind.fields),
        keeps,
        line.note,
        range_words(line.plausible, line.unit),
        latest,
        builder.reach(line, members),
        _curve(view, line, members, shown if kind is not present else None, column_width),
        view.address.url(shape="", kind=""),
        not line.is_generated,
        view.snapshot.model.cases[0].label,
        view.place == 0,
    )


def values_now(view: View, line: Line, members: MemberKey, place: int) -> Values:
    """Return a row's months, shape (months,)."""
    months = view.snapshot.model.timeline.periods(Grain.MONTH)
    return roll_up(view.snapshot.results, line.name, months, members)[:, place]


def kind_of(rule: Rule) -> RuleKind:
    """Return a rule's kind."""
    return next(kind for kind in RULES if isinstance(rule, kind.rule))


def _keeps(kind: RuleKind, now: Values, wanted: Values) -> str:
    apart = int((~np.isclose(now, wanted, rtol=1e-9, atol=1e-9)).sum())
    if not apart:
        return "Says exactly the same numbers."
    return f"{kind.label} cannot say these numbers exactly: {apart} of {len(now)} months would change. Dashed: how."


def _exact(value: float, unit: str) -> str:
    """A value in words with all its digits, so that what is not touched does not move."""
    return f"{formats.typed(value, unit)} %" if unit.startswith("%") else formats.typed(value, unit)


# the form

_NAMES = {
    FieldKind.AMOUNT: "text",
    FieldKind.RATE: "text",
    FieldKind.COUNT: "text",
    FieldKind.MONTH: "text",
    FieldKind.CHOICE: "choice",
    FieldKind.WEIGHTS: "wide",
    FieldKind.AMOUNTS: "area",
    FieldKind.BY_MONTH: "area",
    FieldKind.BY_PERIOD: "area",
}


def _part(kind: RuleKind, rule: Rule, field: RuleField) -> Any:
    document = rule.document()
    return document[field.key] if field.key else document


def _field(field: RuleField, part: Any, unit: str) -> tuple[FieldRow, ...]:
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
    return (FieldRow(name, field.label, text, _NAMES[field.kind], choices),)


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
            case FieldKind.RATE:
                return round(formats.read_number(said.removesuffix("%")) / 100, 10)
            case FieldKind.COUNT:
                return int(said) if said.isdigit() else said
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


def read_amount(text: str, unit: str) -> float:
    """Return an amount in the line's unit; on a % line 5 and 5 % are the same."""
    value = formats.read_number(text.strip().removesuffix("%"))
    return value / 100 if unit.startswith("%") else value


def read_phrase(text: str, unit: str) -> Rule:
    """Return the rule a phrase says; raises InvalidValue with examples."""
    return read_words(RULES, text, lambda part: read_amount(part, unit))


def same_rule(one: Rule, other: Rule) -> bool:
    """Whether two rules are written alike."""
    return bool(write_rule(RULES, one) == write_rule(RULES, other))


# ranges

RANGE_EXAMPLE = "42 to 49, likely 46; or −10 % to +5 %"


def range_words(plausible: PlausibleRange | None, unit: str) -> str:
    """Return a plausible range as it is typed."""
    if plausible is None:
        return ""

    def show(value: float) -> str:
        if plausible.is_relative:
            return f"{value * 100:+.6g} %".replace("-", formats.MINUS)
        return formats.typed(value, unit)

    likely = f", likely {show(plausible.likely)}" if plausible.likely or not plausible.is_relative else ""
    return f"{show(plausible.low)} to {show(plausible.high)}{likely}"


def read_range(text: str, unit: str, usual: float) -> PlausibleRange | None:
    """Return the range a person typed: ``42 to 49``, ``42 to 49, likely 46``, ``-10 % to +5 %``; None for nothing.

    Parameters
    ----------
    usual : what is likely where nobody says, in the line's unit.

    Raises
    ------
    InvalidValue: any other text, or limits out of order.
    """
    said = " ".join(text.replace(formats.MINUS, "-").split())
    if not said:
        return None
    found = re.fullmatch(r"(.+?) to (.+?)(?:,? likely (.+))?", said)
    if found is None:
        raise InvalidValue(f"Expected a range like {RANGE_EXAMPLE}; got “{text.strip()}”.")
    is_relative = "%" in said and (not unit.startswith("%") or found[1].startswith(("+", "-")))

    def read(part: str) -> float:
        try:
            number = formats.read_number(part.strip().removesuffix("%").lstrip("+"))
        except InvalidValue as fault:
            raise InvalidValue(f"Expected a range like {RANGE_EXAMPLE}. {fault.sentence}") from fault
        return number / 100 if is_relative or unit.startswith("%") else number

    low, high = read(found[1]), read(found[2])
    between = min(max(0.0 if is_relative else usual, min(low, high)), max(low, high))
    try:
        return PlausibleRange(low, read(found[3]) if found[3] else between, high, is_relative)
    except InvalidModel as fault:
        raise InvalidValue(str(fault)) from fault


# the curve


def _curve(view: View, line: Line, members: MemberKey, tried: Rule | None, column_width: int) -> Curve | None:
    timeline = view.snapshot.model.timeline
    if view.address.grain is not Grain.MONTH:
        return None
    span = timeline.span(view.address.first, view.address.last)
    now = values_now(view, line, members, view.place)[span]
    root = values_now(view, line, members, 0)[span]
    wanted = tried.values(timeline)[span] if tried is not None else now
    band = _band(line, now)
    drawn = [series for series in (now, root, wanted, band) if series is not None]
    if not all(np.isfinite(series).all() for series in drawn):
        return None
    low, high = min(float(s.min()) for s in drawn), max(float(s.max()) for s in drawn)
    if high - low < 1e-12:
        low, high = low - (abs(low) * 0.1 or 1.0), high + (abs(high) * 0.1 or 1.0)
    per_unit = (CURVE_HEIGHT - 2 * CURVE_MARGIN) / (high - low)

    def y(value: float) -> float:
        return round(CURVE_HEIGHT - CURVE_MARGIN - (value - low) * per_unit, 1)

    def path(series: Values) -> str:
        return "M" + "L".join(f"{(place + 0.5) * column_width:.1f} {y(float(v))}" for place, v in enumerate(series))

    months = timeline.months[span]
    edge = timeline.actual_count - span.start
    return Curve(
        len(months) * column_width,
        CURVE_HEIGHT,
        path(now),
        path(root) if not np.array_equal(root, now) else "",
        path(wanted) if tried is not None else "",
        (y(float(band[1])), y(float(band[0]))) if band is not None else None,
        tuple(
            CurvePoint(
                str(month),
                month.label,
                (place + 0.5) * column_width,
                y(float(value)),
                formats.typed(float(value), line.unit),
                formats.amount(float(value), line.unit),
                not timeline.is_actual(month),
            )
            for place, (month, value) in enumerate(zip(months, now, strict=True))
        ),
        tuple((y(value), formats.amount(value, line.unit)) for value in (low, high)),
        edge * column_width if 0 < edge < len(months) else None,
        per_unit / (100 if line.unit.startswith("%") else 1),
    )


def _band(line: Line, now: Values) -> Values | None:
    plausible = line.plausible
    if plausible is None:
        return None
    level = float(np.mean(now)) if plausible.is_relative else 0.0
    if plausible.is_relative:
        return np.array([level * (1 + plausible.low), level * (1 + plausible.high)])
    return np.array([plausible.low, plausible.high])


def rule_at(line: Line, members: MemberKey) -> Rule:
    """Return the rule that gives a row its months."""
    return line.rules.get(members) or line.rules.get(()) or read_rule(RULES, 0)
