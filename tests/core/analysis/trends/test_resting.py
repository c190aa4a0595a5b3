"""What a plan rests on: kept forecasts as rules and steps, by which end, and what is known since."""

from dataclasses import replace

from tests.core.analysis.trends.test_of_model import COAST, WAVE, company
from widefork.core.analysis.trends import End, forecast_rule, known_of, plan_rule, resting_of
from widefork.core.axes import Month
from widefork.core.changes import ByRule, Case, Change, Operation
from widefork.core.history import History, KeptForecast, Recipe
from widefork.core.rules.flat import Flat

KEPT = KeptForecast("Usual", Recipe(), Month(2026, 3), (1.0, 2.0), (0.5, 1.0), (2.0, 3.0), "Theta", 38)


def resting_on(rule, changes=(), kept=KEPT, later=()):
    model = company((History("kits", Month(2023, 1), (*WAVE, *later), COAST, forecasts=(kept,)),))
    line = model.line("kits")
    lines = [replace(line, rules={**line.rules, ("Coast",): rule}) if each is line else each for each in model.lines]
    cases = (replace(model.cases[0]), Case("low", "Low", model.cases[0].name, tuple(changes)))
    return replace(model, lines=tuple(lines), cases=cases)


def rule_of(amounts=(), kept=KEPT):
    return forecast_rule(kept, company().line("kits"), 12, amounts)


def test_a_rule_and_a_step_are_told_with_their_ends():
    low = Change("kits", Operation.SET, 0.0, COAST, Month(2026, 3), course=ByRule(rule_of(KEPT.low), Month(2026, 3)))
    (found,) = resting_of(resting_on(rule_of(), [low]))
    base = company().cases[0].name
    assert (found.kept, found.places, found.since) == (KEPT, ((base, End.ITSELF), ("low", End.LOW)), 0)


def test_months_known_by_then_may_stand_before_it():
    later = (9.0, 9.0, 7.0, 8.0)  # January to April, of which January and February are closed
    ahead = replace(KEPT, start=Month(2026, 5))
    model = resting_on(rule_of(), later=later)
    rule = plan_rule(known_of(model, "kits Coast"), ahead, model.timeline)
    assert (rule.start, rule.amounts) == (Month(2026, 3), (7, 8, 1, 2))
    (found,) = resting_of(resting_on(rule, kept=ahead, later=later))
    assert found.places[0][1] is End.ITSELF


def test_what_came_since_is_counted():
    (found,) = resting_of(resting_on(rule_of(), kept=replace(KEPT, count=35)))
    assert found.since == 3


def test_a_rule_changed_by_hand_and_a_plain_rule_rest_on_nothing():
    assert resting_of(resting_on(replace(rule_of(), amounts=(9.0, 2.0)))) == ()
    assert resting_of(resting_on(replace(rule_of(), name="Another"))) == ()
    assert resting_of(resting_on(Flat(5))) == ()
