"""What the page can show: one line here per view, each with its words, its template and what builds it."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any

from widefork.web.pages.people.plan import TeamPlan
from widefork.web.pages.people.planning.filling import build_fill
from widefork.web.pages.people.planning.many import build_many, proposals
from widefork.web.pages.people.planning.seats import build_seats
from widefork.web.pages.people.planning.teams import build_teams
from widefork.web.pages.people.reading.shocks import build_grid
from widefork.web.pages.people.reading.tables import build_table
from widefork.web.pages.people.reading.triangle import build_cohorts
from widefork.web.shared.context import View

Asked = Mapping[str, str]
"""What the address says beside the view: ``team`` (checked; empty for all), ``measure``, ``figure``, ``seat``."""


@dataclass(frozen=True)
class Show:
    """A view's entry.

    Parameters
    ----------
    name : in the address. label, words : in the list. template : without the underscore before it.
    build : returns what the template reads as ``shown``. by_team : one team may be chosen.
    """

    name: str
    label: str
    words: str
    template: str
    build: Callable[[View, TeamPlan, Asked], Any]
    by_team: bool = False


READING = (
    Show("movement", "Movement", "who comes, goes and is there", "table", partial(build_table, "movement"), True),
    Show("cost", "Cost", "part by part, and per head", "table", partial(build_table, "cost"), True),
    Show("work", "Work and capacity", "wanted, possible, done", "table", partial(build_table, "work"), True),
    Show("cohorts", "Cohorts", "joining month against month", "cohorts", build_cohorts, True),
    Show("shocks", "Plans under shocks", "hold, trim or share", "shocks", build_grid),
)
PLANNING = (
    Show("seats", "Seats", "the position list", "seats", build_seats),
    Show("teams", "Teams", "pay, ramps, costs to hire", "teams", build_teams),
    Show("many", "Many at once", "pay, heads, a shock", "many", build_many),
    Show("hiring", "Hiring proposed", "from what is wanted", "hiring", proposals),
    Show("fill", "Fill a seat", "who is there could take it", "fill", build_fill),
)
SHOWS = {show.name: show for show in (*READING, *PLANNING)}
