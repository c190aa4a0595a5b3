"""Random draws: against theory and published results, and the laws that hold whatever is drawn."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given as drawn
from hypothesis import strategies as st
from scipy.special import ndtri
from scipy.stats import beta

from tests.kit.laws import law
from tests.kit.small import calculated, given, plan_of
from tests.kit.strategies import models
from widefork.core.analysis.chance import (
    Applied,
    Design,
    Discrete,
    Lognormal,
    Normal,
    Pert,
    Points,
    Quantiles,
    Redrawn,
    Shape,
    Spread,
    SpreadSetting,
    Triangular,
    Uniform,
    correlations_of,
    crossed_points,
    fitted,
    hoped_for,
    lay_out,
    nearest_correlations,
    run_chance,
    shares_of_variance,
    sobol_indices,
    spread_of,
    usual_spreads,
)
from widefork.core.analysis.figures import figure_amounts
from widefork.core.axes import Dimension
from widefork.core.changes import Operation
from widefork.core.errors import InvalidValue, UnknownName
from widefork.core.figures import Figure, Reduction
from widefork.core.finance.assemble import build_plan
from widefork.core.graph.plan import compile_model
from widefork.core.look import PlausibleRange
from widefork.core.spreads import Correlation

SUM = plan_of(given("x", 0), given("y", 0), calculated("z", "x + y"), months=1)
Z = Figure("z", "Z", "z")
X, Y = (Spread(line, Operation.SET, Normal(*of)) for line, of in (("x", (100, 15)), ("y", (200, 20))))


def run(spreads, figures=(Z,), plan=SUM, correlations=None, **more):
    return run_chance(plan, lay_out(plan, "base", spreads, correlations), figures, **more)


# Theory


def test_a_sum_of_normals_is_normal():
    """N(100, 15) + N(200, 20) is N(300, 25): P5 258.88, P95 341.12, P(Z < 270) 11.507 % (normal theory)."""
    found = run((X, Y), count=4096, seed=7)
    for known, expected in (
        (found.mean(0), 300), (found.quantile(0, 0.05), 258.8786593262132),
        (found.quantile(0, 0.95), 341.1213406737868), (found.reaching(0, 270, False), 0.11506967022170826),
    ):  # fmt: skip
        assert abs(known.value - expected) < 5 * known.error
    assert found.mean(0).error < 25 / np.sqrt(4096) / 10  # far better than as many plain draws


def test_draws_that_go_together():
    """Correlation 0.5 makes the deviation √(225 + 400 + 300) = 30.414 and P95 350.03 (variance of a sum)."""
    found = run((X, Y), correlations=np.array([[1, 0.5], [0.5, 1]]), count=4096, seed=3)
    assert found.amounts[0].std(ddof=1) == pytest.approx(30.4138126514911, rel=0.005)
    assert found.quantile(0, 0.95).value == pytest.approx(350.0262700492277, abs=1.0)


@pytest.mark.parametrize(
    ("distribution", "mean", "variance", "percentiles"),
    [
        (Triangular(10, 20, 40), 70 / 3, 350 / 9,
         {10: 15.47722557505166, 50: 22.679491924311225, 90: 32.25403330758517}),
        (Uniform(5, 15), 10, 100 / 12, {95: 14.5}),
        (Lognormal(0, 0.5), 1.1331484530668263, 0.3646958540123867, {50: 1, 95: 2.276016608514317}),
        (Normal(3, 2), 3, 4, {97.5: 3 + 2 * 1.959963984540054}),
        (Pert(10, 20, 40), (10 + 80 + 40) / 6, (65 / 3 - 10) * (40 - 65 / 3) / 7,
         {50: 10 + 30 * float(beta.ppf(0.5, 7 / 3, 11 / 3))}),
        (Discrete((1, 2, 5), (0.3, 0.4, 0.3)), 2.6, 2.64, {20: 1, 50: 2, 90: 5}),
    ],
)  # fmt: skip
def test_distributions_have_their_moments_and_percentiles(distribution, mean, variance, percentiles):
    """Closed forms: (a+b+c)/3, (a²+b²+c²−ab−ac−bc)/18; (b−a)²/12; e^(μ+σ²/2); PERT (a+4m+b)/6 and (μ−a)(b−μ)/7."""
    standard = ndtri((np.arange(200_000) + 0.5) / 200_000)
    amounts = distribution.amounts(standard)
    assert amounts.mean() == pytest.approx(mean, rel=1e-3)
    assert amounts.var() == pytest.approx(variance, rel=2e-3)
    for percent, expected in percentiles.items():
        assert distribution.amounts(ndtri(np.array([percent / 100])))[0] == pytest.approx(expected)


def test_sobol_indices_of_the_ishigami_function():
    """sin x1 + 7 sin² x2 + 0.1 x3⁴ sin x1, each uniform on (−π, π).

    First-order 0.3139, 0.4424 and 0; total 0.5576, 0.4424 and 0.2437 (Ishigami and Homma 1990; the values by hand in
    Saltelli et al., Sensitivity Analysis in Practice, 2004).
    """

    def ishigami(shares):
        x = (2 * shares - 1) * np.pi
        return np.sin(x[:, 0]) + 7 * np.sin(x[:, 1]) ** 2 + 0.1 * x[:, 2] ** 4 * np.sin(x[:, 0])

    points = Design(32768, 5, 6).shares(0, 0, 4096)
    first, second = points[:, :3], points[:, 3:]
    sets = [first, second, *crossed_points(first, second, [slice(place, place + 1) for place in range(3)])]
    found = {index.name: index for index in shares_of_variance(["x1", "x2", "x3"], [ishigami(each) for each in sets])}
    for name, by_itself, in_all in (("x1", 0.3139, 0.5576), ("x2", 0.4424, 0.4424), ("x3", 0.0, 0.2437)):
        assert found[name].first == pytest.approx(by_itself, abs=0.02)
        assert found[name].total == pytest.approx(in_all, abs=0.02)
        assert 0 < found[name].total_error < 0.05


def test_shares_of_a_sum_are_shares_of_its_variance():
    # 15² and 20² of 25²: constructed from normal theory
    found = {index.name: index for index in sobol_indices(SUM, lay_out(SUM, "base", (X, Y)), Z, 1024)}
    assert found["x"].first == pytest.approx(225 / 625, abs=0.01)
    assert found["y"].total == pytest.approx(400 / 625, abs=0.01)
    with pytest.raises(InvalidValue, match="drawn independently"):
        sobol_indices(SUM, lay_out(SUM, "base", (X, Y), np.array([[1, 0.2], [0.2, 1]])), Z)
    still = Spread("x", Operation.SET, Discrete((1.0,), (1.0,)))
    with pytest.raises(InvalidValue, match="nothing drawn moves it"):
        sobol_indices(SUM, lay_out(SUM, "base", (still,)), Z, 64)
    with pytest.raises(InvalidValue, match="ended before it was done"):
        sobol_indices(SUM, lay_out(SUM, "base", (X, Y)), Z, 64, told=lambda done, of: False)


def test_correlations_that_cannot_be_are_repaired_to_the_nearest():
    """Higham 2002: the nearest to ((1, 1, 0), (1, 1, 1), (0, 1, 1)) has 0.7607 and 0.1573."""
    found = nearest_correlations(np.array([[1.0, 1, 0], [1, 1, 1], [0, 1, 1]]))
    assert found == pytest.approx(np.array([[1, 0.7607, 0.1573], [0.7607, 1, 0.7607], [0.1573, 0.7607, 1]]), abs=5e-5)
    layout = lay_out(SUM, "base", (X, Y), np.array([[1, 0.5], [0.5, 1]]))
    assert not layout.is_repaired


@law(60)
@drawn(st.lists(st.floats(-1, 1), min_size=10, max_size=10))
def test_what_is_repaired_can_be_and_what_can_be_stays(pairs):
    matrix = np.eye(5)
    matrix[np.triu_indices(5, 1)] = pairs
    matrix = matrix + matrix.T - np.eye(5)
    found = nearest_correlations(matrix)
    assert np.linalg.eigvalsh(found).min() > -1e-10
    assert np.diag(found) == pytest.approx(np.ones(5))
    assert nearest_correlations(found) == pytest.approx(found, abs=1e-9)


# Ranges


@law(100)
@drawn(
    shape=st.sampled_from(list(Shape)), low=st.floats(0.5, 50), left=st.floats(0, 40), right=st.floats(0.1, 60),
    held=st.floats(0.3, 0.98),
)  # fmt: skip
def test_a_range_holds_what_it_says(shape, low, left, right, held):
    likely, high = low + left, low + left + right
    found = fitted(shape, low, likely, high, held)
    outside = (1 - held) / 2
    ends = found.amounts(ndtri(np.array([outside, 1 - outside])))
    if shape is Shape.DISCRETE:
        assert found.points == (low, likely, high)
    else:
        assert ends == pytest.approx([low, high], rel=1e-6, abs=1e-6)


@pytest.mark.parametrize(
    ("shape", "ends", "held", "said"),
    [
        (Shape.PERT, (3, 2, 4), 0.8, "does not"), (Shape.UNIFORM, (2, 2, 2), 0.8, "no width"),
        (Shape.LOGNORMAL, (0, 1, 2), 0.8, "above 0"), (Shape.NORMAL, (1, 2, 3), 1.0, "less than 100 %"),
        (Shape.UNIFORM, (1, 2, 3), 0.0, "more than 0 %"),
    ],
)  # fmt: skip
def test_ranges_that_cannot_be_fitted_say_why(shape, ends, held, said):
    with pytest.raises(InvalidValue, match=said):
        fitted(shape, *ends, held)


def test_a_range_is_read_relative_to_the_case():
    for plausible, operation, ends in (
        (PlausibleRange(-0.1, 0, 0.2, True), Operation.SCALE, (0.9, 1.2)),
        (PlausibleRange(40, 50, 55), Operation.SCALE, (0.8, 1.1)),
        (PlausibleRange(-5, 0, 5), Operation.ADD, (-5, 5)),
    ):
        found = spread_of(SUM, "x", plausible, Shape.UNIFORM, held=1.0)
        assert found.operation is operation
        assert (found.distribution.low, found.distribution.high) == pytest.approx(ends)


# What is said of single members

REGIONS = plan_of(
    given("x", 100, ("region",), plausible=PlausibleRange(-0.1, 0, 0.1, True)), given("y", 7, ("region",)),
    months=1,
)  # fmt: skip
BY_REGION = tuple(Figure(member, member, "x", (member,)) for member in ("Coast", "Valley", "Upland"))
COAST = (("region", "Coast"),)


def test_members_that_say_something_are_drawn_by_themselves_and_the_rest_together():
    """Coast as a value, uniform from 50 to 150 (a range of 60 to 140 holds 80 %): mean 100, deviation 100/√12.

    The two others by the line's own range, normal ± 10 % at P10 and P90, deviation 10/1.28155 (normal theory): the same
    amount for both, and nothing to do with Coast's.
    """
    coast = SpreadSetting("x", Shape.UNIFORM, plausible=PlausibleRange(60, 100, 140), applied=Applied.VALUE,
                          members=COAST)  # fmt: skip
    spreads = usual_spreads(REGIONS, shape=Shape.NORMAL, said=[coast])
    assert [(spread.name, spread.operation) for spread in spreads] == [
        ("x", Operation.SCALE), ("x Coast", Operation.SET)
    ]  # fmt: skip
    found = run(spreads, BY_REGION, REGIONS, count=4096, seed=5)
    of_coast, valley, upland = found.amounts
    assert np.array_equal(valley, upland)
    assert of_coast.mean() == pytest.approx(100, abs=0.1)
    assert of_coast.std(ddof=1) == pytest.approx(100 / 12**0.5, rel=0.01)
    assert valley.std(ddof=1) == pytest.approx(10 / 1.2815515655446004, rel=0.01)
    assert abs(np.corrcoef(of_coast, valley)[0, 1]) < 0.03


def test_the_most_precise_of_what_is_said_holds_and_what_is_left_with_nothing_is_not_drawn():
    product = Dimension("product", ("Kit", "Panel"))
    line = given("x", 10, ("region", "product"), plausible=PlausibleRange(-0.2, 0, 0.2, True))
    plan = plan_of(line, months=1, more_dimensions=(product,))

    def said(share, **members):
        return SpreadSetting("x", plausible=PlausibleRange(-share, 0, share, True), members=tuple(members.items()))

    kit = said(0.3, region="Coast", product="Kit")
    spreads = {each.name: each for each in usual_spreads(plan, said=[said(0.1, region="Coast"), kit])}
    assert [key for key, _ in spreads["x Coast"].parts] == [("region", "Coast")]
    assert spreads["x Coast"].parts == ((("region", "Coast"), ("product", "Panel")),)
    assert spreads["x Coast Kit"].parts == ()  # all it says
    assert len(spreads["x"].parts) == 4
    everywhere = [said(0.1, region=member) for member in ("Coast", "Valley", "Upland")]
    assert [each.name for each in usual_spreads(plan, said=everywhere)] == ["x Coast", "x Valley", "x Upland"]


def test_members_go_together_with_what_is_about_them():
    coast = SpreadSetting("x", plausible=PlausibleRange(-0.1, 0, 0.1, True), members=COAST)
    valley = replace(coast, members=(("region", "Valley"),))
    both = [replace(each, line="y") for each in (coast, valley)]
    model = replace(REGIONS.model, correlations=(Correlation("x", "y", 0.5),))
    plan = compile_model(model)
    spreads = [spread for spread in usual_spreads(plan, said=[coast, valley, *both]) if spread.members]
    assert [spread.name for spread in spreads] == ["x Coast", "x Valley", "y Coast", "y Valley"]
    expected = np.eye(4)
    expected[0, 2] = expected[2, 0] = expected[1, 3] = expected[3, 1] = 0.5
    assert np.array_equal(correlations_of(plan, spreads), expected)


@pytest.mark.parametrize(
    ("plausible", "applied", "operation", "ends"),
    [
        (PlausibleRange(40, 50, 55), Applied.VALUE, Operation.SET, (40, 55)),
        (PlausibleRange(40, 50, 55), Applied.ADDITION, Operation.ADD, (-10, 5)),
        (PlausibleRange(40, 50, 55), Applied.FACTOR, Operation.SCALE, (0.8, 1.1)),
        (PlausibleRange(-5, 0, 5), Applied.VALUE, Operation.SET, (-5, 5)),
        (PlausibleRange(-0.1, 0, 0.2, True), Applied.FACTOR, Operation.SCALE, (0.9, 1.2)),
    ],
)
def test_a_range_is_applied_as_it_says(plausible, applied, operation, ends):
    found = spread_of(SUM, "x", plausible, Shape.UNIFORM, held=1.0, applied=applied)
    assert found.operation is operation
    assert (found.distribution.low, found.distribution.high) == pytest.approx(ends)


@pytest.mark.parametrize(
    ("plausible", "applied", "said"),
    [
        (PlausibleRange(-0.1, 0, 0.1, True), Applied.VALUE, "A share of X cannot be drawn as a value"),
        (PlausibleRange(-0.1, 0, 0.1, True), Applied.ADDITION, "cannot be drawn as an addition"),
        (PlausibleRange(-5, 0, 5), Applied.FACTOR, "a factor cannot spread"),
    ],
)
def test_a_range_that_cannot_be_applied_so_says_why(plausible, applied, said):
    with pytest.raises(InvalidValue, match=said):
        spread_of(SUM, "x", plausible, applied=applied)


def test_a_value_drawn_by_year_stands_in_place_of_what_is_assumed():
    """Each year of the plan has one amount in all its months, whatever the case had assumed month by month."""
    plan = plan_of(given("x", 45), months=24)
    spread = spread_of(plan, "x", PlausibleRange(40, 50, 55), rhythm=Redrawn.YEAR, applied=Applied.VALUE)
    months = [Figure(f"m{at}", "", "x", first=month, last=month) for at, month in enumerate(plan.model.timeline.months)]
    amounts = run([spread], months, plan, count=256).amounts
    assert np.array_equal(amounts[0], amounts[11])
    assert not np.array_equal(amounts[11], amounts[12])
    assert np.array_equal(amounts[12], amounts[23])


@law(15)
@drawn(models())
def test_the_division_of_a_line_among_what_is_said_of_it_leaves_nothing_out_and_nothing_twice(model):
    """Every combination of members is moved by one spread of its line at most, and by that once."""
    plan, unfit = build_plan(model), []
    spreads = usual_spreads(plan, refused=lambda name, fault: unfit.append(name))
    for spread in spreads:
        line = plan.model.line(spread.line)
        named = [dict(members) for members in spread.parts or (spread.members,)]
        keys = [dict(zip(line.dimensions, key, strict=True)) for key in plan.model.keys_of(line)]
        moved = [key for key in keys for each in named if each.items() <= key.items()]
        assert len(moved) == len({tuple(key.items()) for key in moved})
        others = [each for each in spreads if each.line == spread.line and each.name != spread.name]
        for other in others:
            theirs = [dict(members) for members in other.parts or (other.members,)]
            assert not [key for key in moved for each in theirs if each.items() <= key.items()]


# Laws of drawing


@law(10)
@drawn(models(), st.integers(1, 3))
def test_a_draw_of_factor_1_and_addition_0_is_the_case(model, seed):
    plan = build_plan(model)
    figure = model.figures[0]
    none = (
        Spread("kits", Operation.SCALE, Discrete((1.0,), (1.0,)), Redrawn.MONTH, 0.5),
        Spread("price", Operation.ADD, Discrete((0.0,), (1.0,)), Redrawn.YEAR),
    )
    known = [spread for spread in none if spread.line in plan.model.line_by_name]
    if known and model.timeline.first_plan <= model.timeline.end:
        found = run_chance(plan, lay_out(plan, "base", known), [figure], count=256, seed=seed)
        expected = figure_amounts(plan, [plan.model.changes_of("base")], figure)
        assert found.amounts[0] == pytest.approx(np.repeat(expected, 256), nan_ok=True)


@pytest.mark.parametrize("points", list(Points))
def test_the_same_seed_is_the_same_on_any_executor_and_in_batches_of_any_size(demo_plan, points):
    spreads = usual_spreads(demo_plan, ["kit_price", "kits_ordered", "rent"])
    layout = lay_out(demo_plan, "worst", spreads)
    figures = [demo_plan.model.figure("lowest_cash"), demo_plan.model.figure("break_even")]

    def run_with(executor=None, batch=1024, seed=4):
        fans = ["cash_after_overdraft"]
        return run_chance(demo_plan, layout, figures, fans, 512, seed, points, executor=executor, batch=batch)

    usual = run_with()
    with ThreadPoolExecutor(3) as threads:
        others = [run_with(threads, 17), run_with(batch=64)]
    for other in others:
        assert other.amounts == pytest.approx(usual.amounts, rel=1e-12, nan_ok=True)
        fans = [each.fans["cash_after_overdraft"].quantiles for each in (other, usual)]
        assert fans[0] == pytest.approx(fans[1], rel=1e-12)
        assert other.driven_by(0) == usual.driven_by(0)
    assert not np.array_equal(run_with(seed=5).amounts[0], usual.amounts[0])


def test_numbers_that_persist_are_spread_alike_in_every_period():
    """AR(1) from its stationary spread: variance 1 in every period, correlation φ^k between periods (theory)."""
    plan = plan_of(given("x", 1), calculated("z", "x"), months=24)
    layout = lay_out(plan, "base", [Spread("x", Operation.SCALE, Normal(1, 0.1), Redrawn.MONTH, 0.7)])
    drivers = layout.drivers(Design(8192, 1, layout.dimensions).standard(0, 0, 1024))
    assert drivers.std(axis=0) == pytest.approx(np.ones(24), abs=0.06)
    for lag in (1, 2, 5):
        assert np.corrcoef(drivers[:, 3], drivers[:, 3 + lag])[0, 1] == pytest.approx(0.7**lag, abs=0.05)


def test_years_are_drawn_apart_and_fall_on_the_plan_only():
    plan = plan_of(given("x", 10), calculated("z", "x"), months=30)
    ways = Spread("x", Operation.SCALE, Normal(1, 0.1), Redrawn.YEAR).ways(plan)
    assert [(str(way.first), str(way.last)) for way in ways] == [
        ("2026-01", "2026-12"), ("2027-01", "2027-12"), ("2028-01", "2028-06"),
    ]  # fmt: skip


def test_delays_are_whole_grouped_and_capped():
    plan = plan_of(given("x", {"points": {"2026-01": 0, "2026-02": 100, "2026-03": 0}}), calculated("z", "x"), months=4)
    layout = lay_out(plan, "base", [Spread("x", Operation.DELAY, Uniform(-0.5, 40))])
    drivers = layout.drivers(Design(256, 1, 1).standard(0, 0, 32))
    groups = list(layout.batches(drivers))
    months = [change.amount for _, batch in groups for change in batch.shared]
    assert months == sorted(set(months))
    assert max(months) == 24
    assert sorted(np.concatenate([rows for rows, _ in groups])) == list(range(32))


def test_cases_are_drawn_as_often_as_their_weights_say(demo_plan):
    weights = {"base": 0.5, "best": 0.2, "worst": 0.3}
    cases = tuple(replace(case, weight=weights.get(case.name)) for case in demo_plan.model.cases)
    demo_plan = build_plan(replace(demo_plan.own, cases=cases))
    model = demo_plan.model
    weighted = [case for case in cases if case.weight]
    layout = lay_out(demo_plan, "base", usual_spreads(demo_plan, ["kit_price"]), by_weights=True)
    drivers = layout.drivers(Design(2048, 1, layout.dimensions).standard(0, 0, 256))
    counts = {batch.shared: len(rows) for rows, batch in layout.batches(drivers)}
    total = sum(case.weight for case in weighted)
    for case in weighted:
        assert counts[model.changes_of(case.name)] / 256 == pytest.approx(case.weight / total, abs=0.01)


def test_hoped_for_contracts_come_as_often_as_they_are_likely(demo_plan):
    changes = demo_plan.model.changes_of("base")
    found = hoped_for(demo_plan, changes)
    assert found
    for spread in found:
        share = spread.distribution.shares[1]
        assert 0 < share < 1
        drawn_as = spread.distribution.amounts(ndtri((np.arange(1000) + 0.5) / 1000))
        assert (drawn_as.mean(), set(drawn_as)) == (pytest.approx(share, abs=1e-3), {0.0, 1.0})
    figure = demo_plan.model.figure("revenue_2027")
    result = run_chance(demo_plan, lay_out(demo_plan, "base", found), [figure], count=256)
    expected = float(figure_amounts(demo_plan, [changes], figure)[0])
    assert result.mean(0).value == pytest.approx(expected, rel=0.01)  # revenue is linear in what comes


# What they say


def test_money_needed_covers_the_interest_until_the_worst_month():
    # short of 50 from the second month and of 100 four months later, at 12 % a year: 100 / (1 - 0.04)
    from widefork.core.analysis.chance.chance import _need

    room = np.array([[10.0, -50, -60, -70, -80, -100, 5], [1.0, 1, 1, 1, 1, 1, 1]]).T
    assert _need(room, 0.12) == pytest.approx([100 / 0.96, 0])
    assert _need(room, 0.0) == pytest.approx([100, 0])


def test_a_month_that_never_comes_is_infinitely_late():
    plan = plan_of(given("x", 1), calculated("z", "x * month_number"), months=6)
    first = Figure("f", "F", "z", reduction=Reduction.FIRST_MONTH, threshold=6.0)
    never = Spread("x", Operation.SET, Discrete((0.1, 2.0), (0.4, 0.6)))
    found = run((never,), (first,), plan, count=256)
    assert found.without_answer(0) == pytest.approx(0.4, abs=0.01)
    assert found.quantile(0, 0.5).value == 2026 * 12 + 2 == found.amounts[0][np.isfinite(found.amounts[0])][0]
    assert found.quantile(0, 0.75).value == np.inf
    assert found.reaching(0, 1e9, False).value == pytest.approx(0.6, abs=0.01)


def test_what_the_demo_risks_is_counted_draw_by_draw(demo_plan):
    spreads = usual_spreads(demo_plan, ["kit_price", "kits_ordered", "panel_contracts"])
    layout = lay_out(demo_plan, "base", spreads)
    found = run_chance(demo_plan, layout, [demo_plan.model.figure("lowest_cash")], ["headroom"], 256, 2)
    lists = []
    for scrambling in range(8):
        drivers = layout.drivers(Design(256, 2, layout.dimensions).standard(scrambling, 0, 32))
        lists += next(list(batch) for _, batch in layout.batches(drivers))
    room = figure_amounts(demo_plan, lists, Figure("r", "R", "headroom", reduction=Reduction.LOWEST))
    assert found.under_at_all().value == pytest.approx((room < 0).mean())
    assert found.money_needed(1.0).value == pytest.approx(max(0.0, -room.min()))
    assert found.fans["headroom"].quantiles.shape == (5, 30)
    assert set(found.kept_always) == {limit.name for limit in demo_plan.model.limits}
    assert found.driven_by(0)[0].name in {"kit_price", "kits_ordered", "panel_contracts"}


@law(20)
@drawn(st.lists(st.floats(-1e6, 1e6), min_size=3, max_size=300), st.integers(1, 40))
def test_the_sketch_is_as_near_as_it_says_in_whatever_pieces(values, width):
    rows = np.array([values, [-value for value in values]])
    exact, near = Quantiles(2, len(values)), Quantiles(2, 10**6)
    for start in range(0, len(values), width):
        exact.add(rows[:, start : start + width])
        near.add(rows[:, start : start + width])
    shares = np.array([0.0, 0.5, 1.0])
    ordered = np.sort(rows, axis=1)
    ranks = [int(share * (len(values) - 1)) for share in shares]
    assert near.at(shares) == pytest.approx(ordered[:, ranks].T, rel=1.001e-3, abs=1e-3)
    assert exact.at(shares)[[0, 2]] == pytest.approx(ordered[:, [0, -1]].T)


def test_it_can_be_ended_and_says_of_how_many_draws_it_is():
    found = run((X, Y), count=4096, batch=64, told=lambda progress: progress.done < 300)
    assert found.count == found.amounts.shape[1] == 320
    assert found.quantile(0, 0.5).value == pytest.approx(300, abs=5)


@pytest.mark.parametrize(
    ("count", "points", "said"),
    [
        (100, Points.SOBOL, "From 256"), (3000, Points.SOBOL, "powers of two; ask for 2,048 or 4,096"),
        (10**9, Points.SOBOL, "would need 954 runs"), (200_000, Points.LATIN, "at most 100,000"),
    ],
)  # fmt: skip
def test_so_many_draws_cannot_be(count, points, said):
    with pytest.raises(InvalidValue, match=said):
        Design(count, 1, 3, points)


def test_what_cannot_be_drawn_says_why(demo_plan):
    with pytest.raises(InvalidValue, match="nothing can be drawn"):
        lay_out(SUM, "base", ())
    with pytest.raises(InvalidValue, match="spread twice"):
        lay_out(SUM, "base", (X, X))
    with pytest.raises(UnknownName):
        lay_out(SUM, "base", (Spread("q", Operation.SET, Normal(0, 1)),))
    with pytest.raises(InvalidValue, match="2 rows of 2"):
        lay_out(SUM, "base", (X, Y), np.eye(3))
    with pytest.raises(InvalidValue, match="between -1 and 1"):
        lay_out(SUM, "base", (X, Y), np.array([[1, 2], [2, 1]]))
    with pytest.raises(InvalidValue, match="No case has a weight"):
        lay_out(SUM, "base", (X,), by_weights=True)
    with pytest.raises(InvalidValue, match="no persistence"):
        Spread("x", Operation.SET, Normal(0, 1), persistence=0.4)
    with pytest.raises(InvalidValue, match="Persistence"):
        Spread("x", Operation.SET, Normal(0, 1), Redrawn.MONTH, 1.0)
    with pytest.raises(InvalidValue, match="drawn once"):
        Spread("x", Operation.DELAY, Normal(0, 1), Redrawn.YEAR)
    with pytest.raises(InvalidValue, match="not “stop”"):
        Spread("x", Operation.STOP, Normal(0, 1))
    with pytest.raises(InvalidValue, match="21,201"):
        Design(256, 1, 30_000)
