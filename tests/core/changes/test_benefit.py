"""What a move brings: an amount a month, ramped and spread over members, written as changes and read back."""

import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.kit.laws import law
from tests.kit.small import given, plan_of, series
from widefork.core.axes import Month
from widefork.core.changes import Benefit, Change, Operation, benefits_of, spread
from widefork.core.errors import InvalidValue

MARCH = Month(2026, 3)
REGIONS = ("Coast", "Valley", "Upland")
shares = st.lists(st.integers(1, 50), min_size=3, max_size=3).map(
    lambda parts: {region: part / sum(parts) for region, part in zip(REGIONS, parts, strict=True)}
)
benefits = st.builds(
    Benefit, st.just("x"), st.floats(-1e5, 1e5).filter(lambda amount: abs(amount) > 0.01), st.just(MARCH),
    st.sampled_from((None, MARCH, Month(2026, 9))), st.integers(0, 6), st.just("region"), shares,
)  # fmt: skip


@law(60)
@forall(benefits)
def test_what_a_move_brings_is_read_back_from_its_changes(benefit):
    [found] = benefits_of(benefit.changes())
    assert (found.line, found.first, found.last) == ("x", MARCH, benefit.last)
    assert found.ramp_months in (benefit.ramp_months, 0 if benefit.ramp_months == 1 else benefit.ramp_months)
    assert found.amount == pytest.approx(benefit.amount)
    assert found.shares == pytest.approx(benefit.shares)
    assert found.is_once == (benefit.last == MARCH)


@law(40)
@forall(benefits)
def test_its_months_are_the_amount_ramped_and_shared(benefit):
    plan = plan_of(given("x", 0, ("region",)), months=12)
    changes = benefit.changes()
    for region, share in benefit.shares.items():
        months = series(plan, "x", (region,), changes)
        for place, value in enumerate(months):
            age = place - 2
            runs = age >= 0 and (benefit.last is None or place <= benefit.last.ordinal - Month(2026, 1).ordinal)
            ramped = min(1.0, (age + 1) / max(1, benefit.ramp_months)) if runs else 0.0
            assert value == pytest.approx(benefit.amount * share * ramped)


def test_what_is_no_benefit_is_not_taken_for_one():
    others = (
        Change("x", Operation.SCALE, 2.0, first=MARCH),
        Change("x", Operation.ADD, 2.0),  # from nowhere on
        Change("x", Operation.ADD, 2.0, (("region", "Coast"), ("region", "Valley")), MARCH),
    )
    assert benefits_of(others) == ()
    plain = Benefit("y", 3.0, MARCH)
    assert benefits_of((*others, *plain.changes("why"))) == (plain,)
    assert plain.changes("why")[0].note == "why"


@law(60)
@forall(st.lists(st.integers(0, 9), min_size=3, max_size=3), st.sets(st.sampled_from(REGIONS)), st.floats(0, 1))
def test_what_is_not_held_is_shared_by_what_is_there(present, held, whole):
    now = {region: float(amount) for region, amount in zip(REGIONS, present, strict=True)}
    given_shares = {region: whole / len(held) for region in held}
    if len(held) == len(REGIONS):
        given_shares = dict.fromkeys(held, 1 / 3)
    found = spread(now, given_shares)
    assert list(found) == list(REGIONS)
    assert sum(found.values()) == pytest.approx(1)
    assert all(found[region] == share for region, share in given_shares.items())
    rest = [region for region in REGIONS if region not in held]
    if sum(now[region] for region in rest):
        for one in rest:
            for other in rest:
                assert found[one] * now[other] == pytest.approx(found[other] * now[one])


@pytest.mark.parametrize(
    ("held", "said"),
    [
        ({"Coast": 1.2}, "between 0 and 100 %; 120 %"),
        ({"Coast": 0.7, "Valley": 0.5}, "add to 120 %; they need to add to at most 100 %"),
        ({"Coast": 0.5, "Valley": 0.2, "Upland": 0.2}, "add to 90 %; they need to add to 100 %"),
    ],
)
def test_shares_that_cannot_be_are_refused(held, said):
    with pytest.raises(InvalidValue, match=said):
        spread(dict.fromkeys(REGIONS, 1.0), held)
