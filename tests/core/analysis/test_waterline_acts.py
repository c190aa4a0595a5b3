"""The Waterline: kinds that add up to cash, weeks that add up to months, needs with causes, and what can be done."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.core.finance.sample import bare, schedule
from tests.core.finance.test_statements import adjustments, closings, companies
from tests.kit.laws import law
from tests.kit.small import START, company, given
from widefork.core.analysis.waterline import (
    KINDS,
    MONEY,
    Ask,
    Span,
    arrival_day,
    bring_forward,
    changes_for,
    checked_span,
    day_shares,
    instalments,
    need_of,
    propose_loan,
    put_off,
    read_waterline,
    read_weeks,
    reduce,
    schedule_for,
    stairs,
    weeks_from,
)
from widefork.core.axes import Month, Timeline
from widefork.core.changes import Case, Change, Operation
from widefork.core.engine import evaluate
from widefork.core.errors import ChangeRefused, InvalidValue
from widefork.core.finance.assemble import build_plan
from widefork.core.liquidity import DayRule, Liquidity
from widefork.core.rules import RULES, read_rule

day_rules = st.dictionaries(
    st.sampled_from([kind.name for kind in KINDS]),
    st.sampled_from(["spread", "end", "1", "15", "31"]).map(DayRule.parse),
)
no_limits = law(15)


@no_limits
@forall(companies(closings), adjustments)
def test_the_kinds_add_up_to_the_change_in_cash(plan, changes):
    results = evaluate(plan, [changes])
    total = sum(kind.sign * results.series(kind.name) for kind in KINDS)
    cash = results.series("cash_after_overdraft")
    before = np.concatenate([[plan.model.line("cash_after_overdraft").opening], cash[:-1]])
    size = max(1.0, float(np.abs(results.values("total_assets")).max()))
    np.testing.assert_allclose(total, cash - before, atol=1e-6 * size)


@no_limits
@forall(companies(), day_rules)
def test_weeks_add_up_to_months_exactly_and_end_at_their_cash(plan, days):
    plan = replace(plan, model=replace(plan.model, liquidity=Liquidity(days=days)))
    results = evaluate(plan)
    weekly = read_weeks(results, 0)
    size = max(1.0, float(np.abs(results.values("total_assets")).max()))
    for place, week in enumerate(weekly.weeks):
        ends = place + 1 == len(weekly.weeks) or weekly.weeks[place + 1].month != week.month
        if ends and place + 1 < len(weekly.weeks):
            at = plan.model.timeline.index(week.month)
            assert weekly.cash[place] == pytest.approx(results.series("cash_after_overdraft")[at], abs=1e-6 * size)
            own = [n for n, other in enumerate(weekly.weeks) if other.month == week.month]
            for kind in KINDS:
                assert weekly.flows[kind.name][own].sum() == pytest.approx(
                    results.series(kind.name)[at], abs=1e-6 * size
                )
    assert (weekly.lowest <= weekly.cash + 1e-6 * size).all()


def test_weeks_run_from_monday_to_sunday_and_are_cut_at_month_ends():
    # July 2026 begins on a Wednesday (calendar)
    weeks = weeks_from(Month(2026, 7), Month(2027, 7))
    assert [(week.first, week.last) for week in weeks[:6]] == [(1, 5), (6, 12), (13, 19), (20, 26), (27, 31), (1, 2)]
    assert [week.number for week in weeks[:6]] == [1, 2, 3, 4, 5, 5]
    assert weeks[-1].number == 13
    assert weeks[5].label == "1–2 Aug"


def test_days_of_a_month():
    assert day_shares(Month(2027, 2), DayRule(31)).argmax() == 27
    assert day_shares(Month(2027, 2), DayRule()).argmax() == 27
    # February 2027 begins on a Monday: 20 working days
    assert day_shares(Month(2027, 2), DayRule(spread=True)).tolist()[:7] == [0.05] * 5 + [0, 0]


@pytest.mark.parametrize("text", ["", "0", "32", "monday", "1.5", "-1"])
def test_days_that_are_none_are_refused(text):
    with pytest.raises(InvalidValue, match="Expected a day from 1 to 31"):
        DayRule.parse(text)


def test_a_month_that_ends_well_can_fail_in_its_middle():
    days = {"settled_sales": DayRule(), "settled_costs": DayRule(1)}
    plan = company(sales=1000, costs=900, opening_balances={"cash": 100, "share_capital": 100},
                   liquidity=Liquidity(days=days))  # fmt: skip
    results = evaluate(plan)
    assert read_waterline(results, 0).months_under == 0
    weekly = read_weeks(results, 0)
    assert weekly.lowest[0] == pytest.approx(100 - 900)
    assert weekly.lowest_day[0] == 1


def test_money_under_way_arrives_on_its_working_day():
    """Days of 6 leave a fifth open: 200 of a month's 1,000; that comes on a day, the rest is spread or as was said."""
    cards = bare("receivables", "cards", of=["sales"], days=6, opening_balance=200)
    for after, days, arrives in ((3, {}, 5), (5, {}, 7), (3, {"cards_collected": DayRule(20)}, 5)):
        plan = company(cards, sales=1000, costs=0, liquidity=Liquidity(days=days, under_way=("cards",),
                       under_way_days=after), opening_balances={"share_capital": 200})  # fmt: skip
        weekly = read_weeks(evaluate(plan), 0)
        # January 2026 begins on a Thursday: working days 1, 2, 5, 6, 7
        moved = np.diff([0.0, *weekly.days[:31]])
        usual = 0.0 if days else 800 / 22
        assert moved[arrives - 1] == pytest.approx(200 + usual)
        assert moved[19] == pytest.approx(800 if days else 800 / 22)
        assert moved.sum() == pytest.approx(1000)
    with pytest.raises(InvalidValue, match="1 to 20 working days; got 0"):
        Liquidity(under_way_days=0)
    assert arrival_day(Month(2026, 2), 25) == 27


