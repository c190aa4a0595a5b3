"""Levers with their ends and amounts, and the plan with all of them pulled, as it is shown beside them."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import floor, isfinite, log10

import numpy as np

from widefork.core.analysis.sensitivity import Ends, Moved, Way, all_moved, stretch
from widefork.core.axes import Grain
from widefork.core.changes import Change, Operation, Sketch
from widefork.core.errors import InvalidValue
from widefork.core.lines import Line
from widefork.web.shared import formats
from widefork.web.shared.charts.scale import Scale, path, round_ticks
from widefork.web.shared.context import View
from widefork.web.shared.lever_words import moved_words, step_words

MOST_LEVERS = 8
STEPS = 200
"""Positions of a slider from end to end."""
WIDTH, HEIGHT = 520, 250
LEFT, RIGHT, TOP, BOTTOM = 66, 14, 14, 26
REACH = 0.3
"""How far an assumption without a range goes, of what it is."""


@dataclass(frozen=True, kw_only=True)
class LeverView:
    """One lever. ``position`` and ``now`` are of the slider, 0 to ``STEPS``; ``value`` is as typed."""

    key: str
    label: str
    unit: str
    low: str
    high: str
    position: int
    now: int
    value: str
    said: str
    is_moved: bool
    fault: str


@dataclass(frozen=True, kw_only=True)
class Chart:
    """A line by month, as it stands and with all levers pulled."""

    label: str
    then: str
    was: str
    y_ticks: tuple[tuple[float, str], ...]
    x_ticks: tuple[tuple[float, str], ...]
    zero_y: float | None
    boundary_x: float | None
    width: int
    height: int
    left: int
    bottom: int
    right: int


@dataclass(frozen=True, kw_only=True)
class BenchView:
    """The whole tab. ``choices`` are (key, label) of what can be put on it; ``lines`` what can be drawn."""

    levers: tuple[LeverView, ...]
    choices: tuple[tuple[str, str], ...]
    lines: tuple[tuple[str, str], ...]
    drawn: str
    chart: Chart | None
    said: str
    is_moved: bool
    is_full: bool


@dataclass(frozen=True)
class Pulled:
    """A lever and how far it is pulled; NaN for an amount that could not be read, with what was wrong."""

    ends: Ends
    moved: Moved
    amount: float
    fault: str = ""

    @property
    def is_moved(self) -> bool:
        """Whether it stands elsewhere than the plan does."""
        return isfinite(self.amount) and self.amount != self.ends.now

    @property
    def change(self) -> Change:
        """What it does."""
        return self.ends.change(self.amount)


def read_levers(view: View, keys: Sequence[str], typed: Sequence[str], positions: Sequence[str]) -> tuple[Pulled, ...]:
    """Return the levers an address or a form names, each pulled as typed or as its slider stands.

    Parameters
    ----------
    keys : of what is moved, as ``Moved.key``; unknown ones are left out. typed : amounts as shown beside them.
    positions : of the sliders, which count where nothing is typed. Both may be shorter.
    """
    model = view.snapshot.model
    names = [line.name for line in model.lines if line.is_assumption]
    by_key = {each.key: each for each in (*all_moved(model, names), *all_moved(model, names, is_apart=True))}
    found: list[Pulled] = []
    for place, key in enumerate(dict.fromkeys(keys)):
        moved = by_key.get(key)
        if moved is None or len(found) == MOST_LEVERS:
            continue
        ends = _ends(view, moved)
        text = typed[place].strip() if place < len(typed) else ""
        position = positions[place] if place < len(positions) else ""
        try:
            amount = _read(text, ends, model.line(ends.line)) if text else _at(position, ends)
            found.append(Pulled(ends, moved, amount))
        except InvalidValue as wrong:
            found.append(Pulled(ends, moved, float("nan"), wrong.sentence))
    return tuple(found)


def _ends(view: View, moved: Moved) -> Ends:
    """Its own range, or a usual one: set where all plan months are alike, else scaled; added to where it is 0."""
    model, results = view.snapshot.model, view.snapshot.results
    line = model.line(moved.lines[0])
    whole = results.values(line.name)[..., model.timeline.actual_count :, view.place]
    named = dict(moved.members)
    at = tuple(model.dimension_by_name[d].index(named[d]) for d in line.dimensions) if named else ()
    own = whole[at]
    first = float(own.flat[0]) if own.size else float("nan")
    is_alike = own.size > 0 and bool(np.all(own == first))
    if line.plausible is not None:
        found = stretch(model, results, moved, Way.RANGE, REACH, view.place)
        if found is not None:
            return _in_values(found.ways[0], is_alike, first)
    if not own.any():
        most = 0.1 if line.unit.startswith("%") else 100.0
        return Ends(line.name, Operation.SET if is_alike else Operation.ADD, 0.0, 0.0, most, first, moved.members)
    value = first if is_alike else float("nan")
    scaled = Ends(line.name, Operation.SCALE, 1 - REACH, 1.0, 1 + REACH, value, moved.members)
    return _in_values(scaled, is_alike, first)


def _in_values(ends: Ends, is_alike: bool, value: float) -> Ends:
    """The same ends in the line's own unit where all its months are alike: a price is set, not scaled."""
    if not is_alike or ends.operation is not Operation.SCALE:
        return ends
    low, high = sorted((ends.low * value, ends.high * value))
    return replace(ends, operation=Operation.SET, low=low, now=value, high=high)


