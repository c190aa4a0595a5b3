"""Which moves staff a team plan, and which shock it: two sets of alternatives."""

from widefork.core.changes import Move
from widefork.core.graph.model import ScheduleSettings
from widefork.core.graph.plan import Plan


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
