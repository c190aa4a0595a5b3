"""Worked examples of the trade, each with where it comes from, written as formulas and rules of the language."""

from itertools import accumulate

import numpy as np
import numpy_financial as npf
import pytest

from tests.kit.small import calculated, given, plan_of, series
from widefork.core.analysis.goal_seek import Goal, Outcome, Sense, seek_goal
from widefork.core.analysis.lever import Lever
from widefork.core.axes import Dimension, Grain, Month, Period, Timeline
from widefork.core.engine import evaluate
from widefork.core.figures import Figure, Reduction
from widefork.core.graph.model import Profile
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import BALANCE

SHARE = Dimension("part", ("a", "b", "c", "d", "e", "f"))


def months(*amounts, start="2026-01"):
    return {"monthly": {"start": start, "amounts": list(amounts)}}


def one(formula):
    return series(plan_of(calculated("y", formula), months=1), "y")[0]


@pytest.mark.parametrize(
    ("formula", "expected"),
    [
        # numpy-financial 1.0.0: docstring of pmt; tests/test_financial.py, test_pmt and test_pmt_decimal
        ("level_payment(200000, 7.5 % / 12, 180)", 1854.0247200054619),
        ("level_payment(15000, 8 % / 12, 60)", 304.14591432620523),
        ("level_payment(15000, 0, 60)", 250),
        ("level_payment(2500, 8.24 % / 12, 12)", 217.74859035344684),
        ("level_payment(10000, 1 %, 60)", 222.44447684901778),
        ("10000 / level_payment(10000, 1 %, 60)", 44.955038406224),
        # growth: standard formulas
        ("1.02 ^ 12 - 1", 0.2682417945625453),
        ("1.12 ^ (1 / 12) - 1", 0.009488792934582975),
        ("(300 / 120) ^ (1 / 5) - 1", 0.20112443398143123),
        ("(45 / 50) ^ (1 / 3) - 1", -0.03451061539437024),
        # leaving: common practice
        ("monthly_share(30 %)", 0.029285530376777665),
        ("1 - (1 - 5 %) ^ 12", 0.459639912337363),
        # halves away from zero, to two digits (decimal definitions; 0.125 is exact in binary)
        ("round(0.125, 2)", 0.13),
        ("round(-0.125, 2)", -0.13),
    ],
)
def test_single_values(formula, expected):
    assert one(formula) == pytest.approx(expected, rel=1e-12)


def test_a_loan_month_by_month():
    """2,500 at 8.24 %, 12 payments: numpy-financial 1.0.0, docstring of ipmt, to the cent; in full against npf."""
    plan = plan_of(
        given("rate", 0.0824),
        calculated("interest", "interest_on(before(owed), rate)"),
        calculated("principal", "level_payment(2500, rate / 12, 12) - interest"),
        calculated("owed", "before(owed) - principal", opening=2500, rollup=BALANCE),
        months=12,
    )
    cents = [17.17, 15.79, 14.4, 13.01, 11.6, 10.18, 8.76, 7.32, 5.88, 4.42, 2.96, 1.49]
    assert series(plan, "interest") == pytest.approx(cents, abs=0.005)
    assert series(plan, "interest") == pytest.approx(list(-npf.ipmt(0.0824 / 12, np.arange(1, 13), 12, 2500)))
    balances = [2299.42, 2097.46, 1894.11, 1689.37, 1483.22, 1275.66, 1066.67, 856.25, 644.38, 431.05, 216.26, 0]
    assert series(plan, "owed") == pytest.approx(balances, abs=0.005)


def test_equal_principal():
    """12,000 at 1 % a month in 12 equal parts (textbook method, from memory): interest 120, 110, ... 10."""
    plan = plan_of(
        calculated("interest", "before(owed) * 1 %"),
        calculated("owed", "before(owed) - 1000", opening=12000, rollup=BALANCE),
        months=12,
    )
    assert series(plan, "interest") == pytest.approx([120, 110, 100, 90, 80, 70, 60, 50, 40, 30, 20, 10])


def test_growth_adds_up_as_a_geometric_series():
    """200 in the first month, 3 % more each: a (qⁿ − 1) / (q − 1)."""
    rule = {"growth": {"base": 200, "rate": 0.03, "pace": "each month", "since": "2026-02"}}
    plan = plan_of(given("sold", rule), calculated("so_far", "running_total(sold)"), months=60)
    assert series(plan, "sold")[11] == pytest.approx(276.84677414488914)
    assert (series(plan, "so_far")[11], series(plan, "so_far")[59]) == pytest.approx(
        (2838.4059123078596, 32610.68736030491)
    )


