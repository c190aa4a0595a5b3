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
from widefork.web.pages.people.reading.shocks import build_shocks
from widefork.web.pages.people.reading.tables import build_table
from widefork.web.pages.people.reading.triangle import build_cohorts
from widefork.web.shared.context import View

Asked = Mapping[str, str]
"""What the address says beside the view: ``team`` (checked; empty for all), ``measure``, ``figure``, ``seat``."""


@dataclass(frozen=True, kw_only=True)
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
    Show(
        name="movement",
        label="Movement",
        words="who comes, goes and is there",
        template="table",
        build=partial(build_table, "movement"),
        by_team=True,
    ),
    Show(
        name="cost",
        label="Cost",
        words="part by part, and per head",
        template="table",
        build=partial(build_table, "cost"),
        by_team=True,
    ),
    Show(
        name="work",
        label="Work and capacity",
        words="wanted, possible, done",
        template="table",
        build=partial(build_table, "work"),
        by_team=True,
    ),
    Show(
        name="cohorts",
        label="Cohorts",
        words="joining month against month",
        template="cohorts",
        build=build_cohorts,
        by_team=True,
    ),
    Show(name="shocks", label="Plans under shocks", words="hold, trim or share", template="shocks", build=build_shocks),
)
PLANNING = (
    Show(name="seats", label="Seats", words="the position list", template="seats", build=build_seats),
    Show(name="teams", label="Teams", words="pay, ramps, costs to hire", template="teams", build=build_teams),
    Show(name="many", label="Many at once", words="pay, heads, a shock", template="many", build=build_many),
    Show(name="hiring", label="Hiring proposed", words="from what is wanted", template="hiring", build=proposals),
    Show(name="fill", label="Fill a seat", words="who is there could take it", template="fill", build=build_fill),
)
SHOWS = {show.name: show for show in (*READING, *PLANNING)}
