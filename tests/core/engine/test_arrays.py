"""What is read of a batch quickly is what is read of it line by line."""

import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.kit.small import calculated, given, plan_of
from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate, with_machine
from widefork.core.graph.calculate import evaluate_plainly

PLAN = plan_of(
    given("kits", {("Coast",): 5, ("Valley",): -7, ("Upland",): 0}, ("region",)),
    given("price", {"steps": {"2026-01": 2, "2026-03": -30}}),
    calculated("sales", "kits * price", ("region",)),
    calculated("share", "1 / (price - 2)"),
)
CHANGES = st.lists(
    st.builds(Change, st.sampled_from(["kits", "price"]), st.just(Operation.ADD), st.sampled_from([0.0, 1.0, 2.5])),
    max_size=2,
).map(tuple)


@forall(st.tuples(CHANGES, CHANGES))
def test_nothing_is_larger_than_the_largest_and_the_largest_is_no_guess(lists):
    results = with_machine(PLAN, lists)
    for line, most in zip(PLAN.model.lines, results.largest(PLAN.model.lines), strict=True):
        values = np.abs(results.values(line.name))
        whole = np.nansum(values, axis=tuple(range(values.ndim - 2)))
        by_member = np.fmax.reduce(values, axis=(-2, -1))
        assert whole.max(initial=0.0) <= most + 1e-9
        assert most == pytest.approx(float(np.nansum(by_member)))
    assert results.largest([]) == []


@forall(st.tuples(CHANGES, CHANGES), st.tuples(CHANGES, CHANGES))
def test_lines_alike_are_those_whose_values_are_the_same(one, other):
    first, second = with_machine(PLAN, one), with_machine(PLAN, other)
    same = {
        line.name for line in PLAN.model.lines
        if first.values(line.name).tobytes() == second.values(line.name).tobytes()
    }  # fmt: skip
    assert first.alike(second) & {line.name for line in PLAN.model.lines} == same


def test_plain_values_are_never_said_to_be_alike_and_their_largest_is_the_same():
    plain, quick = evaluate_plainly(PLAN, [(), ()]), evaluate(PLAN, [(), ()])
    assert plain.alike(quick) == frozenset()
    assert quick.alike(plain) == frozenset()
    assert plain.largest(PLAN.model.lines) == pytest.approx([5 + 7, 30, 12 * 30, 1 / 32])