def test_customers_with_churn():
    """100 at the start, 20 new a month, 5 % of the opening leave: 400 − 300 × 0.95ⁿ (constructed)."""
    plan = plan_of(calculated("customers", "before(customers) * 95 % + 20", opening=100, rollup=BALANCE), months=12)
    values = series(plan, "customers")
    assert [*values[:3], values[11]] == pytest.approx([115, 129.25, 142.7875, 237.8919737012089])


def test_cohorts_that_ramp_and_cohorts_that_leave():
    """10, 10, 20 hired, ramping by 20 %, 50 %, 100 %; 100, 120, 150 won, staying by 1, 0.8, 0.7, 0.65 (convolution)."""
    profiles = (Profile("ramp", "Ramp", (0.2, 0.5, 1.0)), Profile("staying", "Staying", (1.0, 0.8, 0.7, 0.65)))
    plan = plan_of(
        given("hires", months(10, 10, 20, 0)), given("won", months(100, 120, 150, 0)),
        calculated("effective", "ramped(hires, ramp)"), calculated("active", "surviving(won, staying)"),
        profiles=profiles,
    )  # fmt: skip
    assert series(plan, "effective") == pytest.approx([2, 7, 19, 30, 40, 40])
    assert series(plan, "active")[:4] == pytest.approx([100, 200, 316, 269])


def test_a_price_that_steps_and_one_that_is_indexed():
    """100, 6 % more once a year or bit by bit, ten units a month over two years (constructed)."""
    rule = {"base": 100, "rate": 0.06}
    plan = plan_of(
        given("step", {"growth": {**rule, "pace": "once a year", "since": "2027-01"}}),
        given("smooth", {"growth": {**rule, "pace": "by the year, month by month", "since": "2026-02"}}),
        months=24,
    )
    assert (series(plan, "step")[12], series(plan, "smooth")[12]) == pytest.approx((106, 106))
    totals = 10 * sum(series(plan, "step")), 10 * sum(series(plan, "smooth"))
    assert totals == pytest.approx((24720, 25392.64838459657))


def test_purchases_charged_from_the_month_after():
    """3,600 each month of a year over 36 months, first charged a month later: 0, 100, 200, ... 1,200 (constructed)."""
    plan = plan_of(
        given("bought", months(*[3600] * 12, 0)),
        calculated("charge", "straight_line(before(bought), 36)"),
        calculated("book_value", "before(book_value) + bought - charge", rollup=BALANCE),
        months=49,
    )
    assert series(plan, "charge")[:14] == pytest.approx([*range(0, 1200, 100), 1200, 1200])
    assert series(plan, "charge")[36:] == pytest.approx([*range(1200, -1, -100)])
    assert series(plan, "book_value")[11] == pytest.approx(36600)


@pytest.mark.parametrize(
    ("wanted", "expected"),
    [
        # the usual encyclopaedia example of largest remainders, from memory; shares to whole per cent; cents in thirds
        ([v * 10 / 100000 for v in (47000, 16000, 15900, 12000, 6000, 3100)], [5, 2, 1, 1, 1, 0]),
        ([100 / 3, 100 / 3, 100 / 3], [34, 33, 33]),
        ([100 * v / 13 for v in (1, 2, 3, 7)], [8, 15, 23, 54]),
        ([-10000 / 3] * 3, [-3334, -3333, -3333]),
        ([2.5, 2.5], [3, 2]),
    ],
)
def test_parts_that_add_up_to_the_whole(wanted, expected):
    keys = {(member,): value for member, value in zip(SHARE, wanted, strict=False)}
    keys |= {(member,): 0 for member in SHARE.members[len(wanted) :]}
    plan = plan_of(
        given("x", keys, ("part",)), calculated("y", "whole_parts(x, part)", ("part",)),
        months=1, more_dimensions=(SHARE,),
    )  # fmt: skip
    assert [series(plan, "y", (member,))[0] for member in SHARE][: len(wanted)] == expected


