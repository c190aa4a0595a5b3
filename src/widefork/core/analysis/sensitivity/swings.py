"""One-way sensitivities: every assumption moved down and up by itself, ranked by its effect on one figure."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.figures import answer, figure_amounts
from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure
from widefork.core.graph.plan import Plan
from widefork.core.lines import Line

Values = NDArray[np.float64]
SHARES = (0.01, 0.02, 0.05, 0.1, 0.15, 0.2, 0.25, 0.3, 0.4, 0.5, 0.75, 1.0)
"""What is tried to find out from which share on a figure moves at all."""


class Way(StrEnum):
    """How far every assumption is moved."""

    SHARE = "share"
    RANGE = "range"
    UNIT = "unit"


@dataclass(frozen=True)
class Swing:
    """One assumption's effect.

    Parameters
    ----------
    line : its name.
    lowered, raised : the figure with the assumption moved down and up, in the figure's unit; NaN where there is
        no answer.
    down, up : the same, less the figure as it stands.
    raised_by : by which share it was moved up: less than asked for a share that would have gone beyond 100 %; the
        share asked for where it is moved otherwise.
    ends : the changes it was moved down and up by.
    """

    line: str
    lowered: float
    raised: float
    down: float
    up: float
    raised_by: float
    ends: tuple[Change, Change]

    @property
    def width(self) -> float:
        """The greater of both effects, without sign; 0 where neither is known."""
        return float(np.nanmax([abs(self.down), abs(self.up), 0.0]))


@dataclass(frozen=True)
class Swings:
    """All assumptions ranked.

    Parameters
    ----------
    share : how far each was moved (0.1 = ±10 %). now : the figure as it stands.
    ranked : widest first, those with an effect only.
    without_effect : moved, but the figure stayed. zero : 0 in every plan month, so a share of it is nothing.
    apart : assumptions the figure is not computed from. without_range : not moved, as nobody said within what.
    """

    figure: Figure
    share: float
    now: float
    ranked: tuple[Swing, ...]
    without_effect: tuple[str, ...]
    zero: tuple[str, ...]
    apart: tuple[str, ...]
    without_range: tuple[str, ...] = ()


def rank_swings(
    plan: Plan, changes: Sequence[Change], figure: Figure, share: float = 0.1, way: Way = Way.SHARE
) -> Swings:
    """Return every assumption's effect on a figure when its plan months are moved down and up.

    Parameters
    ----------
    plan : the compiled model. changes : the case it is asked in; the moves ride on top of it.
    share : above 0 and at most 1; of what is assumed. way : by that share, within each one's own plausible range, or
        by one unit, a percentage point of a share. A range in the line's unit is taken as it stands where the plan
        months are all alike, else as a factor of what is likely.

    Raises
    ------
    InvalidValue: a share outside those limits. UnknownName: a figure on an unknown line.
    """
    if not 0 < share <= 1:
        raise InvalidValue(f"The swing is above 0 % and at most 100 %; {share * 100:g} % was given.")
    behind = plan.assumptions_behind(figure.line)
    start = plan.model.timeline.actual_count
    standing = evaluate(plan, [changes], [figure.line, *behind])
    months = {name: standing.values(name)[..., start:, :] for name in behind}
    lines = {name: plan.model.line(name) for name in behind}
    without_range = tuple(n for n in behind if lines[n].plausible is None) if way is Way.RANGE else ()
    asked = [name for name in behind if name not in without_range]
    zero = tuple(name for name in asked if not months[name].any() and _is_relative(lines[name], way))
    moved = [name for name in asked if name not in zero]
    up = {name: min(share, _room(plan, name, months[name])) if way is Way.SHARE else share for name in moved}
    ends = {name: _ends(lines[name], months[name], way, share, up[name]) for name in moved}
    batch = [[*changes, end] for name in moved for end in ends[name]]
    now = float(answer(figure, standing).amounts[0])
    amounts = figure_amounts(plan, batch, figure)
    swings = [
        Swing(name, float(low), float(high), float(low) - now, float(high) - now, up[name], ends[name])
        for name, (low, high) in zip(moved, amounts.reshape(-1, 2), strict=True)
    ]
    tiny = 1e-9 * max(1.0, abs(now) if np.isfinite(now) else 1.0)
    shown = sorted((s for s in swings if s.width > tiny or np.isnan([s.down, s.up]).any()), key=lambda s: -s.width)
    return Swings(
        figure,
        share,
        now,
        tuple(shown),
        tuple(s.line for s in swings if s not in shown),
        zero,
        tuple(line.name for line in plan.model.lines if line.is_assumption and line.name not in behind),
        without_range,
    )


def _is_relative(line: Line, way: Way) -> bool:
    """Whether a line is moved by a share of itself, so that 0 stays 0."""
    return way is Way.SHARE or (way is Way.RANGE and line.plausible is not None and line.plausible.is_relative)


def _ends(line: Line, values: Values, way: Way, share: float, up: float) -> tuple[Change, Change]:
    """What moves a line down and up."""
    if way is Way.UNIT:
        unit = 0.01 if line.unit.startswith("%") else 1.0
        return Change(line.name, Operation.ADD, -unit), Change(line.name, Operation.ADD, unit)
    plausible = line.plausible
    if way is Way.SHARE or plausible is None:
        return Change(line.name, Operation.SCALE, 1 - share), Change(line.name, Operation.SCALE, 1 + up)
    low, likely, high = plausible.low, plausible.likely, plausible.high
    if plausible.is_relative:
        return Change(line.name, Operation.SCALE, 1 + low), Change(line.name, Operation.SCALE, 1 + high)
    if values.size and np.all(values == values.flat[0]):
        return Change(line.name, Operation.SET, low), Change(line.name, Operation.SET, high)
    if likely > 0:
        return Change(line.name, Operation.SCALE, low / likely), Change(line.name, Operation.SCALE, high / likely)
    return Change(line.name, Operation.ADD, low - likely), Change(line.name, Operation.ADD, high - likely)


def first_share_that_moves(plan: Plan, changes: Sequence[Change], figure: Figure, above: float) -> float | None:
    """Return the smallest of ``SHARES`` above one at which some assumption moves a figure; None where none does."""
    wider = (share for share in SHARES if share > above)
    return next((share for share in wider if rank_swings(plan, changes, figure, share).ranked), None)


def _room(plan: Plan, name: str, values: Values) -> float:
    """By which share a line can go up before a part of something becomes more than all of it."""
    most = float(np.nanmax(values, initial=0.0))
    is_share = plan.model.line(name).unit == "%" and 0 < most <= 1 and not (values < 0).any()
    return 1 / most - 1 if is_share else np.inf
