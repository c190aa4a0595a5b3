"""Every pattern: its lines compute, tie, and are what plain loops give for its example."""

import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.kit.laws import law
from tests.kit.small import REGION, START, calculated, given, model_of
from widefork.core.analysis.cohorts import flows_in, unfold
from widefork.core.axes import Grain, Period, Timeline
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidModel, InvalidValue
from widefork.core.finance.assemble import build_plan
from widefork.core.finance.statements import CHECKS
from widefork.core.finance.when_paid import posts_nowhere
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import BALANCE, Section
from widefork.core.patterns import PATTERNS, write_pattern

MONTHS = 24


THERE = (
    calculated("customers", "before(customers) + joined - left", unit="customers", rollup=BALANCE, opening=100),
    given("joined", 10, unit="customers"),
    given("left", {"steps": {"2026-01": 4, "2027-01": 5}}, unit="customers"),
    given("fees", 5000, unit="EUR"),
    given("advertising", 900, unit="EUR", posts_to="marketing_costs"),
    given("heads", 4, unit="heads", rollup=BALANCE),
    given("crew", {("Coast",): 2, ("Valley",): 3, ("Upland",): 5}, ("region",), unit="heads", rollup=BALANCE),
)
"""Lines a model has already, for patterns that read some."""


def draft_of(name, **changed):
    """What a pattern writes for its example, some answers changed (None takes one away)."""
    pattern = PATTERNS[name]
    answers = {key: value for key, value in {**pattern.example, **changed}.items() if value is not None}
    return write_pattern(pattern, model_of(*THERE, timeline=Timeline(START, MONTHS)), "it", "It", answers)


def written(name, **changed):
    """A model with what a pattern writes."""
    draft = draft_of(name, **changed)
    model = model_of(
        *THERE, *draft.lines, timeline=Timeline(START, MONTHS), schedules=tuple(draft.schedules),
        profiles=tuple(draft.profiles), limits=tuple(draft.limits), more_sections=(Section("it", "It"),),
        more_dimensions=tuple(draft.dimensions),
    )  # fmt: skip
    return build_plan(model)


def months(plan, part, *members):
    return evaluate(plan).series(f"it_{part}", members).tolist()


@pytest.mark.parametrize("name", PATTERNS.names)
def test_every_pattern_computes_ties_and_says_what_it_is(name):
    plan = written(name)
    assert not plan.problems
    assert not plan.warnings
    assert posts_nowhere(plan) in ((), ("fees",))  # the fees are there to be read
    results = evaluate(plan)
    for check in CHECKS:
        assert np.abs(results.values(check)).max() < 1e-6, check
    for line in plan.model.lines:
        assert np.isfinite(results.values(line.name)).all() or line.is_generated, line.name
    pattern = PATTERNS[name]
    assert pattern.summary.endswith(".")
    assert all(f"it_{part}" in plan.model.line_by_name for part in pattern.shows)
    moving = pattern.shows or [line.name.removeprefix("it_") for line in plan.model.lines if line.section == "it"]
    assert any(results.values(f"it_{part}").any() for part in moving)


@pytest.mark.parametrize("name", PATTERNS.names)
def test_every_question_may_be_left_to_its_usual_answer_and_what_is_needed_is_said(name):
    pattern = PATTERNS[name]
    needed = {q.key: pattern.example[q.key] for q in pattern.questions if q.is_required}
    there = model_of(*THERE, timeline=Timeline(START, MONTHS))
    assert write_pattern(pattern, there, "it", "It", needed).lines
    for key in needed:
        with pytest.raises(InvalidModel, match=r"(is|are) needed") as fault:
            write_pattern(pattern, there, "it", "It", {k: v for k, v in needed.items() if k != key})
        assert fault.value.place == key
    with pytest.raises(InvalidValue, match="asks no"):
        write_pattern(pattern, there, "it", "It", {**needed, "colour": "red"})


@pytest.mark.parametrize("name", [pattern.name for pattern in PATTERNS if pattern.spreads])
def test_what_spreads_is_written_over_a_dimension(name):
    plan = written(name, by="region")
    assert plan.model.line(f"it_{PATTERNS[name].shows[0]}").dimensions == ("region",)
    once, each = written(name), evaluate(plan)
    part = f"it_{PATTERNS[name].shows[0]}"
    total = each.values(part).sum(axis=0)[:, 0]
    assert total.tolist() == pytest.approx((3 * evaluate(once).series(part)).tolist())
    with pytest.raises(InvalidModel, match=REGION.name):
        written(name, by="planet")


# Recomputed in plain loops from each example's numbers; constructed.


def test_units():
    plan = written("units")
    assert months(plan, "revenue") == [4900] * MONTHS
    assert months(plan, "margin") == [100 * (49 - 12 - 5)] * MONTHS
    assert months(plan, "margin_share")[0] == pytest.approx(32 / 49)


