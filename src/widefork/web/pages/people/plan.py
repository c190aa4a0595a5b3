"""The team plan a page is about: its settings, its draft, and its lines by part."""

from dataclasses import dataclass

from widefork.core.axes import Dimension
from widefork.core.finance.assemble import write_schedules
from widefork.core.finance.schedules import Draft
from widefork.core.graph.model import Model, ScheduleSettings
from widefork.core.lines import MemberKey
from widefork.web.shared.context import View

KIND = "people"


@dataclass(frozen=True, kw_only=True)
class TeamPlan:
    """A team plan as it stands.

    Parameters
    ----------
    given : its settings. draft : what it writes, for its checked attributes. model : as stored.
    teams, seats : the registers; None where there are no seats yet.
    """

    given: ScheduleSettings
    draft: Draft
    model: Model
    teams: Dimension
    seats: Dimension | None

    def name(self, part: str) -> str:
        """Return the name of one of its lines."""
        return f"{self.given.name}_{part}"

    def has(self, part: str) -> bool:
        """Return whether one of its lines is there."""
        return any(line.name == self.name(part) for line in self.draft.lines)

    def own_line(self, key: str) -> str:
        """Return the line of the user's own a setting names; empty where there is none."""
        lines = self.given.settings.get(key, ())
        return str(lines[0]) if lines else ""


def plans_of(model: Model) -> tuple[ScheduleSettings, ...]:
    """Return the team plans of a model."""
    return tuple(given for given in model.schedules if given.kind == KIND)


def team_plan(view: View, asked: str) -> TeamPlan | None:
    """Return the team plan asked for, or the first; None where there is none."""
    model = view.snapshot.stored.model
    plans = plans_of(model)
    if not plans:
        return None
    given = next((one for one in plans if one.name == asked), plans[0])
    draft = next(one for one in write_schedules(model) if one.given.name == given.name)
    seats = draft.value("seats") if draft.has("seats") else None
    return TeamPlan(given=given, draft=draft, model=model, teams=draft.value("register"), seats=seats)


def teams_allowed(plan: TeamPlan) -> tuple[str, ...]:
    """Return the teams of which it is said how many heads each alone is allowed."""
    return tuple(t for t in plan.teams.members if plan.teams.attributes.get(t, {}).get("allowed") not in (None, ""))


def months_of(view: View, plan: TeamPlan, part: str, members: MemberKey = ()) -> list[float]:
    """Return all months of one of its lines in the active case, teams taken together unless one is named."""
    values = view.snapshot.results.values(plan.name(part))[..., view.place]
    if members:
        return [float(value) for value in values[plan.teams.index(members[0])]]
    return [float(value) for value in (values.sum(axis=0) if values.ndim > 1 else values)]