def short(**more):
    """A company whose costs triple for three months, which its cash carries for one of them."""
    dip = {"steps": {"2026-01": 600, "2026-03": 1800, "2026-06": 600}}
    return company(
        bare("payables", "suppliers", of=["costs"], days=0),
        bare("loan", "bank", opening_balance=1200, rate=0, term_months=12),
        lines=(given("rent", 100, unit="EUR", posts_to="premises_costs"),),
        costs=dip,
        months=18,
        timeline=Timeline(START, 18, 1, START),
        opening_balances={"cash": 900, "share_capital": 100, "retained_earnings": 900 - 1200 - 100},
        **more,
    )


def test_what_is_needed_from_when_to_when_and_why():
    plan = short()
    results = evaluate(plan)
    need = need_of(results, 0, None)
    reading = read_waterline(results, 0)
    assert need.first == Month(2026, 4) == reading.first_under
    assert need.worst == reading.lowest_month
    assert need.amount >= -reading.room > need.amount - 1000
    assert need.causes[0].name == "supplier_payments"
    assert need_of(evaluate(plan, [[Change("costs", Operation.SET, 0.0)]]), 0, None) is None


def test_causes_are_those_that_differ_from_the_case_it_forks_from():
    worse = Case("worse", "Worse", "base", (Change("sales", Operation.SCALE, 0.2, (), Month(2026, 3)),))
    plan = company(cases=(Case("base", "Base"), worse), timeline=Timeline(START, 12, 1, START))
    results = evaluate(plan, [plan.model.changes_of("base"), plan.model.changes_of("worse")])
    need = need_of(results, 1, 0)
    assert need.against == "base"
    assert [cause.name for cause in need.causes] == ["customer_receipts"]
    assert need.back is None


def stored(plan):
    own = tuple(line for line in plan.model.lines if not line.is_generated)
    return replace(plan.model, lines=own, sections=tuple(s for s in plan.model.sections if s.name == "all"))


