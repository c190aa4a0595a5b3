"""The smallest change over several assumptions: each with its bounds, what it lifts, and stairs to the goal."""

from dataclasses import dataclass
from math import isfinite

from widefork.core.analysis.goal_seek import Outcome, Smallest, Solution, Wanted, lifts, seek_goal
from widefork.core.analysis.lever import Lever, pull
from widefork.core.changes import Operation
from widefork.web.pages.work_back.answer.found import changes_in, key_of, smallest
from widefork.web.pages.work_back.answer.rows import FigureRow, figure_rows
from widefork.web.pages.work_back.answer.words import amount_words, unit_words
from widefork.web.pages.work_back.sentence import Asked, LeverAsked
from widefork.web.pages.work_back.sentence.asked import MOST_WEIGHT
from widefork.web.shared import formats
from widefork.web.shared.charts.scale import Scale, round_ticks
from widefork.web.shared.context import View, worked_out
from widefork.web.shared.goal_words import figure_words, room_words, target_words

TRACK, EDGE = 186, 8
"""Pixels of an assumption's track, and left free at both of its ends."""
WIDTH, HEIGHT = 620, 226
LEFT, RIGHT, TOP, BOTTOM = 74, 10, 22, 26
NEARLY = 1e-9


@dataclass(frozen=True, kw_only=True)
class LeverRow:
    """One assumption at the answer. ``today_x``, ``then_x`` are pixels along its track; ``bound`` what stops it."""

    label: str
    unit: str
    today: str
    then: str
    change: str
    low: str
    high: str
    today_x: float
    then_x: float
    weight: int
    lifts: str
    bound: str
    is_moved: bool


@dataclass(frozen=True, kw_only=True)
class Stair:
    """A step of the figure towards the goal, as pixels: x, width, from the upper to the lower edge, its end, words."""

    x: float
    width: float
    top: float
    height: float
    end_y: float
    label: str
    amount: str
    rises: bool


@dataclass(frozen=True, kw_only=True)
class Stairs:
    """How the figure gets from where it stands to the goal, one assumption after another."""

    stairs: tuple[Stair, ...]
    y_ticks: tuple[tuple[float, str], ...]
    target_y: float
    target: str
    width: int
    height: int
    left: int
    right: int


@dataclass(frozen=True, kw_only=True)
class SeveralAnswered:
    """The whole answer of several; see ``Answered`` for what is named alike."""

    outcome: str
    headline: str
    words: tuple[str, ...]
    amounts: tuple[str, ...]
    levers: tuple[LeverRow, ...]
    total: str
    stairs: Stairs | None
    rows: tuple[FigureRow, ...]
    evaluations: int
    short: str


def build_several(view: View, asked: Asked) -> SeveralAnswered:
    """Return the answer in the active case.

    Raises
    ------
    InvalidValue: bounds, weights or goals that have no smallest change. And what evaluating raises.
    """
    model, case = view.snapshot.model, view.address.case
    found = smallest(view, asked, case)
    changes = changes_in(view, case)
    pulled = [(each.lever, amount) for each, amount in zip(asked.spanned, found.amounts, strict=True)]
    has_answer = found.outcome is Outcome.REACHED
    shows = found.outcome in (Outcome.REACHED, Outcome.OUT_OF_REACH)
    goal = asked.wanted[0]
    parts: list[float] = []
    if shows:
        key = ("lifts", *key_of(asked, case))
        parts = worked_out(view, key, lambda _: lifts(view.snapshot.plan, changes, goal.figure, pulled)).tolist()
    title, words = _said(view, asked, found)
    rows = figure_rows(view, changes, pull(changes, pulled), asked.wanted) if shows else ()
    moved = [f"{each.label} {amount_words(model, each.lever, amount, is_exact=True)}"
             for each, amount in zip(asked.spanned, found.amounts, strict=True) if amount != each.now]  # fmt: skip
    return SeveralAnswered(
        outcome=found.outcome.name.lower(),
        headline=title,
        words=words,
        amounts=tuple(repr(amount) for amount in found.amounts) if has_answer else (),
        levers=tuple(
            _row(view, lever, amount, parts[place] if parts else float("nan"), goal, found.idle[place])
            for place, (lever, amount) in enumerate(zip(asked.levers, found.amounts, strict=True))
        ),
        total=_difference(view, goal, sum(parts)) if parts else "",
        stairs=_stairs(view, asked, found, parts) if parts and all(map(isfinite, parts)) else None,
        rows=rows,
        evaluations=found.evaluations,
        short=", ".join(moved) if has_answer else title,
    )


