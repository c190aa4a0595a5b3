"""Every pattern: its lines compute, tie, and are what plain loops give for its example."""

import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import settings
from hypothesis import strategies as st

from tests.small import REGION, START, model_of
from widefork.core.axes import Timeline
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidModel, InvalidValue
from widefork.core.finance.assemble import build_plan
from widefork.core.finance.statements import CHECKS
from widefork.core.finance.when_paid import posts_nowhere
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import Section
from widefork.core.patterns import PATTERNS, write_pattern

MONTHS = 24


def written(name, **changed):
    """A model with what a pattern writes for its example, some answers changed (None takes one away)."""
    pattern = PATTERNS[name]
    answers = {key: value for key, value in {**pattern.example, **changed}.items() if value is not None}
    empty = model_of(timeline=Timeline(START, MONTHS))
    draft = write_pattern(pattern, empty, "it", "It", answers)
    model = model_of(
        *draft.lines, timeline=Timeline(START, MONTHS), schedules=tuple(draft.schedules),
        profiles=tuple(draft.profiles), limits=tuple(draft.limits), more_sections=(Section("it", "It"),),
    )  # fmt: skip
    return build_plan(model)


def months(plan, part):
    return evaluate(plan).series(f"it_{part}").tolist()


@pytest.mark.parametrize("name", PATTERNS.names)
def test_every_pattern_computes_ties_and_says_what_it_is(name):
    plan = written(name)
    assert not plan.problems
    assert not plan.warnings
    assert posts_nowhere(plan) == ()
    results = evaluate(plan)
    for check in CHECKS:
        assert np.abs(results.values(check)).max() < 1e-6, check
    for line in plan.model.lines:
        assert np.isfinite(results.values(line.name)).all() or line.is_generated, line.name
    pattern = PATTERNS[name]
    assert pattern.summary.endswith(".")
    assert all(f"it_{part}" in plan.model.line_by_name for part in pattern.shows)
    assert any(results.series(f"it_{part}").any() for part in pattern.shows)


@pytest.mark.parametrize("name", PATTERNS.names)
def test_every_question_may_be_left_to_its_usual_answer_and_what_is_needed_is_said(name):
    pattern = PATTERNS[name]
    needed = {q.key: pattern.example[q.key] for q in pattern.questions if q.is_required}
    empty = model_of(timeline=Timeline(START, MONTHS))
    assert write_pattern(pattern, empty, "it", "It", needed).lines
    for key in needed:
        with pytest.raises(InvalidModel, match="is needed") as fault:
            write_pattern(pattern, empty, "it", "It", {k: v for k, v in needed.items() if k != key})
        assert fault.value.place == key
    with pytest.raises(InvalidValue, match="asks no"):
        write_pattern(pattern, empty, "it", "It", {**needed, "colour": "red"})


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
    assert months(written("per_use"), "revenue")[0] == pytest.approx(1000 * 0.5 + 200 * 0.2)
    plain = written("per_use", from_volume=None, volume_price=None)
    assert months(plain, "revenue")[0] == pytest.approx(600)
    with pytest.raises(InvalidModel, match="needs both"):
        written("per_use", volume_price=None)


def test_orders():
    plan = written("orders")
    orders = []
    for _ in range(MONTHS):
        orders.append(10000 * 0.02 + 0.25 * (orders[-1] if orders else 0))
    assert months(plan, "orders") == pytest.approx(orders)
    assert months(plan, "revenue")[7] == pytest.approx(orders[7] * 60 * 0.9)
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
        {"size": 1200000, "reach": 0.3, "flag_above": 0.1},
    )  # fmt: skip
    plan = written("units")
    lines = [line for line in plan.model.lines if not line.is_generated]
    both = build_plan(model_of(
        *lines, *draft.lines, timeline=Timeline(START, MONTHS), limits=tuple(draft.limits),
        more_sections=(Section("it", "It"), Section("top", "Market")),
    ))  # fmt: skip
    assert evaluate(both).series("top_implied")[0] == pytest.approx(4900 / 30000)
    assert both.model.limits[0].most == 0.1


def test_funnel():
    plan = written("funnel")
    leads = 8000 * 0.03
    won, spent = leads * 0.25, 1500 + leads * 6
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


def test_subscription():
    plan = written("subscription")
    joining = [0.0 if month < 2 else 20.0 for month in range(MONTHS)]  # launched in February, a month's trial
    monthly, signed, yearly = 0.0, [], 0.0
    for month, joined in enumerate(joining):
        monthly += joined * 0.6 - monthly / 25
        ending = signed[month - 12] if month >= 12 else 0.0
        renewed = ending * (1 - 12 / 25)
        signed.append(joined * 0.4 + renewed)
        yearly += joined * 0.4 - (ending - renewed)
        assert months(plan, "monthly")[month] == pytest.approx(monthly)
        assert months(plan, "yearly")[month] == pytest.approx(yearly)
    assert months(plan, "recurring")[-1] == pytest.approx(monthly * 15 + yearly * 15 * 10 / 12)
    year = plan.model.timeline.fiscal_years()[:1]
    assert roll_up(evaluate(plan), "it_recurring_year", year)[0, 0] == pytest.approx(12 * months(plan, "recurring")[11])
    results = evaluate(plan)
    billed, earned = results.series("it_billed"), results.series("it_ahead_earned")
    # billed is earned or still owed as service
    assert billed.sum() == pytest.approx(earned.sum() + results.series("deferred_revenue")[-1])


def test_yearly_subscribers_at_the_start_leave_at_renewal_and_not_monthly():
    plan = written("subscription", joining=0, yearly_at_start=120, lifetime=24, launch=None, trial_months=None)
    # twelve even cohorts; half of each renews (1 - 12 / 24)
    assert months(plan, "yearly")[:3] == pytest.approx([115, 110, 105])
    assert months(plan, "yearly")[11] == pytest.approx(60)


@settings(max_examples=20)
@forall(st.floats(0, 500), st.floats(1, 60), st.floats(0, 1), st.integers(0, 6), st.floats(0, 1000))
def test_customers_are_opening_plus_joined_less_left(joining, lifetime, yearly, trial, begun):
    plan = written("subscription", joining=joining, lifetime=lifetime, yearly_share=yearly, trial_months=trial,
                   monthly_at_start=begun, yearly_at_start=begun)  # fmt: skip
    results = evaluate(plan)
    customers = results.series("it_customers")
    moved = results.series("it_joined") - results.series("it_churned")
    np.testing.assert_allclose(np.diff(customers, prepend=2 * begun), moved, atol=1e-6)
    assert customers.min() >= -1e-6


@pytest.mark.parametrize(
    ("name", "answers", "said"),
    [
        ("subscription", {"lifetime": 0}, "at least 1"),
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