def _read(text: str, ends: Ends, line: Line) -> float:
    """An amount as typed: a value, a change in per cent, or a difference."""
    typed = formats.read_typed(text, line.unit)
    if ends.operation is Operation.SET:
        value = {Operation.SET: typed.amount, Operation.ADD: ends.now + typed.amount}
        return float(value.get(typed.operation, ends.now * typed.amount))
    if ends.operation is Operation.SCALE and typed.operation is Operation.SCALE:
        return typed.amount
    if ends.operation is Operation.ADD and typed.operation is Operation.ADD:
        return typed.amount
    wanted = "+5 % or ×1.1" if ends.operation is Operation.SCALE else "+50"
    raise InvalidValue(f"{line.label} differs by month, so it is moved as a whole: type {wanted}; got “{text}”.")


def _at(position: str, ends: Ends) -> float:
    """The amount a slider stands at; as planned where it says nothing."""
    if not position.isdecimal() or int(position) > STEPS:
        return ends.now
    place = int(position)
    if place == _position(ends, ends.now):
        return ends.now
    return round(ends.low + (ends.high - ends.low) * place / STEPS, _decimals(ends))


def _decimals(ends: Ends) -> int:
    """So many that a hundredth of the way shows: what a slider stands at is a number one would type."""
    return max(0, -floor(log10((ends.high - ends.low) / 100))) if ends.high > ends.low else 0


def _position(ends: Ends, amount: float) -> int:
    share = (amount - ends.low) / (ends.high - ends.low) if ends.high > ends.low else 0.0
    return int(np.clip(round(share * STEPS), 0, STEPS)) if isfinite(share) else 0


def steps_of(levers: Sequence[Pulled]) -> tuple[Change, ...]:
    """Return the changes of all levers that are pulled.

    Raises
    ------
    InvalidValue: an amount that could not be read.
    """
    for lever in levers:
        if lever.fault:
            raise InvalidValue(lever.fault)
    return tuple(lever.change for lever in levers if lever.is_moved)


def tried_view(view: View, levers: Sequence[Pulled]) -> View:
    """Return the view with all levers pulled, and as it stands before them."""
    changes = tuple(lever.change for lever in levers if lever.is_moved)
    if not changes:
        return replace(view, before=view.snapshot)
    own = view.sketch.layer if view.sketch is not None and view.snapshot.model.sketch is not None else None
    case = view.address.case
    earlier = own.changes if own is not None and own.case == case else ()
    switches = own.switches if own is not None and own.case == case else ()
    snapshot = view.snapshot.sketched(Sketch(case, (*earlier, *changes), switches))
    return replace(view, snapshot=snapshot, before=view.snapshot)


