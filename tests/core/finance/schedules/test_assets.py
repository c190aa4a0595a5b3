"""Depreciation by every method against standard tables, disposals, and purchases by rule."""

import numpy as np
import pytest

from tests.core.finance.sample import bare, schedule
from tests.kit.small import company, series
from widefork.core.axes import Dimension
from widefork.core.errors import InvalidModel


def one_asset(months=72, **attributes):
    register = Dimension("assets", ("Press",), attributes={"Press": {"bought": "2026-01", **attributes}})
    return company(bare("asset_register", register="assets"), months=months, more_dimensions=(register,))


def by_year(plan, line="it_depreciation"):
    return np.array(series(plan, line)).reshape(-1, 12).sum(axis=1).tolist()


def test_straight_line_depreciation_by_year():
    # standard formula: cost 50,000, 5,000 left, 5 years, in service in April, month of purchase charged in full
    charges, values = [6750, 9000, 9000, 9000, 9000, 2250], [43250, 34250, 25250, 16250, 7250, 5000]
    pool = company(
        schedule("fixed_assets", bought={"one_off": {"2026-04": 50000}}, life_months=60, salvage=0.1), months=72
    )
    single = one_asset(cost=50000, bought="2026-04", salvage=5000, life_months=60)
    for plan, book in ((pool, "it_net_book_value"), (single, "it_balance")):
        assert by_year(plan) == pytest.approx(charges)
        assert series(plan, book)[11::12] == pytest.approx(values)


def test_declining_balance_stops_at_what_is_left():
    # textbook worked type, from memory: cost 10,000, 1,000 left, 40 % a year
    plan = one_asset(60, cost=10000, salvage=1000, life_months=60, method="declining", rate=0.4)
    assert by_year(plan) == pytest.approx([4000, 2400, 1440, 864, 296])
    assert series(plan, "it_balance")[11::12] == pytest.approx([6000, 3600, 2160, 1296, 1000])


def test_years_digits():
    # textbook worked type, from memory
    plan = one_asset(60, cost=10000, salvage=1000, life_months=60, method="years_digits")
    assert by_year(plan) == pytest.approx([3000, 2400, 1800, 1200, 600])


def test_declining_balance_switches_to_equal_amounts():
    # textbook type: cost 10,000, 5 years, 40 % a year
    plan = one_asset(60, cost=10000, life_months=60, method="declining_then_straight", rate="40 %")
    assert by_year(plan) == pytest.approx([4000, 2400, 1440, 1080, 1080])


def test_a_fixed_share_that_ends_at_what_is_left():
    # textbook formula 1 - (salvage / cost) ^ (1 / years): 100,000, 10,000, 5 years
    share = 1 - 0.1 ** (1 / 5)
    assert share == pytest.approx(0.36904265551980675)
    plan = one_asset(60, cost=100000, salvage=10000, life_months=60, method="declining", rate=share)
    assert by_year(plan) == pytest.approx(
        [36904.26555198067, 23285.0173926696, 14691.852740253924, 9269.932390484666, 5848.9319246111345], rel=1e-9
    )


def test_purchases_every_month_charged_from_the_month_after():
    # constructed: 3,600 a month for 12 months, 36 months of life, first charge the month after purchase
    bought = {"steps": {"2026-01": 3600, "2027-01": 0}}
    plan = company(
        schedule("fixed_assets", bought=bought, life_months=36, salvage=0, charged_from="month_after"), months=49
    )
    charge = series(plan, "it_depreciation")
    assert charge[:14] == pytest.approx([0, 100, 200, 300, 400, 500, 600, 700, 800, 900, 1000, 1100, 1200, 1200])
    assert charge[36:49] == pytest.approx([1200, 1100, 1000, 900, 800, 700, 600, 500, 400, 300, 200, 100, 0])
    assert series(plan, "it_net_book_value")[11] == pytest.approx(36600)


def test_what_is_owned_already_runs_off_over_its_remaining_months():
    owned = schedule("fixed_assets", bought=0, opening_net_book_value=900, opening_remaining_months=3)
    plan = company(owned, opening_balances={"share_capital": 900})
    assert series(plan, "it_net_book_value")[:4] == pytest.approx([600, 300, 0, 0])


@pytest.mark.parametrize(("price", "result"), [(20, 0), (26, 6), (13, -7)])
def test_a_sale_leaves_its_gain_or_loss(price, result):
    # IAS 7, illustrative example A (from memory): plant of cost 80, 60 charged, sold for 20; two others constructed
    plan = one_asset(24, cost=80, life_months=16, sold="2027-01", sold_for=price)
    assert series(plan, "it_balance")[11:13] == pytest.approx([20, 0])
    assert series(plan, "disposal_result")[12] == pytest.approx(result)
    assert series(plan, "disposal_proceeds")[12] == price
    assert series(plan, "operating_cash_flow")[12] == pytest.approx(400)
    assert series(plan, "investing_cash_flow")[12] == price
    assert sum(series(plan, "it_depreciation")) == pytest.approx(60)


def test_intangible_assets_stand_apart():
    plan = company(schedule("fixed_assets", caption="intangible_assets", salvage=0))
    assert series(plan, "intangible_assets")[2] == pytest.approx(5500)
    assert series(plan, "intangibles_bought")[2] == 6000
    assert series(plan, "property_and_equipment") == [0] * 24


@pytest.mark.parametrize(
    ("attributes", "words"),
    [
        ({"cost": 5, "life_months": 0}, "Press: Expected a whole number from 1 for life in months"),
        ({"cost": 5}, "Press needs life in months"),
        ({"cost": 5, "life_months": "soon"}, "Expected a whole number"),
        ({"bought": "", "life_months": 5}, "needs a month bought and its cost"),
        ({"bought": "2025-01", "cost": 5, "life_months": 5}, "bought before Jan 26"),
        ({"cost": 5, "life_months": 5, "sold": "2026-01"}, "sold before it is bought"),
        ({"cost": 5, "life_months": 5, "method": "magic"}, "Expected one of straight"),
        ({"cost": 5, "life_months": 5, "bought": "someday"}, "A month is written like"),
    ],
)
def test_an_asset_that_cannot_be_reckoned_is_named(attributes, words):
    with pytest.raises(InvalidModel, match=words):
        one_asset(**attributes)


def test_a_register_takes_dates_words_and_percent_as_they_are_typed():
    plan = one_asset(cost="10,000", bought="2026-01-15", life_months="60", method="a share of the book value each year",
                     rate="40 %", salvage="1000")  # fmt: skip
    assert by_year(plan)[:2] == pytest.approx([4000, 2400])
