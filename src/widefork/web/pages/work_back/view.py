"""The answer of a goal search as plain data: the amount, the curve, before and after."""

import itertools
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from widefork.core.analysis.figures import answer
from widefork.core.analysis.goal_seek import Goal, Outcome, Sense, Solution, seek_goal
from widefork.core.analysis.lever import Lever
from widefork.core.axes import Grain
from widefork.core.changes import Operation
from widefork.core.engine import evaluate
from widefork.core.graph.rollup import roll_up
from widefork.web.shared import formats
from widefork.web.shared.charts.scale import Scale, path, round_ticks
from widefork.web.shared.context import View

Show = Callable[[float], str]
WIDTH, HEIGHT = 600, 290
LEFT, RIGHT, TOP, BOTTOM = 74, 20, 18, 34


@dataclass(frozen=True, kw_only=True)
class Curve:
    """The figure over the amount: path, axes, target, today and the answer."""

    path: str
    x_ticks: tuple[tuple[float, str], ...]
    y_ticks: tuple[tuple[float, str], ...]
    target_y: float
    today: tuple[float, float] | None
    marks: tuple[tuple[float, float], ...]
    reached: tuple[tuple[float, float], ...]


@dataclass(frozen=True, kw_only=True)
class WatchedRow:
    """A figure before and with the answer."""

    label: str
    now: str
    then: str
    difference: str
    is_goal: bool


@dataclass(frozen=True, kw_only=True)
class Answered:
    """The whole answer. ``amount`` is empty where there is none."""

    outcome: str
    headline: str
    words: tuple[str, ...]
    amount: str
    own_unit: str
    raw_amount: str
    operation: str
    line: str
    line_label: str
    curve: Curve | None
    curve_caption: str
    target_label: str
    rows: tuple[WatchedRow, ...]
    depends_on: tuple[tuple[str, str], ...]
    evaluations: int


def build(view: View, goal: Goal) -> Answered:
    """Return the answer to a goal in the active case.

    Raises
    ------
    InvalidValue: a range or target that cannot be searched.
    """
    model = view.snapshot.model
    changes = model.changes_of(view.address.case)
    found = seek_goal(view.snapshot.plan, changes, goal)
    lever = _lever(goal)
    figure_line, line = model.line(goal.figure.line), model.line(lever.line)
    unit = "×" if lever.operation is Operation.SCALE else line.unit

    def amount(value: float) -> str:
        return f"× {formats.plain_number(value, 3)}" if unit == "×" else formats.amount(value, unit)

    def figure(value: float) -> str:
        return formats.figure_text(goal.figure, figure_line, value)

    target = f"{goal.sense.value} {figure(goal.target)}"
    headline, words = _said(found, goal, line.label, amount, figure, model.case(view.address.case).label)
    has_answer = found.outcome is Outcome.REACHED
    return Answered(
        outcome=found.outcome.name.lower(),
        headline=headline,
        words=words,
        amount=amount(found.amount) if has_answer else "",
        own_unit=_in_own_unit(view, found, lever) if has_answer else "",
        raw_amount=repr(found.amount) if has_answer else "",
        operation=lever.operation.value,
        line=line.name,
        line_label=line.label,
        curve=_curve(found, goal, amount, figure) if np.isfinite(found.figures).any() else None,
        curve_caption=f"{goal.figure.label} by {line.label.lower()}",
        target_label=f"target: {target}",
        rows=_rows(view, found, goal) if has_answer else (),
        depends_on=tuple(
            (
                model.line(n).label,
                view.address.url(
                    "work_back",
                    figure=goal.figure.name,
                    sense=goal.sense.value,
                    target=formats.typed(goal.target, figure_line.unit),
                    line=n,
                    ask=1,
                ),
            )
            for n in found.depends_on
        )
        if found.outcome is Outcome.NO_DEPENDENCE
        else (),
        evaluations=found.evaluations,
    )


def _in_own_unit(view: View, found: Solution, lever: Lever) -> str:
    """What the answer makes of the assumption, in its own unit: the first month it holds in, and the last if apart."""
    snapshot, line = view.snapshot, view.snapshot.model.line(lever.line)
    timeline = snapshot.model.timeline
    changes = snapshot.model.changes_of(view.address.case)
    both = evaluate(snapshot.plan, [changes, (*changes, *lever.changes(found.amount))], [line.name])
    months = timeline.periods(Grain.MONTH)[timeline.actual_count :]
    rows = roll_up(both, line.name, months, tuple(member for _, member in lever.members))
    if not np.isfinite(rows).all():
        return f"from {months[0].label} to {months[-1].label}, each of its members alike"
    unit = "" if line.unit.startswith("%") else f" {line.unit}"

    def said(place: int) -> str:
        now, then = (formats.amount(float(value), line.unit) for value in rows[place])
        return f"{now} → {then}{unit}"

    alike = all(said(place) == said(0) for place in range(len(months)))
    if alike:
        return f"{said(0)} from {months[0].label} to {months[-1].label}"
    return f"{said(0)} in {months[0].label}, and so on to {said(len(months) - 1)} in {months[-1].label}"


