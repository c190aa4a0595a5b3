"""Plans of people under shocks: every move that staffs, with every move that takes productivity, in one batch."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Period
from widefork.core.changes import Change, Move, Switch, moved
from widefork.core.engine import evaluate
from widefork.core.graph.model import ScheduleSettings
from widefork.core.graph.plan import Plan
from widefork.core.graph.rollup import roll_up

Values = NDArray[np.float64]


@dataclass(frozen=True)
class Tried:
    """What became of plans under shocks.

    Parameters
    ----------
    plans, shocks : moves; None first, for the case as it stands.
    figures : by line, float array of shape (plans, shocks), over the period asked for.
    """

    plans: tuple[Move | None, ...]
    shocks: tuple[Move | None, ...]
    figures: dict[str, Values]

    def best(self, line: str, shock: int) -> int:
        """Return the place of the plan that leaves most of a line under a shock."""
        return int(np.nanargmax(self.figures[line][:, shock]))


def plans_and_shocks(plan: Plan, people: ScheduleSettings, case: str) -> tuple[tuple[Move, ...], tuple[Move, ...]]:
    """Return the moves that staff a team plan, and those that touch its productivity, and that the case has not on.

    A move staffs where it changes hires, returns, those let go, seats, pooling or stretching.
    """
    on = {layer.move for layer in plan.model.layers_of(case)}
    staffing = {f"{people.name}_{part}" for part in ("seat_counts", "pooled", "stretch_share", "stretch_limit")}
    for key in ("hires", "returns", "let_go"):
        staffing |= set(people.settings.get(key, ()))
    shocks, plans = [], []
    for move in plan.model.moves:
        lines = {change.line for change in move.changes}
        if move.name in on:
            continue
        if f"{people.name}_productivity" in lines:
            shocks.append(move)
        elif lines & staffing:
            plans.append(move)
    return tuple(plans), tuple(shocks)


def try_plans(
    plan: Plan, case: str, plans: Sequence[Move], shocks: Sequence[Move], lines: Sequence[str], period: Period
) -> Tried:
    """Return what lines come to over a period for every plan under every shock, on top of a case."""
    base = plan.model.changes_of(case)
    rows: tuple[Move | None, ...] = (None, *plans)
    columns: tuple[Move | None, ...] = (None, *shocks)

    def changes(move: Move | None) -> tuple[Change, ...]:
        return () if move is None else moved(move, Switch(move.name))

    batch = [(*base, *changes(row), *changes(column)) for row in rows for column in columns]
    results = evaluate(plan, batch, list(lines))
    shape = (len(rows), len(columns))
    return Tried(rows, columns, {line: roll_up(results, line, [period])[0].reshape(shape) for line in lines})