def test_growth():
    plan = written("growth")
    expected, current = [], 0.0
    for month in range(MONTHS):
        current = 0 if month < 2 else 200 if month == 2 else current * 1.05
        expected.append(current)
    assert months(plan, "units") == pytest.approx(expected)
    assert months(plan, "year")[14] == pytest.approx(sum(expected[3:15]))
    assert months(plan, "revenue")[5] == pytest.approx(30 * expected[5])


def test_per_use():
    plan = written("per_use")
    assert months(plan, "revenue")[0] == pytest.approx(1000 * 0.5 + 150 * 0.2 + 50 * 0.1)
    assert months(plan, "earned_each")[0] == pytest.approx((500 + 30 + 5) / 1200)
    assert months(written("per_use", users=70), "revenue")[0] == pytest.approx(500 + 50 * 0.2)
    plain = written("per_use", steps=None)
    assert months(plain, "revenue")[0] == pytest.approx(600)
    with pytest.raises(InvalidModel, match="need to rise"):
        written("per_use", steps=[{"name": "a", "volume": 5, "price": 1}, {"name": "b", "volume": 4, "price": 1}])


def test_orders():
    plan = written("orders")
    orders = []
    for _ in range(MONTHS):
        orders.append(10000 * 0.02 + 0.25 * (orders[-1] if orders else 0))
    assert months(plan, "orders") == pytest.approx(orders)
    assert months(plan, "revenue")[7] == pytest.approx(orders[7] * 60 * 0.9)
    assert months(plan, "units")[7] == pytest.approx(orders[7] * 1.5 * 0.9)
    serving = orders[7] * 5 + orders[7] * 60 * 0.02 + orders[7] * 60 * 0.9 * 0.4
    assert months(plan, "serving")[7] == pytest.approx(serving)
    assert months(plan, "served")[7] == pytest.approx(serving / orders[7])


def test_go_between():
    plan = written("go_between")
    deals = 400 * 1.5
    assert months(plan, "traded")[0] == pytest.approx(deals * 80)
    assert months(plan, "revenue")[0] == pytest.approx(deals * 80 * 0.12 + deals * 0.5)
    assert months(plan, "per_seller")[0] == pytest.approx(10)


def test_market():
    plan = written("market")
    assert months(plan, "revenue")[0] == pytest.approx(1200000 / 12 * 0.3 * 0.05)
    assert months(plan, "customers")[0] == pytest.approx(1200000 / 12 * 0.3 * 0.05 / 50)


def test_a_market_as_a_check_says_which_share_the_plan_implies():
    draft = write_pattern(
        PATTERNS["market"], model_of(timeline=Timeline(START, MONTHS)), "top", "Market",
        {"size": 1200000, "reach": 0.3, "flag_above": 0.1, "share": 0.2, "each": 70},
    )  # fmt: skip
    plan = written("units")
    lines = [line for line in plan.model.lines if not line.is_generated]
    both = build_plan(model_of(
        *lines, *draft.lines, timeline=Timeline(START, MONTHS), limits=tuple(draft.limits),
        more_sections=(Section("it", "It"), Section("top", "Market")),
    ))  # fmt: skip
    assert evaluate(both).series("top_implied")[0] == pytest.approx(4900 / 30000)
    assert both.model.limits[0].most == 0.1
    # and the other way: what the share expected would give, and how many customers the plan's revenue is
    assert evaluate(both).series("top_expected")[0] == pytest.approx(30000 * 0.2)
    assert evaluate(both).series("top_against")[0] == pytest.approx(4900 / 6000)
    assert evaluate(both).series("top_customers")[0] == pytest.approx(70)
    assert "top_expected" not in posts_nowhere(both)


def test_funnel():
    plan = written("funnel")
    leads = 8000 * 0.03
    won, spent = leads * 0.25, 1500 + leads * 6 + leads * 0.25 * 10
    assert months(plan, "won")[0] == pytest.approx(won)
    assert months(plan, "acquisition")[0] == pytest.approx(spent / won)
    assert months(plan, "worth")[0] == pytest.approx(40 * 0.75 * 20)
    assert months(plan, "pay_back")[0] == pytest.approx(spent / won / 30)


def test_sales_team():
    plan = written("sales_team")
    hired = [0.0] * MONTHS
    hired[1], hired[5] = 1, 2
    expected = []
    for month in range(MONTHS):
        able = 2.0
        for joined, count in enumerate(hired[: month + 1]):
            able += count * min(1.0, (month - joined + 1) / 4)
        expected.append(able * 5 * 0.8)
    assert months(plan, "deals") == pytest.approx(expected)
    assert months(plan, "commissions")[9] == pytest.approx(expected[9] * 900 * 0.06)
    with pytest.raises(InvalidModel, match="give the size of a deal too"):
        written("sales_team", deal_size=None)


