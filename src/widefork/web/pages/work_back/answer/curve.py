"""The figure over the amounts tried, as pixels."""

import itertools
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from widefork.core.analysis.goal_seek import Goal, Outcome, Sense, Solution
from widefork.web.shared.charts.scale import Scale, path, round_ticks

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


def build_curve(found: Solution, amount: Show, figure: Show) -> Curve | None:
    """Return the curve; None where the figure has no value anywhere."""
    goal = found.goal
    known = found.figures[np.isfinite(found.figures)]
    if not known.size:
        return None
    values = np.append(known, [goal.target, found.figure_now] if np.isfinite(found.figure_now) else [goal.target])
    is_month = goal.figure.reduction.gives_month
    low, high = float(values.min()), float(values.max())
    y_ticks = round_ticks(low, high, 4) if not is_month else tuple(np.unique(np.round(np.linspace(low, high, 4))))
    if y_ticks[0] == y_ticks[-1]:
        y_ticks = (y_ticks[0], y_ticks[0] + 1)
    x = Scale(low=goal.low, high=goal.high, start=LEFT, end=WIDTH - RIGHT)
    y = Scale(low=float(y_ticks[0]), high=float(y_ticks[-1]), start=HEIGHT - BOTTOM, end=TOP)
    points = [
        (x(float(a)), y(float(f)) if np.isfinite(f) else float("nan"))
        for a, f in zip(found.amounts, found.figures, strict=True)
    ]
    inside = goal.low <= found.now <= goal.high and np.isfinite(found.figure_now)
    marks = [(x(found.amount), y(found.figure_then))] if found.outcome in (Outcome.REACHED, Outcome.HELD_BACK) else []
    if found.outcome is Outcome.OUT_OF_REACH and np.isfinite(found.closest_figure):
        marks = [(x(found.closest), y(found.closest_figure))]
    return Curve(
        path=path(points),
        x_ticks=tuple((x(tick), amount(tick)) for tick in _amounts(goal, found)),
        y_ticks=tuple((y(float(tick)), figure(float(tick))) for tick in y_ticks),
        target_y=y(goal.target),
        today=(x(found.now), y(found.figure_now)) if inside else None,
        marks=tuple((at, height) for at, height in marks if np.isfinite([at, height]).all()),
        reached=_reached(found, goal, x),
    )


def _amounts(goal: Goal, found: Solution) -> list[float]:
    """Amounts written along the curve: round ones; for a few whole ones, all or every so many of them."""
    if not goal.lever.is_whole:
        return [tick for tick in round_ticks(goal.low, goal.high, 5) if goal.low <= tick <= goal.high]
    whole = [float(amount) for amount in found.amounts]
    return whole[:: max(1, -(-len(whole) // 6))]


def _reached(found: Solution, goal: Goal, x: Scale) -> tuple[tuple[float, float], ...]:
    """Stretches of amounts that reach the target, as (x, width)."""
    if goal.sense is Sense.EXACTLY:
        return ()
    good = np.array([goal.wanted.holds(float(value)) for value in found.figures])
    stretches: list[tuple[float, float]] = []
    edges = np.unique([goal.low, *found.crossings, goal.high])
    for low, high in itertools.pairwise(edges):
        inside = (found.amounts > low) & (found.amounts < high)
        if inside.any() and good[inside].all():
            stretches.append((x(float(low)), round(x(float(high)) - x(float(low)), 1)))
    return tuple(stretches)
