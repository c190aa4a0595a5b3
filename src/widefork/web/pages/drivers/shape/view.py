"""The shape of an assumption, opened under its row: its rule as words, as a form and as a curve to drag."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Grain
from widefork.core.changes import ByRule, Operation
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import Line, MemberKey
from widefork.core.rules import RULES, Rule, RuleKind
from widefork.core.rules.flat import Flat
from widefork.web.pages.drivers.shape.rule_form import FieldRow, field_row, part_of
from widefork.web.pages.drivers.sheet.cells import Asked
from widefork.web.pages.drivers.sheet.gestures import label_of
from widefork.web.pages.drivers.sheet.view import Builder
from widefork.web.shared import formats
from widefork.web.shared.context import View
from widefork.web.shared.ranges import range_words
from widefork.web.shared.rule_words import exact_phrase
from widefork.web.shared.wording import steps_in_words

Values = NDArray[np.float64]
CURVE_HEIGHT, CURVE_MARGIN = 164.0, 20.0


@dataclass(frozen=True, kw_only=True)
class CurvePoint:
    """A month of the curve."""

    month: str
    label: str
    x: float
    y: float
    value: str
    text: str
    can_move: bool


@dataclass(frozen=True, kw_only=True)
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


@dataclass(frozen=True, kw_only=True)
class Shape:
    """All of the strip."""

    name: str
    at: str
    title: str
    unit: str
    kinds: tuple[tuple[str, str, str, bool], ...]
    kind: str
    phrase: str
    fields: tuple[FieldRow, ...]
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
    rule = rule_here(view, line, members)
    now = values_now(view, line, members, view.place)
    present = kind_of(rule)
    kind = RULES[asked.kind] if asked.kind in RULES.names else present
    shown, keeps = rule, ""
    if kind is not present:
        shown = kind.read(kind.fit(view.snapshot.model.timeline, now))
        keeps = _keeps(kind, now, shown.values(view.snapshot.model.timeline))
    builder = Builder(view, asked)
    return Shape(
        name=name,
        at=at,
        title=label_of(line, members),
        unit=line.unit,
        kinds=tuple(
            (k.name, k.label, view.address.url(shape=asked.shaped, kind=k.name), k is kind)
            for k in RULES
            if k is kind or not k.is_made
        ),
        kind=kind.name,
        phrase=exact_phrase(shown, line.unit),
        fields=tuple(field_row(field, part_of(kind, shown, field), line.unit) for field in kind.fields),
        keeps=keeps,
        note=line.note,
        plausible=range_words(line.plausible, line.unit),
        latest=latest,
        reach=builder.reach(line, members),
        curve=_curve(view, line, members, shown if kind is not present else None, column_width),
        close_url=view.address.url(shape="", kind=""),
        is_own=not line.is_generated,
        root_label=view.snapshot.model.cases[0].label,
        is_root=view.place == 0,
    )


def rule_here(view: View, line: Line, members: MemberKey) -> Rule:
    """Return the rule a row has in the active case: that of its latest step that gives it one, or the line's own."""
    rule = line.rules.get(members) or line.rules.get(()) or next(iter(line.rules.values()))
    for _, change in steps_in_words(view.snapshot.model, view.address.case):
        is_whole = change.operation is Operation.SET and change.last is None and change.strength == 1
        if change.line != line.name or not is_whole or not change.is_about(line.dimensions, members):
            continue
        if change.course is None:
            rule = Flat(change.amount)
        elif isinstance(change.course, ByRule) and change.course.since == change.first:
            rule = change.course.rule
    return rule


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
        width=len(months) * column_width,
        height=CURVE_HEIGHT,
        path=path(now),
        root=path(root) if not np.array_equal(root, now) else "",
        wanted=path(wanted) if tried is not None else "",
        band=(y(float(band[1])), y(float(band[0]))) if band is not None else None,
        points=tuple(
            CurvePoint(
                month=str(month),
                label=month.label,
                x=(place + 0.5) * column_width,
                y=y(float(value)),
                value=formats.typed(float(value), line.unit),
                text=formats.amount(float(value), line.unit),
                can_move=not timeline.is_actual(month),
            )
            for place, (month, value) in enumerate(zip(months, now, strict=True))
        ),
        grid=tuple((y(value), formats.amount(value, line.unit)) for value in (low, high)),
        boundary=edge * column_width if 0 < edge < len(months) else None,
        per_unit=per_unit / (100 if line.unit.startswith("%") else 1),
    )


def _band(line: Line, now: Values) -> Values | None:
    plausible = line.plausible
    if plausible is None:
        return None
    level = float(np.mean(now)) if plausible.is_relative else 0.0
    if plausible.is_relative:
        return np.array([level * (1 + plausible.low), level * (1 + plausible.high)])
    return np.array([plausible.low, plausible.high])