def test_a_ramp_may_be_given_in_amounts():
    """New sellers close 0, 1 and 3 deals in their first months and then 5, of which 80 % are attained."""
    plan = written("sales_team", sellers=0, ramp_amounts=[0, 1, 3])
    alone = [0, 0, 1, 3, *[5] * 20]
    later = [0] * 5 + [2 * deals for deals in (0, 1, 3, *[5] * 16)]
    assert months(plan, "deals") == pytest.approx([0.8 * (a + b) for a, b in zip(alone, later, strict=True)])
    with pytest.raises(InvalidModel, match="deals, which are 0"):
        written("sales_team", quota=0, ramp_amounts=[1])


def test_hourly_staff():
    """320 hours agreed, 420 needed from June, 25 % more beyond 400; charges of 21 %."""
    plan = written("hourly_staff")
    assert months(plan, "pay")[4:6] == pytest.approx([320 * 18, 420 * 18 + 20 * 18 * 0.25])
    assert months(plan, "charges")[5] == pytest.approx((420 * 18 + 20 * 18 * 0.25) * 0.21)
    assert months(plan, "heads")[4:6] == pytest.approx([2, 420 / 160])
    by_work = written("hourly_staff", needed={"line": "customers", "share": 0.5}, agreed=None, overtime_from=None)
    assert months(by_work, "pay")[0] == pytest.approx(106 * 0.5 * 18)
    assert by_work.model.line("it_needed_each").unit == "% hours/customer"


def test_bookings_of_a_sales_team_by_hiring_cohort():
    """A seller ramps evenly over four months and then closes 5 deals a month, 80 % of them, at 900."""
    plan = written("sales_team")
    assert dict(flows_in(plan))["it_hired"] == "it_heads"
    found = unfold(plan, (), "it_hired", "it_revenue", Grain.QUARTER)
    assert [(one.period.label, one.joined) for one in found.cohorts] == [("Q1 26", 1), ("Q2 26", 2)]
    for one, (first, count) in zip(found.cohorts, ((1, 1), (5, 2)), strict=True):
        ramped = [count * max(0, min(1.0, (month - first + 1) / 4)) for month in range(MONTHS)]
        assert one.values.tolist() == pytest.approx([able * 5 * 0.8 * 900 for able in ramped])
    assert found.before.tolist() == pytest.approx([2 * 5 * 0.8 * 900] * MONTHS)


def test_freemium():
    plan = written("freemium")
    free, paid = 1200.0, 90.0
    for month in range(MONTHS):
        turned, left = free * 0.04, free * 0.1
        paid += turned - paid * 0.03
        free += 5000 * 0.08 - turned - left
        assert months(plan, "free")[month] == pytest.approx(free)
        assert months(plan, "paid")[month] == pytest.approx(paid)
    assert months(plan, "revenue")[-1] == pytest.approx(9 * paid)


def subscription(joining, kept, churn, yearly_share, start=(0.0, 0.0)):
    """Monthly and yearly customers and who signed, month by month."""
    monthly, yearly = start
    begun, signed, found = yearly / 12, [], []
    for month, joined in enumerate(joining):
        left = monthly * churn
        monthly += joined * kept * (1 - yearly_share) - left
        due = signed[month - 12] if month >= 12 else begun
        renewed = due * (1 - churn) ** 12
        signed.append(joined * kept * yearly_share + renewed)
        yearly += joined * kept * yearly_share - (due - renewed)
        found.append((monthly, yearly, signed[-1], left, due - renewed))
    return [list(column) for column in zip(*found, strict=True)]


AFTER_LAUNCH = [0.0 if month < 2 else 20.0 for month in range(MONTHS)]  # launched in February, a month's trial


def test_subscription_in_tiers():
    plan = written("subscription")
    revenue = np.zeros(MONTHS)
    for tier, share, price, begun in (("Basic", 0.75, 15, 40), ("Plus", 0.25, 35, 0)):
        monthly, yearly, signed, left, gone = subscription(AFTER_LAUNCH, share, 1 / 25, 0.4, (begun, 0))
        assert months(plan, "monthly", tier) == pytest.approx(monthly)
        assert months(plan, "yearly", tier) == pytest.approx(yearly)
        assert months(plan, "billed", tier) == pytest.approx([count * price * 10 for count in signed])
        recurring = [m * price + y * price * 10 / 12 for m, y in zip(monthly, yearly, strict=True)]
        assert months(plan, "recurring", tier) == pytest.approx(recurring)
        lost = [a * price + b * price * 10 / 12 for a, b in zip(left, gone, strict=True)]
        assert months(plan, "churned_revenue", tier) == pytest.approx(lost)
        revenue += [count * price for count in monthly]
    assert evaluate(plan).values("it_revenue").sum(axis=0)[:, 0] == pytest.approx(revenue)
    year = plan.model.timeline.fiscal_years()[:1]
    a_month = evaluate(plan).values("it_recurring").sum(axis=0)[11, 0]
    assert roll_up(evaluate(plan), "it_recurring_year", year)[0, 0] == pytest.approx(12 * a_month)
    results = evaluate(plan)
    billed, earned = results.values("it_billed").sum(axis=0)[:, 0], results.series("it_ahead_earned")
    # billed is earned or still owed as service
    assert billed.sum() == pytest.approx(earned.sum() + results.series("deferred_revenue")[-1])