def _difference(view: View, goal: Wanted, value: float) -> str:
    line = view.snapshot.model.line(goal.figure.line)
    if not isfinite(value):
        return formats.NO_VALUE
    return formats.figure_difference(goal.figure, line, value) or "0"


def _said(view: View, asked: Asked, found: Smallest) -> tuple[str, tuple[str, ...]]:
    model = view.snapshot.model
    goal, case = asked.wanted[0], model.case(view.address.case).label
    now = figure_words(model, goal, found.figures_now[0])
    match found.outcome:
        case Outcome.NO_VALUE:
            return f"{goal.figure.label} cannot be computed, whatever these are in their ranges.", ()
        case Outcome.ALREADY:
            return f"Already there: {goal.figure.label} is {now} in {case}.", ("Nothing needs to change.",)
        case Outcome.NO_DEPENDENCE:
            said = "Within these bounds none of them changes it. Choose others, or wider bounds."
            return f"{goal.figure.label} stays at {now}.", (said,)
        case Outcome.OUT_OF_REACH:
            return _out_of_reach(view, asked, found)
    count = sum(amount != each.now for each, amount in zip(asked.spanned, found.amounts, strict=True))
    steps = "One change reaches it" if count == 1 else f"{_count(count)} changes reach it together"
    reached = f"{goal.figure.label} is then {figure_words(model, goal, found.figures[0])}"
    words = [f"Put back through the plan it holds: {reached}, where {target_words(model, goal)} was asked for."]
    starts = (
        "All starts that reach it end at the same change, so it is very likely the smallest."
        if found.is_only
        else "Starts ended at different changes: this is the smallest of them, perhaps not of all there are."
    )
    kept = [
        f"{each.figure.label} has {room_words(model, each, value)} of room"
        for each, value in zip(asked.wanted[1:], found.figures[1:], strict=True)
    ]
    return f"{steps}: {_moved(view, asked, found)}.", (*words, *([f"{'; '.join(kept)}."] if kept else []), starts)


def _count(count: int) -> str:
    return ("No", "One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight")[count]


def _moved(view: View, asked: Asked, found: Smallest) -> str:
    model = view.snapshot.model
    words = []
    for each, amount in zip(asked.spanned, found.amounts, strict=True):
        if amount == each.now:
            continue
        unit = unit_words(model, each.lever)
        said = amount_words(model, each.lever, amount, is_exact=True)
        words.append(f"{each.label} {said}{f' {unit}' if unit and unit != model.currency else ''}")
    return ", ".join(words) or "nothing"


def _out_of_reach(view: View, asked: Asked, found: Smallest) -> tuple[str, tuple[str, ...]]:
    """What falls short at the nearest, which bounds stop it, and which of several goals gives."""
    model = view.snapshot.model
    short = []
    for each, value, missing in zip(asked.wanted, found.figures, found.missing, strict=True):
        if missing:
            said = f"{each.figure.label} comes to {figure_words(model, each, value)}"
            short.append(f"{said}, {room_words(model, each, value)} off {target_words(model, each)}")
    at_bounds = [
        each.label
        for each, amount in zip(asked.spanned, found.amounts, strict=True)
        if min(abs(amount - each.low), abs(amount - each.high)) <= NEARLY * (each.high - each.low)
    ]
    bound = (
        f"{', '.join(at_bounds)} {'is' if len(at_bounds) == 1 else 'are'} at the end of the range." if at_bounds else ""
    )
    together = "These goals do not hold together" if len(asked.wanted) > 1 else "It is out of reach"
    return f"{together} within these ranges; the nearest is below.", tuple(
        text for text in (f"{'; '.join(short)}.", bound, "Widen a range, add an assumption, or ask for less.") if text
    )


def _row(view: View, asked: LeverAsked, amount: float, part: float, goal: Wanted, is_idle: bool) -> LeverRow:
    model, spanned = view.snapshot.model, asked.spanned
    if spanned is None:
        raise TypeError("a lever that could not be read has no answer")
    lever, wide = spanned.lever, spanned.high - spanned.low
    x = Scale(low=spanned.low, high=spanned.high, start=EDGE, end=TRACK - EDGE)
    at_low, at_high = (abs(amount - end) <= NEARLY * wide for end in (spanned.low, spanned.high))
    is_moved = amount != spanned.now
    return LeverRow(
        label=spanned.label,
        unit=unit_words(model, lever),
        today=amount_words(model, lever, spanned.now),
        then=amount_words(model, lever, amount, is_exact=True),
        change=_change(view, asked, amount) if is_moved else "–",
        low=amount_words(model, lever, spanned.low),
        high=amount_words(model, lever, spanned.high),
        today_x=x(spanned.now),
        then_x=x(amount),
        weight=min(asked.weight, MOST_WEIGHT),
        lifts=_difference(view, goal, part) if is_moved else "–",
        bound="at its bound" if is_moved and (at_low or at_high) else "does nothing to it" if is_idle else "",
        is_moved=is_moved,
    )


