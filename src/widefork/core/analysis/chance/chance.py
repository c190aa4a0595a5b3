"""What all draws together say: how figures are spread, how likely things are, and how well that is known."""

from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.chance.layout import Layout
from widefork.core.analysis.chance.points import SCRAMBLINGS, Design, Points
from widefork.core.analysis.chance.quantiles import Quantiles
from widefork.core.analysis.chance.sweep import BATCH, Progress, Sweep, Tally, run_sweep
from widefork.core.axes import Month
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure
from widefork.core.graph.plan import Plan

Values = NDArray[np.float64]
FAN = (0.05, 0.25, 0.5, 0.75, 0.95)
"""Shares whose quantiles a fan is drawn by."""
MOST_DRIVERS = 100_000
"""Draws whose numbers are kept, to tell what drives the spread."""


@dataclass(frozen=True)
class Known:
    """An amount found from draws, and how well it is known.

    Parameters
    ----------
    error : the standard error, from how far the answers of independent scramblings lie apart; NaN where one of them
        has none.
    """

    value: float
    error: float


@dataclass(frozen=True)
class Fan:
    """How a line's months are spread.

    Parameters
    ----------
    months : of the plan. quantiles : shape (5, months), at ``FAN``.
    is_exact : whether they are order statistics of all draws rather than a sketch's.
    """

    line: str
    months: tuple[Month, ...]
    quantiles: Values
    is_exact: bool


@dataclass(frozen=True)
class Driver:
    """How much of a figure's spread goes with one of the things drawn.

    Parameters
    ----------
    name : of the spread. correlation : of ranks, -1 to 1 (Spearman); NaN where the figure does not move.
    """

    name: str
    correlation: float


@dataclass(frozen=True)
class Chance:
    """All draws of a sweep.

    Parameters
    ----------
    sweep : what was drawn. count : how many draws were done: fewer than asked for where it was ended early.
    amounts : of the figures, shape (figures, draws); NaN for no answer. scramblings : of which each draw is, shape
        (draws,). drivers : behind the first draws, shape (spreads, draws).
    fans : by line. months : of the plan.
    under : share of the draws in which the company is short of money, by month; empty where the model has no cash.
    need : what each draw is short of at its worst, with interest on what covers it, shape (draws,); 0 for nothing.
    kept : by limit, the share of draws that keep it, by date; and ``kept_always`` on all of its dates.
    """

    sweep: Sweep
    count: int
    amounts: Values
    scramblings: NDArray[np.int64]
    drivers: Values
    fans: Mapping[str, Fan]
    months: tuple[Month, ...]
    under: Values
    need: Values
    kept: Mapping[str, Values]
    kept_always: Mapping[str, float]

    @property
    def layout(self) -> Layout:
        """What was drawn."""
        return self.sweep.layout

    def figure(self, place: int) -> Figure:
        """Return a figure by its place."""
        return self.sweep.figures[place]

    def quantile(self, place: int, share: float) -> Known:
        """Return what a figure stays at or below in a share of the draws.

        A month that does not come in the plan counts as infinitely late, and so may the quantile be.
        """
        return self._known(self._whole(place), lambda amounts: _quantile(amounts, share))

    def mean(self, place: int) -> Known:
        """Return a figure's mean over the draws that have an answer."""
        return self._known(self.amounts[place], lambda amounts: float(np.nanmean(amounts)) if amounts.size else np.nan)

    def reaching(self, place: int, goal: float, is_at_least: bool = True) -> Known:
        """Return the share of draws in which a figure meets a goal; one without an answer does not."""
        met = self.amounts[place] >= goal if is_at_least else self.amounts[place] <= goal
        return self._known(met.astype(float), lambda held: float(held.mean()))

    def without_answer(self, place: int) -> float:
        """Return the share of draws in which a figure has no answer: a month that never comes, or an error."""
        return float(np.isnan(self.amounts[place]).mean())

    def under_at_all(self) -> Known:
        """Return the share of draws in which the company is short of money in some month."""
        return self._known((self.need > 0).astype(float), lambda held: float(held.mean()))

    def money_needed(self, share: float) -> Known:
        """Return the money that is enough in a share of the draws, in currency: a quantile of each draw's own need."""
        return self._known(self.need, lambda need: _quantile(need, share))

    def driven_by(self, place: int) -> tuple[Driver, ...]:
        """Return how strongly a figure goes with each thing drawn, the strongest first."""
        from scipy.stats import rankdata  # imported where used: it is slow to load

        amounts = self._whole(place)[: self.drivers.shape[1]]
        ranks = rankdata(amounts)
        found = []
        for spread, own in zip(self.layout.spreads, self.drivers, strict=True):
            if np.ptp(ranks) and np.ptp(own):
                found.append(Driver(spread.name, float(np.corrcoef(rankdata(own), ranks)[0, 1])))
            else:
                found.append(Driver(spread.name, float("nan")))
        return tuple(sorted(found, key=lambda driver: -abs(np.nan_to_num(driver.correlation))))

    def _whole(self, place: int) -> Values:
        """A figure's amounts, a month that never comes as infinitely late."""
        amounts = self.amounts[place]
        return np.where(np.isnan(amounts), np.inf, amounts) if self.figure(place).reduction.gives_month else amounts

    def _known(self, draws: Values, of: Callable[[Values], float]) -> Known:
        parts = [of(draws[self.scramblings == number]) for number in np.unique(self.scramblings)]
        spread = float(np.std(parts, ddof=1)) if len(parts) > 1 and np.isfinite(parts).all() else float("nan")
        return Known(of(draws), spread / len(parts) ** 0.5)