def test_a_tier_may_give_its_own_months_free_and_share_by_the_year():
    tiers = [
        {"name": "Basic", "share": 0.75, "yearly_at_start": 24},
        {"name": "Plus", "share": 0.25, "price": 35, "free_months": 3, "yearly_share": 0.8, "yearly_at_start": 12},
    ]
    plan = written("subscription", tiers=tiers)
    for tier, share, price, by_year, paid, begun in (("Basic", 0.75, 15, 0.4, 10, 24), ("Plus", 0.25, 35, 0.8, 9, 12)):
        monthly, yearly, signed, *_ = subscription(AFTER_LAUNCH, share, 1 / 25, by_year, (0, begun))
        assert months(plan, "billed", tier) == pytest.approx([count * price * paid for count in signed])
        recurring = [m * price + y * price * paid / 12 for m, y in zip(monthly, yearly, strict=True)]
        assert months(plan, "recurring", tier) == pytest.approx(recurring)
    (ahead,) = (given for given in plan.model.schedules if given.kind == "prepaid_billing")
    assert ahead.settings["opening_balance"] == pytest.approx((24 * 15 * 10 + 12 * 35 * 9) / 12 * 5.5)


def test_net_retention_is_what_a_year_leaves_of_recurring_revenue():
    steady = written("subscription", tiers=None, joining=0, monthly_at_start=100, yearly_share=0, launch=None,
                     trial_months=None)  # fmt: skip
    assert months(steady, "net_retention")[13] == pytest.approx((1 - 1 / 25) ** 12)
    dearer = written("subscription", tiers=None, joining=50, monthly_at_start=100, yearly_share=0, launch=None,
                     trial_months=None, price={"steps": {"2026-01": 15, "2027-01": 18}})  # fmt: skip
    assert months(dearer, "net_retention")[15] == pytest.approx((1 - 1 / 25) ** 12 * 18 / 15)


def test_a_tier_may_have_a_launch_and_a_wait_of_its_own():
    """Free from the first month, Plus launched in March with a wait of a month, the rest by the usual launch."""
    tiers = [
        {"name": "Free", "share": 0.5, "price": 0},
        {"name": "Basic", "share": 0.3, "launch": "2026-02"},
        {"name": "Plus", "share": 0.2, "price": 35, "launch": "2026-03", "wait_months": 1},
    ]
    plan = written("subscription", tiers=tiers, launch=None, trial_months=None)
    assert months(plan, "joined", "Free")[:5] == [10] * 5
    assert months(plan, "joined", "Basic")[:5] == [0, 6, 6, 6, 6]
    assert months(plan, "joined", "Plus")[:5] == [0, 0, 0, 4, 4]
    waits = written("subscription", tiers=tiers, launch="2026-02", wait_months=2, trial_months=1)
    assert months(waits, "joined", "Free")[:6] == [0, 0, 0, 0, 10, 10]
    assert months(waits, "joined", "Plus")[:6] == [0, 0, 0, 0, 4, 4]  # March, its own wait of one, and the trial


def test_net_retention_is_empty_until_there_are_twelve_months():
    plan = written("subscription", tiers=None, joining=0, monthly_at_start=100, yearly_share=0, launch=None,
                   trial_months=None)  # fmt: skip
    shown = roll_up(evaluate(plan), "it_net_retention", [Period("", "", m, m) for m in plan.model.timeline.months])
    assert np.isnan(shown[:12]).all()
    # of the first month nothing is known before it, so its end is what the thirteenth looks back at
    assert shown[12, 0] == pytest.approx((1 - 1 / 25) ** 12)
    year = Period("", "", START, START.plus(11))
    assert np.isnan(roll_up(evaluate(plan), "it_net_retention", [year])[0, 0])