def test_the_loan_proposed_carries_the_case_and_is_paid_back():
    plan = short()
    need = need_of(evaluate(plan), 0, None)
    loan = propose_loan(stored(plan), (), need)
    given_loan = bare("loan", "proposed", **{**loan.settings, "amount": loan.amount})
    carried = build_plan(replace(stored(plan), schedules=(*plan.model.schedules, given_loan)))
    results = evaluate(carried)
    assert not read_waterline(results, 0).is_short
    owed = results.series("proposed_balance")
    assert owed[plan.model.timeline.index(loan.drawn)] == loan.amount
    assert owed[-1] < loan.amount
    smaller = evaluate(carried, [[Change("proposed_amount", Operation.SCALE, 0.8)]])
    assert read_waterline(smaller, 0).is_short


def cash(plan, changes=()):
    return evaluate(plan, [changes]).series("cash_after_overdraft")


def test_what_is_put_off_is_caught_up_and_stays_owed_meanwhile():
    plan = short()
    results = evaluate(plan)
    changes = put_off(results, 0, "suppliers_paid", 0.5, Span(Month(2026, 3), Month(2026, 4), 4))
    after = evaluate(plan, [changes])
    assert after.series("suppliers_paid").tolist()[2:9] == [900, 900, 1800 + 450, 600 + 450, 600 + 450, 600 + 450, 600]
    assert after.series("payables")[3] == 1800
    assert cash(plan, changes)[-1] == pytest.approx(cash(plan)[-1])


def test_a_loans_repayment_is_put_off_by_amounts():
    plan = short()
    changes = put_off(evaluate(plan), 0, "bank_repaid", 1.0, Span(Month(2026, 3), Month(2026, 4), 3))
    after = evaluate(plan, [changes])
    assert after.series("bank_repaid").tolist()[2:4] == [0, 0]
    assert after.series("bank_balance")[-1] == pytest.approx(0)


def test_income_tax_is_put_off_and_caught_up():
    plan = company(schedule("income_tax", "state", opening_payable=400), months=12, timeline=Timeline(START, 12))
    due = next(n for n, paid in enumerate(evaluate(plan).series("state_paid")) if paid)
    month = START.plus(due)
    changes = put_off(evaluate(plan), 0, "state_paid", 1.0, Span(month, month, 2))
    paid = evaluate(plan, [changes]).series("state_paid")
    assert paid[due : due + 3].tolist() == [0, pytest.approx(200), pytest.approx(200)]


def test_instalments_are_equal_and_the_first_is_paid_when_it_is_due():
    plan = short()
    changes = instalments(evaluate(plan), 0, "settled_rent", 4, Span(Month(2026, 5), Month(2026, 5)))
    assert evaluate(plan, [changes]).series("settled_rent").tolist()[4:9] == [25, 125, 125, 125, 100]
    with pytest.raises(InvalidValue, match="Instalments are 2 or more"):
        instalments(evaluate(plan), 0, "settled_rent", 1, Span(Month(2026, 5), Month(2026, 5)))


def test_what_is_brought_forward_comes_earlier_and_no_more_of_it():
    plan = short()
    changes = bring_forward(evaluate(plan), 0, "settled_sales", 0.5, Span(Month(2026, 5), Month(2026, 6), 2))
    after = evaluate(plan, [changes])
    assert after.series("settled_sales").tolist()[1:6] == [1000, 1500, 1500, 500, 500]
    assert after.series("revenue").tolist() == evaluate(plan).series("revenue").tolist()


def test_reducing_a_payment_reduces_what_is_charged_for_it():
    plan = short()
    changes = reduce(plan, "suppliers_paid", 0.25, Span(Month(2026, 3), Month(2026, 5)))
    assert [change.line for change in changes] == ["costs"]
    assert evaluate(plan, [changes]).series("cost_of_sales").tolist()[1:4] == [600, 1350, 1350]
    dropped = reduce(plan, "settled_rent", 1.0, Span(Month(2026, 3), Month(2026, 3)))
    assert evaluate(plan, [dropped]).series("premises_costs").tolist()[1:4] == [100, 0, 100]
    with pytest.raises(ChangeRefused, match="put it off instead"):
        reduce(plan, "bank_repaid", 0.5, Span(Month(2026, 3), Month(2026, 3)))


