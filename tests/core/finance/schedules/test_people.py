"""People against plain loops over heads, one by one; laws of movement and capacity; what is refused. Constructed."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.core.finance.sample import PROFILES, SEATS, TEAMS, bare
from tests.kit.laws import law
from tests.kit.small import START, company, given, series
from widefork.core.axes import Dimension, Grain, Month
from widefork.core.changes import Case, Change, Move, Operation, Switch
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidModel
from widefork.core.finance.statements import CHECKS
from widefork.core.graph.rollup import roll_up

MONTHS = 24
FLOWS = {
    "hiring": {"Samplers": {1: 2, 8: 1}},
    "coming_back": {"Analysts": {9: 1}},
    "going": {"Samplers": {6: 1}, "Helpers": {4: 2}},
}
WANTED = {"Samplers": [600 * 1.02**month for month in range(MONTHS)], "Analysts": [450.0] * MONTHS}


def flow_line(name, by_team, unit="heads"):
    rules = {
        (team,): {"one_off": {str(START.plus(month)): amount for month, amount in by_team[team].items()}}
        if by_team.get(team) else 0
        for team in TEAMS
    }  # fmt: skip
    return given(name, rules, ("teams",), unit=unit)


def people(register=TEAMS, seats=SEATS, flows=FLOWS, cases=(), moves=(), **settings):
    """A company with the sample's teams, and lines of its own for what moves them and what is wanted."""
    wanted = {
        (team,): {"monthly": {"start": str(START), "amounts": WANTED.get(team, [0.0] * MONTHS)}} for team in TEAMS
    }
    lines = (
        *(flow_line(name, by_team) for name, by_team in flows.items()),
        given("wanted", wanted, ("teams",), unit="hours"),
    )
    known = {
        "register": "teams", "hires": ["hiring"], "returns": ["coming_back"], "let_go": ["going"], "demand": ["wanted"],
        "charge_rate": 0.2, "pay_rise": 0.03, "rise_month": 4, "stretch_share": 0.5, "stretch_limit": 0.1,
        **({"seats": "seats"} if seats else {}), **settings,
    }  # fmt: skip
    return company(
        bare("people", **known), lines=lines, months=MONTHS, more_dimensions=(register, *([seats] if seats else [])),
        profiles=PROFILES, **({"cases": cases, "moves": moves} if cases else {}),
    )  # fmt: skip


def number(month):
    return Month.parse(month).ordinal - START.ordinal


RAMPS = {"Samplers": [1 / 3, 2 / 3, 1.0], "Analysts": [0.2, 0.5, 0.9, 1.0], "Helpers": [1.0]}
BACK = {"Samplers": [1.0], "Analysts": [0.5, 1.0], "Helpers": [1.0]}


def weight(ramp, age):
    return ramp[min(age, len(ramp) - 1)]