def test_leaving_may_differ_by_the_year_of_joining():
    rates = {"by_year": {"2026": 0.06, "2027": 0.03}}
    plan = written("subscription", tiers=None, leaving="churn", lifetime=None, churn=rates, leaving_by="joined",
                   joining=10, yearly_share=0.5, launch=None, trial_months=None, monthly_at_start=80)  # fmt: skip
    assert not plan.problems
    first = [10.0 if month < 12 else 0.0 for month in range(MONTHS)]
    total = np.zeros(MONTHS)
    for member, joining, churn, start in (
        ("FY26", first, 0.06, 0), ("FY27", [10 - joined for joined in first], 0.03, 0),
        ("at the start", [0.0] * MONTHS, 0.06, 80),
    ):  # fmt: skip
        monthly, yearly, *_ = subscription(joining, 1, churn, 0.5, (start, 0))
        assert months(plan, "monthly", member) == pytest.approx(monthly)
        assert months(plan, "yearly", member) == pytest.approx(yearly)
        assert months(plan, "lifetime", member) == pytest.approx([1 / churn] * MONTHS)
        total += np.add(monthly, yearly)
    assert months(plan, "customers") == pytest.approx(total.tolist())


def test_leaving_may_be_given_as_a_share_of_a_year():
    plan = written("subscription", tiers=None, leaving="churn_year", lifetime=None, churn_year=0.3, joining=0,
                   monthly_at_start=1000, yearly_share=0, launch=None, trial_months=None)  # fmt: skip
    assert not plan.problems
    assert months(plan, "churn") == pytest.approx([1 - 0.7 ** (1 / 12)] * MONTHS)
    assert months(plan, "lifetime") == pytest.approx([1 / (1 - 0.7 ** (1 / 12))] * MONTHS)
    assert months(plan, "customers")[11] == pytest.approx(700)
    assert months(plan, "customers")[23] == pytest.approx(490)
    rates = {"by_year": {"2026": 0.3, "2027": 0.1}}
    joined = written("subscription", tiers=None, leaving="churn_year", lifetime=None, churn_year=rates, joining=10,
                     leaving_by="joined", yearly_share=0, launch=None, trial_months=None)  # fmt: skip
    assert not joined.problems
    assert months(joined, "churn", "FY27") == pytest.approx([1 - 0.9 ** (1 / 12)] * MONTHS)


def test_whole_customers_add_up_and_never_drift():
    plan = written("subscription", whole="yes", joining=7.3)
    results = evaluate(plan)
    for part in ("joined", "joined_yearly", "left_monthly", "renewed", "customers", "monthly", "yearly"):
        values = results.values(f"it_{part}")
        np.testing.assert_allclose(values, np.round(values), atol=1e-9, err_msg=part)
        assert values.min() >= 0
    for place, share in enumerate((0.75, 0.25)):
        meant = np.cumsum([7.3 * share if month >= 2 else 0 for month in range(MONTHS)])
        assert np.abs(results.values("it_joined")[place, :, 0].cumsum() - meant).max() < 1
    exact = np.cumsum([7.3 if month >= 2 else 0 for month in range(MONTHS)])
    np.testing.assert_allclose(results.values("it_joined").sum(axis=0)[:, 0].cumsum(), np.floor(exact + 0.5 + 1e-9))
    np.testing.assert_allclose(
        results.values("it_customers").sum(axis=0),
        results.values("it_monthly").sum(axis=0) + results.values("it_yearly").sum(axis=0),
    )


def test_yearly_subscribers_at_the_start_leave_at_renewal_and_not_monthly():
    plan = written("subscription", tiers=None, joining=0, yearly_at_start=120, lifetime=24, launch=None,
                   trial_months=None)  # fmt: skip
    # twelve even cohorts; of each renews what the twelve months since it signed leave: (1 - 1 / 24) ** 12, 60.0 %
    kept = (1 - 1 / 24) ** 12
    assert months(plan, "yearly")[:3] == pytest.approx([120 - 10 * n * (1 - kept) for n in (1, 2, 3)])
    assert months(plan, "yearly")[11] == pytest.approx(120 * kept)
    assert months(plan, "yearly_stay")[0] == pytest.approx(12 / (1 - kept))


def test_yearly_customers_renew_with_their_own_twelve_months():
    """Constructed: 2 % leave in each month of the first year, 5 % from then on. Who signed in March 2026 had ten months
    of the one and two of the other."""
    plan = written("subscription", tiers=None, leaving="churn", lifetime=None, joining=100, yearly_share=1, launch=None,
                   trial_months=None, churn={"steps": {"2026-01": 0.02, "2027-01": 0.05}})  # fmt: skip
    assert months(plan, "renewed")[14] == pytest.approx(100 * 0.98**9 * 0.95**3)


def test_trials_that_do_not_stay_and_sales_that_begin_later():
    plan = written("subscription", tiers=None, wait_months=3, trial_kept=0.5)
    assert months(plan, "joined")[:7] == pytest.approx([0, 0, 0, 0, 0, 10, 10])


