"""The machine gives what the plain evaluator gives, whatever the model, the batch, and what it has seen before."""

import re
from itertools import product
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.kit.laws import law
from tests.kit.small import REGION, calculated, given, plan_of
from tests.kit.strategies import models
from widefork.core.analysis.explain import origin_of_error
from widefork.core.axes import Dimension, Month
from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate, kernel, with_machine
from widefork.core.engine.kernel import value_of
from widefork.core.engine.lower import can_lower
from widefork.core.engine.machine import KEPT_WHOLE, WIDEST, WORTH_SHARING
from widefork.core.engine.machine import NARROWEST as PIECE
from widefork.core.engine.operations import ROW_COUNTS, TABLE, Op
from widefork.core.errors import ChangeRefused
from widefork.core.finance.assemble import build_plan, check_plan
from widefork.core.finance.statements import RATIOS
from widefork.core.graph import calculate
from widefork.core.graph.batch import Amounts
from widefork.core.graph.calculate import evaluate_plainly
from widefork.core.graph.model import Profile
from widefork.core.graph.operations import OPERATIONS
from widefork.core.graph.plan import compile_model
from widefork.core.history import History, Step, StepKind
from widefork.core.language.functions import FUNCTIONS, function, time
from widefork.core.lines import BALANCE
from widefork.files import FORMATS

FILES = sorted((Path(__file__).parents[2] / "models").glob("*.yaml"))
CLOSE = 1e-9
RATIO_NAMES = {ratio.name for ratio in RATIOS}


def assert_alike(plan, batch, lines=None):
    plain, machine = evaluate_plainly(plan, batch, lines), with_machine(plan, batch, lines)
    amounts = [line.name for line in plan.model.lines if line.unit == plan.model.currency]
    known = [plain.values(name) for name in amounts if name in plain.arrays]
    largest = max((float(np.abs(np.nan_to_num(v, posinf=0, neginf=0)).max(initial=0.0)) for v in known), default=0.0)
    for name in lines or [line.name for line in plan.model.lines]:
        if name in RATIO_NAMES:
            continue  # of residues, where large amounts cancel, a ratio says nothing
        one, two = plain.values(name), machine.values(name)
        # A difference of large amounts is as exact as they are, not as itself.
        size = np.maximum(largest if name in amounts else 1.0, np.abs(np.nan_to_num(one)))
        size = np.maximum(1.0, size)
        assert np.array_equal(np.isnan(one), np.isnan(two)), (name, plan.model.line(name).formula)
        with np.errstate(invalid="ignore"):
            gap = np.where(one == two, 0.0, np.abs(one - two) / size)
        assert np.nan_to_num(gap).max() <= CLOSE, (name, plan.model.line(name).formula)
    assert dict(plain.unsolved) == dict(machine.unsolved)


def test_the_table_holds_all_that_formulas_compute():
    assert set(TABLE) == {function.name for function in FUNCTIONS} | set(OPERATIONS)
    assert all(can_lower(name) for name in TABLE)
    assert not can_lower("unknown")
    assert {entry.op for entry in TABLE.values()} - {None} <= set(Op)


ODD = [0.0, -0.0, 1.0, -1.0, 0.5, 2.5, -2.5, 12.0, 1e-9, 1e300, float("inf"), float("nan")]


@pytest.mark.parametrize("name", [name for name, entry in TABLE.items() if entry.is_vector and entry.op is not None])
def test_the_kernel_computes_what_the_plain_function_does(name):
    entry = TABLE[name]
    rows = int(ROW_COUNTS[entry.op])
    arguments = rows if name in OPERATIONS else min(rows, FUNCTIONS[name].most)
    error = float("nan")
    for values in product(ODD, repeat=arguments):
        with np.errstate(all="ignore"):
            plain = float(entry.plain(*(np.array([value]) for value in values))[0])
        compiled = value_of(int(entry.op), *(*values, 0.0, 0.0)[:3], error)
        if np.isinf(compiled) or np.isinf(plain):  # beyond all size is no answer in either, whichever way it is said
            assert not np.isfinite(np.array([compiled, plain])).any(), values
        else:
            assert compiled == pytest.approx(plain, rel=1e-12, abs=1e-12, nan_ok=True), values