def _change(view: View, asked: LeverAsked, amount: float) -> str:
    spanned = asked.spanned
    if spanned is None or not isinstance(spanned.lever, Lever) or spanned.lever.operation is not Operation.SET:
        return ""
    unit = view.snapshot.model.line(spanned.lever.line).unit
    return formats.exact_difference(float(f"{amount - spanned.now:.10g}"), unit)


def _stairs(view: View, asked: Asked, found: Smallest, parts: list[float]) -> Stairs | None:
    model, goal = view.snapshot.model, asked.wanted[0]
    start = found.figures_now[0]
    if not isfinite(start):
        return None
    steps = [(each.label, part) for each, part, amount in zip(asked.spanned, parts, found.amounts, strict=True)
             if amount != each.now]  # fmt: skip
    heights = [start]
    for _, part in steps:
        heights.append(heights[-1] + part)
    ticks = round_ticks(min(*heights, goal.target), max(*heights, goal.target), 4)
    y = Scale(low=ticks[0], high=ticks[-1], start=HEIGHT - BOTTOM, end=TOP)
    slot = (WIDTH - LEFT - RIGHT) / (len(steps) + 1)
    case = model.case(view.address.case).label
    base = y(max(ticks[0], min(0.0, ticks[-1])))
    first = Stair(
        x=LEFT + 8, width=slot - 16, top=min(base, y(start)), height=abs(base - y(start)), end_y=y(start), label=case,
        amount=figure_words(model, goal, start), rises=True,
    )  # fmt: skip
    stairs = [first]
    for place, ((label, part), before, after) in enumerate(zip(steps, heights[:-1], heights[1:], strict=True), 1):
        stairs.append(
            Stair(
                x=round(LEFT + place * slot + 8, 1),
                width=round(slot - 16, 1),
                top=min(y(before), y(after)),
                height=round(abs(y(before) - y(after)), 1),
                end_y=y(after),
                label=formats.shortened(label, max(6, int(slot / 6.4))),
                amount=_difference(view, goal, part),
                rises=part >= 0,
            )
        )
    return Stairs(
        stairs=tuple(stairs),
        y_ticks=tuple((y(tick), figure_words(model, goal, tick)) for tick in ticks),
        target_y=y(goal.target),
        target=f"goal: {target_words(model, goal)}",
        width=WIDTH,
        height=HEIGHT,
        left=LEFT,
        right=WIDTH - RIGHT,
    )


@dataclass(frozen=True, kw_only=True)
class AloneRow:
    """What one assumption would need by itself, and what the others need without it."""

    label: str
    alone: str
    alone_words: str
    without: str


def build_alone(view: View, asked: Asked) -> tuple[AloneRow, ...]:
    """Return, for each assumption, its own answer and what giving it up costs; raises as ``build_several``."""
    model, case = view.snapshot.model, view.address.case
    changes, plan = changes_in(view, case), view.snapshot.plan
    rows = []
    for place, each in enumerate(asked.spanned):
        goal = asked.goal_of(each.lever, each.low, each.high)
        key = ("alone", place, *key_of(asked, case))
        found: Solution = worked_out(view, key, lambda _, goal=goal: seek_goal(plan, changes, goal))  # type: ignore[misc]
        alone, words = "–", "changes nothing of it within its range"
        if found.outcome is Outcome.REACHED:
            alone, words = amount_words(model, each.lever, found.amount, is_exact=True), "reaches it alone"
        elif found.outcome is Outcome.HELD_BACK:
            words = "would break what is kept"
        elif found.outcome is Outcome.OUT_OF_REACH:
            nearest = figure_words(model, goal.wanted, found.closest_figure)
            words = f"closest {nearest} at {amount_words(model, each.lever, found.closest)}"
        rows.append(AloneRow(label=each.label, alone=alone, alone_words=words, without=_without(view, asked, place)))
    return tuple(rows)


def _without(view: View, asked: Asked, place: int) -> str:
    model = view.snapshot.model
    found = smallest(view, asked, view.address.case, place)
    if found.outcome is not Outcome.REACHED:
        return "out of reach without it"
    others = [each for at, each in enumerate(asked.spanned) if at != place]
    words = [
        f"{each.label} {amount_words(model, each.lever, amount, is_exact=True)}"
        for each, amount in zip(others, found.amounts, strict=True)
        if amount != each.now
    ]
    return f"without it: {', '.join(words)}"