def by_hand(team):
    """Heads, equivalents, pay, capacity and work of a team, month by month, as somebody would on paper."""
    known = TEAMS.attributes[team]
    seats = [seat for name, seat in SEATS.attributes.items() if seat["teams"] == team and "move" not in seat]
    spans = [(number(s["start"]), number(s["end"]) if "end" in s else 10**4, s) for s in seats]
    heads = known.get("heads", 0) + sum(first < 0 <= last + 1 for first, last, _ in spans)
    monthly_leaving = 1 - (1 - known.get("leaving", 0)) ** (1 / 12)
    hired, back, rises, found = [], [], 1.0, {}
    for month in range(MONTHS):
        hires = FLOWS["hiring"].get(team, {}).get(month, 0) + sum(first == month for first, _, _ in spans)
        returns = FLOWS["coming_back"].get(team, {}).get(month, 0)
        asked = FLOWS["going"].get(team, {}).get(month, 0) + sum(last + 1 == month for _, last, _ in spans)
        left = heads * monthly_leaving
        gone = min(asked, heads + hires + returns - left)
        heads = heads + hires + returns - left - gone
        hired.append(hires)
        back.append(returns)
        if (month % 12) + 1 == 4:
            rises *= 1.03
        there = [s for first, last, s in spans if first <= month <= last]
        share = known.get("full_time", 1)
        held = min(1, heads / len(there)) if there else 0
        full_time = heads * share + held * sum(s.get("share", share) - share for s in there)
        salary = known["salary"]
        pay = full_time * salary * rises
        for s in there:
            if "salary" in s:
                since = sum((m % 12) + 1 == 4 for m in range(max(number(s["start"]) + 1, 1), month + 1))
                pay += held * s.get("share", share) * (s["salary"] * 1.03**since - salary * rises)
        learning = sum(n * (1 - weight(RAMPS[team], month - m)) for m, n in enumerate(hired))
        learning += sum(n * (1 - weight(BACK[team], month - m)) for m, n in enumerate(back))
        ramped = (heads - min(heads, learning)) * full_time / heads if heads else 0
        capacity = ramped * known.get("capacity", 0) * known.get("productivity", 1)
        wanted = WANTED.get(team, [0.0] * MONTHS)[month]
        stretch = min(max(0, wanted - capacity) * 0.5, capacity * 0.1)
        bonus = pay * known.get("bonus", 0)
        charges = (pay + bonus) * known.get("charges", 0 if known.get("kind") == "contract" else 0.2)
        cost = pay + bonus + charges + heads * known.get("benefits", 0)
        cost += hires * (known.get("hire_cost", 0) + known.get("equip_cost", 0)) + gone * known.get("leave_cost", 0)
        values = {
            "heads": heads, "full_time": full_time, "left": left, "let_go": gone, "not_there": asked - gone, "pay": pay,
            "charges": charges, "cost": cost, "capacity": capacity, "work": min(wanted, capacity + stretch),
        }  # fmt: skip
        for key, value in values.items():
            found.setdefault(key, []).append(value)
    return found


@pytest.mark.parametrize("team", TEAMS.members)
def test_every_part_of_a_team_is_what_plain_loops_give(team):
    plan = people()
    assert not plan.problems
    assert not plan.warnings
    for part, expected in by_hand(team).items():
        assert series(plan, f"it_{part}", (team,)) == pytest.approx(expected), part


def test_cost_stands_under_each_teams_caption_and_charges_are_paid_the_month_after():
    plan = people()
    teams = {team: by_hand(team) for team in TEAMS}
    assert series(plan, "it_posted_cost_of_sales") == pytest.approx(teams["Samplers"]["cost"])
    charges = np.sum([known["charges"] for known in teams.values()], axis=0)
    assert series(plan, "it_charges_paid") == pytest.approx([0, *charges[:-1]])
    assert series(plan, "payroll_liabilities") == pytest.approx(charges.tolist())
    results = evaluate(plan)
    for check in CHECKS:
        assert np.abs(results.values(check)).max() < 1e-6, check


def test_a_seat_of_a_move_counts_where_the_move_is_switched_on():
    seat = Change("it_seat_counts", Operation.SET, 1, (("seats", "S4"),))
    moves = (Move("second_lab", "Second lab", Month(2026, 6), (seat,)),)
    plan = people(cases=(Case("base", "Base"), Case("more", "More", "base", (Switch("second_lab"),))), moves=moves)
    results = evaluate(plan, [plan.model.changes_of("base"), plan.model.changes_of("more")])
    heads = results.values("it_heads")[1]
    assert (heads[:5, 1] - heads[:5, 0]).tolist() == [0] * 5
    assert (heads[5:, 1] - heads[5:, 0]).tolist() == pytest.approx([1] * (MONTHS - 5))


