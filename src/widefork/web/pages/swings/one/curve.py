"""The curve of what is chosen: the figure over its range, today, the goal, where it bends; and a table of its ends."""

import json
from collections.abc import Sequence
from dataclasses import dataclass
from math import floor, isfinite, log10

import numpy as np

from widefork.core.analysis.figures import answer
from widefork.core.analysis.sensitivity import Bend, Curve, Stretch, Way, trace_curve
from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate
from widefork.core.figures import Figure
from widefork.web.pages.swings.one.asked import Asked
from widefork.web.shared import formats
from widefork.web.shared.charts.scale import Scale, path, round_ticks
from widefork.web.shared.context import View
from widefork.web.shared.lever_words import amount_words, bend_words, end_words, moved_words

WIDTH, HEIGHT = 370, 214
LEFT, RIGHT, TOP, BOTTOM = 62, 12, 22, 24
MOST_BENDS = 3
"""Bends named in the picture; the words name all of them."""
AROUND = 0.5
"""Of the range, by so much it is shown beyond it on both sides."""


@dataclass(frozen=True, kw_only=True)
class CurveRow:
    """The figures at one amount. ``amount`` is empty for things as they are."""

    label: str
    figure: str
    second: str
    month: str
    amount: str
    is_goal: bool


@dataclass(frozen=True, kw_only=True)
class CurveView:
    """The whole side: pixels of the picture, rows of the table, and words.

    Parameters
    ----------
    points : for walking along the curve, as JSON: [x, y, amount, its words, figures in words].
    ribbon : (x, width) of the range between the ends. bends : (x, y, words). together : what it hangs together with.
    """

    key: str
    label: str
    path: str
    points: str
    x_ticks: tuple[tuple[float, str], ...]
    y_ticks: tuple[tuple[float, str], ...]
    ribbon: tuple[float, float]
    goal_y: float | None
    goal_text: str
    today: tuple[float, float, str] | None
    mark: tuple[float, float, str, str] | None
    bends: tuple[tuple[float, float, str], ...]
    rows: tuple[CurveRow, ...]
    words: tuple[str, ...]
    caption: str
    width: int
    height: int
    bottom: int


def build_curve(view: View, asked: Asked, stretch: Stretch) -> CurveView:
    """Return the side of what is chosen; kept with the model as it stands."""
    key = ("curve", view.address.case, stretch, asked.figure, asked.second, asked.goal, asked.sense)
    return view.snapshot.kept(key, lambda: _build(view, asked, stretch))


def _build(view: View, asked: Asked, stretch: Stretch) -> CurveView:
    snapshot, model = view.snapshot, view.snapshot.model
    changes = model.changes_of(view.address.case)
    figures = (asked.figure,) if asked.second is None else (asked.figure, asked.second)
    line = model.line(asked.figure.line)
    low, high = _reach(view, asked, stretch)
    curve = trace_curve(snapshot.plan, changes, figures, stretch, low, high)

    def figure(value: float) -> str:
        return formats.figure_text(asked.figure, line, value)

    values = [float(v) for v in curve.values[0] if isfinite(v)] + ([] if asked.goal is None else [asked.goal])
    span = (min(values), max(values)) if values else (0.0, 1.0)
    ticks = round_ticks(*span, 4) if not asked.figure.reduction.gives_month else span
    x = Scale(low=low, high=high, start=LEFT, end=WIDTH - RIGHT)
    y = Scale(low=ticks[0], high=ticks[-1] if ticks[-1] > ticks[0] else ticks[0] + 1, start=HEIGHT - BOTTOM, end=TOP)
    met = _met(view, asked, stretch, curve)
    ends, now = (stretch.bounds[0], stretch.bounds[2]), stretch.bounds[1]
    rows = _rows(view, asked, stretch, figures, met)
    place = int(np.argmin(np.abs(curve.amounts - now))) if isfinite(now) else -1
    shows_now = isfinite(now) and low <= now <= high and isfinite(curve.values[0][place])
    words = _words(view, asked, stretch, curve, met)
    return CurveView(
        key=stretch.moved.key,
        label=moved_words(model, stretch.moved),
        path=path([(x(float(a)), y(float(v)) if isfinite(v) else float("nan"))
                   for a, v in zip(curve.amounts, curve.values[0], strict=True)]),
        points=_points(view, asked, stretch, curve, x, y),
        x_ticks=tuple((x(amount), text) for amount, text in _amount_ticks(view, stretch, low, high)),
        y_ticks=tuple((y(tick), figure(tick)) for tick in ticks),
        ribbon=(x(max(low, ends[0])), round(x(min(high, ends[1])) - x(max(low, ends[0])), 1)),
        goal_y=y(asked.goal) if asked.goal is not None else None,
        goal_text=f"goal: {asked.sense} {figure(asked.goal)}" if asked.goal is not None else "",
        today=(x(now), y(float(curve.values[0][place])), figure(float(curve.values[0][place]))) if shows_now else None,
        mark=(x(met), y(asked.goal), repr(met), amount_words(model, stretch, met))
        if met is not None and asked.goal is not None and low <= met <= high else None,
        bends=_marks(view, asked, stretch, curve, x, y),
        rows=rows,
        words=words,
        caption=f"{asked.figure.label} by {moved_words(model, stretch.moved)}",
        width=WIDTH,
        height=HEIGHT,
        bottom=HEIGHT - BOTTOM,
    )  # fmt: skip


