"""Filling a seat: what it asks for against who is there, ranked with reasons; one is chosen and the plan follows."""

from collections.abc import Mapping
from dataclasses import dataclass

from werkzeug.datastructures import MultiDict

from widefork.core.analysis.fit import Costs, Fit, rank_people, read_asks
from widefork.core.axes import Dimension, Month
from widefork.core.errors import InvalidValue, UnknownName
from widefork.core.finance.schedules.people.ramps import ramp_weights
from widefork.store import edits
from widefork.store.edits import Apply, together
from widefork.web.pages.people.plan import TeamPlan, months_of
from widefork.web.shared import formats
from widefork.web.shared.blocks import read_block
from widefork.web.shared.context import View, store
from widefork.web.shared.naming import name_from

LONGEST_NAME = 60
FIT, COST = "fit", "cost"
ORDERS = ((FIT, "by fit"), (COST, "by cost"))


@dataclass(frozen=True, kw_only=True)
class FitRow:
    """A person for the seat: how well they fit and why, what that and filling their place again take, beside hiring."""

    person: str
    team: str
    share: str
    width: float
    reasons: str
    months: str
    cost: str
    again: str
    in_all: str
    beside: str
    can_choose: bool


@dataclass(frozen=True, kw_only=True)
class FillPage:
    """The view; ``seats`` are (name, address, is open). ``notes`` are (to whom, text)."""

    seats: tuple[tuple[str, str, bool], ...]
    seat: str
    words: str
    asks: str
    rows: tuple[FitRow, ...]
    hiring: str
    people: int
    notes: tuple[tuple[str, str], ...]
    orders: tuple[tuple[str, str, bool], ...] = ()
    fault: str = ""


def staff_of(plan: TeamPlan) -> Dimension | None:
    """Return the people who are there; None where nobody has listed them."""
    found: Dimension | None = plan.draft.value("staff") if plan.draft.has("staff") else None
    return found


def build_fill(view: View, plan: TeamPlan, asked: Mapping[str, str]) -> FillPage:
    """Return the ranking for a seat: the one asked for, or the first that somebody could still take."""
    seat, notes = asked.get("seat", ""), store().shelf.notes(view.address.model_id)
    seats = plan.seats.members if plan.seats is not None else ()
    known = plan.seats.attributes if plan.seats is not None else {}
    if seat not in seats:
        asking = [one for one in seats if known.get(one, {}).get("asks")]
        seat = next((one for one in asking if not known[one].get("person")), next(iter(seats), ""))
    links = tuple((one, view.address.url(seat=one), one == seat) for one in seats)
    staff = staff_of(plan)
    if not seat or staff is None:
        return FillPage(
            seats=links,
            seat=seat,
            words="",
            asks="",
            rows=(),
            hiring="",
            people=len(staff) if staff else 0,
            notes=notes,
        )
    said = known.get(seat, {})
    asks, person = str(said.get("asks", "")), str(said.get("person", ""))
    team, start = str(said[plan.teams.name]), Month.parse(str(said["start"]))
    words = f"{team}, from {start.label}" + (f", filled by {person}" if person else "")
    try:
        wanted, fault = read_asks(asks), ""
    except InvalidValue as refusal:
        wanted, fault = {}, refusal.sentence
    cost, ramp = _hiring(view, plan, team)
    currency = view.snapshot.model.currency
    ranked = [
        (fit, _hiring(view, plan, fit.team)[0] if fit.team else 0.0)
        for fit in rank_people(wanted, staff, plan.teams, team, _costs(plan))
    ]
    order = COST if asked.get("order") == COST else FIT
    if order == COST:
        ranked.sort(key=lambda one: one[0].cost + one[1])  # what costs alike stays in the order of fit
    rows = []
    for fit, again in ranked:
        in_all = fit.cost + again
        rows.append(
            FitRow(
                person=fit.person,
                team=fit.team,
                share=f"{formats.plain_number(fit.share * 100, 0)} %",
                width=fit.share * 100,
                reasons=_reasons(fit),
                months=_months(fit.months),
                cost=formats.amount(fit.cost, currency) if fit.cost else formats.DASH,
                again=formats.amount(again, currency) if again else formats.DASH,
                in_all=formats.amount(in_all, currency),
                beside=_beside(cost - in_all, currency),
                can_choose=fit.person != person and bool(fit.team),
            )
        )
    hiring = f"Hiring: {formats.amount(cost, currency)} to find, equip and ramp, {ramp} months until ramped."
    return FillPage(
        seats=links,
        seat=seat,
        words=words,
        asks=asks,
        rows=tuple(rows) if wanted else (),
        hiring=hiring,
        people=len(staff),
        notes=notes,
        orders=tuple((text, view.address.url(order=word), word == order) for word, text in ORDERS),
        fault=fault,
    )