@pytest.mark.parametrize("path", FILES, ids=lambda path: path.stem)
def test_every_small_model_comes_out_alike(path):
    plan = build_plan(FORMATS["yaml"].read(path.read_text("utf-8")))
    cases = [plan.model.changes_of(case.name) for case in plan.model.cases]
    assert_alike(plan, cases)
    moved = [line.name for line in plan.model.lines if line.is_assumption]
    assert_alike(plan, [(*cases[-1], Change(name, Operation.SCALE, factor)) for name in moved for factor in (0.9, 1.1)])


def test_the_demo_comes_out_alike_in_batches_of_any_size(demo_plan):
    names = [line.name for line in demo_plan.model.lines if line.is_assumption]
    worst = demo_plan.model.changes_of("worst")
    batch = [(*worst, Change(names[k % len(names)], Operation.SCALE, 1 + k / 100)) for k in range(2 * PIECE + 3)]
    for size in (1, 2, KEPT_WHOLE, KEPT_WHOLE + 1, PIECE + 1, 2 * PIECE + 3):
        assert_alike(demo_plan, batch[:size], ["cash_after_overdraft", "kits_sold", "kit_price"])
    assert_alike(demo_plan, batch)


def test_a_line_asked_alone_comes_out_alike_whatever_else_the_cases_change(demo_plan):
    cases = [demo_plan.model.changes_of(case.name) for case in demo_plan.model.cases]
    for line in demo_plan.model.lines[::25]:
        assert_alike(demo_plan, cases, [line.name])


@law(25)
@forall(models(), st.data())
def test_any_model_comes_out_alike_after_any_history_of_questions(model, data):
    plan = check_plan(model)
    cases = [plan.model.changes_of(case.name) for case in plan.model.cases]
    tried = st.builds(
        Change,
        st.sampled_from(["kits", "price", "sales", "terms_days", "mix"]),
        st.sampled_from([Operation.SET, Operation.ADD, Operation.SCALE, Operation.STOP]),
        st.floats(0, 5),
    )
    for _ in range(3):
        rides = data.draw(st.lists(st.lists(tried, max_size=2), min_size=1, max_size=6))
        root = data.draw(st.sampled_from(cases))
        assert_alike(plan, [(*root, *changes) for changes in rides])
        wanted = data.draw(st.lists(st.sampled_from(["cash", "stock", "spread", "sales"]), min_size=1, unique=True))
        assert_alike(plan, [(*root, *changes) for changes in rides], wanted)


RAMP = Profile("ramp", "Ramp", (0.2, 0.5, 0.0, 1.0))
EVERYTHING = (
    "before(x, 2) + before(x) * 0.1", "after(x, 2) + after(y) * 3 + after(x / (y - 1), 20)",
    "running_total(x)", "year_to_date(x) - year_to_date(5)", "trailing(x, 3)",
    "trailing_mean(x, 4)", "straight_line(x, 5)", "ramped(x, ramp)", "surviving(x, ramp)", "fading_in(x, ramp)",
    "outstanding(x, 40 + 10 * y)", "outstanding(x, -1)", "whole_flow(x / 3)", "min(x, y, 2)", "max(x, -y)",
    "round(x / 3, 1) + round(x)", "round_down(x / 3) + round_up(x / 3)", "monthly_share(x / 10)",
    "level_payment(100, y / 10, 5)", "interest_on(x, 6 %)", "x / (y - 1)", "x ^ y + (-x) ^ 0.5", "(not x) + (x and y)",
    "(x or y) + level_payment(x, 0, y)",
    "(x = 3) + (x != 3) + (x < y) + (x <= y) + (x > y) + (x >= y)", "if x > 2 then y else x / (y - 1)",
    "(if x / (y - 1) > 0 then 1 else 2) + min(x / (y - 1), 5)", "month - Feb 2026 + days_in_month",
    "ramped(x / (y - 1), ramp)", "outstanding(x / (y - 1), 45)", "whole_flow(x / (y - 1))",
)  # fmt: skip
X = {"monthly": {"start": "2026-01", "amounts": [3, 1, 4, -1.5, 5, 9, 2.5, 6]}}
Y = {"monthly": {"start": "2026-01", "amounts": [0, 2, 1, 3, 0.5, 1, 7, 0]}}