@pytest.mark.parametrize(
    ("first", "last", "months", "said"),
    [
        (Month(2026, 5), Month(2026, 3), 1, "is before"),
        (Month(2026, 1), Month(2026, 3), 1, "the rest is history"),
        (Month(2026, 3), Month(2029, 3), 1, "the rest is history"),
        (Month(2026, 3), Month(2026, 3), 0, "Expected 1 to 60 months"),
    ],
)
def test_months_that_cannot_be_are_refused(first, last, months, said):
    with pytest.raises(InvalidValue, match=said):
        checked_span(short(), first, last, months)


@pytest.mark.parametrize("money", [one for one in MONEY if one.name != "limit"], ids=lambda money: money.name)
def test_money_of_every_kind_raises_cash_in_its_month_and_the_statements_tie(money):
    model = stored(short())
    ask = Ask(1000.0, Month(2026, 3), 6, 0.06)
    settings_of_it, is_new = schedule_for(money, ask, model)
    assert is_new
    added = replace(settings_of_it, name="added")
    plan = build_plan(replace(model, schedules=(*model.schedules, added)))
    results = evaluate(plan, [(), changes_for(money, "added", ask)])
    gained = results.values("cash_after_overdraft")[:, 1] - results.values("cash_after_overdraft")[:, 0]
    assert gained[1] == 0
    assert gained[2] == pytest.approx(1000)
    for check in ("balance_difference", "cash_difference", "methods_difference"):
        assert np.abs(results.values(check)).max() < 1e-6
    if money.name in ("owners", "grant"):
        assert gained[-1] == pytest.approx(1000)
    else:
        assert gained[-1] <= 1e-6
    assert read_waterline(results, 0).room == read_waterline(evaluate(short()), 0).room


def test_a_higher_limit_is_room_for_its_months_only():
    money = next(one for one in MONEY if one.name == "limit")
    ask = Ask(1000.0, Month(2026, 3), 2, 0.06)
    plan = company(bare("overdraft", "line", limit=500, rate=0), timeline=Timeline(START, 12, 1, START))
    schedule_of_it, is_new = schedule_for(money, ask, stored(plan))
    assert (schedule_of_it.name, is_new) == ("line", False)
    levels = evaluate(plan, [changes_for(money, "line", ask)]).series("waterline").tolist()
    assert levels[:6] == [-500, -500, -1500, -1500, -500, -500]


@pytest.mark.parametrize(
    ("ask", "said"),
    [
        (Ask(0.0, Month(2026, 3), 6, 0.06), "an amount above 0"),
        (Ask(5.0, Month(2026, 1), 6, 0.06), "a month of the plan"),
        (Ask(5.0, Month(2026, 3), 0, 0.06), "1 to 360 months"),
        (Ask(5.0, Month(2026, 3), 6, 1.06), "between 0 % and 100 %"),
    ],
)
def test_money_that_cannot_be_is_refused(ask, said):
    with pytest.raises(InvalidValue, match=said):
        schedule_for(MONEY[1], ask, stored(short()))


def test_steps_are_read_one_on_top_of_another():
    plan = short()
    steps = [[Change("sales", Operation.ADD, 100.0)], [Change("rent", Operation.STOP)]]
    rooms = [reading.room for reading in stairs(plan, (), steps)]
    assert rooms[0] < rooms[1] < rooms[2]
    assert rooms[2] == read_waterline(evaluate(plan, [[*steps[0], *steps[1]]]), 0).room


def test_the_lowest_level_is_what_the_user_sets_or_what_the_overdraft_allows():
    level = Liquidity(read_rule(RULES, {"steps": {"2026-01": 100, "2026-06": 250}}))
    plan = company(bare("overdraft", "line", limit=500, rate=0), liquidity=level)
    assert evaluate(plan).series("waterline").tolist()[3:7] == [100, 100, 250, 250]
    raised = evaluate(plan, [[Change("lowest_level", Operation.ADD, 50.0)]])
    assert raised.series("headroom")[0] == evaluate(plan).series("headroom")[0] - 50
    assert evaluate(company(bare("overdraft", "line", limit=500, rate=0))).series("waterline")[0] == -500