def _reach(view: View, asked: Asked, stretch: Stretch) -> tuple[float, float]:
    """From where to where the curve goes: beyond both ends, but not below nothing nor above all."""
    low, _, high = stretch.bounds
    if not stretch.is_single:
        return -1.0 - 2 * AROUND, 1.0 + 2 * AROUND
    way = stretch.ways[0]
    line = view.snapshot.model.line(way.line)
    around = (high - low) * AROUND if asked.way is not Way.UNIT else (high - low) * 2
    start, stop = low - around, high + around
    if way.operation is Operation.SCALE:
        start = max(start, 0.0)
    is_part = line.unit == "%" and 0 <= way.becomes(low) <= way.becomes(high) <= 1
    if is_part and way.becomes(stop) > 1:
        stop = {Operation.SET: 1.0, Operation.ADD: 1.0 - way.value}.get(way.operation, 1 / (way.value or 1.0))
    if way.operation is not Operation.SCALE and way.becomes(low) >= 0 > way.becomes(start):
        start = 0.0 if way.operation is Operation.SET else -way.value
    return (start, stop) if start < stop else (low, high if high > low else low + 1.0)


def fine_step(stretch: Stretch) -> float:
    """Return the step an amount is rounded to: a tenth of a per cent, or a round part of the range."""
    low, _, high = stretch.bounds
    if stretch.ways[0].operation is Operation.SCALE or not stretch.is_single:
        return 0.001
    return float(10.0 ** floor(log10((high - low) / 100))) if high > low else 0.01


def _met(view: View, asked: Asked, stretch: Stretch, curve: Curve) -> float | None:
    """The rounded amount nearest to where things stand that meets the goal, put back through the plan."""
    if asked.goal is None:
        return None
    crossings = curve.crossings(asked.goal, asked.sense == "at least")
    if not crossings:
        return None
    now, step = stretch.bounds[1], fine_step(stretch)
    nearest = min(crossings, key=lambda amount: abs(amount - now)) if isfinite(now) else crossings[0]
    digits = max(0, -floor(log10(step)))
    tried = [round((floor(nearest / step) + by) * step, digits) for by in range(-2, 4)]
    values = _at(view, [asked.figure], stretch, tried)[0]
    is_met = values >= asked.goal if asked.sense == "at least" else values <= asked.goal
    reached = [amount for amount, holds in zip(tried, is_met, strict=True) if holds]
    return min(reached, key=lambda amount: abs(amount - nearest)) if reached else None


def _at(view: View, figures: Sequence[Figure], stretch: Stretch, amounts: Sequence[float]) -> np.ndarray:
    changes = view.snapshot.model.changes_of(view.address.case)
    lists: list[tuple[Change, ...]] = [(*changes, *stretch.changes(amount)) for amount in amounts]
    results = evaluate(view.snapshot.plan, lists, list(dict.fromkeys(figure.line for figure in figures)))
    return np.stack([answer(figure, results).amounts for figure in figures])


def _rows(
    view: View, asked: Asked, stretch: Stretch, figures: Sequence[Figure], met: float | None
) -> tuple[CurveRow, ...]:
    model = view.snapshot.model
    changes = model.changes_of(view.address.case)
    low, _, high = stretch.bounds
    wanted: list[tuple[str, float | None, bool]] = [(f"{end_words(model, stretch, low)}, low", low, False)]
    wanted += [("as planned", None, False), (f"{end_words(model, stretch, high)}, high", high, False)]
    if met is not None:
        wanted.append((f"{amount_words(model, stretch, met)}, goal met", met, True))
    wanted.sort(key=lambda row: stretch.bounds[1] if row[1] is None else row[1])
    lists = [(*changes, *(stretch.changes(amount) if amount is not None else ())) for _, amount, _ in wanted]
    results = evaluate(view.snapshot.plan, lists, list(dict.fromkeys(figure.line for figure in figures)))
    answers = [answer(figure, results) for figure in figures]
    texts = [
        [formats.figure_text(each.figure, model.line(each.figure.line), float(value)) for value in each.amounts]
        for each in answers
    ]
    months = [month.label if month is not None else "" for month in answers[0].months]
    is_dated = bool(any(months)) and not asked.figure.reduction.gives_month and len(set(months)) > 1
    return tuple(
        CurveRow(
            label=label,
            figure=texts[0][place],
            second=texts[1][place] if len(texts) > 1 else "",
            month=months[place] if is_dated else "",
            amount=repr(amount) if amount is not None else "",
            is_goal=is_goal,
        )
        for place, (label, amount, is_goal) in enumerate(wanted)
    )