def test_a_mix_shares_a_total_out():
    plan = written("units", mix=[{"name": "Small", "share": 0.6}, {"name": "Large", "share": 0.4, "price": 90}])
    assert months(plan, "revenue", "Small") == pytest.approx([60 * 49] * MONTHS)
    assert months(plan, "revenue", "Large") == pytest.approx([40 * 90] * MONTHS)
    total = 60 * 49 + 40 * 90
    year = plan.model.timeline.fiscal_years()[:1]
    margin = roll_up(evaluate(plan), "it_margin_share", year)[0, 0]
    assert margin == pytest.approx((total - 100 * 17) / total)
    assert plan.model.limits[0].least == plan.model.limits[0].most == 1


def test_a_kind_of_a_mix_may_have_its_own_costs():
    mix = [{"name": "Small", "share": 0.6}, {"name": "Large", "share": 0.4, "price": 90, "material_price": 31}]
    plan = written("units", mix=mix, material_price=12, labour_price=None)
    assert months(plan, "material", "Small") == pytest.approx([60 * 12] * MONTHS)
    assert months(plan, "material", "Large") == pytest.approx([40 * 31] * MONTHS)
    alone = written("units", mix=mix, material_price=None, labour_price=None)
    assert months(alone, "material", "Small") == pytest.approx([0] * MONTHS)
    assert months(alone, "material", "Large") == pytest.approx([40 * 31] * MONTHS)


def test_bought_once():
    plan = written("bought_once")
    paying, owners = 200.0, 0.0
    for month in range(MONTHS):
        due = paying * 0.97
        bought = due * 0.02
        paying, owners = due - bought + 30, owners + bought
        assert months(plan, "paying")[month] == pytest.approx(paying)
        assert months(plan, "revenue")[month] == pytest.approx(bought * 300 + paying * 12)
        assert months(plan, "upkeep_cost")[month] == pytest.approx(owners * 1.5)
        assert months(plan, "given_up")[month] == pytest.approx(owners * 12)


def test_contracts():
    plan = written("contracts")
    fees = np.zeros(MONTHS)
    fees[1:] += 1000
    fees[2:14] += 3000
    fees[14:] += 3000 * 0.5  # renewed for a year with that chance, and once more
    assert months(plan, "held")[:26] == pytest.approx(fees.tolist()[:26])
    hoped = [0.0 if month < 4 else 500.0 for month in range(MONTHS)]
    assert months(plan, "weighted") == pytest.approx([a + b / 4 for a, b in zip(fees, hoped, strict=True)])
    short = 8000 - (4000 + 125)
    count = 1 + 1 + 0.25
    assert months(plan, "book_needed")[6] == np.ceil(short / (4125 / count))


def test_events():
    plan = written("events")
    held = [1.0 if month % 3 == 2 else 0.0 for month in range(MONTHS)]
    assert months(plan, "visitors", "Open day") == pytest.approx([90 * n for n in held])
    assert months(plan, "turned_away", "Open day") == pytest.approx([30 * n for n in held])
    assert months(plan, "visitors", "Course") == [24] * MONTHS
    assert months(plan, "revenue", "Open day")[2] == pytest.approx(90 * 19)
    assert months(plan, "staff_days", "Open day")[2] == 4 * 2  # four for ninety, two days each
    cost = 4 * 2 * 160 + 4 * 1 * 45 + 200
    assert months(plan, "margin", "Open day")[2] == pytest.approx(90 * 19 - cost)
    with pytest.raises(InvalidModel, match="how many visitors"):
        written("events", per_staff=None)
    for one in ("day_cost", "allowance"):  # either alone needs to know it too
        with pytest.raises(InvalidModel, match="how many visitors"):
            written("events", per_staff=None, **{one: None})


def test_device():
    plan = written("device")
    customers = 150.0
    for month in range(MONTHS):
        replaced = customers / 48
        customers += 40 * 0.7 - customers * 0.02
        assert months(plan, "customers")[month] == pytest.approx(customers)
        assert months(plan, "needed")[month] == pytest.approx(40 + replaced)
        assert months(plan, "devices_cost")[month] == pytest.approx((40 + replaced) * 65)
        assert months(plan, "revenue")[month] == pytest.approx(40 * 120 + customers * 8)
    assert months(plan, "in_stock")[0] == pytest.approx(40 + 175 / 48)  # thirty days of what goes out next
    with pytest.raises(InvalidModel, match="needs the cost"):
        written("device", cost=None)


