"""The page of people as plain data: what is always in sight, and the one thing that is shown."""

from dataclasses import dataclass

from widefork.core.axes import Grain
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import MemberKey
from widefork.web.pages.people.changing import WHAT, HireProposal, proposals, who_choices
from widefork.web.pages.people.chart import PlanChart, build_chart
from widefork.web.pages.people.filling import FillPage, build_fill
from widefork.web.pages.people.plan import TeamPlan, plans_of, team_plan, teams_allowed
from widefork.web.pages.people.seats import SeatList, build_seats
from widefork.web.pages.people.shocks import Grid, build_grid
from widefork.web.pages.people.tables import TABLES, Table, build_table
from widefork.web.pages.people.teams import FIRST_TEAMS, TeamSheet, build_teams
from widefork.web.pages.people.triangle import TeamCohorts, build_cohorts
from widefork.web.shared import formats
from widefork.web.shared.context import View, store
from widefork.web.shared.settings import Question, question_of

SHOWS = (
    ("movement", "Movement", "who comes, goes and is there"),
    ("cost", "Cost", "part by part, and per head"),
    ("work", "Work and capacity", "wanted, possible, done"),
    ("cohorts", "Cohorts", "joining month against month"),
    ("shocks", "Plans under shocks", "hold, trim or share"),
    ("seats", "Seats", "the position list"),
    ("teams", "Teams", "pay, ramps, costs to hire"),
    ("many", "Many at once", "pay, heads, a shock"),
    ("hiring", "Hiring proposed", "from what is wanted"),
    ("fill", "Fill a seat", "who is there could take it"),
)
READING = 5


@dataclass(frozen=True)
class Allowed:
    """What is allowed beside what is planned, at the end of the view; ``gap`` in words."""

    label: str
    planned: str
    allowed: str
    gap: str
    is_over: bool


@dataclass(frozen=True)
class PeoplePage:
    """The whole page; one of the parts is there, by what is shown."""

    plans: tuple[tuple[str, str, bool], ...]
    groups: tuple[tuple[str, tuple[tuple[str, str, str, str, bool], ...]], ...]
    shows: str
    plan: TeamPlan | None
    allowed: tuple[Allowed, ...]
    teams: tuple[tuple[str, str, bool], ...]
    team: str
    table: Table | None = None
    chart: PlanChart | None = None
    cohorts: TeamCohorts | None = None
    seats: SeatList | None = None
    sheet: TeamSheet | None = None
    grid: Grid | None = None
    hiring: tuple[HireProposal, ...] = ()
    fill: FillPage | None = None
    who: tuple[tuple[str, str], ...] = ()
    what: tuple[tuple[str, str], ...] = ()
    shapes: tuple[tuple[str, str], ...] = ()
    first_plan: tuple[str, ...] = ()
    terms_url: str = ""
    first_teams: Question | None = None


def build(view: View, asked: dict[str, str]) -> PeoplePage:
    """Return the page; ``asked`` is what the address says beside the view: plan, show, team, measure, fold, figure."""
    plan = team_plan(view, asked.get("plan", ""))
    if plan is None:
        first = question_of(FIRST_TEAMS, view.snapshot.model.currency)
        return PeoplePage((), (), "start", None, (), (), "", first_teams=first)
    shows = asked.get("show", "") if asked.get("show", "") in {word for word, _, _ in SHOWS} else "movement"
    team = asked.get("team", "") if asked.get("team", "") in plan.teams.members else ""
    parts: dict[str, object] = {}
    if shows in TABLES:
        parts["table"] = build_table(view, plan, shows, team)
        parts["chart"] = build_chart(view, plan, shows, team)
    elif shows == "cohorts":
        parts["cohorts"] = build_cohorts(view, plan, team, asked.get("measure", ""))
    elif shows == "seats":
        parts["seats"] = build_seats(view, plan)
    elif shows == "teams":
        parts["sheet"] = build_teams(plan)
    elif shows == "shocks":
        parts["grid"] = build_grid(view, plan, asked.get("figure", ""))
    elif shows == "fill":
        notes = store().notes(view.address.model_id)
        parts["fill"] = build_fill(view, plan, asked.get("seat", ""), notes)
    elif shows == "hiring":
        parts["hiring"] = proposals(view, plan)
    else:
        parts |= {"who": who_choices(plan), "what": WHAT,
                  "shapes": tuple((p.name, p.label) for p in view.snapshot.model.profiles)}  # fmt: skip
    months = view.snapshot.model.timeline.first_plan
    return PeoplePage(
        tuple((given.label, view.address.url(plan=given.name, team=""), given.name == plan.given.name)
              for given in plans_of(view.snapshot.stored.model)),
        _groups(view, plan, shows),
        shows,
        plan,
        _allowed(view, plan, team),
        (("all teams", view.address.url(team=""), not team),
         *((name, view.address.url(team=name), name == team) for name in plan.teams.members)),
        team,
        first_plan=tuple(months.plus(later).label for later in (1, 3, 5)),
        terms_url=view.address.url("terms", open=plan.given.name),
        **parts,  # type: ignore[arg-type]
    )  # fmt: skip


def _groups(
    view: View, plan: TeamPlan, shows: str
) -> tuple[tuple[str, tuple[tuple[str, str, str, str, bool], ...]], ...]:
    counts = {"seats": str(len(plan.seats.members)) if plan.seats is not None else "0", "teams": str(len(plan.teams))}
    links = tuple(
        (label, words, counts.get(word, ""), view.address.url(show=word), word == shows) for word, label, words in SHOWS
    )
    return (("Reading", links[:READING]), ("Planning", links[READING:]))


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
        found.append(Allowed(label, formats.amount(now, unit), formats.amount(most, unit), words, now > most))
    return tuple(found)