def test_a_seats_own_salary_rises_from_its_start_and_leaves_with_its_head():
    """By hand: 5,000 from June 2026, a rise of 3 % in April 2027; nobody else is in the team, and 20 % leave a year."""
    teams = Dimension("teams", ("Counsel",), attributes={"Counsel": {"salary": 3000, "leaving": 0.2}})
    seats = Dimension("seats", ("C1",), attributes={
        "C1": {"teams": "Counsel", "start": "2026-06", "salary": 5000, "share": 0.5}})  # fmt: skip
    plan = company(
        bare("people", register="teams", seats="seats", pay_rise=0.03, rise_month=4), months=MONTHS,
        more_dimensions=(teams, seats),
    )  # fmt: skip
    monthly = 0.8 ** (1 / 12)
    expected = [0.0] * 5 + [2500 * monthly**age * (1.03 if age >= 10 else 1) for age in range(MONTHS - 5)]
    assert series(plan, "it_pay", ("Counsel",)) == pytest.approx(expected)
    assert series(plan, "it_full_time", ("Counsel",)) == pytest.approx([pay / 5000 if n < 15 else pay / 5150
                                                                       for n, pay in enumerate(expected)])  # fmt: skip


def test_needed_short_utilisation_and_the_cost_of_turnover():
    plan = people()
    team, known = "Samplers", by_hand("Samplers")
    needed = [np.ceil(wanted / 100) for wanted in WANTED[team]]
    assert series(plan, "it_needed", (team,)) == pytest.approx(needed)
    used = [done / able for done, able in zip(known["work"], known["capacity"], strict=True)]
    assert series(plan, "it_utilisation", (team,)) == pytest.approx(used)
    each = 2000 + 500 + 3000 * (1 - 1 / 3 + 1 - 2 / 3)
    assert series(plan, "it_turnover", (team,)) == pytest.approx([left * each for left in known["left"]])


def test_the_remaining_stretch_so_output_falls_by_less_than_heads():
    idle = {"hiring": {}, "coming_back": {}, "going": {"Samplers": {3: 2}}}
    plan = people(seats=None, flows=idle)
    before, after = (series(plan, f"it_{part}", ("Samplers",)) for part in ("heads", "work"))
    assert after[3] / after[2] > before[3] / before[2]
    assert series(plan, "it_taken_on", ("Samplers",))[3] <= 0.1 * series(plan, "it_capacity", ("Samplers",))[3] + 1e-9


def test_idle_teams_help_their_own_role_by_the_share_that_is_pooled():
    plan = people(pooled=0.5, flows={**FLOWS, "going": {}})
    can, helpers = (series(plan, "it_capacity", (team,)) for team in ("Samplers", "Helpers"))
    for month in range(MONTHS):
        gap = max(0, WANTED["Samplers"][month] - can[month])
        lent = min(0.5 * helpers[month], gap)  # nothing is wanted of the helpers themselves
        stretch = min((gap - lent) * 0.5, can[month] * 0.1)
        done = min(WANTED["Samplers"][month], can[month]) + lent + stretch
        assert series(plan, "it_work", ("Samplers",))[month] == pytest.approx(done)
    assert sum(series(plan, "it_helped", ("Samplers",))) > 0


def test_targets_stand_beside_the_plan():
    plan = people(heads_allowed=12, cost_allowed=50000)
    total = np.sum([by_hand(team)["heads"] for team in TEAMS], axis=0)
    cost = np.sum([by_hand(team)["cost"] for team in TEAMS], axis=0)
    assert series(plan, "it_heads_gap") == pytest.approx((total - 12).tolist())
    assert series(plan, "it_cost_gap") == pytest.approx((cost - 50000).tolist())


def test_a_team_alone_may_be_allowed_so_many():
    said = {"Samplers": {"allowed": 7}, "Analysts": {}, "Helpers": {"allowed": 0}}
    known = {team: {**TEAMS.attributes[team], **more} for team, more in said.items()}
    plan = people(replace(TEAMS, attributes=known))
    for team, most in (("Samplers", 7), ("Helpers", 0)):
        beyond = [heads - most for heads in by_hand(team)["heads"]]
        assert series(plan, "it_team_gap", (team,)) == pytest.approx(beyond)
    assert series(plan, "it_team_gap", ("Analysts",)) == [0] * MONTHS  # nothing is said of them
    quarter = plan.model.timeline.periods(Grain.QUARTER)[:1]
    assert roll_up(evaluate(plan), "it_allowed", quarter, ("Samplers",))[0, 0] == 7
    assert "it_team_gap" not in people().model.line_by_name


