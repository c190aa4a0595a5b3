"""Histories: what they refuse, what of them lies before the plan, and that their documents say all of them."""

import pytest
from hypothesis import given as drawn

from tests.kit.laws import law
from tests.kit.small import REGION, given, model_of
from tests.kit.strategies import histories
from widefork.core.axes import Month
from widefork.core.errors import InvalidModel, UnknownName
from widefork.core.history import (
    History,
    KeptForecast,
    Recipe,
    Step,
    StepKind,
    forecast_document,
    read_forecast,
    read_step,
    step_document,
)

START = Month(2025, 10)


@pytest.mark.parametrize(
    ("fault", "said"),
    [
        (lambda: History("x", START, ()), "has 1 to 1,200 periods; 0 are here"),
        (lambda: History("x", START, (1.0,), per_year=6), "by month, quarter, half-year or year; 6"),
        (lambda: History("x", START, (float("inf"),)), "leave what is unknown empty"),
        (lambda: History("x", START, (1.0,), forecasts=(KeptForecast("a", Recipe(), START, (1.0,)),) * 2), "one name"),
        (lambda: Step(StepKind.GAP, START, "guess"), "“gap” is done as one of leave, interpolate, zero"),
        (lambda: Step(StepKind.SINCE, START, "mean"), "done in one way only"),
        (lambda: read_step({"do": "smooth", "in": "2026-01"}), "A step is one of doubled, gap"),
        (lambda: read_forecast({"name": "a", "start": "2026-01", "amounts": [1], "recipe": {"metod": "x"}}), "method"),
        (lambda: model_of(given("x", 1), histories=(History("x", START, (1.0,)),) * 2), "appears twice"),
    ],
)
def test_what_cannot_be_is_refused(fault, said):
    with pytest.raises((InvalidModel, UnknownName), match=said):
        fault()


def test_a_member_that_is_not_there_is_refused_with_those_there_are():
    with pytest.raises((InvalidModel, UnknownName), match="Coast"):
        model_of(given("x", 1, ("region",)), histories=(History("x", START, (1.0,), (("region", "Coat"),)),))


def test_what_lies_before_a_month_ends_with_the_month_before_it():
    months = History("x", START, (1.0, 2.0, 3.0, 4.0))
    assert months.last == Month(2026, 1)
    assert months.before(Month(2026, 1)) == (1, 2, 3)
    assert months.before(Month(2025, 10)) == months.before(Month(2020, 1)) == ()
    later = months.before(Month(2026, 4))
    assert later[:4] == (1, 2, 3, 4)
    assert len(later) == 6
    assert all(value != value for value in later[4:])
    assert History("x", START, (1.0,), per_year=1).before(Month(2026, 12)) == ()


@law(100)
@drawn(histories)
def test_steps_and_forecasts_come_back_from_their_documents(known):
    for history in known:
        assert tuple(read_step(step_document(step)) for step in history.steps) == history.steps
        assert tuple(read_forecast(forecast_document(each)) for each in history.forecasts) == history.forecasts


def test_members_have_as_many_early_months_and_those_that_do_not_exist_none():
    model = model_of(
        given("x", 1, ("region",), opening=9, absent=(("Upland",),)),
        histories=(History("x", Month(2025, 11), (5.0, 6.0), (("region", "Coast"),)),),
    )
    assert model.early_values == {"x": {("Coast",): (5, 6), ("Valley",): (9, 9), ("Upland",): (0, 0)}}
    assert REGION.members == ("Coast", "Valley", "Upland")
