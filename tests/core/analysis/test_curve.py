"""Curves over one assumption: values, crossings, flat parts, and bends with what makes them. All constructed."""

import numpy as np
import pytest
from hypothesis import given as drawn
from hypothesis import strategies as st

from tests.kit.laws import law
from tests.kit.small import calculated, given, plan_of
from widefork.core.analysis.sensitivity import Moved, Way, stretch, trace_curve
from widefork.core.axes import Month
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure, Reduction
from widefork.core.language.printing import print_formula

SUM = Figure("a", "A", "all")


def traced(plan, line, low, high, figure=SUM, share=0.5, changes=()):
    standing = evaluate(plan, [changes])
    found = stretch(plan.model, standing, Moved((line,)), Way.SHARE, share)
    return trace_curve(plan, changes, [figure], found, low, high)


def test_a_capacity_bends_the_curve_and_makes_it_flat():
    # 3 months of min(kits, 60) * 10: 30 for each kit up to 60, nothing beyond
    lines = (
        given("kits", 50),
        given("room", 60),
        calculated("made", "min(kits, room)"),
        calculated("all", "made * 10"),
    )
    found = traced(plan_of(*lines, months=3), "kits", 0.5, 1.5)
    (bend,) = found.bends
    assert bend.amount == pytest.approx(1.2)
    assert (bend.before, bend.after) == (pytest.approx(1500), pytest.approx(0))  # for the whole of it, 50 kits
    assert (bend.line, print_formula(bend.left), print_formula(bend.taken)) == ("made", "kits", "room")
    assert bend.month == Month(2026, 1)
    ((first, last),) = found.flats
    assert first == pytest.approx(1.2, abs=1 / 60)
    assert last == 1.5
    assert found.values[0][np.flatnonzero(found.amounts == 1.0)[0]] == 1500


def test_where_it_bends_the_first_month_and_member_are_named():
    rooms = {("Coast",): 100, ("Valley",): 40, ("Upland",): 100}
    kits = {"points": {"2026-01": 20, "2026-03": 30}}
    lines = (
        given("kits", kits, ("region",)), given("room", rooms, ("region",)),
        calculated("made", "min(kits, room)", ("region",)), calculated("all", "made * 1", ("region",)),
    )  # fmt: skip
    found = traced(plan_of(*lines, months=3), "kits", 0.5, 2.2)
    whole = {(bend.line, bend.members, str(bend.month)): round(bend.amount, 6) for bend in found.bends}
    assert whole[("made", ("Valley",), "2026-03")] == pytest.approx(40 / 30)


def test_an_if_that_turns_is_named_with_what_it_asks():
    lines = (given("kits", 100), calculated("all", "if kits > 120 then kits * 2 else kits"))
    found = traced(plan_of(*lines, months=1), "kits", 0.5, 1.5)
    assert {(bend.line, print_formula(bend.taken), bend.holds) for bend in found.bends} == {("all", "kits > 120", True)}


def test_another_month_that_is_lowest_bends_it():
    lines = (
        given("price", 10), given("early", {"points": {"2026-01": 5, "2026-02": 0}}),
        calculated("all", "if month_number = 1 then price - early else 12 - price * 0.4"),
    )  # fmt: skip
    figure = Figure("l", "L", "all", reduction=Reduction.LOWEST)
    found = traced(plan_of(*lines, months=2), "price", 0.5, 1.8, figure)
    # 10 f - 5 = 12 - 4 f at f = 17 / 14
    assert [(round(bend.amount, 6), str(bend.month), bend.line) for bend in found.bends] == [
        (round(17 / 14, 6), "2026-02", "")
    ]


def test_a_smooth_curve_has_no_bend():
    lines = (given("kits", 50), calculated("all", "kits * kits * kits"))
    assert traced(plan_of(*lines, months=1), "kits", 0.2, 3.0).bends == ()


def test_what_only_follows_is_not_called_the_cause():
    # tax = max(profit, 0) * 0.3 turns at the same place as nothing else: the cause is the tax, not the sum after it
    lines = (
        given("sales", 100), given("costs", 100), calculated("profit", "sales - costs"),
        calculated("tax", "max(profit, 0) * 0.3"), calculated("all", "profit - tax"),
    )  # fmt: skip
    found = traced(plan_of(*lines, months=1), "sales", 0.53, 1.5)
    assert [(bend.line, round(bend.amount, 6)) for bend in found.bends] == [("tax", 1.0)]


def test_a_target_is_crossed_where_the_curve_passes_it():
    lines = (given("kits", 50), calculated("all", "kits * 10 - 400"))
    found = traced(plan_of(*lines, months=1), "kits", 0.0, 2.0)
    assert found.crossings(0.0) == (pytest.approx(0.8),)
    assert found.crossings(10_000.0) == ()


@law(60)
@drawn(room=st.floats(55, 95), price=st.floats(0.5, 90), months=st.integers(1, 30))
def test_a_bend_is_where_the_pieces_are_equal(room, price, months):
    lines = (given("kits", 50), given("room", room), calculated("made", "min(kits, room)"),
             given("price", price), calculated("all", "made * price"))  # fmt: skip
    found = traced(plan_of(*lines, months=months), "kits", 0.5, 2.5)
    (bend,) = found.bends
    assert bend.amount == pytest.approx(room / 50)
    assert bend.before == pytest.approx(50 * price * months)


def test_every_point_is_what_the_plan_says_there(demo_plan):
    figure = demo_plan.model.figure("lowest_cash")
    found = traced(demo_plan, "kit_price", 0.8, 1.3, figure)
    for place in (0, 17, 60):
        changed = evaluate(demo_plan, [found.stretch.changes(float(found.amounts[place]))])
        assert found.values[0][place] == pytest.approx(changed.series("cash_after_overdraft").min())


def test_a_curve_needs_a_width():
    lines = (given("kits", 50), calculated("all", "kits"))
    with pytest.raises(InvalidValue, match="from a lower to a higher"):
        traced(plan_of(*lines), "kits", 1.0, 1.0)