def _amount_ticks(view: View, stretch: Stretch, low: float, high: float) -> list[tuple[float, str]]:
    """Round amounts in the unit they are read in."""
    model = view.snapshot.model
    way = stretch.ways[0]
    if not stretch.is_single:
        return [(amount, amount_words(model, stretch, amount)) for amount in (-1.0, 0.0, 1.0)]
    if way.operation is Operation.SCALE:
        ticks = [1 + tick for tick in round_ticks(low - 1, high - 1, 4)]
    else:
        ticks = list(round_ticks(low, high, 4))
    found = []
    for tick in ticks:
        amount = float(np.clip(tick, low, high)) if abs(tick - np.clip(tick, low, high)) < 1e-9 else tick
        if low <= amount <= high:
            found.append((amount, amount_words(model, stretch, amount)))
    return found


def _points(view: View, asked: Asked, stretch: Stretch, curve: Curve, x: Scale, y: Scale) -> str:
    """Every point of the curve, for walking along it: pixels, the amount, and what the figures are there."""
    model = view.snapshot.model
    lines = [model.line(figure.line) for figure in curve.figures]
    found = []
    for place, amount in enumerate(curve.amounts.tolist()):
        if not isfinite(curve.values[0][place]):
            continue
        texts = [
            formats.figure_text(figure, line, float(values[place]))
            for figure, line, values in zip(curve.figures, lines, curve.values, strict=True)
        ]
        month = curve.months[0][place]
        dated = f" in {month.label}" if month is not None and not asked.figure.reduction.gives_month else ""
        more = f"; {curve.figures[1].label} {texts[1]}" if len(texts) > 1 else ""
        said = f"{asked.figure.label} {texts[0]}{dated}{more}"
        amount_said = amount_words(model, stretch, amount)
        found.append([x(amount), y(float(curve.values[0][place])), repr(amount), amount_said, said])
    return json.dumps(found)


def _marks(
    view: View, asked: Asked, stretch: Stretch, curve: Curve, x: Scale, y: Scale
) -> tuple[tuple[float, float, str], ...]:
    """The strongest bends, named in the picture."""
    model = view.snapshot.model
    strongest = sorted(curve.bends, key=lambda bend: -abs(bend.after - bend.before))[:MOST_BENDS]
    found = []
    for bend in sorted(strongest, key=lambda bend: bend.amount):
        value = float(np.interp(bend.amount, curve.amounts, curve.values[0]))
        if isfinite(value):
            found.append((x(bend.amount), y(value), bend_words(model, stretch, bend, asked.figure, "")[0]))
    return tuple(found)


def _words(view: View, asked: Asked, stretch: Stretch, curve: Curve, met: float | None) -> tuple[str, ...]:
    """What one reads from the curve: what each step is worth and until where, where nothing moves, and the goal."""
    model = view.snapshot.model
    line = model.line(asked.figure.line)
    words = []
    unit, of = _worth(view, stretch)
    for bend in curve.bends:
        scaled = Bend(bend.amount, bend.before * unit, bend.after * unit, bend.line, bend.taken, bend.left, bend.holds,
                      bend.members, bend.month)  # fmt: skip
        words.append(bend_words(model, stretch, scaled, asked.figure, of)[1])
    if not curve.bends and not asked.figure.reduction.gives_month and np.isfinite(curve.values[0]).all():
        slopes = np.diff(curve.values[0]) / np.diff(curve.amounts) * unit
        if np.ptp(slopes) <= 1e-6 * max(1.0, float(np.abs(slopes).max())):
            worth = formats.plain_number(float(slopes.mean()), 0 if abs(slopes.mean()) >= 10 else 2)
            words.append(f"A straight line: {of} is worth {worth} everywhere.")
    for first, last in curve.flats:
        stays = formats.figure_text(asked.figure, line, float(np.interp(first, curve.amounts, curve.values[0])))
        words.append(f"From {amount_words(model, stretch, first)} to {amount_words(model, stretch, last)} "
                     f"{asked.figure.label} stays {stays}.")  # fmt: skip
    if asked.goal is not None and met is None:
        goal = formats.figure_text(asked.figure, line, asked.goal)
        if not curve.crossings(asked.goal, asked.sense == "at least"):
            words.append(f"The goal of {asked.sense} {goal} is passed nowhere between the ends of the curve.")
    return tuple(words)


def _worth(view: View, stretch: Stretch) -> tuple[float, str]:
    """By what a slope is multiplied to be the worth of one readable step, and what that step is called."""
    way = stretch.ways[0]
    if not stretch.is_single:
        return 0.1, "a tenth of the way"
    if way.operation is Operation.SCALE:
        return 0.01, "one per cent"
    unit = view.snapshot.model.line(way.line).unit
    return (0.01, "one point") if unit.startswith("%") else (1.0, f"one {unit or 'unit'}")