_counts = st.lists(st.integers(0, 5), min_size=MONTHS, max_size=MONTHS)


@law(15)
@forall(_counts, _counts, _counts, st.floats(0, 1), st.floats(0, 1.5))
def test_heads_are_opening_plus_in_less_out_and_capacity_never_exceeds_them(hires, returns, going, leaving, output):
    known = {**TEAMS.attributes["Samplers"], "leaving": leaving, "productivity": output}
    teams = replace(TEAMS, attributes={**TEAMS.attributes, "Samplers": known})
    flows = {
        name: {"Samplers": dict(enumerate(counts))}
        for name, counts in (("hiring", hires), ("coming_back", returns), ("going", going))
    }
    results = evaluate(people(teams, flows=flows))

    def of(part):
        return results.values(f"it_{part}")[0, :, 0]

    moved = of("hires") + of("returns") - of("left") - of("let_go")
    np.testing.assert_allclose(of("heads"), of("opening") + moved, atol=1e-9)
    np.testing.assert_allclose(of("let_go") + of("not_there"), np.array(going) + results.values("it_seat_goes")[
        [0, 2], :, 0].sum(axis=0), atol=1e-9)  # fmt: skip
    assert of("heads").min() >= -1e-9
    assert (of("capacity") <= of("heads") * 100 * max(1, output) + 1e-6).all()
    assert (of("work") <= of("capacity") * 1.1 + 1e-6).all()


def teams(**changed):
    return Dimension("teams", ("Samplers",), attributes={"Samplers": {"salary": 3000, **changed}})


@pytest.mark.parametrize(
    ("known", "said"),
    [
        ({"heads": -1}, "Samplers: Heads at the start needs to be at least 0"),
        ({"leaving": 1.2}, "at most 100 %"),
        ({"ramp": 0.5}, "whole number from 0"),
        ({"ramp_profile": "steep"}, "Samplers: expected a profile of Frame .Analyst ramp. for its ramp; got “steep”"),
        ({"kind": "friend"}, "Expected one of employee, part_time, contract"),
    ],
)
def test_teams_that_cannot_be_are_refused_by_name(known, said):
    with pytest.raises(InvalidModel, match=said):
        company(bare("people", register="teams"), more_dimensions=(teams(**known),), profiles=PROFILES)


@pytest.mark.parametrize(
    ("seat", "said"),
    [
        ({"teams": "Samplers", "start": "2026-05", "end": "2026-04"}, "S1 ends in Apr 26, before it starts in May 26"),
        ({"teams": "Samplers"}, "S1 needs starts"),
        ({"start": "2026-05"}, "S1 needs a team, one of Samplers"),
        ({"teams": "Samplers", "start": "2026-05", "share": 1.5}, "S1: Share of full time needs to be at most 100 %"),
    ],
)
def test_seats_that_cannot_be_are_refused_by_name(seat, said):
    seats = Dimension("seats", ("S1",), attributes={"S1": seat})
    with pytest.raises(InvalidModel, match=said):
        company(bare("people", register="teams", seats="seats"), more_dimensions=(teams(), seats))


def test_a_line_that_is_not_over_the_teams_is_refused_with_what_to_do():
    with pytest.raises(InvalidModel, match="Expected one line over teams for hired, by team; got Joiners"):
        company(bare("people", register="teams", hires=["joiners"]), more_dimensions=(teams(),),
                lines=(given("joiners", 1, unit="heads"),))  # fmt: skip
    with pytest.raises(InvalidModel, match="counted in a word"):
        company(bare("people", register="teams", work="no. 1"), more_dimensions=(teams(),))


def test_one_team_without_anything_else_just_stays():
    plan = company(bare("people", register="teams"), more_dimensions=(teams(heads=2),))
    assert not plan.problems
    assert series(plan, "it_heads", ("Samplers",)) == [2] * MONTHS