@pytest.mark.parametrize("formula", EVERYTHING)
@pytest.mark.parametrize("is_stepped", [False, True], ids=["all months at once", "month by month"])
def test_every_operation_comes_out_alike(formula, is_stepped):
    if (
        is_stepped and "after" not in formula
    ):  # every piece reads the line's own past, so none can be computed ahead of it
        inside = re.sub(r"\bx\b", "(x + before(z) / 10)", formula)
        formula = f"0.5 * before(z) + ({inside})"
    plan = plan_of(
        given("x", X, opening=2.0, history=(7.0, 8.0)), given("y", Y), given("w", 1),
        calculated("z", formula, opening=1.0), calculated("later", "z + w"),
        months=8, profiles=(RAMP,),
    )  # fmt: skip
    assert not plan.problems
    rides = [(Change("x", Operation.SCALE, 1 + k / 4), Change("y", Operation.ADD, k % 3)) for k in range(7)]
    for batch in ([()], rides[:1], rides, [(Change("w", Operation.SET, k),) for k in range(7)]):
        assert_alike(plan, batch)


@pytest.mark.parametrize("formula", [f for f in EVERYTHING if "x" in f and "x / (y - 1)" not in f])
def test_what_came_before_by_member_comes_out_alike(formula):
    came = {("Coast",): (7.0, float("nan"), 8.0), ("Valley",): (3.0,)}
    histories = tuple(
        History("x", Month(2026, 1).plus(-len(values)), values, (("region", member),))
        for (member,), values in came.items()
    )
    plan = plan_of(
        given("x", X, ("region",), opening=2.0, history=(1.0, 1.5), absent=(("Upland",),)), given("y", Y),
        calculated("z", formula, ("region",), opening=1.0),
        calculated("coast", re.sub(r"\bx\b", "(x at Coast)", formula)),
        months=8, profiles=(RAMP,), histories=histories,
    )  # fmt: skip
    assert not plan.problems
    assert_alike(plan, [(Change("x", Operation.SCALE, 1 + k / 4),) for k in range(3)])


def test_a_look_back_reads_the_history_of_its_member_untouched():
    histories = (
        History("x", Month(2025, 10), (5.0, 6.0, float("nan"), 99.0), (("region", "Coast"),)),
        History(
            "x", Month(2025, 11), (8.0,), (("region", "Valley"),), steps=(Step(StepKind.LEAVE_OUT, Month(2025, 11)),)
        ),
        History("x", Month(2024, 1), (1.0, 2.0), (("region", "Upland"),), per_year=4),
    )
    lines = (
        given("x", 10, ("region",), opening=2.0, history=(3.0,)), calculated("z", "before(x, 2)", ("region",)),
        calculated("c", "before(x at Coast, 3)"),
    )  # fmt: skip
    plan = plan_of(*lines, months=3, histories=histories)
    # by hand: a gap and what no history says are the line's own early value (3 in Dec 25), before that its opening one;
    # a history that goes on into the plan says nothing there
    for found in (evaluate_plainly(plan, [()]), with_machine(plan, [()])):
        assert found.series("z", ("Coast",)).tolist() == [6, 3, 10]
        assert found.series("z", ("Valley",)).tolist() == [8, 3, 10]
        assert found.series("z", ("Upland",)).tolist() == [2, 3, 10]
        assert found.series("c").tolist() == [5, 6, 3]


def test_members_come_out_alike():
    mapping = dict(zip("ABC", ["Coast", "Valley", "Coast"], strict=True))
    shops = Dimension("shop", tuple(mapping), attributes={shop: {"region": region} for shop, region in mapping.items()})
    plan = plan_of(
        given("kits", {("Coast",): 1.4, ("Valley",): 2.4, ("Upland",): 3.7}, ("region",)),
        given("sold", 2, ("shop",)),
        given("rate", {"steps": {"2026-01": 1, "2026-03": 2}}),
        calculated("both", "kits * sold * rate", ("shop", "region"), absent=(("A", "Upland"),)),
        calculated("totals", "sum_over(both, shop) + mean_over(both) + kits at Coast", ("region",)),
        calculated("parts", "share_over(kits, region) + whole_parts(kits * rate, region)", ("region",)),
        calculated("mapped", "sum_by(sold, region) * rate", ("region",)),
        calculated("down", "spread_to(kits, shop) + before(down)", ("shop",), rollup=BALANCE),
        more_dimensions=(shops,),
    )  # fmt: skip
    rides = [
        [Change("rate", Operation.ADD, k), Change("kits", Operation.SCALE, k, (("region", "Coast"),))] for k in range(6)
    ]
    for batch in ([()], rides[:2], rides):
        assert_alike(plan, batch)
    changed = [
        [Change("totals", Operation.ADD, k, (("region", "Valley"),)), Change("both", Operation.SCALE, 2)]
        for k in range(6)
    ]
    for batch in (changed[:1], changed, [[*one, *two] for one, two in zip(changed, rides, strict=True)]):
        assert_alike(plan, batch)


