"""Every check holds where it should, and finds what it is for, with month, case, amount and cause."""

import pytest

from tests.core.finance.sample import bare, schedule
from tests.kit.small import START, calculated, company, given
from widefork.core.analysis.compare import evaluate_cases
from widefork.core.axes import Timeline
from widefork.core.changes import Case, Change, Operation
from widefork.core.closing import Closing
from widefork.core.errors import InvalidModel
from widefork.core.finance.checks import ALL_CHECKS, Checked, limit_tests
from widefork.core.graph.model import Limit, Rhythm


def checked(plan):
    return Checked(evaluate_cases(plan, [case.name for case in plan.model.cases]))


def findings(name, plan):
    return list(ALL_CHECKS[name].find(checked(plan)))


def worse(*changes):
    return {"cases": (Case("base", "Base"), Case("worse", "Worse", "base", changes))}


@pytest.mark.parametrize("name", ALL_CHECKS.names)
def test_every_check_holds_for_a_sound_company_and_says_what_it_means(name):
    assert (
        findings(name, company(schedule("receivables"), schedule("loan", "debt"), schedule("income_tax", "state")))
        == []
    )
    assert ALL_CHECKS[name].meaning.endswith(".")


BROKEN = {
    "computed": (lambda: company(lines=(calculated("share", "sales / 0 * 1", posts_to="bad_debts"),)), "no value"),
    "opening": (lambda: company(opening_balances={"cash": 100}), "Retained earnings of 100.00"),
    "balances": (lambda: company(opening_balances={"cash": 100}), "opening balance sheet does not balance"),
    "cash": (None, ""),
    "methods": (lambda: company(lines=(given("odd", 5, unit="EUR", posts_to="customer_receipts"),)), "counted twice"),
    "earnings": (None, ""),
    "schedules": (None, ""),
    "shares": (
        lambda: company(
            bare("receivables", of=["sales"], method="shares", share_0=0.4, share_1=0.6),
            **worse(Change("it_share_1", Operation.SET, 0.5)),
        ),
        "add to 90 %",
    ),
    "twice": (
        lambda: company(lines=(calculated("all_sales", "sales + 5", unit="EUR", posts_to="revenue"),)),
        "is part of All_Sales",
    ),
    "left_out": (lambda: company(lines=(given("forgotten", 9, unit="EUR"),)), "reaches no row"),
    "possible": (
        lambda: company(
            schedule("receivables", method="simple", days=60),
            sales={"steps": {"2026-01": 100, "2026-05": 300}},
        ),
        "collect less than nothing",
    ),
    "loops": (
        lambda: company(lines=(calculated("runaway", "2 * runaway + 1", unit="EUR", allow_loop=True),)),
        "did not settle",
    ),
    "unexplained": (
        lambda: company(
            schedule("loan", "debt"),
            timeline=Timeline(START, 12, 1, START.plus(1)),
            closings=(Closing(START.plus(1), {"debt_balance": 9000}),),
        ),
        "the books and what moves it differ",
    ),
    "own": (lambda: company(limits=(Limit("l", "Sales", "sales", most=900),)), "furthest in Jan 26"),
    "covenants": (
        lambda: company(limits=(Limit("l", "Equity", "equity_ratio", least=2, is_covenant=True),)),
        "is not kept on 24 of its dates",
    ),
}


def test_checks_that_judge_the_plan_are_those_of_limits_and_of_the_books():
    assert {check.name for check in ALL_CHECKS if check.is_of_plan} == {"own", "covenants", "unexplained"}


def test_every_check_has_something_it_would_find():
    assert set(BROKEN) == set(ALL_CHECKS.names)


@pytest.mark.parametrize("name", [name for name, (make, _) in BROKEN.items() if make is not None])
def test_every_check_finds_what_it_is_for(name):
    make, cause = BROKEN[name]
    found = findings(name, make())
    assert found
    assert cause in found[0].cause


