"""Changes cut and joined do what they did, but for the cells that were taken out."""

from dataclasses import replace

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tests.kit.small import REGION
from widefork.core.axes import Dimension, Month, Timeline
from widefork.core.changes import Change, Operation, apply_change, changes_to, joined, without

LINE = Timeline(Month(2026, 1), 12, 1, Month(2026, 2))
PRODUCT = Dimension("product", ("Kit", "Panel"))
SPREAD = (REGION, PRODUCT)
months = st.none() | st.builds(Month, st.just(2026), st.integers(1, 12))
members = st.lists(
    st.sampled_from([("region", "Coast"), ("region", "Upland"), ("product", "Kit")]), unique=True
).map(tuple)  # fmt: skip
simple = st.sampled_from([Operation.SET, Operation.ADD, Operation.SCALE])
changes = st.builds(Change, st.just("x"), simple, st.floats(-9, 9), members, months, months)


def applied(listed, start):
    values = start.copy()
    for change in listed:
        apply_change(values, change, LINE, SPREAD, True)
    return values


def start_values():
    return np.arange(3 * 2 * 12, dtype=float).reshape(3, 2, 12, 1) + 1


@given(change=changes, first=months, last=months, key=st.sampled_from([(), ("Coast", "Kit"), ("Valley", "Panel")]))
def test_what_is_taken_out_of_a_change_is_as_without_it_and_all_else_stays(change, first, last, key):
    start = start_values()
    left = without(change, key, first, last, SPREAD)
    now, full = applied(left, start), applied([change], start)
    inside = np.zeros(start.shape, dtype=bool)
    span = LINE.span(first, last)
    if first is None or last is None or first <= last:
        place = tuple(d.index(m) for d, m in zip(SPREAD, key, strict=False)) if key else (slice(None), slice(None))
        inside[(*place, span)] = True
        np.testing.assert_array_equal(now[inside], start[inside])
        np.testing.assert_array_equal(now[~inside], full[~inside])


@given(
    now=st.lists(st.floats(-5, 5), min_size=12, max_size=12),
    other=st.lists(st.integers(0, 2), min_size=12, max_size=12),
)
def test_the_changes_to_other_months_lead_there_in_the_plan_alone(now, other):
    now, wanted = np.array(now), np.array(other, dtype=float)
    found = changes_to("x", (("region", "Coast"),), now, wanted, LINE)
    values = np.broadcast_to(now[None, :, None], (3, 12, 1)).copy()
    for change in found:
        apply_change(values, change, LINE, (REGION,), True)
    np.testing.assert_allclose(values[0, 2:, 0], wanted[2:], rtol=1e-11)
    np.testing.assert_array_equal(values[1], now[:, None])
    np.testing.assert_array_equal(values[0, :2, 0], now[:2])
    assert len(found) <= 10


@given(st.lists(changes, max_size=6))
def test_joined_changes_do_the_same(listed):
    again = joined(listed)
    assert len(again) <= len(listed)
    np.testing.assert_array_equal(applied(again, start_values()), applied(listed, start_values()))


def test_neighbouring_months_of_one_amount_become_one_change():
    one = Change("x", Operation.SET, 5.0, (), Month(2026, 3), Month(2026, 3))
    following = replace(one, first=Month(2026, 4), last=Month(2026, 6))
    apart = replace(one, first=Month(2026, 8), last=Month(2026, 8))
    assert joined([one, following, apart]) == (replace(one, last=Month(2026, 6)), apart)


def test_a_delay_goes_whole_for_the_member_that_goes_back():
    delay = Change("x", Operation.DELAY, 2, (), Month(2026, 3))
    assert without(delay, (), Month(2026, 5), Month(2026, 5), (REGION,)) == ()
    (left,) = without(delay, ("Coast",), Month(2026, 5), None, (REGION,))
    assert left.members == (("region", "Valley"), ("region", "Upland"))