def test_customer_metrics():
    plan = written("customer_metrics")
    customers = [100.0]
    for month in range(MONTHS):
        customers.append(customers[-1] + 10 - (4 if month < 12 else 5))
    shares = [(4 if month < 12 else 5) / customers[month] for month in range(MONTHS)]
    at = 17
    lately = sum(shares[at - 2 : at + 1]) / 3
    each = 5000 * 0.8 / customers[at + 1]
    assert months(plan, "worth")[at] == pytest.approx(each / lately)
    assert months(plan, "acquisition")[at] == pytest.approx(90)
    assert months(plan, "pay_back")[at] == pytest.approx(90 / each)
    assert months(plan, "per_head")[at] == pytest.approx(1250)


def test_outgoings():
    plan = written("outgoings")
    customers = [100 + sum(10 - (4 if m < 12 else 5) for m in range(month + 1)) for month in range(MONTHS)]
    assert months(plan, "insurance") == [1200 if month % 12 == 2 else 0 for month in range(MONTHS)]
    assert months(plan, "cloud") == pytest.approx([0.5 * count for count in customers])
    assert months(plan, "vans") == [1400] * MONTHS  # two vans for four heads
    assert months(plan, "advice") == [100] * MONTHS
    assert months(plan, "move") == [5000 if month == 5 else 0 for month in range(MONTHS)]
    assert months(plan, "rent_of_a_store") == [400 if 3 <= month <= 11 else 0 for month in range(MONTHS)]
    assert months(plan, "books")[11:13] == [300, 350]
    posted = {line.name.removeprefix("it_"): line.posts_to for line in plan.model.lines if line.section == "it"}
    assert posted["cloud"] == "cost_of_sales"
    assert posted["books"] == "administration_costs"
    # what is paid after 30 days was charged the month before
    paid = [a + b for a, b in zip(months(plan, "cloud"), months(plan, "vans"), strict=True)]
    assert months(plan, "after_30_paid") == pytest.approx([0, *paid[:-1]])


COST = {"name": "Vans", "amount": 5}


@pytest.mark.parametrize(
    ("row", "said"),
    [
        ({"kind": "each"}, "Vans, for each unit, customer or head: “of, or for each” is needed"),
        ({"kind": "once"}, "“from, or in” is needed"),
        ({"kind": "share", "driver": "fees"}, "“share” is needed"),
        ({"kind": "each", "driver": "fees"}, "Fees is in EUR; expected a line that counts something"),
        ({"kind": "stepped", "driver": "heads"}, "“for every” is needed"),
        ({"start": "2026-05", "end": "2026-02"}, "Vans ends in Feb 26, before it starts"),
        ({"kind": "often"}, "Vans: Expected one of monthly"),
        ({"driver": "nowhere"}, "Vans: There is no line"),
    ],
)
def test_costs_that_cannot_be_are_refused_by_name(row, said):
    with pytest.raises(InvalidModel, match=said) as fault:
        written("outgoings", costs=[{**COST, **row}])
    assert fault.value.place == "costs"


def test_an_answer_may_be_a_line_that_is_there_already():
    plan = written("per_use", users={"line": "customers"}, steps=None)
    # customers are no users: so many users for each customer is a driver of its own
    assert plan.model.line("it_users_each").unit == "% users/customer"
    assert not plan.warnings
    assert months(plan, "revenue")[0] == pytest.approx(106 * 15 * 0.5)
    assert plan.model.line("it_users").rollup.over_time is BALANCE.over_time
    same = written("funnel", spend={"line": "advertising"})
    assert "it_spend_each" not in same.model.line_by_name
    with pytest.raises(InvalidModel, match="is in EUR"):
        written("units", price={"line": "fees"})
    with pytest.raises(InvalidModel, match="no line"):
        written("units", units={"line": "nowhere"})
    crew = written("sales_team", sellers={"line": "crew", "at": "Valley"}, hired=0)
    assert months(crew, "deals") == [3 * 5 * 0.8] * MONTHS
    assert crew.model.line("it_sellers").formula == "crew at Valley * it_sellers_each"
    assert months(written("sales_team", sellers={"line": "crew"}, hired=0), "deals") == [10 * 5 * 0.8] * MONTHS
    spread = written("units", by="region", units={"line": "crew", "at": "Upland"}, mix=None)
    assert months(spread, "units", "Coast") == [5] * MONTHS
    with pytest.raises(InvalidModel, match=r"no member of Crew.*“Sea”|Sea"):
        written("sales_team", sellers={"line": "crew", "at": "Sea"})
    part = written("subscription", tiers=None, joining={"line": "joined", "share": 0.12}, launch=None,
                   trial_months=None)  # fmt: skip
    assert months(part, "joined") == pytest.approx([1.2] * MONTHS)
    assert part.model.line("it_joining_share").unit == "%"
    each = written("per_use", users={"line": "customers", "share": 0.2}, steps=None)
    assert months(each, "users") == pytest.approx([0.2 * count for count in months(plan, "users")])
    with pytest.raises(InvalidModel, match="A share of Joined is a number"):
        written("subscription", joining={"line": "joined", "share": "some"})
    dues = written("subscription", tiers=None, joining={"line": "joined"}, launch=None, trial_months=None)
    assert months(dues, "joined") == [10] * MONTHS