def _beside(saved: float, currency: str) -> str:
    """What somebody saves against hiring, in words."""
    shown = formats.amount(abs(saved), currency)
    if shown == formats.amount(0.0, currency):
        return "nothing saved against hiring"
    return f"{shown} {'less' if saved > 0 else 'more'} than hiring"


def _costs(plan: TeamPlan) -> Costs:
    return Costs(*(float(plan.draft.value(key)) for key in ("level_cost", "level_months", "moving_cost")))


def _hiring(view: View, plan: TeamPlan, team: str) -> tuple[float, int]:
    """What hiring one costs: finding, equipping, and pay while not ramped; and the months of the ramp."""
    place = view.snapshot.model.timeline.actual_count
    last = view.snapshot.model.timeline.month_count - 1
    parts = ("hire_cost", "equip_cost", "salary", "ramp_loss")
    hire, equip, salary, loss = (months_of(view, plan, part, (team,))[min(place, last)] for part in parts)
    return hire + equip + salary * loss, len(ramp_weights(plan.draft, team)) - 1


def _months(count: float) -> str:
    return "at once" if not count else f"{count:g} {'month' if count == 1 else 'months'}"


def _reasons(fit: Fit) -> str:
    if not fit.gaps:
        told = "has all that is asked"
    else:
        told = "; ".join(f"{gap.skill} (has {gap.has:g} of {gap.asked:g})" for gap in fit.gaps)
        told = f"missing: {told}"
    if fit.is_there:
        told += "; is in this team already"
    if fit.moving:
        told += "; moves to another region"
    return told


def ask_edit(plan: TeamPlan, form: "MultiDict[str, str]") -> Apply:
    """Return the edit of what a seat asks for; raises InvalidValue saying how that is written."""
    seat = form.get("seat", "")
    if plan.seats is None:
        raise UnknownName("seat", seat, ())
    plan.seats.index(seat)
    asks, was = read_asks(form.get("asks", "")), str(plan.seats.attributes.get(seat, {}).get("asks", "")) or "nothing"
    known = dict(plan.seats.attributes.get(seat, {}))
    known["asks"] = ", ".join(f"{skill} {level:g}" for skill, level in asks.items())
    if not asks:
        del known["asks"]
    return edits.change_member(
        plan.seats.name, seat, f"{seat}: asks for {was} to {known.get('asks', 'nothing')}", seat, known
    )