def test_overheads_shared_by_a_driver():
    """12,000 by heads 5, 3, 2 and by area 30, 50, 40 (common practice)."""
    for driver, expected in (((5, 3, 2), [6000, 3600, 2400]), ((30, 50, 40), [3000, 5000, 4000])):
        keys = dict(zip([("Coast",), ("Valley",), ("Upland",)], driver, strict=True))
        plan = plan_of(
            given("x", keys, ("region",)), calculated("y", "12000 * share_over(x, region)", ("region",)), months=1
        )
        assert [series(plan, "y", key)[0] for key in keys] == pytest.approx(expected)


def test_months_become_quarters_and_years():
    """Flows 1 to 24 from January 2024: quarters 6, 15, ... 69; balances the last; years ending in March 6, 114, 180."""
    for opens, grain, expected in (
        (1, Grain.QUARTER, [6, 15, 24, 33, 42, 51, 60, 69]),
        (1, Grain.YEAR, [78, 222]),
        (4, Grain.YEAR, [6, 114, 180]),
    ):
        timeline = Timeline(Month(2024, 1), 24, opens)
        line = given("flow", months(*range(1, 25), start="2024-01"))
        plan = plan_of(line, given("level", months(*range(1, 25), start="2024-01"), rollup=BALANCE), timeline=timeline)
        results = evaluate(plan)
        assert roll_up(results, "flow", timeline.periods(grain))[:, 0].tolist() == expected
        ends = [period.last.ordinal - timeline.start.ordinal + 1 for period in timeline.periods(grain)]
        assert roll_up(results, "level", timeline.periods(grain))[:, 0].tolist() == ends


def test_fiscal_quarters_of_a_year_that_ends_in_june():
    """Named by the year it ends in (common practice)."""
    timeline = Timeline(Month(2024, 1), 24, 7)
    asked = [Month(2024, 6), Month(2024, 7), Month(2024, 12), Month(2025, 3)]
    assert [timeline.fiscal_quarter(month) for month in asked] == [(2024, 4), (2025, 1), (2025, 2), (2025, 3)]


@pytest.mark.parametrize(
    ("start", "days"), [("2024-01", [31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31]), ("2023-02", [28])]
)
def test_days_in_months(start, days):
    """Gregorian calendar."""
    timeline = Timeline(Month.parse(start), len(days))
    assert series(plan_of(calculated("d", "days_in_month"), timeline=timeline), "d") == days


def goal(formula, target, low, high, sense=Sense.EXACTLY, count=1):
    plan = plan_of(given("x", 0), *formula, months=count)
    figure = Figure("y", "Y", "y", reduction=Reduction.SUM)
    return seek_goal(plan, (), Goal(figure, sense, target, Lever("x"), low, high))


def test_goals_of_the_trade():
    """A price for a profit; a growth rate for a year's total; a yearly rate for a payment (constructed)."""
    assert goal([calculated("y", "(x - 30) * 1000 - 15000")], 10000, 0, 100).exact == pytest.approx(55)
    total = [calculated("y", "100 * (1 + x) ^ (month_number - 1)")]
    assert goal(total, 1500, 0, 0.2, count=12).exact == pytest.approx(0.039700302152162435)
    assert goal([calculated("y", "level_payment(100000, x / 12, 60)")], 2000, 0, 0.3).exact == pytest.approx(
        0.07420095793504757
    )


def test_goals_without_a_crossing():
    """x² + 1 never is 0 and is least at 0; (x − 2)² touches it; 1 / (x − 1) only jumps over it (constructed)."""
    never = goal([calculated("y", "x ^ 2 + 1")], 0, -2, 2)
    assert (never.outcome, never.closest_figure) == (Outcome.OUT_OF_REACH, pytest.approx(1))
    touching = goal([calculated("y", "(x - 2) ^ 2")], 0, 0, 4)
    assert touching.exact == pytest.approx(2, abs=1e-6)
    assert goal([calculated("y", "1 / (x - 1)")], 0, -0.37, 3).outcome is Outcome.OUT_OF_REACH


def test_a_running_sum_is_what_adding_up_by_hand_gives():
    amounts = [-30, -45, -20, 25, 60]
    plan = plan_of(given("x", months(*amounts)), calculated("y", "running_total(x)"), months=5)
    assert series(plan, "y") == list(accumulate(amounts))
    whole = Period("y", "Y", Month(2026, 1), Month(2026, 5))
    assert roll_up(evaluate(plan), "x", [whole])[0, 0] == sum(amounts)
