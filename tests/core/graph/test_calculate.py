import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.kit.small import calculated, given, model_of, plan_of, series
from widefork.core.axes import Month, Period
from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate
from widefork.core.errors import ChangeRefused, FormulaError, InvalidModel
from widefork.core.graph.calculate import evaluate_plainly
from widefork.core.graph.plan import check_model, compile_model
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import BALANCE, OverMembers, OverTime, Rollup

changes = st.lists(
    st.builds(
        Change,
        st.sampled_from(["kits", "price", "revenue"]),
        st.sampled_from([Operation.SET, Operation.ADD, Operation.SCALE, Operation.STOP]),
        st.floats(-10, 10),
        st.sampled_from([(), (("region", "Valley"),)]),
        st.sampled_from([None, Month(2026, 3)]),
        st.sampled_from([None, Month(2026, 5)]),
    ).filter(lambda c: c.line != "price" or not c.members),
    max_size=4,
)


def trading():
    return (
        given("kits", {("Coast",): 10, ("Valley",): 20, ("Upland",): 30}, over=("region",)),
        given("price", 3),
        calculated("revenue", "kits * price", over=("region",)),
        calculated("total", "sum_over(revenue)"),
        calculated("cash", "before(cash) + total - interest", opening=100.0, rollup=BALANCE),
        calculated("interest", "before(cash) * 1 %"),
    )


@forall(st.lists(changes, min_size=1, max_size=4))
def test_a_batch_equals_its_single_runs(lists):
    plan = plan_of(*trading())
    together = evaluate(plan, lists)
    for place, single in enumerate(lists):
        for name in ("revenue", "cash"):
            alone = evaluate(plan, [single]).values(name)[..., 0]
            np.testing.assert_allclose(together.values(name)[..., place], alone, rtol=1e-12)


@forall(st.permutations(trading()))
def test_the_order_of_lines_changes_nothing(lines):
    assert series(plan_of(*lines), "cash") == series(plan_of(*trading()), "cash")


def test_only_what_is_asked_for_is_computed_and_is_the_same():
    plan = plan_of(*trading())
    part = evaluate_plainly(plan, lines=["total"])
    assert "cash" not in part.arrays
    assert part.series("total").tolist() == series(plan, "total")


def test_a_ratio_asked_for_alone_brings_what_it_is_divided_from():
    ratio = Rollup(OverTime.RATIO, OverMembers.RATIO, "revenue", "kits")
    plan = plan_of(given("kits", 2), given("price", 5, rollup=ratio), calculated("revenue", "kits * price"))
    whole = Period("h", "H", Month(2026, 1), Month(2026, 6))
    assert roll_up(evaluate(plan, lines=["price"]), "price", [whole])[0, 0] == 5
    assert plan.assumptions_behind("price") == ("kits", "price")


def test_lines_that_read_their_own_past_are_stepped():
    cash = 100.0
    expected = []
    for _ in range(6):
        cash = cash + 180 - cash * 0.01
        expected.append(cash)
    assert series(plan_of(*trading()), "cash") == pytest.approx(expected, rel=1e-12)


def test_a_loop_is_named_as_its_path_and_the_rest_keeps_calculating():
    plan = plan_of(
        calculated("a", "b + 1"),
        calculated("b", "c * 2"),
        calculated("c", "a"),
        calculated("waits", "a"),
        given("fine", 1),
    )
    with pytest.raises(FormulaError, match="all in the same month"):
        check_model(plan.model)
    path = plan.problems["a"].sentence
    assert all(
        f"{one} needs {two}" in path or f"{one}, which needs {two}" in path
        for one, two in (("a", "b"), ("b", "c"), ("c", "a"))
    ) or ("which needs" in path)
    assert plan.problems["waits"].sentence.startswith("Waits for a")
    assert series(plan, "fine") == [1] * 6


def test_a_line_that_needs_itself_is_a_loop():
    assert "x needs x" in plan_of(calculated("x", "x + 1")).problems["x"].sentence


def revolver(rate, need=200):
    return plan_of(
        calculated("balance", f"before(balance) + {need} + interest", opening=1000.0, rollup=BALANCE),
        calculated("interest", f"(before(balance) + balance) / 2 * {rate}", allow_loop=True),
        calculated("doubled", "interest * 2"),
        months=3,
    )


def test_an_allowed_loop_is_solved_in_its_month():
    # interest on the average balance; closed form: close = (opening (1 + r/2) + need) / (1 - r/2)
    plan = revolver("1 %")
    assert plan.problems == {}
    assert series(plan, "balance")[0] == pytest.approx(1211.0552763819096, abs=1e-8)
    assert series(plan, "interest")[0] == pytest.approx(11.055276381909549, abs=1e-8)
    opening = series(plan, "balance")[0]
    assert series(plan, "balance")[1] == pytest.approx((opening * 1.005 + 200) / 0.995, abs=1e-8)


@forall(st.floats(-0.9, 0.9), st.floats(-1e6, 1e6))
def test_a_solved_month_satisfies_its_own_formulas(rate, need):
    results = evaluate(revolver(f"({rate:.6f})", f"({need:.6f})"))
    balance, interest = results.series("balance"), results.series("interest")
    before = np.array([1000.0, *balance[:-1]])
    size = max(1.0, np.abs(balance).max())
    np.testing.assert_allclose(interest, (before + balance) / 2 * round(rate, 6), atol=1e-9 * size)
    np.testing.assert_allclose(balance, before + round(need, 6) + interest, atol=1e-9 * size)