def build_bench(view: View, levers: Sequence[Pulled], usual: Sequence[str], drawn: str) -> BenchView:
    """Return the tab with its levers as they are pulled.

    Parameters
    ----------
    usual : keys offered first. drawn : the line of the chart; the cash where it is empty.
    """
    model = view.snapshot.model
    on = {lever.moved.key for lever in levers}
    names = [line.name for line in model.lines if line.is_assumption]
    choices = [(moved.key, moved_words(model, moved)) for moved in all_moved(model, names) if moved.key not in on]
    first = {key: place for place, key in enumerate(usual)}
    choices.sort(key=lambda pair: first.get(pair[0], len(first)))
    lines = tuple((line.name, line.label) for line in model.lines if line.formula is not None and not line.dimensions)
    shown = drawn if drawn in dict(lines) else "cash_after_overdraft" if "cash_after_overdraft" in dict(lines) else ""
    tried = tried_view(view, levers)
    moved = [lever for lever in levers if lever.is_moved]
    return BenchView(
        levers=tuple(_lever(view, lever) for lever in levers),
        choices=tuple(choices),
        lines=lines,
        drawn=shown,
        chart=_chart(tried, shown) if shown else None,
        said=", ".join(f"{moved_words(model, each.moved)} {_said(model.line(each.ends.line), each)}" for each in moved),
        is_moved=bool(moved),
        is_full=len(levers) == MOST_LEVERS,
    )


def _said(line: Line, lever: Pulled) -> str:
    return step_words(line, lever.ends.operation, lever.amount)


def _lever(view: View, lever: Pulled) -> LeverView:
    model = view.snapshot.model
    ends, line = lever.ends, model.line(lever.ends.line)
    amount = lever.amount if isfinite(lever.amount) else ends.now
    return LeverView(
        key=lever.moved.key,
        label=moved_words(model, lever.moved),
        unit=line.unit if ends.operation is not Operation.SCALE else "by per cent of the plan",
        low=step_words(line, ends.operation, ends.low),
        high=step_words(line, ends.operation, ends.high),
        position=_position(ends, amount),
        now=_position(ends, ends.now),
        value=_typed(ends, amount, line.unit),
        said=step_words(line, ends.operation, ends.now),
        is_moved=lever.is_moved,
        fault=lever.fault,
    )


def _typed(ends: Ends, amount: float, unit: str) -> str:
    """An amount as it could be typed: 46.5, +9 %, +50."""
    if ends.operation is Operation.SET:
        return formats.typed(amount, unit)
    text = f"{(amount - 1) * 100:+.6g} %" if ends.operation is Operation.SCALE else formats.typed(amount, unit)
    return text.replace("-", formats.MINUS) if text.startswith(("+", "-")) else f"+{text}"


def _chart(view: View, name: str) -> Chart:
    """A line by month before and after, over the whole plan."""
    snapshot, before = view.snapshot, view.before or view.snapshot
    model, timeline = snapshot.model, snapshot.model.timeline
    line = model.line(name)
    then = snapshot.results.series(name, (), view.place)
    was = before.results.series(name, (), before.place(view.address.case))
    known = np.concatenate([then, was])
    known = known[np.isfinite(known)]
    ticks = round_ticks(min(0.0, float(known.min(initial=0.0))), max(0.0, float(known.max(initial=0.0))), 4)
    x = Scale(low=0, high=max(1, len(then) - 1), start=LEFT, end=WIDTH - RIGHT)
    y = Scale(low=ticks[0], high=ticks[-1], start=HEIGHT - BOTTOM, end=TOP)
    years = timeline.periods(Grain.YEAR)
    return Chart(
        label=line.label,
        then=path([(x(place), y(float(v)) if isfinite(v) else float("nan")) for place, v in enumerate(then)]),
        was=path([(x(place), y(float(v)) if isfinite(v) else float("nan")) for place, v in enumerate(was)]),
        y_ticks=tuple((y(tick), formats.amount(tick, line.unit)) for tick in ticks),
        x_ticks=tuple((x(max(0, year.first.ordinal - timeline.start.ordinal)), year.label) for year in years),
        zero_y=y(0.0) if ticks[0] < 0 < ticks[-1] else None,
        boundary_x=x(timeline.actual_count - 0.5) if timeline.actual_count else None,
        width=WIDTH,
        height=HEIGHT,
        left=LEFT,
        bottom=HEIGHT - BOTTOM,
        right=WIDTH - RIGHT,
    )