def test_actuals_stand_whatever_changes_do():
    plan = plan_of(
        given("kits", 2, ("region",), actuals={("Coast",): (7.0, 8.0)}),
        calculated("sales", "kits * 3", ("region",), actuals={("Valley",): (1.0, np.nan)}),
        calculated("stock", "before(stock) + sum_over(sales)", actuals={(): (100.0,)}),
        actual_to=Month(2026, 2),
    )
    late = [[Change("sales", Operation.DELAY, k, (("region", REGION.members[k % 3]),))] for k in range(6)]
    for batch in ([()], late, late[:2], [[Change("kits", Operation.SET, k), *one] for k, one in enumerate(late)]):
        assert_alike(plan, batch)


def test_a_batch_of_many_pieces_is_shared_out_and_put_together_in_order():
    plan = plan_of(
        given("x", X), given("y", 2, ("region",)), calculated("z", "0.5 * before(z) + x * y", ("region",)),
        calculated("once", "y * 3", ("region",)), calculated("w", "sum_over(z) / (sum_over(y) - 6.5)"), months=8,
    )  # fmt: skip
    size = WORTH_SHARING * WIDEST + 5
    ways = (Change("x", Operation.SCALE), Change("y", Operation.ADD, members=(("region", "Coast"),)))
    batch = Amounts((Change("once", Operation.ADD, 1),), ways, np.arange(2.0 * size).reshape(size, 2) / size)
    for _ in range(2):  # the second time in memory the first has given back
        for lines in (None, ["w", "once"]):
            assert_alike(plan, batch, lines)
    loop = plan_of(given("x", 0.5), calculated("z", "1 + x * z", allow_loop=True), months=2)
    unsettled = Amounts((), (Change("x", Operation.SET),), np.linspace(0, 0.5, size)[:, None])
    unsettled.amounts[-1] = 2.0
    found = with_machine(loop, unsettled)
    assert found.unsolved == {"z": 0}
    assert np.isnan(found.values("z")[0]).tolist() == [False] * (size - 1) + [True]


def test_edited_actuals_do_not_reach_back_into_the_model_before_the_edit():
    def plan_with(actual, earlier=None):
        lines = (given("x", 2), calculated("z", "x * 3", actuals={(): (actual,)}), calculated("w", "before(w) + z"))
        return compile_model(plan_of(*lines, actual_to=Month(2026, 1)).model, earlier)

    old = plan_with(10.0)
    with_machine(old)
    new = plan_with(99.0, old)
    assert new.shared is old.shared
    for _ in range(2):
        for plan in (new, old):
            for changes in ([Change("x", Operation.SET, 5)], [Change("z", Operation.ADD, 1)], []):
                assert_alike(plan, [changes], ["w", "z"])


def test_both_evaluators_settle_and_round_alike():
    assert (kernel.MOST_ROUNDS, kernel.SETTLED) == (calculate.MOST_ROUNDS, calculate.SETTLED)
    assert (kernel.NEARLY, kernel.DAYS_IN_MONTH) == (function.NEARLY, time.DAYS_IN_MONTH)


def test_what_was_forgotten_comes_out_the_same():
    plan = plan_of(given("x", 1), calculated("z", "x + before(z)"))
    before = with_machine(plan).values("z").tolist()
    plan.shared["machine"].forget()
    assert with_machine(plan).values("z").tolist() == before


def test_an_edit_of_numbers_keeps_the_program_and_comes_out_alike():
    before = plan_of(given("x", 1), given("y", 2), calculated("z", "x * y + before(z)"))
    with_machine(before)
    after = plan_of(given("x", 1), given("y", 5, note="why"), calculated("z", "x * y + before(z)"))
    kept = compile_model(after.model, before)
    assert kept.shared is before.shared
    assert kept.formulas is before.formulas
    assert_alike(kept, [()])
    assert_alike(before, [()])
    other = compile_model(plan_of(given("x", 1), given("y", 5), calculated("z", "x + y")).model, before)
    assert other.shared is not before.shared


