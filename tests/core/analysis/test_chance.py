"""Random draws: moments and percentiles by theory, within four standard errors."""

import numpy as np
import pytest

from tests.kit.small import calculated, given, plan_of
from widefork.core.analysis.chance import Lognormal, Normal, Triangular, Uncertain, Uniform, draw, run_chance
from widefork.core.analysis.lever import Lever
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure

SUM = plan_of(given("x", 0), given("y", 0), calculated("z", "x + y"), months=1)
Z = Figure("z", "Z", "z")
NORMALS = (Uncertain(Lever("x"), Normal(100, 15)), Uncertain(Lever("y"), Normal(200, 20)))


def test_a_sum_of_normals_is_normal():
    """N(100, 15) + N(200, 20) is N(300, 25): P5 258.88, P95 341.12, P(Z < 270) 11.507 % (normal theory)."""
    found = run_chance(SUM, (), [Z], NORMALS, count=10_000, seed=7)
    mean, error = found.mean(0)
    assert abs(mean - 300) < 4 * error
    assert error == pytest.approx(0.25, rel=0.05)
    assert found.percentile(0, 5) == pytest.approx(258.8786593262132, abs=2.1131875109690843)
    assert found.percentile(0, 95) == pytest.approx(341.1213406737868, abs=2.1131875109690843)
    assert found.share_below(0, 270) == pytest.approx(0.11506967022170826, abs=0.013)


def test_draws_that_go_together():
    """Correlation 0.5 makes the deviation √(225 + 400 + 300) = 30.414 and P95 350.03."""
    found = run_chance(SUM, (), [Z], NORMALS, 10_000, 3, np.array([[1, 0.5], [0.5, 1]]))
    assert found.amounts[0].std(ddof=1) == pytest.approx(30.4138126514911, rel=0.03)
    assert found.percentile(0, 95) == pytest.approx(350.0262700492277, abs=4 * 0.65)


@pytest.mark.parametrize(
    ("distribution", "mean", "variance", "percentiles"),
    [
        (
            Triangular(10, 20, 40),
            70 / 3,
            350 / 9,
            {10: 15.47722557505166, 50: 22.679491924311225, 90: 32.25403330758517},
        ),
        (Uniform(5, 15), 10, 100 / 12, {95: 14.5}),
        (Lognormal(0, 0.5), 1.1331484530668263, 0.3646958540123867, {50: 1, 95: 2.276016608514317}),
    ],
)
def test_distributions_have_their_moments_and_percentiles(distribution, mean, variance, percentiles):
    """Closed forms: mean (a+b+c)/3, variance (a²+b²+c²−ab−ac−bc)/18; (b−a)²/12; e^(μ+σ²/2)."""
    amounts = draw([Uncertain(Lever("x"), distribution)], 40_000, 1)[:, 0]
    assert amounts.mean() == pytest.approx(mean, abs=4 * np.sqrt(variance / 40_000))
    assert amounts.var() == pytest.approx(variance, rel=0.06)
    for percent, amount in percentiles.items():
        assert np.percentile(amounts, percent) == pytest.approx(amount, rel=0.015)


def test_a_product_of_two_and_a_fixed_cost():
    """Q (P − 30) − 12000 with Q ~ N(1000, 100), P ~ N(50, 2): mean 8000, deviation 2835.49."""
    plan = plan_of(given("q", 0), given("p", 0), calculated("profit", "q * (p - 30) - 12000"), months=1)
    uncertain = (Uncertain(Lever("q"), Normal(1000, 100)), Uncertain(Lever("p"), Normal(50, 2)))
    found = run_chance(plan, (), [Figure("profit", "Profit", "profit")], uncertain, 10_000, 11)
    assert found.amounts[0].mean() == pytest.approx(8000, abs=4 * 28.36)
    assert found.amounts[0].std(ddof=1) == pytest.approx(2835.489375751565, rel=0.03)


def test_the_same_seed_draws_the_same_and_another_does_not():
    one, again, other = (run_chance(SUM, (), [Z], NORMALS, 50, seed).amounts for seed in (1, 1, 2))
    assert np.array_equal(one, again)
    assert not np.array_equal(one, other)


@pytest.mark.parametrize(
    ("build", "said"),
    [
        (lambda: Normal(0, -1), "0 or more"),
        (lambda: Lognormal(0, -1), "0 or more"),
        (lambda: Uniform(2, 1), "low to high"),
        (lambda: Triangular(1, 5, 4), "rise"),
        (lambda: draw(NORMALS, 1, 0), "At least 2"),
        (lambda: draw(NORMALS, 5, 0, np.eye(3)), "2 rows of 2"),
        (lambda: draw(NORMALS, 5, 0, np.array([[1, 2], [2, 1]])), "contradict"),
    ],
)
def test_what_cannot_be_drawn_is_said(build, said):
    with pytest.raises(InvalidValue, match=said):
        build()


def test_an_estimate_without_doubt_is_that_amount():
    assert draw([Uncertain(Lever("x"), Triangular(3, 3, 3))], 4, 0).tolist() == [[3.0]] * 4
