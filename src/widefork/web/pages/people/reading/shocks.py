"""Plans of people under shocks: a table of alternatives, moves that staff beside those that take productivity."""

from collections.abc import Mapping
from dataclasses import dataclass

from widefork.core.analysis.grid import read_set
from widefork.core.analysis.staffing import plans_and_shocks
from widefork.web.pages.people.plan import TeamPlan
from widefork.web.shared.alternatives import AlternativesTable, build_alternatives, measure_of, measures_of
from widefork.web.shared.context import View


@dataclass(frozen=True, kw_only=True)
class Shocks:
    """The table over the months in view; None while there are no moves of both kinds.

    Parameters
    ----------
    measures : (key, label, address, is shown). url : of the same table among all alternatives.
    """

    measures: tuple[tuple[str, str, str, bool], ...]
    table: AlternativesTable | None
    has_plans: bool
    has_shocks: bool
    span: str
    url: str


def build_shocks(view: View, plan: TeamPlan, asked: Mapping[str, str]) -> Shocks:
    """Return the table for the ``figure`` asked for, plans across and shocks down."""
    model, first, last = view.snapshot.model, view.address.first, view.address.last
    case, name = view.address.case, plan.given.name
    measures = [
        measure
        for measure in measures_of(model, first, last)
        if measure.key == "sum:ebitda" or measure.key.endswith((f":{name}_work", f":{name}_cost", f"per_head:{name}"))
    ]
    chosen = measure_of(tuple(measures), asked.get("figure", ""))
    plans, shocks = plans_and_shocks(view.snapshot.plan, plan.given, case)
    sets = {
        key: f"moves: {'; '.join(move.label for move in moves)}"
        for key, moves in (("columns", plans), ("rows", shocks))
    }
    table = None
    if plans and shocks:
        read = tuple(read_set(model, case, sets[key]) for key in ("rows", "columns"))
        table = build_alternatives(view.snapshot.plan, case, read, chosen, chosen.is_less_better)
    address = view.address
    return Shocks(
        measures=tuple((m.key, m.label, address.url(figure=m.key), m.key == chosen.key) for m in measures),
        table=table,
        has_plans=bool(plans),
        has_shocks=bool(shocks),
        span=f"{first.label} to {last.label}",
        url=address.url("cases", view="alternatives", figure=chosen.key, **sets),
    )
