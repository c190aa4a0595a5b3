"""The answer of one lever, or of several in proportion: the amount, the curve, before and after."""

from dataclasses import dataclass
from math import isfinite

import numpy as np

from widefork.core.analysis.goal_seek import Outcome, Solution, Spanned
from widefork.core.analysis.lever import Lever, Together
from widefork.core.analysis.sensitivity import Ends, Moved, Stretch, trace_curve
from widefork.core.axes import Grain
from widefork.core.changes import Operation
from widefork.core.engine import evaluate
from widefork.core.graph.rollup import roll_up
from widefork.web.pages.work_back.answer.curve import Curve, build_curve
from widefork.web.pages.work_back.answer.found import changes_in, key_of, solved
from widefork.web.pages.work_back.answer.rows import FigureRow, figure_rows
from widefork.web.pages.work_back.answer.words import amount_words, headline, unit_words
from widefork.web.pages.work_back.sentence import Asked
from widefork.web.pages.work_back.sentence.asked import lever_labels
from widefork.web.shared import formats
from widefork.web.shared.context import View, worked_out
from widefork.web.shared.goal_words import figure_words, target_words
from widefork.web.shared.lever_words import bend_words

MOST_BENDS = 3
NEAR = 0.02
"""Of the range: a bend so close to where more stops helping is its reason."""


@dataclass(frozen=True, kw_only=True)
class Part:
    """One lever of several at the answer."""

    label: str
    now: str
    then: str


@dataclass(frozen=True, kw_only=True)
class Answered:
    """The whole answer. ``amount`` is empty where there is none; ``amounts`` are what keeping it sends back.

    ``depends_on`` are assumptions to ask about instead: label, and how the sentence names them.
    """

    outcome: str
    headline: str
    words: tuple[str, ...]
    amount: str
    own_unit: str
    amounts: tuple[str, ...]
    label: str
    parts: tuple[Part, ...]
    curve: Curve | None
    curve_caption: str
    target_label: str
    rows: tuple[FigureRow, ...]
    depends_on: tuple[tuple[str, str], ...]
    evaluations: int
    short: str


def build_one(view: View, asked: Asked) -> Answered:
    """Return the answer in the active case.

    Raises
    ------
    InvalidValue: a range or target that cannot be searched. And what evaluating raises.
    """
    model, case = view.snapshot.model, view.address.case
    found = solved(view, asked, case)
    goal, lever = found.goal, found.goal.lever
    label = lever_labels(asked.levers)
    title, words = headline(model, label, found, model.case(case).label)
    has_answer = found.outcome is Outcome.REACHED
    changes = changes_in(view, case)
    depends_on: tuple[tuple[str, str], ...] = ()
    if found.outcome is Outcome.NO_DEPENDENCE:
        assumed = (model.line(name) for name in found.depends_on)
        depends_on = tuple((line.label, line.name) for line in assumed if line.is_assumption)
    unit = unit_words(model, lever)
    shown = amount_words(model, lever, found.amount, is_exact=True) if has_answer else ""
    return Answered(
        outcome=found.outcome.name.lower(),
        headline=title,
        words=(*words, *(_reasons(view, asked, found) if isinstance(lever, Lever) else ())),
        amount=shown,
        own_unit=_in_own_unit(view, asked.spanned[0], found) if has_answer and isinstance(lever, Lever) else "",
        amounts=(repr(found.amount),) if has_answer else (),
        label=label,
        parts=_parts(view, asked, found) if has_answer and isinstance(lever, Together) else (),
        curve=build_curve(
            found, lambda v: amount_words(model, lever, v), lambda v: figure_words(model, goal.wanted, v)
        ),
        curve_caption=f"{goal.figure.label} by {label}",
        target_label=f"target: {target_words(model, goal.wanted)}",
        rows=figure_rows(view, changes, lever.onto(changes, found.amount), asked.wanted) if has_answer else (),
        depends_on=depends_on,
        evaluations=found.evaluations,
        short=f"{label} {shown}{f' {unit}' if unit and has_answer else ''}" if has_answer else title,
    )


def _parts(view: View, asked: Asked, found: Solution) -> tuple[Part, ...]:
    lever, model = found.goal.lever, view.snapshot.model
    if not isinstance(lever, Together):
        return ()
    pulled = zip(asked.spanned, lever.ways, lever.amounts(found.amount), strict=True)
    return tuple(
        Part(
            label=spanned.label,
            now=amount_words(model, own, start),
            then=amount_words(model, own, amount, is_exact=not own.is_whole),
        )
        for spanned, (own, start, _), amount in pulled
    )


def _reasons(view: View, asked: Asked, found: Solution) -> tuple[str, ...]:
    """Why more stops helping, from the formula that makes the curve bend there; and what else bends it on the way."""
    lever, goal = found.goal.lever, found.goal
    stop = found.stops[0]
    if not isinstance(lever, Lever) or lever.first is not None or lever.operation is Operation.DELAY:
        return ()
    if found.outcome not in (Outcome.REACHED, Outcome.OUT_OF_REACH) or not isfinite(stop):
        return ()
    plan, model, changes = view.snapshot.plan, view.snapshot.model, changes_in(view, view.address.case)
    now = found.now if lever.operation is Operation.SET else 1.0 if lever.operation is Operation.SCALE else 0.0
    ends = Ends(lever.line, lever.operation, goal.low, now, goal.high, float("nan"), lever.members)
    stretch = Stretch(Moved((lever.line,), lever.members), (ends,))
    curve = worked_out(
        view, ("bends", *key_of(asked, view.address.case)),
        lambda _: trace_curve(plan, changes, [goal.figure], stretch, goal.low, goal.high),
    )  # fmt: skip
    near = [bend for bend in curve.bends if abs(bend.amount - stop) <= NEAR * (goal.high - goal.low)]
    return tuple(bend_words(model, stretch, bend, goal.figure, "one more")[1] for bend in near[:MOST_BENDS])


def _in_own_unit(view: View, spanned: Spanned, found: Solution) -> str:
    """What the answer makes of the assumption, in its own unit: the first month it holds in, and the last if apart."""
    lever = spanned.lever
    if not isinstance(lever, Lever) or lever.operation is Operation.DELAY:
        return ""
    snapshot, line = view.snapshot, view.snapshot.model.line(lever.line)
    timeline = snapshot.model.timeline
    changes = changes_in(view, view.address.case)
    both = evaluate(snapshot.plan, [changes, lever.onto(changes, found.amount)], [line.name])
    since = timeline.actual_count if lever.first is None else timeline.index(lever.first)
    months = timeline.periods(Grain.MONTH)[since:]
    rows = roll_up(both, line.name, months, tuple(member for _, member in lever.members))
    if not np.isfinite(rows).all():
        return f"from {months[0].label} to {months[-1].label}, each of its members alike"
    unit = "" if line.unit.startswith("%") else f" {line.unit}"

    def said(place: int) -> str:
        now, then = (formats.amount(float(value), line.unit) for value in rows[place])
        return f"{now} → {then}{unit}"

    if all(said(place) == said(0) for place in range(len(months))):
        return f"{said(0)} from {months[0].label} to {months[-1].label}"
    return f"{said(0)} in {months[0].label}, and so on to {said(len(months) - 1)} in {months[-1].label}"
