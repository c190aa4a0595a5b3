"""Hires proposed for what is wanted of a team, tried on the plan itself: leavers, ramps and all."""

from dataclasses import dataclass
from math import ceil

from widefork.core.axes import Month
from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate
from widefork.core.graph.calculate import ChangeList
from widefork.core.graph.plan import Plan

NEARLY = 1e-6
"""Of a head, that nobody misses."""


@dataclass(frozen=True)
class Proposal:
    """What would be hired into a team.

    Parameters
    ----------
    changes : one for each month with hires, added to the line of hires.
    too_soon : months in which somebody is short before anyone decided on today could be ramped.
    left : the most that is still short afterwards, heads.
    """

    changes: tuple[Change, ...]
    too_soon: int
    left: float

    @property
    def heads(self) -> float:
        """How many would be hired in all."""
        return sum(change.amount for change in self.changes)


def propose_hires(
    plan: Plan, changes: ChangeList, short: str, hires: str, team: tuple[str, str], lead: int, ramp: int
) -> Proposal:
    """Return the fewest whole hires, each as late as it may be, so that nobody is short once that can be helped.

    Parameters
    ----------
    changes : of the case. short : the line of ramped heads short, over the teams. hires : the line that is added to.
    team : (dimension, member). lead : months from today's decision, the first plan month, to a first day.
    ramp : months until a new head counts in full.

    Raises
    ------
    UnknownName, ChangeRefused: as ``evaluate``.
    """
    timeline = plan.model.timeline
    soonest = timeline.actual_count + lead
    added: dict[int, float] = {}

    def now() -> list[float]:
        values = evaluate(plan, [(*changes, *_as_changes(added, hires, team, plan))], [short])
        return [float(value) for value in values.series(short, (team[1],))]

    months = now()
    too_soon = sum(value > 0 for value in months[timeline.actual_count : soonest + ramp])
    for place in range(soonest + ramp, timeline.month_count):
        while months[place] > NEARLY:  # some of those hired leave again while they ramp
            added[place - ramp] = added.get(place - ramp, 0.0) + ceil(months[place] - NEARLY)
            months = now()
    rest = months[soonest + ramp :]
    return Proposal(_as_changes(added, hires, team, plan), too_soon, max(rest, default=0.0))


def _as_changes(added: dict[int, float], hires: str, team: tuple[str, str], plan: Plan) -> tuple[Change, ...]:
    months: tuple[Month, ...] = plan.model.timeline.months
    return tuple(
        Change(hires, Operation.ADD, count, (team,), months[place], months[place])
        for place, count in sorted(added.items())
    )
