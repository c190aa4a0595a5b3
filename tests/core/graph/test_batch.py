"""Batches that differ in amounts only are the same change lists, kept as numbers."""

import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.kit.small import calculated, given, plan_of
from widefork.core.axes import Month
from widefork.core.changes import Change, Operation
from widefork.core.engine import with_machine
from widefork.core.graph.batch import Amounts
from widefork.core.graph.calculate import evaluate_plainly

PLAN = plan_of(
    given("kits", 3, ("region",)), given("price", {"steps": {"2026-01": 5, "2026-04": 6}}),
    calculated("sales", "kits * price", ("region",)), calculated("total", "before(total) + sum_over(sales)"),
)  # fmt: skip
SHARED = (Change("kits", Operation.ADD, 1.0, (("region", "Coast"),)),)
WAYS = (
    Change("price", Operation.SCALE, first=Month(2026, 3)),
    Change("kits", Operation.SET, members=(("region", "Valley"),)),
    Change("sales", Operation.ADD, strength=0.5),
)


@forall(st.lists(st.tuples(*[st.floats(-9, 9)] * 3), min_size=1, max_size=9))
def test_they_come_out_as_the_lists_they_stand_for(rows):
    batch = Amounts(SHARED, WAYS, np.array(rows))
    lists = list(batch)
    assert [changes[1:] for changes in lists] == [
        tuple(way.with_amount(amount) for way, amount in zip(WAYS, row, strict=True)) for row in rows
    ]
    expected = evaluate_plainly(PLAN, lists)
    for found in (
        evaluate_plainly(PLAN, batch),
        with_machine(PLAN, batch),
        with_machine(PLAN, batch, ["total", "sales"]),
    ):
        for name in ("total", "sales"):
            assert found.values(name) == pytest.approx(expected.values(name), rel=1e-12, abs=1e-9)


def test_a_slice_is_a_batch_and_delays_are_refused():
    batch = Amounts(SHARED, WAYS, np.arange(12.0).reshape(4, 3))
    assert list(batch[1:3]) == list(batch)[1:3]
    assert len(batch[1:3]) == 2
    with pytest.raises(ValueError, match="different changes"):
        Amounts((), (Change("kits", Operation.DELAY, 1.0),), np.ones((2, 1)))
