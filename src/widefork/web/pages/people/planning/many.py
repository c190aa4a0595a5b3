"""Many at once, a shock to productivity, and hires proposed: each a list of changes of the active case or sketch."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import floor

from werkzeug.datastructures import MultiDict

from widefork.core.analysis.staffing import Proposal, propose_hires
from widefork.core.axes import Month
from widefork.core.changes import Change, Operation
from widefork.core.errors import InvalidValue
from widefork.core.finance.schedules.people.attributes import KINDS
from widefork.core.finance.schedules.people.ramps import ramp_weights
from widefork.web.pages.people.plan import TeamPlan, months_of
from widefork.web.shared import formats
from widefork.web.shared.context import View

WHO_KEYS = (("role", "role"), ("region", "region"), ("kind", "kind"))
WHAT = (
    ("pay", "pay changes by %"), ("more", "so many heads more"), ("fewer", "so many heads fewer"),
    ("leaving", "leaving in a year changes by %"), ("capacity", "what one can do changes by %"),
)  # fmt: skip
LONGEST_REBOUND = 60


@dataclass(frozen=True, kw_only=True)
class HireProposal:
    """What is proposed for a team: in words, and whether there is anything to take."""

    team: str
    words: str
    months: tuple[tuple[str, str], ...]
    can_take: bool


@dataclass(frozen=True, kw_only=True)
class ManyForms:
    """The forms that change many at once; ``first_plan`` are months as examples, ``shapes`` profiles of a rebound."""

    who: tuple[tuple[str, str], ...]
    what: tuple[tuple[str, str], ...]
    shapes: tuple[tuple[str, str], ...]
    first_plan: tuple[str, ...]


def build_many(view: View, plan: TeamPlan, _: Mapping[str, str]) -> ManyForms:
    """Return what the forms offer."""
    model = view.snapshot.model
    return ManyForms(
        who=who_choices(plan),
        what=WHAT,
        shapes=tuple((profile.name, profile.label) for profile in model.profiles),
        first_plan=tuple(model.timeline.first_plan.plus(later).label for later in (1, 3)),
    )


def who_choices(plan: TeamPlan) -> tuple[tuple[str, str], ...]:
    """Return whom a change may be about: everybody, a role, a region, a kind, a team."""
    found = [("all", "everybody")]
    kinds = dict(KINDS)
    for key, label in WHO_KEYS:
        values = dict.fromkeys(str(_said(plan, team, key)) for team in plan.teams.members)
        found += [(f"{key}:{value}", f"{label}: {kinds.get(value, value)}") for value in values if value]
    return (*found, *((f"team:{team}", f"team: {team}") for team in plan.teams.members))


def _said(plan: TeamPlan, team: str, key: str) -> str | float:
    return plan.teams.attributes.get(team, {}).get(key, "employee" if key == "kind" else "")


def teams_of(plan: TeamPlan, who: str) -> tuple[str, ...]:
    """Return the teams a choice means; raise InvalidValue where it means none."""
    key, _, value = who.partition(":")
    if who == "all":
        return plan.teams.members
    teams = tuple(
        team
        for team in plan.teams.members
        if (team == value if key == "team" else str(_said(plan, team, key)) == value)
    )
    if not teams:
        raise InvalidValue(f"Nobody is meant by “{who}”. Choose a role, region, kind or team from the list.")
    return teams


def many_at_once(view: View, plan: TeamPlan, form: "MultiDict[str, str]") -> tuple[list[Change], str]:
    """Return the changes a form asks for about many at once, and their sentence.

    Raises
    ------
    InvalidValue: what was expected, what came.
    """
    who, what = form.get("who", ""), form.get("what", "")
    teams, month = teams_of(plan, who), Month.parse(form.get("month", "").strip())
    view.snapshot.model.timeline.index(month)
    amount = formats.read_number(form.get("amount", "").strip().removesuffix("%").strip() or "nothing")
    label = dict(who_choices(plan)).get(who, who).partition(": ")[2] or "everybody"
    members = tuple((plan.teams.name, team) for team in teams)
    if what in ("more", "fewer"):
        return _heads(view, plan, teams, what, amount, month, label)
    lines = {"pay": ["salary"], "leaving": ["leaving"], "capacity": ["capacity_of_team"]}.get(what)
    if lines is None:
        raise InvalidValue(f"Choose what changes; “{what}” is not in the list.")
    if amount <= -100:
        raise InvalidValue(f"Expected more than −100 %; got {amount:g} %.")
    factor = 1 + amount / 100
    changes = [Change(plan.name(line), Operation.SCALE, factor, members, month) for line in lines]
    if what == "pay" and plan.seats is not None:
        held = tuple(
            (plan.seats.name, seat) for seat, team in plan.seats.mapping(plan.teams.name).items() if team in teams
        )
        if held:
            changes.append(Change(plan.name("seat_salary"), Operation.SCALE, factor, held, month))
    words = {"pay": "pay", "leaving": "leaving", "capacity": "what one can do"}[what]
    return changes, f"{label}: {words} {formats.signed(amount / 100, '%')} from {month.label}"


def _heads(
    view: View, plan: TeamPlan, teams: Sequence[str], what: str, amount: float, month: Month, label: str
) -> tuple[list[Change], str]:
    """So many heads more or fewer in all, shared out by who is there: whole heads, the largest remainders first."""
    if amount <= 0 or amount != floor(amount):
        raise InvalidValue(f"Expected a whole number of heads from 1; got {amount:g}.")
    line = plan.own_line("hires" if what == "more" else "let_go")
    if not line:
        what_line = "hires" if what == "more" else "those let go"
        raise InvalidValue(f"This plan has no line for {what_line} yet; choose one under Terms, {plan.given.label}.")
    place = view.snapshot.model.timeline.index(month)
    there = [max(0.0, months_of(view, plan, "heads", (team,))[place]) for team in teams]
    whole = sum(there)
    if what == "fewer" and amount > whole + 0.5:
        raise InvalidValue(f"{label}: there are {formats.plain_number(whole, 1)} in {month.label}, not {amount:g}.")
    wanted = [amount * count / whole if whole else amount / len(teams) for count in there]
    parts = [floor(count) for count in wanted]
    order = sorted(range(len(teams)), key=lambda k: parts[k] - wanted[k])
    for k in order[: int(amount) - sum(parts)]:
        parts[k] += 1
    changes = [
        Change(line, Operation.ADD, float(count), ((plan.teams.name, team),), month, month)
        for team, count in zip(teams, parts, strict=True)
        if count
    ]
    return changes, f"{label}: {amount:g} {what} from {month.label}"


def shock(view: View, plan: TeamPlan, form: "MultiDict[str, str]") -> tuple[list[Change], str]:
    """Return the changes of a shock to productivity that rebounds by a shape, and its sentence.

    Before the rebound the level holds; from then on each month recovers the share of the loss the shape gives for its
    age. A shape may fall again.

    Raises
    ------
    InvalidValue: what was expected, what came.
    """
    teams = teams_of(plan, form.get("who", ""))
    level = formats.read_number(form.get("level", "").strip().removesuffix("%").strip() or "nothing") / 100
    if not 0 <= level <= 2:
        raise InvalidValue(f"Productivity is what is left of it, 0 to 200 %; got {level * 100:g} %.")
    first, rebound = (Month.parse(form.get(key, "").strip()) for key in ("first", "rebound"))
    if rebound <= first:
        raise InvalidValue(f"It rebounds after it begins; {rebound.label} is not after {first.label}.")
    shape = _shape(view, form)
    members = tuple((plan.teams.name, team) for team in teams)
    line, end = plan.name("productivity"), view.snapshot.model.timeline.end
    changes = [Change(line, Operation.SCALE, level, members, first, rebound.plus(-1))]
    for age, share in enumerate(shape):
        month, factor = rebound.plus(age), round(1 - (1 - level) * (1 - share), 9)
        is_last = age == len(shape) - 1
        if month > end or (is_last and factor == 1):
            break
        changes.append(Change(line, Operation.SCALE, factor, members, month, None if is_last else month))
    who = dict(who_choices(plan)).get(form.get("who", ""), "").partition(": ")[2] or "everybody"
    told = f"{who}: productivity {level * 100:g} % from {first.label}, rebounding from {rebound.label}"
    return changes, told


def _shape(view: View, form: "MultiDict[str, str]") -> tuple[float, ...]:
    """What is recovered by age: drawn as percentages, a profile of Frame, or so many months evenly."""
    drawn = form.get("drawn", "").strip()
    if drawn:
        try:
            return tuple(formats.read_number(part.removesuffix("%")) / 100 for part in drawn.replace(";", " ").split())
        except InvalidValue as fault:
            raise InvalidValue(
                f"The shape: {fault.sentence} Write what is recovered month by month: 30 60 20 100"
            ) from fault
    text = form.get("shape", "").strip()
    for profile in view.snapshot.model.profiles:
        if text == profile.name:
            return profile.values
    if not text.isdecimal() or not 0 <= int(text) <= LONGEST_REBOUND:
        raise InvalidValue(f"Rebounds over how many months? Expected 0 to {LONGEST_REBOUND}; got “{text}”.")
    months = int(text)
    return tuple((age + 1) / (months + 1) for age in range(months + 1))


def proposal_for(view: View, plan: TeamPlan, team: str) -> Proposal | None:
    """Return the hires a team needs for what is wanted of it; None where nothing is wanted, or no line takes hires."""
    if not plan.has("short") or not plan.own_line("hires"):
        return None
    snapshot = view.snapshot
    ramp = len(ramp_weights(plan.draft, team)) - 1
    changes = snapshot.model.changes_of(view.address.case)
    return propose_hires(
        snapshot.plan, changes, plan.name("short"), plan.own_line("hires"), (plan.teams.name, team),
        plan.draft.value("lead_months"), ramp,
    )  # fmt: skip


def proposals(view: View, plan: TeamPlan, _: Mapping[str, str]) -> tuple[HireProposal, ...]:
    """Return what is proposed for every team of which something is wanted."""
    found = []
    for team in plan.teams.members:
        wanted = plan.has("wanted") and any(months_of(view, plan, "wanted", (team,)))
        proposal = proposal_for(view, plan, team) if wanted else None
        if proposal is not None:
            found.append(_worded(plan, team, proposal))
    return tuple(found)


def _worded(plan: TeamPlan, team: str, proposal: Proposal) -> HireProposal:
    lead = plan.draft.value("lead_months")
    ramp = len(ramp_weights(plan.draft, team)) - 1
    words = "Nobody more is needed." if not proposal.changes else f"{proposal.heads:g} to hire."
    if proposal.too_soon:
        unit = "month" if proposal.too_soon == 1 else "months"
        words += (
            f" Short in {proposal.too_soon} {unit} that nobody can be ramped for any more: {lead} months to a first "
            f"day, {ramp} to ramp."
        )
    months = tuple(
        (change.first.label, f"{change.amount:g}") for change in proposal.changes if change.first is not None
    )
    return HireProposal(team=team, words=words, months=months, can_take=bool(proposal.changes))