@pytest.mark.parametrize("rate", ["300 %", "90000 %"])
def test_a_loop_that_does_not_settle_is_named_and_nothing_hides_it(rate):
    results = evaluate(revolver(rate))
    assert results.unsolved == {"balance": 0, "interest": 0}
    assert np.isnan(results.series("doubled")).all()
    assert evaluate(revolver("1 %")).unsolved == {}


def test_each_entry_of_a_batch_settles_by_itself():
    lines = (
        given("rate", 0.01),
        calculated("balance", "before(balance) + 200 + interest", opening=1000.0, rollup=BALANCE),
        calculated("interest", "(before(balance) + balance) / 2 * rate", allow_loop=True),
    )
    plan = plan_of(*lines, months=2)
    results = evaluate(plan, [(), [Change("rate", Operation.SET, 3)]])
    assert results.series("balance", (), 0)[0] == pytest.approx(1211.0552763819096, abs=1e-8)
    assert np.isnan(results.series("balance", (), 1)).all()


def test_dividing_by_zero_is_an_error_value_that_nothing_hides():
    plan = plan_of(
        given("zero", {"steps": {"2026-01": 0, "2026-04": 2}}),
        calculated("share", "1 / zero"),
        calculated("hidden", "if share > 0 then 1 else 2"),
        calculated("least", "min(share, 3) + max(share, 3)"),
        calculated("so_far", "running_total(zero) * 0 + share"),
    )
    for name in ("share", "hidden", "least", "so_far"):
        values = evaluate(plan).series(name)
        assert np.isnan(values[:3]).all()
        assert np.isfinite(values[3:]).all()


def test_actual_months_are_history_that_no_change_touches():
    plan = plan_of(
        given(
            "kits",
            {("Coast",): 10, ("Valley",): 20, ("Upland",): 30},
            over=("region",),
            actuals={("Coast",): (1.0, 2.0)},
        ),
        calculated("total", "sum_over(kits)", actuals={(): (99.0,)}),
        actual_to=Month(2026, 2),
    )
    halved = [Change("kits", Operation.SCALE, 0.5)]
    assert series(plan, "kits", ("Coast",), halved) == [1, 2, 5, 5, 5, 5]
    assert series(plan, "total", (), halved) == [99, 52, 30, 30, 30, 30]


def test_changes_apply_after_the_formula_and_are_refused_where_they_would_compound():
    plan = plan_of(*trading())
    assert series(plan, "total", (), [Change("revenue", Operation.ADD, 5, (("region", "Coast"),))]) == [185] * 6
    with pytest.raises(ChangeRefused, match="carries its own past") as caught:
        evaluate(plan, [[Change("cash", Operation.SET, 0)]])
    assert "total" in caught.value.sentence


def test_roll_up_divides_after_adding():
    plan = plan_of(
        given("kits", {("Coast",): 1, ("Valley",): 3, ("Upland",): 0}, over=("region",)),
        given("price", {("Coast",): 10, ("Valley",): 20, ("Upland",): 99}, over=("region",),
              rollup=Rollup(OverTime.RATIO, OverMembers.RATIO, "revenue", "kits")),
        calculated("revenue", "kits * price", over=("region",)),
        calculated("stock", "before(stock) + sum_over(kits)", rollup=BALANCE),
    )  # fmt: skip
    half_year = Period("h", "H", Month(2026, 1), Month(2026, 6))
    results = evaluate(plan)
    assert roll_up(results, "price", [half_year])[0, 0] == pytest.approx(70 / 4)
    assert roll_up(results, "price", [half_year], ("Coast",))[0, 0] == pytest.approx(10)
    assert roll_up(results, "stock", [half_year])[0, 0] == 24
    assert roll_up(results, "kits", [half_year])[0, 0] == 24


@pytest.mark.parametrize(
    ("build", "said"),
    [
        (lambda: model_of(given("x", 1), given("x", 2)), "appears twice"),
        (lambda: model_of(given("Kits", 1)), "lower-case words"),
        (lambda: model_of(given("x", 1, over=("planet",))), "no dimension"),
        (lambda: compile_model(model_of(given("month", 1))), "already the name of a counter"),
        (lambda: compile_model(model_of(given("region", 1))), "already the name of a dimension"),
    ],
)
def test_models_that_contradict_themselves_are_refused(build, said):
    with pytest.raises(InvalidModel, match=said):
        build()


def test_combinations_that_do_not_exist_are_0_whatever_formula_and_changes_say():
    plan = plan_of(
        given("kits", 10, ("region",), absent=(("Valley",),)),
        calculated("price", "100 / kits", ("region",), absent=(("Valley",),)),
        calculated("stock", "before(stock) + kits", ("region",), absent=(("Upland",),), rollup=BALANCE),
        months=2,
    )
    results = evaluate(plan, [[Change("kits", Operation.ADD, 10)]])
    assert results.values("kits")[..., 0].tolist() == [[20, 20], [0, 0], [20, 20]]
    assert results.values("price")[..., 0].tolist() == [[5, 5], [0, 0], [5, 5]]
    assert results.values("stock")[..., 0].tolist() == [[20, 40], [0, 0], [0, 0]]
    with pytest.raises(InvalidModel, match="said not to exist, and has values too"):
        given("kits", {("Coast",): 1}, ("region",), absent=(("Coast",),))


def test_a_mean_over_members_leaves_out_what_does_not_exist():
    mean = Rollup(OverTime.MEAN, OverMembers.MEAN)
    plan = plan_of(given("price", 30, ("region",), absent=(("Valley",),), rollup=mean), months=2)
    half = Period("h", "H", Month(2026, 1), Month(2026, 2))
    assert roll_up(evaluate(plan), "price", [half])[0, 0] == 30