@pytest.mark.parametrize("formula", ["1 / (x - 1)", "before(z) + 1 / (x - 1)", "(x - 2) ^ 0.5", "monthly_share(x + 1)"])
def test_an_error_value_carries_where_it_began(formula):
    plan = plan_of(
        given("x", 1, ("region",)), calculated("z", formula, ("region",)), calculated("w", "max(1, sum_over(z) * 2)")
    )
    results = with_machine(plan)
    plain = evaluate_plainly(plan)
    for month in (Month(2026, 1), Month(2026, 4)):
        found, walked = (origin_of_error(r, 0, "w", (), month) for r in (results, plain))
        assert (found.line, found.members) == (walked.line, walked.members) == ("z", ("Coast",))
        assert found.first == walked.first
    wide = with_machine(plan, [[Change("x", Operation.SET, k)] for k in range(6)])
    assert wide.origin(float(wide.values("w")[0, 1])) == ("z", (0,), 0)
    assert results.origin(float("nan")) is None


def test_a_line_with_a_mistake_is_where_its_error_values_began():
    plan = plan_of(given("x", 1), calculated("z", "x + nothing"), calculated("w", "z + x"))
    results = with_machine(plan)
    assert np.isnan(results.values("w")).all()
    assert {results.origin(float(v))[0] for v in results.values("z").ravel()} == {"z"}


def test_what_is_refused_plainly_is_refused():
    plan = plan_of(given("x", 1), calculated("z", "x + before(z)"))
    with pytest.raises(ChangeRefused):
        with_machine(plan, [[Change("z", Operation.SET, 1)]])
    with pytest.raises(KeyError, match="not asked for"):
        with_machine(plan, [[Change("x", Operation.SET, k)] for k in range(6)], ["x"]).values("z")


flows = st.lists(
    st.lists(st.floats(0, 40).map(lambda v: round(v, 3)), min_size=18, max_size=18), min_size=3, max_size=3
)


@law(60)
@forall(flows)
def test_whole_flows_add_up_in_every_month_and_nobody_is_taken_back(members):
    rules = {
        (name,): {"monthly": {"start": "2026-01", "amounts": amounts}}
        for name, amounts in zip(("Coast", "Valley", "Upland"), members, strict=True)
    }
    plan = plan_of(
        given("flow", rules, over=("region",)),
        calculated("whole", "whole_flows(flow, region)", over=("region",)),
        calculated("total", "whole_flow(sum_over(flow))"), months=18,
    )  # fmt: skip
    results, plainly = evaluate(plan), evaluate_plainly(plan)
    found = results.values("whole")[..., 0]
    assert np.array_equal(found, plainly.values("whole")[..., 0])
    assert (found == np.round(found)).all()
    assert found.min() >= 0
    assert found.sum(axis=0).tolist() == results.series("total").tolist()


def test_a_half_that_was_rounded_up_is_not_taken_back_when_nothing_comes():
    rules = {(name,): {"monthly": {"start": "2026-01", "amounts": [amount, 0, 0]}}
             for name, amount in (("Coast", 0.25), ("Valley", 0.25), ("Upland", 0))}  # fmt: skip
    plan = plan_of(
        given("flow", rules, over=("region",)),
        calculated("whole", "whole_flows(flow, region)", over=("region",)), months=3,
    )  # fmt: skip
    assert evaluate(plan).values("whole")[..., 0].sum(axis=0).tolist() == [1, 0, 0]


@law(60)
@forall(st.lists(st.floats(0.01, 1), min_size=3, max_size=3), st.lists(st.floats(0, 60), min_size=24, max_size=24))
def test_while_shares_hold_each_member_stays_within_one_of_its_running_total(shares, totals):
    weights = {(name,): share / sum(shares) for name, share in zip(("Coast", "Valley", "Upland"), shares, strict=True)}
    plan = plan_of(
        given("share", weights, over=("region",), unit="%"),
        given("joining", {"monthly": {"start": "2026-01", "amounts": totals}}),
        calculated("whole", "whole_flows(joining * share, region)", over=("region",)),
        calculated("exact", "joining * share", over=("region",)), months=24,
    )  # fmt: skip
    results = evaluate(plan)
    apart = results.values("whole").cumsum(axis=1) - results.values("exact").cumsum(axis=1)
    assert np.abs(apart).max() < 1 + 1e-6
