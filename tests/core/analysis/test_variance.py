"""Differences split into volume, mix and price, or cost."""

import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.kit.small import calculated, given, plan_of
from widefork.core.analysis.variance import factors_of, split_amount, split_line
from widefork.core.axes import Month
from widefork.core.engine import evaluate


def split(quantity, price, then, amount):
    quantity, price = np.array(quantity, dtype=float), np.array(price, dtype=float)
    return split_amount(quantity, price, quantity * price, np.array(then, dtype=float), np.array(amount, dtype=float))


def test_a_price_from_10_to_12_and_a_volume_from_100_to_130():
    # Price-volume attribution, price 10 to 12, quantity 100 to 130 (a published textbook scheme, docs/sources.md):
    # in all 560; volume alone at the old price 300; price alone at the old quantity 200, and 60 of both together.
    # Here price is valued at the quantity there really was, so it carries the 60.
    found = split([100], [10], [130], [130 * 12])
    assert (found.volume, found.mix, found.price) == (300, 0, 200 + 60)


def test_mix_is_what_a_different_blend_of_members_does_at_planned_prices():
    # constructed: the same 100 units, 20 of them moved from the dear to the cheap member
    found = split([50, 50], [10, 30], [70, 30], [700, 900])
    assert (found.volume, found.mix, found.price) == (0, 20 * 10 - 20 * 30, 0)


amounts = st.lists(st.floats(0, 1e4), min_size=3, max_size=3)


@forall(amounts, amounts, amounts, amounts)
def test_the_parts_add_up_to_the_difference(quantity, price, then, amount):
    found = split(quantity, price, then, amount)
    whole = sum(amount) - sum(q * p for q, p in zip(quantity, price, strict=True))
    assert found.volume + found.mix + found.price + found.other == pytest.approx(whole, abs=1e-3)


def shop(**more):
    return plan_of(
        given("kits", {("Coast",): 10, ("Valley",): 20, ("Upland",): 30}, ("region",), unit="kits"),
        given("price", 5, unit="EUR/kit"),
        given("share", 0.5, unit="%"),
        calculated("sales", "kits * price", ("region",), unit="EUR", **more),
        calculated("half", "share * sum_over(sales)", unit="EUR"),
    )


def test_what_is_a_quantity_times_a_price_is_found_by_its_units():
    factors = factors_of(shop(), "sales")
    assert (factors.quantity, factors.price) == ("kits", "price")
    assert factors_of(shop(), "half") is None
    assert factors_of(shop(), "kits") is None


def test_a_lines_difference_is_split_member_by_member():
    planned = evaluate(shop())
    sold = {("Coast",): (50.0,), ("Valley",): (120.0,), ("Upland",): (150.0,)}
    plan = plan_of(
        given("kits", 0, ("region",), unit="kits",
              actuals={("Coast",): (10.0,), ("Valley",): (24.0,), ("Upland",): (30.0,)}),
        given("price", 5, unit="EUR/kit"),
        given("share", 0.5, unit="%"),
        calculated("sales", "kits * price", ("region",), unit="EUR", actuals=sold),
        actual_to=Month(2026, 1),
    )  # fmt: skip
    found = split_line(planned, evaluate(plan), "sales", 0, 0)
    assert (found.volume, found.mix, found.price) == (pytest.approx(20), pytest.approx(0), pytest.approx(0))
    assert split_line(planned, evaluate(plan), "half", 0, 0) is None