def choose_edit(plan: TeamPlan, form: "MultiDict[str, str]") -> Apply:
    """Return the edit that gives a seat to somebody: they move, are trained, their place opens, their manager is told.

    Raises
    ------
    InvalidValue, UnknownName: no such seat or person, or the person is in no team.
    """
    seat, person = form.get("seat", ""), form.get("person", "")
    staff = staff_of(plan)
    if plan.seats is None or staff is None:
        raise InvalidValue("There is no list of the people who are there yet. Paste one first.")
    plan.seats.index(seat)
    staff.index(person)
    known = dict(plan.seats.attributes.get(seat, {}))
    team = str(known[plan.teams.name])
    fit = next(
        one for one in rank_people(read_asks(str(known.get("asks", ""))), staff, plan.teams, team, _costs(plan))
        if one.person == person
    )  # fmt: skip
    if not fit.team:
        raise InvalidValue(f"{person} is in no team; say in the list which one, so that their place can open.")
    start = Month.parse(str(known["start"]))
    known |= {"person": person, "training": fit.cost}
    told = f"{seat}: {person} chosen"
    steps = [edits.change_member(plan.seats.name, seat, told, seat, known)]
    opened = _free_name(f"{person}'s place", plan)
    again = start.plus(plan.draft.value("lead_months"))
    steps.append(edits.add_member(plan.seats.name, opened, told, {plan.teams.name: fit.team, "start": str(again)}))
    held = [
        one for one in plan.seats.members if one != seat and plan.seats.attributes.get(one, {}).get("person") == person
    ]
    for one in held:  # the seat they hold until now ends with the month before
        before = dict(plan.seats.attributes[one])
        if Month.parse(str(before["start"])) < start:
            steps.append(edits.change_member(plan.seats.name, one, told, one, {**before, "end": str(start.plus(-1))}))
        else:
            steps.append(edits.change_member(plan.seats.name, one, told, one, {**before, "person": ""}))
    if fit.manager:
        text = f"{person} ({fit.team}) is planned for {seat} in {team} from {start.label}."
        text += f" Their place opens: {opened}, to be hired for {again.label}."
        steps.append(edits.write_note(fit.manager, text, told))
    return together(steps, told)


def _free_name(label: str, plan: TeamPlan) -> str:
    taken = set(plan.seats.members) if plan.seats is not None else set()
    found, number = label, 2
    while found in taken:
        found, number = f"{label} {number}", number + 1
    return found


def staff_edit(plan: TeamPlan, form: "MultiDict[str, str]") -> Apply:
    """Return the edit that takes the people who are there from a pasted block: name, team, manager, then skills.

    The first row names the skills. Who is listed already is changed.

    Raises
    ------
    InvalidValue: what was expected, what came, with the person.
    """
    rows = read_block(form.get("text", ""))
    headings = [cell.lower() for cell in rows[0]]
    if len(rows) < 2 or headings[1:3] != ["team", "manager"] or not all(headings[3:]):
        raise InvalidValue(
            "Expected headings: name, team, manager, then a skill for each further column; and people below."
        )
    skills, known = headings[3:], {}
    for row in rows[1:]:
        name = " ".join(row[0].split())
        if not name or len(name) > LONGEST_NAME or name in known:
            raise InvalidValue(f"Every person needs a name of 1 to {LONGEST_NAME} letters, each once; got “{name}”.")
        team = next((one for one in plan.teams.members if one.lower() == row[1].lower()), "")
        if not team:
            raise InvalidValue(f"{name}: expected a team, one of {', '.join(plan.teams.members)}; got “{row[1]}”.")
        person: dict[str, str | float] = {plan.teams.name: team}
        if row[2]:
            person["manager"] = row[2]
        for skill, cell in zip(skills, row[3:], strict=True):
            if cell:
                try:
                    person[skill] = formats.read_number(cell)
                except InvalidValue as fault:
                    raise InvalidValue(f"{name}, {skill}: {fault.sentence}") from fault
        known[name] = person
    told = f"{plan.given.label}: {len(known)} {'person' if len(known) == 1 else 'people'} listed"
    staff = staff_of(plan)
    if staff is None:
        name = name_from(f"{plan.given.name} people", {d.name for d in plan.model.dimensions})
        return together([
            edits.add_dimension(name, f"{plan.given.label}: people", tuple(known), told, known),
            edits.change_schedule(plan.given.name, told, settings={"staff": name}),
        ], told)  # fmt: skip
    return together(
        [
            edits.change_member(staff.name, name, told, name, {**staff.attributes.get(name, {}), **person})
            if name in staff.members
            else edits.add_member(staff.name, name, told, person)
            for name, person in known.items()
        ],
        told,
    )
