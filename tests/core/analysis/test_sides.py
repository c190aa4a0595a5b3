"""Sides of a comparison: each reads its own lines and months, and says so where it has none."""

import numpy as np
import pytest

from tests.kit.small import given, model_of
from widefork.core.analysis.compare import Side
from widefork.core.axes import Grain, Month
from widefork.core.engine import evaluate
from widefork.core.figures import Comparison, Figure, Reduction
from widefork.core.finance.assemble import build_plan

RISING = {"points": {"2026-01": 100, "2028-12": 135}}  # one more each month


JAN27 = Month(2027, 1)


def side(months=36, back=0, **more):
    plan = build_plan(model_of(given("price", RISING, ("region",)), given("rent", 5), months=months))
    return Side("One", evaluate(plan, [()]), 0, back, **more)


def years(months=36):
    return model_of(months=months).timeline.fiscal_years()


def test_the_year_before_is_twelve_months_earlier_and_the_first_has_none():
    now, before = side(), side(back=12)
    assert np.isnan(before.rolled("price", years())[0])
    np.testing.assert_array_equal(before.rolled("price", years())[1:], now.rolled("price", years())[:-1])
    timeline = now.results.plan.model.timeline
    there = timeline.periods(Grain.MONTH, Month(2027, 3), Month(2027, 4))
    assert before.rolled("price", there, ("Coast",)).tolist() == [102, 103]


def test_what_another_model_does_not_have_has_no_value_and_a_reason():
    found = side()
    assert found.reads("price", ("Coast",)) == ""
    assert found.reads("profit_of_all") == "One has no such line"
    assert found.reads("price", ("West",)) == "One has no West there"
    assert found.reads("rent", ("Coast",)) == "One has no such member there"
    assert np.isnan(found.rolled("profit_of_all", years())).all()
    assert np.isnan(found.answer(Figure("f", "F", "price", ("West",)))[0])
    short = side(months=12)
    assert np.isfinite(short.rolled("price", years())).tolist() == [True, False, False]


@pytest.mark.parametrize(
    ("figure", "amount", "month"),
    [
        (Figure("f", "F", "rent", (), Month(2027, 1), Month(2027, 12)), 60.0, None),
        (
            Figure("f", "F", "price", ("Coast",), Month(2027, 1), Month(2027, 6), Reduction.LOWEST),
            100.0,
            Month(2027, 1),
        ),
        (Figure("f", "F", "rent"), np.nan, None),  # asks of the whole plan
        (Figure("f", "F", "rent", (), Month(2026, 1), Month(2026, 12)), np.nan, None),
    ],
)
def test_a_figure_a_year_before_is_told_in_this_years_months(figure, amount, month):
    found = side(back=12).answer(figure)
    assert found == (pytest.approx(amount, nan_ok=True), month)


def test_a_month_found_a_year_before_is_told_a_year_later():
    asked = Figure("f", "F", "price", ("Coast",), Month(2027, 1), Month(2027, 12), Reduction.FIRST_MONTH,
                   Comparison.ABOVE, 102.5)  # fmt: skip
    amount, month = side(back=12).answer(asked)
    assert (amount, month) == (Month(2027, 4).ordinal, Month(2027, 4))
    assert side().answer(asked)[1] == Month(2027, 1)


def test_a_figure_beyond_a_shorter_plan_has_no_answer():
    asked = Figure("f", "F", "rent", (), Month(2027, 1), Month(2027, 12))
    assert np.isnan(side(months=12).answer(asked)[0])
    assert side().answer(asked)[0] == 60
