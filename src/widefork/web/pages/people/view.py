"""The page of people as plain data: what is always in sight, and the one thing that is shown."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from widefork.core.axes import Grain
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import MemberKey
from widefork.web.pages.people.plan import TeamPlan, plans_of, team_plan, teams_allowed
from widefork.web.pages.people.planning.teams import FIRST_TEAMS
from widefork.web.pages.people.shows import PLANNING, READING, SHOWS, Show
from widefork.web.shared import formats
from widefork.web.shared.context import View
from widefork.web.shared.settings import Question, question_of


@dataclass(frozen=True, kw_only=True)
class Allowed:
    """What is allowed beside what is planned, at the end of the view; ``gap`` in words."""

    label: str
    planned: str
    allowed: str
    gap: str
    is_over: bool


@dataclass(frozen=True, kw_only=True)
class Link:
    """A view in the list; ``count`` is how many there are of it, or empty."""

    label: str
    words: str
    count: str
    url: str
    is_open: bool


@dataclass(frozen=True, kw_only=True)
class PeoplePage:
    """The whole page.

    Parameters
    ----------
    show : the view that is open, and ``shown`` what it built. team : the one in view; empty for all.
    plans, teams : to choose from, as (label, address, is open). terms_url : where the plan as a whole is set up.
    """

    plan: TeamPlan
    plans: tuple[tuple[str, str, bool], ...]
    groups: tuple[tuple[str, tuple[Link, ...]], ...]
    allowed: tuple[Allowed, ...]
    teams: tuple[tuple[str, str, bool], ...]
    team: str
    show: Show
    shown: Any
    terms_url: str


@dataclass(frozen=True)
class Start:
    """What the page asks where there is no team plan yet."""

    first_teams: Question
    plan: None = None


def build(view: View, asked: Mapping[str, str]) -> PeoplePage | Start:
    """Return the page; ``asked`` is what the address says beside the view: plan, show, team, and what a view reads."""
    plan = team_plan(view, asked.get("plan", ""))
    if plan is None:
        return Start(question_of(FIRST_TEAMS, view.snapshot.model.currency))
    show = SHOWS.get(asked.get("show", ""), READING[0])
    team = asked.get("team", "") if asked.get("team", "") in plan.teams.members else ""
    return PeoplePage(
        plan=plan,
        plans=tuple(
            (given.label, view.address.url(plan=given.name, team=""), given.name == plan.given.name)
            for given in plans_of(view.snapshot.stored.model)
        ),
        groups=(("Reading", _links(view, plan, READING, show)), ("Planning", _links(view, plan, PLANNING, show))),
        allowed=_allowed(view, plan, team),
        teams=(
            ("all teams", view.address.url(team=""), not team),
            *((name, view.address.url(team=name), name == team) for name in plan.teams.members),
        ),
        team=team,
        show=show,
        shown=show.build(view, plan, {**asked, "team": team}),
        terms_url=view.address.url("terms", open=plan.given.name),
    )


def _links(view: View, plan: TeamPlan, shows: tuple[Show, ...], opened: Show) -> tuple[Link, ...]:
    counts = {"seats": str(len(plan.seats.members)) if plan.seats is not None else "0", "teams": str(len(plan.teams))}
    return tuple(
        Link(
            label=one.label,
            words=one.words,
            count=counts.get(one.name, ""),
            url=view.address.url(show=one.name),
            is_open=one is opened,
        )
        for one in shows
    )


def _allowed(view: View, plan: TeamPlan, team: str) -> tuple[Allowed, ...]:
    """What the team in view alone is allowed, if that is said, and all of them together."""
    found = []
    periods = view.snapshot.model.timeline.periods(Grain.MONTH, view.address.last, view.address.last)
    own: list[tuple[str, str, str, MemberKey]] = [(f"{team}, heads", "heads", "allowed", (team,))]
    wanted = [
        *(own if team in teams_allowed(plan) else []),
        ("heads", "heads", "heads_allowed", ()),
        ("cost a month", "cost", "cost_allowed", ()),
    ]
    for label, part, allowed, members in wanted:
        if not plan.has(allowed):
            continue
        unit = view.snapshot.model.line(plan.name(part)).unit
        now, most = (
            float(roll_up(view.snapshot.results, plan.name(one), periods, members)[0, view.place])
            for one in (part, allowed)
        )
        size = formats.amount(abs(most - now), unit)
        words = f"{size} {'over' if now > most else 'free'}"
        found.append(
            Allowed(
                label=label,
                planned=formats.amount(now, unit),
                allowed=formats.amount(most, unit),
                gap=words,
                is_over=now > most,
            )
        )
    return tuple(found)