@pytest.mark.parametrize(
    ("formula", "over", "said"),
    [("sales - costs", (), ["costs", "sales"]), ("sum_over(kits)", (), ["kits"]), ("5 + (costs + 1)", (), ["costs"]),
     ("sales * 2", (), []), ("sales / costs", (), []), ("kits * 1", ("region",), [])],
)  # fmt: skip
def test_what_is_added_up_whole_would_be_counted_twice_and_a_share_of_it_would_not(formula, over, said):
    kits = given("kits", 7, ("region",), unit="EUR", posts_to="revenue")
    plan = company(lines=(kits, calculated("another", formula, over, unit="EUR", posts_to="revenue")))
    found = findings("twice", plan)
    assert [finding.cause for finding in found] == [
        f"{name.title()} posts by itself and is part of Another, which posts too." for name in said
    ]


def test_both_sides_of_an_entry_are_not_twice_the_same():
    lines = (
        given("fees", 7, unit="EUR", posts_to="revenue"),
        given("fees_received", 5, unit="EUR", posts_to="customer_receipts"),
        calculated("fees_owed", "before(fees_owed) + fees - fees_received", unit="EUR", posts_to="other_receivables"),
    )
    assert findings("twice", company(lines=lines)) == []
    again = calculated("all_owed", "fees_owed + 1", unit="EUR", posts_to="other_receivables")
    assert [f.line for f in findings("twice", company(lines=(*lines, again)))] == ["all_owed"]


def test_an_absurd_amount_in_one_case_or_month_hides_no_gap_in_another():
    absurd = Change("sales", Operation.SET, 1e12, (), START.plus(8))
    plan = company(opening_balances={"cash": 5000}, **worse(absurd))
    assert [(f.case, f.month, f.amount) for f in findings("balances", plan)] == [
        ("base", START, 5000),
        ("worse", START, 5000),
    ]


def test_what_has_no_value_is_found_where_it_begins_and_once():
    lines = (
        given("kits", 0, ("region",), unit="kits"),
        calculated("each", "sales / kits", ("region",), unit="EUR/kit"),
        calculated("twice_that", "each * 2", ("region",), unit="EUR/kit"),
    )
    found = findings("computed", company(lines=lines))
    assert [(f.line, f.month, f.case) for f in found] == [("each", START, "base")]


@pytest.mark.parametrize(
    ("name", "line"), [("earnings", "retained_earnings"), ("schedules", "it_balance"), ("cash", "cash_difference")]
)
def test_what_cannot_break_by_itself_is_still_compared(name, line):
    good = checked(company(schedule("receivables")))
    good.results.arrays[line].flags.writeable = True
    good.results.arrays[line][..., 3, :] += 7
    found = list(ALL_CHECKS[name].find(good))
    assert (found[0].month, round(found[0].amount)) == (START.plus(3), 7)


def test_a_finding_names_its_case_month_and_amount():
    late = Change("it_days", Operation.SET, 400.0, (), START.plus(6))
    plan = company(
        schedule("receivables", method="simple", days=30), **worse(late, Change("sales", Operation.ADD, 10.0))
    )
    found = findings("possible", plan)
    assert [(f.case, f.month, f.line) for f in found] == [("worse", START.plus(6), "it_collected")]
    assert found[0].amount < -1000


def test_limits_are_tested_on_their_dates_with_headroom():
    limit = Limit("l", "Sales", "sales", 900.0, 1200.0, Rhythm.QUARTER, START.plus(4))
    plan = company(limits=(limit,), sales={"steps": {"2026-01": 1000, "2026-12": 1250}})
    tests = limit_tests(checked(plan), limit, 0)
    assert [str(test.month) for test in tests][:3] == ["2026-06", "2026-09", "2026-12"]
    assert [test.headroom for test in tests][:3] == [100, 100, -50]
    assert [test.holds for test in tests][:3] == [True, True, False]
    yearly = Limit("y", "Sales", "sales", 900.0, tested=Rhythm.YEAR)
    assert [str(test.month) for test in limit_tests(checked(plan), yearly, 0)] == ["2026-12", "2027-12"]


def test_a_limit_needs_a_bound_and_bounds_in_order():
    with pytest.raises(InvalidModel, match="needs a least or a most"):
        Limit("l", "L", "sales")
    with pytest.raises(InvalidModel, match="the least, 5, is above the most, 3"):
        Limit("l", "L", "sales", 5, 3)