def _said(
    found: Solution, goal: Goal, label: str, amount: Show, figure: Show, case: str
) -> tuple[str, tuple[str, ...]]:
    target = f"{goal.sense.value} {figure(goal.target)}"
    match found.outcome:
        case Outcome.NO_VALUE:
            return (
                f"{goal.figure.label} cannot be computed, whatever {label} is in this range.",
                ("Something it is made of has no value: choose the figure in Compare to see where that begins.",),
            )
        case Outcome.ALREADY:
            return (
                f"Already there: {goal.figure.label} is {figure(found.figure_now)} in {case}.",
                (f"Nothing needs to change to make it {target}. Ask for more, or choose another case.",),
            )
        case Outcome.NO_DEPENDENCE:
            if _lever(found.goal).line in found.depends_on:
                return (
                    f"{goal.figure.label} stays at {figure(found.figure_now)} whatever {label} is in this range.",
                    ("Widen the range, or change one of the assumptions it depends on:",),
                )
            return (
                f"{goal.figure.label} does not depend on {label}.",
                ("No amount of it changes the figure. It depends on these assumptions:",),
            )
        case Outcome.OUT_OF_REACH:
            missing = abs(goal.target - found.closest_figure)
            closest = f"the closest is {amount(found.closest)}, which gives {figure(found.closest_figure)}"
            less = f"{goal.sense.value} {figure(found.closest_figure)}"
            ways_out = f"{figure(missing)} is missing. Ask for {less}, widen the range, or change another assumption."
            return (
                f"No amount in that range gets there; {closest}.",
                (ways_out,),
            )
    exact = (
        ""
        if found.exact == found.amount
        else f"Exact answer {amount(found.exact)}, rounded so that the target still holds. "
    )
    several = (
        f"The figure passes the target at {', '.join(amount(crossing) for crossing in found.crossings)}."
        if len(found.crossings) > 1
        else ""
    )
    beyond = _beyond(found, goal, amount)
    lines = (f"{exact}Found in {found.evaluations} evaluations of the model.", several, beyond)
    return f"{label}: {amount(found.amount)}", tuple(line for line in lines if line)


def _beyond(found: Solution, goal: Goal, amount: Show) -> str:
    """Where more stops helping."""
    if goal.sense is Sense.EXACTLY or not np.isfinite(found.figures).all():
        return ""
    best = int(found.figures.argmax() if goal.sense is Sense.AT_LEAST else found.figures.argmin())
    if 0 < best < len(found.figures) - 1 and found.amounts[best] > found.now:
        return f"More than {amount(float(found.amounts[best]))} stops helping."
    return ""


def _curve(found: Solution, goal: Goal, amount: Show, figure: Show) -> Curve:
    known = found.figures[np.isfinite(found.figures)]
    values = np.append(known, [goal.target, found.figure_now] if np.isfinite(found.figure_now) else [goal.target])
    y_ticks = round_ticks(float(values.min()), float(values.max()), 4)
    x_ticks = [t for t in round_ticks(goal.low, goal.high, 5) if goal.low <= t <= goal.high]
    x = Scale(low=goal.low, high=goal.high, start=LEFT, end=WIDTH - RIGHT)
    y = Scale(low=y_ticks[0], high=y_ticks[-1], start=HEIGHT - BOTTOM, end=TOP)
    points = [
        (x(float(a)), y(float(f)) if np.isfinite(f) else float("nan"))
        for a, f in zip(found.amounts, found.figures, strict=True)
    ]
    inside = goal.low <= found.now <= goal.high and np.isfinite(found.figure_now)
    marks = [(x(found.amount), y(found.figure_then))] if found.outcome is Outcome.REACHED else []
    if found.outcome is Outcome.OUT_OF_REACH and np.isfinite(found.closest_figure):
        marks = [(x(found.closest), y(found.closest_figure))]
    return Curve(
        path=path(points),
        x_ticks=tuple((x(t), amount(t)) for t in x_ticks),
        y_ticks=tuple((y(t), figure(t)) for t in y_ticks),
        target_y=y(goal.target),
        today=(x(found.now), y(found.figure_now)) if inside else None,
        marks=tuple(marks),
        reached=_reached(found, goal, x),
    )


def _reached(found: Solution, goal: Goal, x: Scale) -> tuple[tuple[float, float], ...]:
    """Stretches of amounts that reach the target, as (x, width)."""
    if goal.sense is Sense.EXACTLY:
        return ()
    good = found.figures >= goal.target if goal.sense is Sense.AT_LEAST else found.figures <= goal.target
    stretches: list[tuple[float, float]] = []
    edges = [goal.low, *found.crossings, goal.high]
    for low, high in itertools.pairwise(edges):
        inside = (found.amounts >= low) & (found.amounts <= high) & (found.amounts != low) & (found.amounts != high)
        if inside.any() and good[inside].all():
            stretches.append((x(low), round(x(high) - x(low), 1)))
    return tuple(stretches)


def _rows(view: View, found: Solution, goal: Goal) -> tuple[WatchedRow, ...]:
    """Every stored figure before and with the answer."""
    snapshot, model = view.snapshot, view.snapshot.model
    changes = model.changes_of(view.address.case)
    both = evaluate(snapshot.plan, [changes, (*changes, *goal.lever.changes(found.amount))])
    rows = []
    for figure in model.figures:
        line = model.line(figure.line)
        now, then = (float(v) for v in answer(figure, both).amounts)
        rows.append(
            WatchedRow(
                label=figure.label,
                now=formats.figure_text(figure, line, now),
                then=formats.figure_text(figure, line, then),
                difference=formats.figure_difference(figure, line, then - now) or "–",
                is_goal=figure.name == goal.figure.name,
            )
        )
    return tuple(rows)


def _lever(goal: Goal) -> Lever:
    """The one lever this page pulls."""
    if not isinstance(goal.lever, Lever):
        raise TypeError("this page pulls one lever at a time")
    return goal.lever