@pytest.mark.parametrize(
    ("name", "answers"),
    [
        ("subscription", {"price": {"line": "fees"}}),
        ("subscription", {"tiers": None, "lifetime": {"line": "heads"}, "leaving_by": "joined"}),
        ("subscription", {"tiers": None, "free_months": {"line": "heads"}, "yearly_at_start": 5}),
        ("units", {"price": {"line": "fees"}, "mix": [{"name": "One", "share": 1.0}]}),
        ("contracts", {"target": {"line": "fees"}}),
    ],
)
def test_a_line_cannot_be_read_where_numbers_differ_by_tier_or_year(name, answers):
    with pytest.raises(InvalidModel, match=r"give a number or a rule|is in heads") as fault:
        written(name, **answers)
    assert fault.value.place in answers


@law(20)
@forall(st.floats(0, 500), st.floats(1, 60), st.floats(0, 1), st.integers(0, 6), st.floats(0, 1000))
def test_customers_are_opening_plus_joined_less_left(joining, lifetime, yearly, trial, begun):
    plan = written("subscription", tiers=None, joining=joining, lifetime=lifetime, yearly_share=yearly,
                   trial_months=trial, monthly_at_start=begun, yearly_at_start=begun)  # fmt: skip
    results = evaluate(plan)
    customers = results.series("it_customers")
    moved = results.series("it_joined") - results.series("it_churned")
    np.testing.assert_allclose(np.diff(customers, prepend=2 * begun), moved, atol=1e-6)
    assert customers.min() >= -1e-6
    # what is billed is earned or still owed as service, in every month
    billed, earned = (results.series(f"it_{part}").cumsum() for part in ("billed", "ahead_earned"))
    owed = results.series("deferred_revenue")
    opening = plan.model.line("it_ahead_balance").opening
    np.testing.assert_allclose(opening + billed, earned + owed, rtol=1e-9, atol=1e-6)


@pytest.mark.parametrize(
    ("name", "answers", "said"),
    [
        ("subscription", {"lifetime": 0}, "at least 1"),
        ("subscription", {"tiers": [{"name": "One", "share": 0.9}]}, "add to 90 %"),
        ("subscription", {"tiers": [{"name": "One", "share": 0.5}, {"name": "one", "share": 0.5}]}, "listed twice"),
        ("subscription", {"tiers": [{"name": "One"}]}, "One needs share of new ones"),
        ("subscription", {"tiers": [{"share": 1}]}, "Row 1 of tiers needs a name"),
        ("subscription", {"tiers": "two"}, "Expected rows"),
        ("subscription", {"churn": 1.2}, "at most 100 %"),
        ("units", {"mix": [{"name": "One", "share": 0.7}]}, "mix adds to 70 %"),
        (
            "contracts",
            {"contracts": [{"name": "A", "fee": 5, "start": "2026-05", "end": "2026-02"}]},
            "before it starts",
        ),
        ("contracts", {"contracts": [{"name": "A", "fee": -5, "start": "2026-05"}]}, "A: Fee needs to be at least 0"),
        ("freemium", {"churn_paid": 1.2}, "at most 100 %"),
        ("units", {"counted": "kits & co"}, "is a word"),
        ("units", {"units": -5}, "at least 0"),
        ("growth", {"first": "2031-01"}, "lies outside the model's months"),
        ("sales_team", {"ramp_months": -1}, "whole number from 0"),
    ],
)
def test_answers_that_cannot_be_are_refused_where_they_were_given(name, answers, said):
    with pytest.raises(InvalidModel, match=said) as fault:
        written(name, **answers)
    assert fault.value.place in answers


@pytest.mark.parametrize(("name", "parts"), [
    ("freemium", ("joined", "converted", "left_free", "left_paid", "free", "paid")), ("funnel", ("leads", "won")),
    ("device", ("joined", "left", "replaced", "customers")),
])  # fmt: skip
def test_people_and_things_may_be_whole_and_nothing_gets_lost(name, parts):
    plan, exact = evaluate(written(name, whole="yes")), evaluate(written(name))
    for part in parts:
        values = plan.series(f"it_{part}")
        np.testing.assert_allclose(values, np.round(values), atol=1e-9, err_msg=part)
        assert values.min() >= 0
    first = f"it_{parts[0]}"
    assert np.abs(plan.series(first).cumsum() - exact.series(first).cumsum()).max() <= 0.5 + 1e-9
