"""One-way sensitivities: every assumption moved down and up by itself, ranked by its effect on one figure."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.figures import answer, figures_amounts
from widefork.core.analysis.sensitivity.moved import Moved, Stretch, Way, all_moved, stretch
from widefork.core.changes import Change
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure
from widefork.core.graph.plan import Plan

Values = NDArray[np.float64]
SHARES = (0.01, 0.02, 0.05, 0.1, 0.15, 0.2, 0.25, 0.3, 0.4, 0.5, 0.75, 1.0)
"""What is tried to find out from which share on a figure moves at all."""
NEARLY = 1e-9


@dataclass(frozen=True)
class Swing:
    """One assumption's effect.

    Parameters
    ----------
    stretch : what is moved, and between which ends.
    lowered, raised : the figure with it moved down and up, in the figure's unit; NaN where there is no answer.
    down, up : the same, less the figure as it stands.
    second : the second figure moved down and up; empty where there is none.
    """

    stretch: Stretch
    lowered: float
    raised: float
    down: float
    up: float
    second: tuple[float, ...] = ()

    @property
    def moved(self) -> Moved:
        """What is moved."""
        return self.stretch.moved

    @property
    def line(self) -> str:
        """The line moved; the first of several."""
        return self.moved.lines[0]

    @property
    def width(self) -> float:
        """The greater of both effects, without sign; 0 where neither is known."""
        return float(np.nanmax([abs(self.down), abs(self.up), 0.0]))


@dataclass(frozen=True)
class Swings:
    """All assumptions ranked.

    Parameters
    ----------
    share : how far each was moved (0.1 = ±10 %). now : the figures as they stand: the one ranked by, and the second.
    ranked : widest first, those with an effect only.
    without_effect : moved, but the figure stayed. zero : 0 in every plan month, so a share of it is nothing.
    apart : assumptions the figure is not computed from. without_range : not moved, as nobody said within what.
    """

    figure: Figure
    share: float
    now: tuple[float, ...]
    ranked: tuple[Swing, ...]
    without_effect: tuple[Moved, ...]
    zero: tuple[Moved, ...]
    apart: tuple[str, ...]
    without_range: tuple[str, ...] = ()


@dataclass(frozen=True)
class Trials:
    """All that a ranking evaluates, before it does: so that it can be done piece by piece.

    Parameters
    ----------
    batch : two change lists for each of ``stretches``: at its low and at its high.
    """

    plan: Plan
    figures: tuple[Figure, ...]
    share: float
    now: tuple[float, ...]
    stretches: tuple[Stretch, ...]
    batch: tuple[tuple[Change, ...], ...]
    zero: tuple[Moved, ...]
    apart: tuple[str, ...]
    without_range: tuple[str, ...]

    def amounts(self, start: int = 0, stop: int | None = None) -> Values:
        """Return the figures with some stretches moved, shape (figures, 2 × stretches)."""
        return figures_amounts(self.plan, self.batch[2 * start : None if stop is None else 2 * stop], self.figures)

    def ranked(self, amounts: Values) -> Swings:
        """Return the ranking of as many stretches as there are amounts, from the first."""
        now = self.now[0]
        swings = []
        for place, each in enumerate(self.stretches[: amounts.shape[1] // 2]):
            low, high = (float(value) for value in amounts[0, 2 * place : 2 * place + 2])
            second = tuple(float(value) for row in amounts[1:] for value in row[2 * place : 2 * place + 2])
            swings.append(Swing(each, low, high, low - now, high - now, second))
        tiny = NEARLY * max(1.0, abs(now) if np.isfinite(now) else 1.0)
        moves = [swing.width > tiny or bool(np.isnan([swing.down, swing.up]).any()) for swing in swings]
        shown = sorted((s for s, does in zip(swings, moves, strict=True) if does), key=lambda s: -s.width)
        still = tuple(swing.moved for swing, does in zip(swings, moves, strict=True) if not does)
        return Swings(
            self.figures[0], self.share, self.now, tuple(shown), still, self.zero, self.apart, self.without_range
        )


def prepare_swings(
    plan: Plan,
    changes: Sequence[Change],
    figure: Figure,
    share: float = 0.1,
    way: Way = Way.SHARE,
    second: Figure | None = None,
    is_apart: bool = False,
    together: Sequence[Sequence[str]] = (),
) -> Trials:
    """Return what a ranking needs evaluated; parameters and errors are those of ``rank_swings``."""
    if not 0 < share <= 1:
        raise InvalidValue(f"The swing is above 0 % and at most 100 %; {share * 100:g} % was given.")
    model, figures = plan.model, (figure,) if second is None else (figure, second)
    behind = plan.assumptions_behind(figure.line)
    standing = evaluate(plan, [changes], list(dict.fromkeys((*(each.line for each in figures), *behind))))
    without_range = tuple(n for n in behind if model.line(n).plausible is None) if way is Way.RANGE else ()
    asked = all_moved(model, [name for name in behind if name not in without_range], is_apart, together)
    found = [(moved, stretch(model, standing, moved, way, share)) for moved in asked]
    stretches = tuple(each for _, each in found if each is not None)
    ends = ((each, amount) for each in stretches for amount in (each.bounds[0], each.bounds[2]))
    return Trials(
        plan,
        figures,
        share,
        tuple(float(answer(each, standing).amounts[0]) for each in figures),
        stretches,
        tuple((*changes, *each.changes(amount)) for each, amount in ends),
        tuple(moved for moved, each in found if each is None),
        tuple(line.name for line in model.lines if line.is_assumption and line.name not in behind),
        without_range,
    )


def rank_swings(
    plan: Plan,
    changes: Sequence[Change],
    figure: Figure,
    share: float = 0.1,
    way: Way = Way.SHARE,
    second: Figure | None = None,
    is_apart: bool = False,
    together: Sequence[Sequence[str]] = (),
) -> Swings:
    """Return every assumption's effect on a figure when its plan months are moved down and up.

    Actual months are no assumption and stay.

    Parameters
    ----------
    plan : the compiled model. changes : the case it is asked in; the moves ride on top of it.
    share : above 0 and at most 1; of what is assumed. way : by that share, within each one's own plausible range, or
        by one unit in every plan month.
    second : a figure told beside the one ranked by.
    is_apart : members each by themselves. together : lines that hang together, each group moved as one.

    Raises
    ------
    InvalidValue: a share outside those limits, a line in two groups. UnknownName: a figure on an unknown line.
    """
    trials = prepare_swings(plan, changes, figure, share, way, second, is_apart, together)
    return trials.ranked(trials.amounts())


def first_share_that_moves(plan: Plan, changes: Sequence[Change], figure: Figure, above: float) -> float | None:
    """Return the smallest of ``SHARES`` above one at which some assumption moves a figure; None where none does."""
    wider = (share for share in SHARES if share > above)
    return next((share for share in wider if rank_swings(plan, changes, figure, share).ranked), None)
