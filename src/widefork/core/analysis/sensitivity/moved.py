"""What a sensitivity moves, and between which ends: a line, some of its members, or lines that hang together."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from widefork.core.changes import Change, Operation
from widefork.core.errors import InvalidValue
from widefork.core.graph.calculate import Results
from widefork.core.graph.model import Model
from widefork.core.lines import Line, MemberKey

Values = NDArray[np.float64]
Named = tuple[tuple[str, str], ...]


class Way(StrEnum):
    """How far every assumption is moved."""

    SHARE = "share"
    RANGE = "range"
    UNIT = "unit"


@dataclass(frozen=True)
class Moved:
    """What is moved as one.

    Parameters
    ----------
    lines : one, or several that hang together. members : (dimension, member), of a single line; empty for all.
    """

    lines: tuple[str, ...]
    members: Named = ()

    @property
    def key(self) -> str:
        """What it is called in an address: ``kit_price``, ``kit_price@Coast``, ``kit_price+panel_fee``."""
        where = " / ".join(member for _, member in self.members)
        return "+".join(self.lines) + (f"@{where}" if where else "")


@dataclass(frozen=True)
class Ends:
    """One line's way between its ends.

    Parameters
    ----------
    line, members, operation : what is moved, and how. low, now, high : amounts of the operation; ``now`` leaves the
        line as it is. value : what all its plan months are, where they are alike; else NaN.
    """

    line: str
    operation: Operation
    low: float
    now: float
    high: float
    value: float = float("nan")
    members: Named = ()

    def change(self, amount: float) -> Change:
        """Return the change for an amount."""
        return Change(self.line, self.operation, amount, self.members)

    def becomes(self, amount: float) -> float:
        """Return what all plan months are under an amount, in the line's unit; NaN where they differ."""
        match self.operation:
            case Operation.SCALE:
                return self.value * amount
            case Operation.ADD:
                return self.value + amount
        return amount if np.isfinite(self.value) else float("nan")


@dataclass(frozen=True)
class Stretch:
    """How far something is moved: from a low over what is planned to a high.

    A single line is moved by its own amounts. Of several each goes its own way in straight proportion, from its low
    at -1 over what is planned at 0 to its high at 1, and on beyond.
    """

    moved: Moved
    ways: tuple[Ends, ...]

    @property
    def lines(self) -> tuple[str, ...]:
        """The assumptions moved."""
        return self.moved.lines

    @property
    def is_whole(self) -> bool:
        """Whether only whole amounts count: never."""
        return False

    @property
    def is_single(self) -> bool:
        """Whether it is one line, moved by its own amounts."""
        return len(self.ways) == 1

    @property
    def bounds(self) -> tuple[float, float, float]:
        """Low, now and high."""
        if self.is_single:
            return self.ways[0].low, self.ways[0].now, self.ways[0].high
        return -1.0, 0.0, 1.0

    def changes(self, amount: float) -> tuple[Change, ...]:
        """Return what an amount does."""
        if self.is_single:
            return (self.ways[0].change(amount),)
        ends = ((way, way.high - way.now if amount > 0 else way.now - way.low) for way in self.ways)
        return tuple(way.change(way.now + amount * reach) for way, reach in ends)

    @property
    def raised_by(self) -> float:
        """By which share it goes up where it goes by shares; of several, the least."""
        return min((way.high - 1 for way in self.ways if way.operation is Operation.SCALE), default=float("nan"))


def all_moved(
    model: Model, lines: Sequence[str], is_apart: bool = False, together: Sequence[Sequence[str]] = ()
) -> tuple[Moved, ...]:
    """Return what lines are moved as, in their order.

    Parameters
    ----------
    is_apart : members of a line each by themselves. together : lines that hang together, moved as one where the
        first of them stands; those not among ``lines`` are left out.

    Raises
    ------
    InvalidValue: a line in two such groups.
    """
    groups = [tuple(name for name in lines if name in group) for group in together]
    inside = [name for group in groups for name in group]
    twice = next((name for name in inside if inside.count(name) > 1), None)
    if twice is not None:
        raise InvalidValue(f"{model.line(twice).label} hangs together with two groups; name it in one of them.")
    found: list[Moved] = []
    for name in lines:
        group = next((group for group in groups if name in group), ())
        if len(group) > 1:
            found += [Moved(group)] if group[0] == name else []
        elif is_apart and model.line(name).dimensions:
            line = model.line(name)
            keys = model.keys_of(line)
            found += [Moved((name,), tuple(zip(line.dimensions, key, strict=True))) for key in keys]
        else:
            found.append(Moved((name,)))
    return tuple(found)


def stretch(model: Model, results: Results, moved: Moved, way: Way, share: float, batch: int = 0) -> Stretch | None:
    """Return between which ends something is moved; None where a share of it is nothing, as it is 0 in all plan months.

    Parameters
    ----------
    results : with the lines moved; ``batch`` is the place of the case in it.
    way : by ``share``, within each one's own plausible range, or by one unit: a percentage point of a share. A range
        in the line's unit is taken as it stands where all its plan months are alike, else as a factor of what is
        likely.

    Raises
    ------
    InvalidValue: a line without a plausible range, moved within it.
    """
    ways = []
    for name in moved.lines:
        line = model.line(name)
        whole = results.values(name)[..., model.timeline.actual_count :, batch]
        own = whole[_places(model, line, moved.members)] if moved.members else whole
        ends = _ends(line, whole, own, way, share)
        if ends is not None:
            operation, low, high = ends
            now = {Operation.SET: _alike(own), Operation.ADD: 0.0}.get(operation, 1.0)
            ways.append(Ends(name, operation, low, now, high, _alike(own), moved.members))
    return Stretch(moved, tuple(ways)) if ways else None


def _places(model: Model, line: Line, members: Named) -> tuple[int, ...]:
    named = dict(members)
    key: MemberKey = tuple(named[name] for name in line.dimensions)
    return tuple(model.dimension_by_name[name].index(m) for name, m in zip(line.dimensions, key, strict=True))


def _alike(values: Values) -> float:
    """The one value of all months and members; NaN where they differ, or there are none."""
    first = float(values.flat[0]) if values.size else float("nan")
    return first if values.size and bool(np.all(values == first)) else float("nan")


def _ends(line: Line, whole: Values, own: Values, way: Way, share: float) -> tuple[Operation, float, float] | None:
    """How what is moved goes down and up; None where it stays 0."""
    plausible = line.plausible
    is_nothing = not own.any()
    match way:
        case Way.UNIT:
            unit = 0.01 if line.unit.startswith("%") else 1.0
            return Operation.ADD, -unit, unit
        case Way.SHARE:
            return None if is_nothing else (Operation.SCALE, 1 - share, 1 + min(share, _room(line, own)))
    if plausible is None:
        raise InvalidValue(f"{line.label} has no plausible range yet; give it one first.")
    low, likely, high = plausible.low, plausible.likely, plausible.high
    if plausible.is_relative:
        return None if is_nothing else (Operation.SCALE, 1 + low, 1 + high)
    if np.isfinite(_alike(whole)):
        return Operation.SET, low, high
    if likely > 0 and not is_nothing:
        return Operation.SCALE, low / likely, high / likely
    return Operation.ADD, low - likely, high - likely


def _room(line: Line, values: Values) -> float:
    """By which share a line can go up before a part of something becomes more than all of it."""
    most = float(np.nanmax(values, initial=0.0))
    is_share = line.unit == "%" and 0 < most <= 1 and not (values < 0).any()
    return 1 / most - 1 if is_share else np.inf