def run_chance(
    plan: Plan,
    layout: Layout,
    figures: Sequence[Figure],
    fans: Sequence[str] = (),
    count: int = 2048,
    seed: int = 0,
    points: Points = Points.SOBOL,
    rate: float = 0.0,
    executor: Executor | None = None,
    batch: int = BATCH,
    told: Callable[[Progress], bool] = lambda _: True,
) -> Chance:
    """Return what random draws on top of a case say.

    Parameters
    ----------
    layout : what is drawn; see ``lay_out``. figures : answered for every draw. fans : lines whose months are spread.
    count, seed, points : see ``Design``. rate : a year, on money that covers what a draw is short of, from the month
        it first is; interest is paid, not added.
    executor, batch, told : see ``run_sweep``.

    Raises
    ------
    InvalidValue: too few or too many draws; a sweep ended before its first batch. UnknownName: an unknown line.
    """
    for name in fans:
        plan.model.line(name)
    design = Design(count, seed, layout.dimensions, points)
    sweep = Sweep(layout, design, tuple(figures), tuple(dict.fromkeys(fans)), rate)
    gathered = _Gathered(plan, sweep)
    done = run_sweep(plan, sweep, gathered.take, executor, batch, told)
    if not done:
        raise InvalidValue("The draws were ended before any was done.")
    return gathered.whole(done)


class _Gathered:
    """Tallies put together as they come."""

    def __init__(self, plan: Plan, sweep: Sweep) -> None:
        timeline = plan.model.timeline
        self.sweep, self.months = sweep, timeline.months[timeline.actual_count :]
        self.figures: list[Values] = []
        self.drivers: list[Values] = []
        self.need: list[Values] = []
        self.fans = {name: Quantiles(len(self.months), sweep.design.count) for name in sweep.fans}
        self.under = np.zeros(0)
        self.kept: dict[str, Values] = {}
        self.always: dict[str, int] = {}

    def take(self, tally: Tally) -> None:
        self.figures.append(tally.figures)
        if sum(each.shape[1] for each in self.drivers) < MOST_DRIVERS:
            self.drivers.append(tally.drivers)
        for name, values in tally.fans.items():
            self.fans[name].add(values)
        if tally.room.size:
            self.need.append(_need(tally.room, self.sweep.rate))
            counts = (tally.room < 0).sum(axis=1)
            self.under = counts + (self.under if self.under.size else 0)
        for name, held in tally.kept.items():
            self.kept[name] = held.sum(axis=1) + self.kept.get(name, 0)
            self.always[name] = int(held.all(axis=0).sum()) + self.always.get(name, 0)

    def whole(self, done: int) -> Chance:
        each = self.sweep.design.each
        scramblings = np.repeat(np.arange(SCRAMBLINGS), each)[:done]
        return Chance(
            self.sweep,
            done,
            np.concatenate(self.figures, axis=1),
            scramblings,
            np.concatenate(self.drivers, axis=1),
            {
                name: Fan(name, self.months, found.at(np.array(FAN)), found.is_exact)
                for name, found in self.fans.items()
            },
            self.months,
            self.under / done,
            np.concatenate(self.need) if self.need else np.zeros(done),
            {name: counts / done for name, counts in self.kept.items()},
            {name: counts / done for name, counts in self.always.items()},
        )


def _need(room: Values, rate: float) -> Values:
    """What every draw is short of at its worst: enough to cover the month with the interest paid until then.

    Parameters
    ----------
    room : above the waterline, shape (months, draws); negative is short. Money comes in the first month that is short;
        after k months k / 12 of a year's interest is paid, so that 1 brings 1 - rate k / 12.
    """
    short = np.maximum(-np.nan_to_num(room), 0.0)
    is_short = short > 0
    first = np.where(is_short.any(axis=0), is_short.argmax(axis=0), 0)
    since = np.maximum(np.arange(len(room))[:, None] - first, 0)
    left = np.maximum(1 - rate * since / 12, 1e-6)
    found: Values = (short / left).max(axis=0)
    return found


def _quantile(amounts: Values, share: float) -> float:
    known = amounts[~np.isnan(amounts)]
    if not known.size:
        return float("nan")
    # An order statistic, not one between two: between a month and never there is none.
    return float(np.quantile(known, share, method="linear" if np.isfinite(known).all() else "higher"))
