"""The shape of another series: at one's own level, known only up to the same end, proposed from the same line."""

from dataclasses import replace

import numpy as np
import pytest

from tests.core.analysis.trends.test_of_model import COAST, WAVE, company
from widefork.core.analysis.trends import (
    SHAPE_OF_ANOTHER,
    Settings,
    all_known,
    borrowed_from,
    known_of,
    like_of,
    make_forecast,
    settings_of,
)
from widefork.core.analysis.trends.methods import Like, borrowing
from widefork.core.analysis.trends.methods.borrowed import Borrowed
from widefork.core.analysis.trends.methods.theta import Theta
from widefork.core.analysis.trends.ranking import Trust, rank, study
from widefork.core.axes import Month
from widefork.core.errors import InvalidValue, UnknownName
from widefork.core.history import History, Recipe

VALLEY = (("region", "Valley"),)
SHORT = tuple(value / 4 for value in WAVE[27:])


def short_beside_long():
    # nine months of a quarter of what the other has in them; the actual months go on in both
    history = (History("kits", Month(2023, 1), WAVE, COAST), History("kits", Month(2025, 4), SHORT, VALLEY))
    return company(history, (130.0, 140.0))


def borrowed(model, **recipe):
    known = known_of(model, "kits Valley")
    recipe = Recipe(SHAPE_OF_ANOTHER, horizon=12, like="kits Coast", **recipe)
    return known, settings_of(recipe, known, model.timeline, borrowed_from(recipe, model))


def test_the_others_forecast_comes_at_ones_own_level():
    other = np.array(WAVE)
    made = Borrowed(Like("x", WAVE, 12, 27), 12).ahead(other[27:] / 4, 12)
    np.testing.assert_allclose(made, Theta(12).ahead(other, 12) / 4)


def test_tests_know_of_the_other_what_was_known_then():
    like = Like("x", WAVE, 12, 27)
    early = Borrowed(like, 12).ahead(np.array(SHORT[:5]), 3)
    changed = replace(like, values=(*WAVE[:32], *(9e9,) * 4))
    np.testing.assert_array_equal(Borrowed(changed, 12).ahead(np.array(SHORT[:5]), 3), early)


def test_a_short_series_is_forecast_with_the_season_of_a_long_one_and_tested():
    model = short_beside_long()
    known, settings = borrowed(model)
    made = make_forecast(known.series, settings)
    assert (made.method, made.label) == (SHAPE_OF_ANOTHER, "Shape of Kits, Coast")
    assert made.candidate.accuracy.mae > 0
    # peak and trough of the other, April and October, though nine months show no season by themselves
    assert made.season == 1
    assert made.amounts.max() / made.amounts.min() > 1.2
    (found,) = rank({"x": study((known.series, settings))}, {"x": 1.0})
    assert "too short" not in found.why
    by_itself = replace(settings, method="best", like=None)
    (alone,) = rank({"x": study((known.series, by_itself))}, {"x": 1.0})
    assert (alone.trust, alone.why) == (Trust.DOUBTED, "too short: 11 months")


def test_the_longest_of_the_same_line_is_proposed():
    every = all_known(short_beside_long())
    by_name = {each.name: each for each in every}
    assert like_of(by_name["kits Valley"], every).name == "kits Coast"
    assert like_of(by_name["kits Coast"], every) is None


@pytest.mark.parametrize(
    ("like", "said"),
    [
        ("kits Valley", "cannot borrow its own shape"),
        ("kits Upland", "is not known over all"),
        ("rain", "Rain is by quarter, Kits, Valley by month"),
        ("kits Cost", "kits Coast"),
    ],
)
def test_what_cannot_be_borrowed_says_why(like, said):
    model = short_beside_long()
    quarters = History("rain", Month(2020, 1), (1.0, 2.0, 3.0), per_year=4, label="Rain")
    model = replace(model, histories=(*model.histories, quarters))
    known = known_of(model, "kits Valley")
    recipe = Recipe(SHAPE_OF_ANOTHER, horizon=3, like=like)
    with pytest.raises((InvalidValue, UnknownName), match=said):
        settings_of(recipe, known, model.timeline, borrowed_from(recipe, model))


def test_nobodys_shape_and_one_of_nothing_are_refused():
    with pytest.raises(InvalidValue, match="Say whose shape is borrowed"):
        Settings(6, method=SHAPE_OF_ANOTHER)
    nothing = borrowing(Like("x", (0.0,) * 36, 1, 27), 12).choose(np.array(SHORT), 1)
    with pytest.raises(ValueError, match="x"):
        nothing.ahead(np.array(SHORT), 3)
