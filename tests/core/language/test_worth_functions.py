"""Present value, net present value and internal rate in formulas, beside NumPy's own and closed forms."""

import numpy as np
import numpy_financial
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.kit.laws import law
from tests.kit.small import calculated, given, plan_of, series
from widefork.core.analysis.worth import internal_rates, present_value
from widefork.core.changes import Change, Operation
from widefork.core.engine.dispatch import with_machine
from widefork.core.graph.calculate import evaluate_plainly

FLOWS = {"monthly": {"start": "2026-01", "amounts": [-1000.0, *[50.0] * 23]}}


def test_a_present_value_is_discounted_by_the_twelfth_of_the_year():
    plan = plan_of(given("x", 110), calculated("pv", "present_value(x, 10 %, month_number)"), months=24)
    assert series(plan, "pv")[11] == pytest.approx(100)
    assert series(plan, "pv")[23] == pytest.approx(110 / 1.21)
    broken = plan_of(given("x", 110), given("r", -1), calculated("pv", "present_value(x, r, month_number)"))
    assert np.isnan(series(broken, "pv")).all()


def test_a_net_present_value_is_that_of_all_months_so_far():
    """As numpy_financial's npv, whose first flow is not discounted: so with a 0 before."""
    plan = plan_of(given("f", FLOWS), calculated("npv", "net_present_value(f, 8 %)"), months=24)
    monthly = 1.08 ** (1 / 12) - 1
    flows = [0.0, *series(plan, "f")]
    assert series(plan, "npv")[-1] == pytest.approx(numpy_financial.npv(monthly, flows))
    assert series(plan, "npv")[5] == pytest.approx(present_value(flows[:7], 0.08))


def test_an_internal_rate_is_the_one_there_is():
    plan = plan_of(given("f", FLOWS), calculated("irr", "internal_rate(f)"), months=24)
    found = series(plan, "irr")
    assert (1 + numpy_financial.irr(series(plan, "f"))) ** 12 - 1 == pytest.approx(found[-1], rel=1e-9)
    assert (found[-1],) == pytest.approx(internal_rates(series(plan, "f")), rel=1e-9)
    assert np.isnan(found[0])  # a payment alone has none


def test_several_internal_rates_are_none():
    """−100, +230, −132 a year apart has 10 % and 20 %: the textbook example of two rates (Brealey, Myers and Allen)."""
    apart = [-100.0, *[0.0] * 11, 230.0, *[0.0] * 11, -132.0]
    flows = {"monthly": {"start": "2026-01", "amounts": apart}}
    plan = plan_of(given("f", flows), calculated("irr", "internal_rate(f)"), months=25)
    assert internal_rates(apart) == pytest.approx((0.1, 0.2))
    assert np.isnan(series(plan, "irr")[-1])
    assert series(plan, "irr")[12] == pytest.approx(1.3)


@law(20)
@forall(st.lists(st.floats(-500, 500).map(lambda v: round(v, 1)), min_size=12, max_size=12), st.floats(-1.2, 3))
def test_the_machine_finds_the_same(amounts, rate):
    """Month by month and all at once, alone and in a batch."""
    flows = {"monthly": {"start": "2026-01", "amounts": amounts}}
    plan = plan_of(
        given("f", flows), given("r", rate), calculated("npv", "net_present_value(f, r)"),
        calculated("irr", "internal_rate(f)"), calculated("pv", "present_value(f, r, month_number)"),
        calculated("looped", "before(looped) * 0 + net_present_value(f, r)"), months=12,
    )  # fmt: skip
    batch = [(), (Change("r", Operation.SET, 0.1), Change("f", Operation.SCALE, -2))]
    plainly, machine = evaluate_plainly(plan, batch), with_machine(plan, batch)
    for name in ("npv", "irr", "pv", "looped"):
        assert machine.values(name) == pytest.approx(plainly.values(name), rel=1e-9, abs=1e-9, nan_ok=True), name
