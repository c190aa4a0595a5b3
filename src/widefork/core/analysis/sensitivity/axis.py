"""What goes along one side of a square: an assumption's amounts, a delay, or a move's start or strength."""

import re
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.grid import named_line, named_one, read_step, split_phrase, standing_switch
from widefork.core.axes import Month
from widefork.core.changes import Change, Operation, Switch
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue
from widefork.core.graph.plan import Plan

Values = NDArray[np.float64]
POINTS = 41
COARSE = 4
"""Every so many points one is read as a number: 41 make 11."""


class Of(StrEnum):
    """What an axis goes through."""

    LINE = "line"
    START = "start"
    STRENGTH = "strength"


@dataclass(frozen=True)
class Axis:
    """One side of a square.

    Parameters
    ----------
    label : what goes along it. of : amounts of a line, or a move's start or strength.
    name : of the line or the move. operation : what an amount does to the line; SET for a move's.
    amounts : rising, shape (points,): of the operation; running numbers of months for a start.
    now : the amount that leaves everything as it is; NaN where none does.
    members : of the line. switch : how the move is on. ends : from where to where, as asked for; where only so many
        amounts are tried the last of them may lie before the end.
    """

    label: str
    of: Of
    name: str
    operation: Operation
    amounts: Values
    now: float
    members: tuple[tuple[str, str], ...] = ()
    switch: Switch | None = None
    ends: tuple[float, float] = (float("nan"), float("nan"))

    @property
    def is_plain(self) -> bool:
        """Whether its steps differ in amounts only, so that a batch of them is kept as numbers."""
        return self.of is Of.LINE and self.operation is not Operation.DELAY

    @property
    def is_whole(self) -> bool:
        """Whether only whole amounts are tried: months."""
        return self.of is Of.START or self.operation is Operation.DELAY

    @property
    def coarse(self) -> tuple[int, ...]:
        """The places read as numbers: every fourth, the ends and where things stand now among them; all, if few."""
        count = len(self.amounts)
        if count <= POINTS // COARSE + 2:
            return tuple(range(count))
        step = -(-(count - 1) // (POINTS // COARSE))
        return tuple(sorted({*range(0, count, step), count - 1}))

    def step(self, amount: float) -> Change | Switch:
        """Return what an amount does."""
        if self.switch is None:
            return Change(self.name, self.operation, amount, self.members)
        if self.of is Of.START:
            return replace(self.switch, start=Month.from_ordinal(int(amount)))
        return replace(self.switch, strength=amount)


def read_axis(plan: Plan, case: str, text: str) -> Axis:
    """Return the axis a phrase describes, for a case.

    Parameters
    ----------
    text : ``LINE [at MEMBER, ...]: -30 % to +30 %``, also ``40 to 55``, ``+0 to +500``, ``x 0.5 to x 2``,
        ``0 to 12 months later``; ``start of MOVE: 2026-10 to 2028-03``; ``strength of MOVE: 0 % to 150 %``. Without a
        range, a usual one is taken.

    Raises
    ------
    InvalidValue: a phrase that cannot be read, a range without width or from a higher to a lower amount.
    UnknownName: no such line, member or move.
    """
    head, tail = split_phrase(plan.model, text)
    kind, _, of = head.strip().partition(" of ")
    if kind in list(Of) and of:
        return _of_move(plan, case, Of(kind), of.strip(), tail.strip())
    return _of_line(plan, case, head.strip(), tail.strip())


def _of_line(plan: Plan, case: str, phrase: str, span: str) -> Axis:
    model = plan.model
    name, members = named_line(model, phrase)
    line = model.line(name)
    low, high = _ends(span or _usual_span(plan, name))
    if re.fullmatch(r"[−-]?[\d.,' ]+", low) and re.search(r"[%x×*]|months? later", high):
        low = f"{low} {'months later' if 'later' in high else '%'}"  # “0 to 12 months later”, “5 to 8 %”
    (operation, start), (other, stop) = read_step(low), read_step(high)
    if {operation, other} == {Operation.SET, Operation.SCALE} and (low if operation is Operation.SET else high)[
        -1
    ] == "%":
        # one sign says of both that they are changes: “-30 % to 30 %”, “0 to +20 %”
        start, stop = (1 + end if way is Operation.SET else end for way, end in ((operation, start), (other, stop)))
        operation = other = Operation.SCALE
    if operation is not other:
        raise InvalidValue(
            f"“{span}” goes from one kind of amount to another; write both ends alike, as -10 % to +5 %."
        )
    if operation is Operation.SET and line.unit.startswith("%") and "%" not in span:
        start, stop = start / 100, stop / 100
    where = f" at {', '.join(member for _, member in members)}" if members else ""
    now = {Operation.SCALE: 1.0, Operation.SET: _alike(plan, case, name, members)}.get(operation, 0.0)
    amounts = _amounts(start, stop, now, operation is Operation.DELAY, span)
    return Axis(f"{line.label}{where}", Of.LINE, name, operation, amounts, now, members, ends=(start, stop))


def _of_move(plan: Plan, case: str, of: Of, phrase: str, span: str) -> Axis:
    model = plan.model
    move = named_one("move", phrase, model.moves)
    switch = standing_switch(model, case, move)
    is_on = any(layer.move == move.name for layer in model.layers_of(case))
    if of is Of.STRENGTH:
        low, high = _ends(span or "0 % to 100 %")
        start, stop = (_share(end) for end in (low, high))
        now = switch.strength if is_on else 0.0
        return Axis(f"strength of {move.label}", of, move.name, Operation.SET, _amounts(start, stop, now, False, span),
                    now, switch=switch, ends=(start, stop))  # fmt: skip
    timeline = model.timeline
    usual = f"{timeline.first_plan} to {min(timeline.end, timeline.first_plan.plus(POINTS - 1))}"
    first, last = (Month.parse(end) for end in _ends(span or usual))
    began = switch.start or move.start
    now = float(began.ordinal) if is_on else float("nan")
    amounts = _amounts(float(first.ordinal), float(last.ordinal), now, True, span)
    ends = (float(first.ordinal), float(last.ordinal))
    return Axis(f"start of {move.label}", of, move.name, Operation.SET, amounts, now, switch=switch, ends=ends)


def _share(text: str) -> float:
    _, amount = read_step(text if text.endswith("%") else f"{text} %")
    return amount


def _ends(span: str) -> tuple[str, str]:
    low, between, high = span.replace("–", " to ").partition(" to ")
    if not between or not low.strip() or not high.strip():
        raise InvalidValue(f"Expected a range like -30 % to +30 %, 40 to 55 or 0 to 12 months later; got “{span}”.")
    return low.strip(), high.strip()


def _usual_span(plan: Plan, name: str) -> str:
    """Its own plausible range where it has one, and as much again on both sides; else 30 % to both sides."""
    plausible = plan.model.line(name).plausible
    if plausible is None or not plausible.is_relative or plausible.low == plausible.high:
        return "-30 % to +30 %"
    reach = 2 * max(abs(plausible.low), abs(plausible.high))
    return f"{-min(reach, 1.0) * 100:+g} % to {reach * 100:+g} %"


def _alike(plan: Plan, case: str, name: str, members: tuple[tuple[str, str], ...]) -> float:
    """The one value of all plan months of a line's members; NaN where they differ."""
    model = plan.model
    line = model.line(name)
    values = evaluate(plan, [model.changes_of(case)], [name]).values(name)[..., model.timeline.actual_count :, 0]
    for axis, dimension in enumerate(model.dimensions_of(line)):
        chosen = [dimension.index(member) for of, member in members if of == dimension.name]
        values = values.take(chosen, axis=axis) if chosen else values
    first = float(values.flat[0]) if values.size else float("nan")
    return first if values.size and bool(np.all(values == first)) else float("nan")


def _amounts(start: float, stop: float, now: float, is_whole: bool, span: str) -> Values:
    """So many amounts from one end to the other; where things stand now is one of those read as numbers."""
    if not start < stop:
        raise InvalidValue(f"“{span}” has no width: a range goes from a lower to a higher amount.")
    if is_whole:
        step = max(1, -(-int(stop - start) // (POINTS - 1)))
        return np.arange(int(start), int(stop) + 1, step, dtype=float)
    amounts = np.linspace(start, stop, POINTS)
    if not start < now < stop:
        return amounts
    inner = np.arange(COARSE, POINTS - 1, COARSE)
    place = int(inner[int(np.argmin(np.abs(amounts[inner] - now)))])
    return np.concatenate([np.linspace(start, now, place + 1), np.linspace(now, stop, POINTS - place)[1:]])
